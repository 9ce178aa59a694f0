package plan

import (
	"encoding/json"
	"reflect"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/rig"
)

// Content is a document that projects use and that is kept once for all of them, under
// the hash of its bytes.
type Content struct {
	Kind ContentKind
	Hash string
	Doc  []byte
}

// ContentKind says what a content is.
type ContentKind string

// The kinds of content.
const (
	AnInstrument ContentKind = "instrument"
	AChart       ContentKind = "chart"
)

// usedContent is what a kept project says in the place of a content.
type usedContent struct {
	Hash    string          `json:"hash"`
	Changes json.RawMessage `json:"changes,omitempty"` // the overlay of what the project changes
}

// plain types have the fields and none of the methods.
type (
	plainProject Project
	plainPlaced  Placed
)

// keptProject is a project as it is kept: the fields here stand before those of the same
// name below.
type keptProject struct {
	Version Version `json:"version"` // first, so that it is found without reading on
	*plainProject
	Placed []keptPlaced    `json:"placed"`
	Chart  json.RawMessage `json:"chart,omitempty"` // a usedContent, or a chart
}

type keptPlaced struct {
	plainPlaced
	Instrument json.RawMessage `json:"instrument"` // a usedContent, or an instrument
	AsItCame   *rig.Instrument `json:"asItCame,omitempty"`
}

func newContent(kind ContentKind, v any) (Content, error) {
	doc, err := json.Marshal(v)
	return Content{kind, document.Hash(doc), doc}, err
}

// Keep gives the project's document as it is kept, and the contents that it names: its
// instruments as they came, each with an overlay of what the project changes in it, and
// its house chart.
func (p *Project) Keep() (doc []byte, used []Content, err error) {
	kept := keptProject{plainProject: (*plainProject)(p)}
	if p.Placed != nil {
		kept.Placed = make([]keptPlaced, len(p.Placed))
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		came := pl.AsItCame
		if came == nil {
			came = &pl.Instrument
		}
		c, err := newContent(AnInstrument, came)
		if err != nil {
			return nil, nil, err
		}
		use := usedContent{Hash: c.Hash}
		if pl.changed() {
			now, err := json.Marshal(pl.Instrument)
			if err != nil {
				return nil, nil, err
			}
			if use.Changes, err = document.Diff(c.Doc, now); err != nil {
				return nil, nil, err
			}
		}
		used = append(used, c)
		kept.Placed[i] = keptPlaced{plainPlaced: plainPlaced(*pl)}
		if kept.Placed[i].Instrument, err = json.Marshal(use); err != nil {
			return nil, nil, err
		}
	}
	if p.Chart != nil {
		c, err := newContent(AChart, p.Chart)
		if err != nil {
			return nil, nil, err
		}
		used = append(used, c)
		if kept.Chart, err = json.Marshal(usedContent{Hash: c.Hash}); err != nil {
			return nil, nil, err
		}
	}
	doc, err = json.Marshal(kept)
	return doc, used, err
}

// ReadKept reads what Keep wrote, of this version or an older one; content gives a
// content by its hash.
func ReadKept(doc []byte, content func(hash string) ([]byte, error)) (*Project, error) {
	doc, err := Versions.Upgrade(doc)
	if err != nil {
		return nil, err
	}
	p := &Project{}
	kept := keptProject{plainProject: (*plainProject)(p)}
	if err := json.Unmarshal(doc, &kept); err != nil {
		return nil, err
	}
	if p.Placed = nil; kept.Placed != nil {
		p.Placed = make([]Placed, 0, len(kept.Placed))
	}
	for i := range kept.Placed {
		k := &kept.Placed[i]
		pl := Placed(k.plainPlaced)
		if err := pl.readInstrument(k.Instrument, content); err != nil {
			return nil, err
		}
		if k.AsItCame != nil {
			pl.AsItCame = k.AsItCame
		}
		p.Placed = append(p.Placed, pl)
	}
	if p.Chart, err = readChart(kept.Chart, content); err != nil {
		return nil, err
	}
	p.Relink()
	return p, nil
}

// readInstrument reads an instrument that is named by its content, or stands in its place.
func (pl *Placed) readInstrument(doc []byte, content func(hash string) ([]byte, error)) error {
	base, use, err := resolve(doc, content)
	if err != nil {
		return err
	}
	var came rig.Instrument
	if err := rig.Versions.Read(base, &came); err != nil {
		return err
	}
	if use.Changes == nil {
		pl.Instrument = came
		return nil
	}
	if base, err = rig.Versions.Upgrade(base); err != nil {
		return err
	}
	now, err := document.Apply(base, use.Changes)
	if err != nil {
		return err
	}
	pl.AsItCame = &came
	return json.Unmarshal(now, &pl.Instrument)
}

func readChart(doc []byte, content func(hash string) ([]byte, error)) (*house.Chart, error) {
	if len(doc) == 0 || string(doc) == "null" {
		return nil, nil
	}
	base, _, err := resolve(doc, content)
	if err != nil {
		return nil, err
	}
	c := &house.Chart{}
	return c, house.Versions.Read(base, c)
}

// resolve gives the document that stands where a content may be named.
func resolve(doc []byte, content func(hash string) ([]byte, error)) (base []byte, use usedContent, err error) {
	if err := json.Unmarshal(doc, &use); err != nil || use.Hash == "" {
		return doc, usedContent{}, err
	}
	base, err = content(use.Hash)
	return base, use, err
}

// changed reports whether the project changes anything in the instrument as it came.
func (pl *Placed) changed() bool {
	return pl.AsItCame != nil && !reflect.DeepEqual(pl.Instrument, *pl.AsItCame)
}

// MarshalJSON leaves the instrument as it came out where the project changes nothing in it.
func (pl Placed) MarshalJSON() ([]byte, error) {
	if !pl.changed() {
		pl.AsItCame = nil
	}
	return json.Marshal(plainPlaced(pl))
}
