package plan

import (
	"encoding/json"
	"fmt"
	"strings"

	"hiddenlanes/core/document"
)

// Collision says why a change that was made for one state of a project cannot be carried out on a
// newer one.
type Collision struct {
	What         string // that both changed: "the name of lane 5"; "": the change goes by what has changed
	Mine, Theirs string // what it would be set to, and what it was set to meanwhile; "" where that is no text
}

func (c *Collision) Error() string {
	switch {
	case c.What == "":
		return "it goes by what has changed meanwhile"
	case c.Mine == "" || c.Theirs == "":
		return c.What + " has changed meanwhile"
	}
	return fmt.Sprintf("%s is “%s” now, and would be “%s”", c.What, c.Theirs, c.Mine)
}

// OnNewer carries an edit that was made for one state of a project out on a newer one, and gives that
// state and the label; it changes neither of the two. It does so where the edit comes to the same
// there as the two changes laid over each other, whichever of them comes first: then neither writes
// what the other has written, nor goes by it. Where the edit writes down what stands in the host
// alone, as ticks do, it holds whatever else has changed. Otherwise it gives a *Collision. Without a
// label there was nothing to change.
func OnNewer(was, now *Project, edit Edit) (_ *Project, label string, err error) {
	mine := was.Clone()
	if label, err = edit(mine); err != nil || label == "" {
		return nil, "", err
	}
	var docs [3][]byte
	for i, p := range []*Project{was, mine, now} {
		if docs[i], err = json.Marshal(p); err != nil {
			return nil, "", err
		}
	}
	merged, err := document.Merge(docs[0], docs[1], docs[2])
	if err != nil {
		return nil, "", err
	}
	more, err := document.Differences(merged, docs[2])
	if err != nil {
		return nil, "", err
	}
	if told, err := document.Within(docs[0], docs[1], "patched"); err != nil {
		return nil, "", err
	} else if told {
		if len(more) == 0 {
			return nil, "", nil // it is written down already
		}
		out := &Project{}
		if err := json.Unmarshal(merged, out); err != nil {
			return nil, "", err
		}
		out.Relink()
		return out, label, nil
	}
	other, err := document.Merge(docs[0], docs[2], docs[1])
	if err != nil {
		return nil, "", err
	}
	both, err := document.Differences(merged, other)
	if err != nil {
		return nil, "", err
	}
	if len(both) > 0 {
		return nil, "", now.collision(both[0])
	}
	out := now.Clone()
	if label, err = edit(out); err != nil {
		return nil, "", &Collision{}
	}
	done, err := json.Marshal(out)
	if err != nil {
		return nil, "", err
	}
	if both, err = document.Differences(merged, done); err != nil {
		return nil, "", err
	}
	if len(both) > 0 {
		return nil, "", &Collision{}
	}
	if len(more) == 0 { // the other window did the same
		return nil, "", nil
	}
	return out, label, nil
}

// collision says in words where two changes of a project meet.
func (p *Project) collision(d document.Difference) *Collision {
	c := &Collision{What: "what it changes"}
	_ = json.Unmarshal(d.First, &c.Mine)
	_ = json.Unmarshal(d.Second, &c.Theirs)
	at := d.Path
	switch l := (*Lane)(nil); {
	case len(at) == 1 && at[0] == "name":
		c.What = "the name of the project"
	case len(at) > 1 && at[0] == "lanes":
		if l = p.Lane(at[1]); l == nil {
			break
		}
		c.What = fmt.Sprintf("lane %d %s", l.Number, l.Name)
		if len(at) > 2 {
			c.What = fmt.Sprintf("%s of lane %d", laneWords(at[2]), l.Number)
		}
		if len(at) > 2 && at[2] == "to" {
			c.Mine, c.Theirs = p.busText(c.Mine), p.busText(c.Theirs)
		}
	case len(at) > 1 && at[0] == "placed":
		if pl := p.Find(at[1]); pl != nil {
			c.What = "what is set for " + pl.Instrument.Name
			c.Mine, c.Theirs = "", ""
		}
	default:
		c.Mine, c.Theirs = "", ""
	}
	return c
}

func (p *Project) busText(id string) string {
	if b := p.Lane(id); b != nil {
		return b.Name
	}
	return mainMixText
}

// laneWords is what a field of a lane is called by people.
func laneWords(field string) string {
	for _, a := range LaneAttributes {
		if a.Cell != nil && (string(a.name) == field || a.Cell.Key == field) {
			return "the " + strings.ToLower(a.Cell.Title)
		}
	}
	return "a setting"
}
