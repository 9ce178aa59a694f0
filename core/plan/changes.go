package plan

import (
	"bytes"
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"
)

// Change is how one setting of what is patched was changed, so that it can be taken back
// when other settings have changed since. Before and After are as they are kept; nil: there
// was none, or is none any more. Without an attribute it is the whole thing that came or
// went: a lane, an instrument.
type Change struct {
	Kind      string          `json:"kind"` // as PatchedSettings calls it: "lanes"
	ID        string          `json:"id"`
	Attribute string          `json:"attribute,omitempty"`
	Before    json.RawMessage `json:"before,omitempty"`
	After     json.RawMessage `json:"after,omitempty"`
}

// settingsTree is what is patched as it is kept: kinds, things, attributes. What is no
// setting of a thing stands under the kind's own name.
type settingsTree map[string]map[string]map[string]json.RawMessage

func (s *Patched) tree() (settingsTree, error) {
	doc, err := json.Marshal(s.Clone()) // none is nothing patched
	if err != nil {
		return nil, err
	}
	var top map[string]json.RawMessage
	if err := json.Unmarshal(doc, &top); err != nil {
		return nil, err
	}
	out := settingsTree{}
	for kind, raw := range top {
		things := map[string]map[string]json.RawMessage{}
		if kind == "lastId" {
			continue
		}
		if json.Unmarshal(raw, &things) != nil {
			things = map[string]map[string]json.RawMessage{"": {kind: raw}}
		}
		out[kind] = things
	}
	return out, nil
}

// patched is the state that a tree holds; lastID is that of the state it is made of.
func (t settingsTree) patched(lastID int) (*Patched, error) {
	top := map[string]any{"lastId": lastID}
	for kind, things := range t {
		if own, ok := things[""]; ok && len(things) == 1 {
			if v, ok := own[kind]; ok {
				top[kind] = v
			}
			continue
		}
		top[kind] = things
	}
	doc, err := json.Marshal(top)
	if err != nil {
		return nil, err
	}
	out := &Patched{}
	return out, json.Unmarshal(doc, out)
}

// ChangesOf lists how a state became another.
func ChangesOf(before, after *Patched) ([]Change, error) {
	if before == nil || after == nil {
		return changesOfAll(before, after)
	}
	same := sameLanes(before, after)
	return changesOfAll(before.without(same), after.without(same))
}

// sameLanes are the lanes that stand alike in two states. Most steps change few of many.
func sameLanes(a, b *Patched) map[string]bool {
	same := make(map[string]bool, len(a.Lanes))
	was := make(map[string]*Lane, len(a.Lanes))
	for i := range a.Lanes {
		was[a.Lanes[i].ID] = &a.Lanes[i]
	}
	for i := range b.Lanes {
		l := &b.Lanes[i]
		if x := was[l.ID]; x != nil && reflect.DeepEqual(x, l) && a.Muted[l.ID] == b.Muted[l.ID] && a.Soloed[l.ID] == b.Soloed[l.ID] {
			same[l.ID] = true
		}
	}
	differs := func(x, y map[Key]bool) {
		for k := range x {
			if id, ok := k.Entity.lane(); ok && x[k] != y[k] {
				delete(same, id)
			}
		}
	}
	differs(a.Unknown, b.Unknown)
	differs(b.Unknown, a.Unknown)
	return same
}

// lane is the lane that a lane's entity, or that of one of its sends, belongs to.
func (e Entity) lane() (id string, ok bool) {
	if id, ok = strings.CutPrefix(string(e), string(LaneEntity(""))); ok {
		return id, true
	}
	ref, ok := strings.CutPrefix(string(e), "send:")
	id, _, _ = strings.Cut(ref, ":")
	return id, ok
}

// without is the state without some lanes.
func (s *Patched) without(lanes map[string]bool) *Patched {
	out := *s
	out.Lanes = slices.DeleteFunc(slices.Clone(s.Lanes), func(l Lane) bool { return lanes[l.ID] })
	out.Muted, out.Soloed, out.Unknown = maps.Clone(s.Muted), maps.Clone(s.Soloed), maps.Clone(s.Unknown)
	for _, of := range []map[string]bool{out.Muted, out.Soloed} {
		maps.DeleteFunc(of, func(id string, _ bool) bool { return lanes[id] })
	}
	maps.DeleteFunc(out.Unknown, func(k Key, _ bool) bool {
		id, ok := k.Entity.lane()
		return ok && lanes[id]
	})
	return &out
}

func changesOfAll(before, after *Patched) ([]Change, error) {
	a, err := before.tree()
	if err != nil {
		return nil, err
	}
	b, err := after.tree()
	if err != nil {
		return nil, err
	}
	var out []Change
	for _, kind := range keysOf(a, b) {
		for _, id := range keysOf(a[kind], b[kind]) {
			was, had := a[kind][id]
			is, has := b[kind][id]
			if id != "" && had != has {
				c := Change{Kind: kind, ID: id}
				if had {
					c.Before, err = json.Marshal(was)
				} else {
					c.After, err = json.Marshal(is)
				}
				if err != nil {
					return nil, err
				}
				out = append(out, c)
				continue
			}
			for _, attr := range keysOf(was, is) {
				if !bytes.Equal(was[attr], is[attr]) {
					out = append(out, Change{kind, id, attr, was[attr], is[attr]})
				}
			}
		}
	}
	return out, nil
}

func keysOf[V any](a, b map[string]V) []string {
	all := maps.Clone(a)
	if all == nil {
		all = map[string]V{}
	}
	maps.Copy(all, b)
	return slices.Sorted(maps.Keys(all))
}

// holds tells whether a change is still as it was made.
func (t settingsTree) holds(c Change) bool {
	thing, there := t[c.Kind][c.ID]
	switch {
	case c.Attribute == "":
		return there == (c.After != nil)
	case !there && c.ID != "":
		return false // the thing is gone, and its attributes with it
	}
	return bytes.Equal(thing[c.Attribute], c.After)
}

// Standing are the changes that are still as they were made: nothing has changed the same
// settings since.
func (s *Patched) Standing(changes []Change) (out []Change, err error) {
	t, err := s.tree()
	if err != nil {
		return nil, err
	}
	for _, c := range changes {
		if t.holds(c) {
			out = append(out, c)
		}
	}
	return out, nil
}

// TakenBack is the state without changes: each setting that is still as a change left it
// becomes what it was before; others stay. It says how many became so.
func (s *Patched) TakenBack(changes []Change) (*Patched, int, error) {
	standing, err := s.Standing(changes)
	if err != nil {
		return nil, 0, err
	}
	t, err := s.tree()
	if err != nil {
		return nil, 0, err
	}
	for _, c := range standing {
		if t[c.Kind] == nil {
			t[c.Kind] = map[string]map[string]json.RawMessage{}
		}
		switch things := t[c.Kind]; {
		case c.Attribute == "" && c.Before == nil:
			delete(things, c.ID)
			t.dropParts(c)
		case c.Attribute == "":
			var was map[string]json.RawMessage
			if err := json.Unmarshal(c.Before, &was); err != nil {
				return nil, 0, err
			}
			things[c.ID] = was
		case c.Before == nil:
			delete(things[c.ID], c.Attribute)
		case things[c.ID] == nil && c.ID == "":
			things[c.ID] = map[string]json.RawMessage{c.Attribute: c.Before}
		case things[c.ID] != nil: // what was dropped with its thing stays away
			things[c.ID][c.Attribute] = c.Before
		}
	}
	last := 0
	if s != nil {
		last = s.LastID
	}
	out, err := t.patched(last)
	return out, len(standing), err
}

// dropParts lets what belongs to a thing that is gone go with it: the outputs and feeds of
// an instrument, the sends of a lane.
func (t settingsTree) dropParts(c Change) {
	parts := map[string][]string{"instruments": {"outputs", "feeds", "tracks"}, "lanes": {"sends"}}
	for _, kind := range parts[c.Kind] {
		maps.DeleteFunc(t[kind], func(id string, _ map[string]json.RawMessage) bool {
			return len(id) > len(c.ID) && id[:len(c.ID)+1] == c.ID+":" || len(id) > len(c.ID) &&
				id[len(id)-len(c.ID)-1:] == ":"+c.ID
		})
	}
}
