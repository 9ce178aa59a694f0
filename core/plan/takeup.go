package plan

import (
	"cmp"
	"encoding/json"
	"fmt"
	"reflect"
	"slices"

	"hiddenlanes/core/document"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// A project's copy of an instrument takes up what changed on the shelf.

// Differs reports whether the instrument on the shelf is another than the one that came.
func (pl *Placed) Differs(in rig.Instrument) bool { return !reflect.DeepEqual(*pl.AsDelivered(), in) }

// Merged is the instrument on the shelf with what the project changed in its copy.
func (pl *Placed) Merged(in rig.Instrument) (out rig.Instrument, err error) {
	var docs [3][]byte
	for i, x := range []rig.Instrument{*pl.AsDelivered(), pl.Instrument, in} {
		if docs[i], err = json.Marshal(x); err != nil {
			return out, err
		}
	}
	doc, err := document.Merge(docs[0], docs[1], docs[2])
	if err != nil {
		return out, err
	}
	if err := json.Unmarshal(doc, &out); err != nil {
		return out, err
	}
	if err := out.Validate(); err != nil {
		return out, fmt.Errorf("what the project changed does not fit what is on the shelf now: %w", err)
	}
	return out, nil
}

// NewsOf says in words what TakeUp would change, feed by feed; none: nothing that shows.
func (pl *Placed) NewsOf(in rig.Instrument, n midi.Naming) (out []string, err error) {
	merged, err := pl.Merged(in)
	if err != nil {
		return nil, err
	}
	next := *pl
	next.Instrument = merged
	now, then := pl.AllFeeds(), next.AllFeeds()
	find := func(list []rig.Feed, id string) *rig.Feed {
		if i := slices.IndexFunc(list, func(f rig.Feed) bool { return f.ID == id }); i >= 0 {
			return &list[i]
		}
		return nil
	}
	for _, f := range then {
		was := find(now, f.ID)
		switch {
		case was == nil:
			out = append(out, f.Name+" is new")
			continue
		case was.Name != f.Name:
			out = append(out, fmt.Sprintf("%s is called %s", was.Name, f.Name))
		}
		if was.Role != f.Role {
			out = append(out, fmt.Sprintf("%s is %s", f.Name, cmp.Or(string(f.Role), "without a role")))
		}
		if !slices.Equal(was.Keys, f.Keys) {
			out = append(out, fmt.Sprintf("%s is played by %s", f.Name, cmp.Or(midi.FormatKeys(f.Keys, n), "no key")))
		}
		if was.Width != f.Width {
			out = append(out, fmt.Sprintf("%s is %s", f.Name, f.Width))
		}
		if was.Address != f.Address {
			out = append(out, fmt.Sprintf("%s plays on %s", f.Name, f.Address))
		}
	}
	for _, f := range now {
		if find(then, f.ID) == nil {
			out = append(out, f.Name+" is gone")
		}
	}
	if len(out) == 0 && !reflect.DeepEqual(merged, pl.Instrument) {
		out = append(out, "settings that no feed shows, such as layouts, versions or memory")
	}
	return out, nil
}
