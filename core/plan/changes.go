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

// ChangesOf lists how a state became another. Things of one kind are compared field by field, and
// only what differs is written down: most of what is patched stays as it is.
func ChangesOf(before, after *Patched) (out []Change, err error) {
	if before != nil && after != nil { // of many lanes most steps change few
		same := sameLanes(before, after)
		before, after = before.without(same), after.without(same)
	}
	// none is nothing patched
	a, b := reflect.ValueOf(before.Clone().settings()), reflect.ValueOf(after.Clone().settings())
	for _, kind := range fieldsOf(a.Type()) {
		if kind.name == "lastId" {
			continue
		}
		was, is := a.Field(kind.at), b.Field(kind.at)
		if was.Kind() != reflect.Map { // it is no setting of a thing
			if out, err = changeOfField(out, Change{Kind: kind.name, Attribute: kind.name}, was, is); err != nil {
				return nil, err
			}
			continue
		}
		if out, err = changesOfThings(out, kind.name, was, is); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// sameLanes are the lanes that stand alike in two states, with their sends.
func sameLanes(a, b *Patched) map[string]bool {
	was := make(map[string]*Lane, len(a.Lanes))
	for i := range a.Lanes {
		was[a.Lanes[i].ID] = &a.Lanes[i]
	}
	same := make(map[string]bool, len(a.Lanes))
	for i := range b.Lanes {
		l := &b.Lanes[i]
		if x := was[l.ID]; x != nil && x.same(l) && a.Muted[l.ID] == b.Muted[l.ID] && a.Soloed[l.ID] == b.Soloed[l.ID] {
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
	out.Lanes = nil
	for _, l := range s.Lanes {
		if !lanes[l.ID] {
			out.Lanes = append(out.Lanes, l)
		}
	}
	if len(s.Unknown) > 0 {
		out.Unknown = maps.Clone(s.Unknown)
		maps.DeleteFunc(out.Unknown, func(k Key, _ bool) bool {
			id, ok := k.Entity.lane()
			return ok && lanes[id]
		})
	}
	return &out
}

// changesOfThings compares the things of a kind, by ID.
func changesOfThings(out []Change, kind string, was, is reflect.Value) ([]Change, error) {
	ids := map[string]bool{}
	for _, m := range []reflect.Value{was, is} {
		for _, k := range m.MapKeys() {
			ids[k.String()] = true
		}
	}
	fields := fieldsOf(was.Type().Elem())
	for _, id := range slices.Sorted(maps.Keys(ids)) {
		key := reflect.ValueOf(id)
		x, y := was.MapIndex(key), is.MapIndex(key)
		var err error
		if x.IsValid() != y.IsValid() {
			c := Change{Kind: kind, ID: id}
			if x.IsValid() {
				c.Before, err = wholeThing(x)
			} else {
				c.After, err = wholeThing(y)
			}
			if err != nil {
				return nil, err
			}
			out = append(out, c)
			continue
		}
		for _, f := range fields {
			if out, err = changeOfField(out, Change{Kind: kind, ID: id, Attribute: f.name}, x.Field(f.at),
				y.Field(f.at)); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// changeOfField adds a change where a field differs.
func changeOfField(out []Change, c Change, was, is reflect.Value) (_ []Change, err error) {
	if sameField(was, is) {
		return out, nil
	}
	for v, raw := range map[*reflect.Value]*json.RawMessage{&was: &c.Before, &is: &c.After} {
		if v.IsZero() { // it is left out
			continue
		}
		if *raw, err = json.Marshal(v.Interface()); err != nil {
			return nil, err
		}
	}
	if bytes.Equal(c.Before, c.After) {
		return out, nil
	}
	return append(out, c), nil
}

// sameField reports whether two fields hold the same.
func sameField(a, b reflect.Value) bool {
	if a.Kind() == reflect.Pointer {
		if a.IsNil() || b.IsNil() {
			return a.IsNil() && b.IsNil()
		}
		a, b = a.Elem(), b.Elem()
	}
	if a.Comparable() {
		return a.Equal(b)
	}
	return reflect.DeepEqual(a.Interface(), b.Interface())
}

// wholeThing is a thing as it is kept, with its attributes by name.
func wholeThing(v reflect.Value) (json.RawMessage, error) {
	doc, err := json.Marshal(v.Interface())
	var attributes map[string]json.RawMessage
	if err == nil {
		err = json.Unmarshal(doc, &attributes)
	}
	if err != nil {
		return nil, err
	}
	return json.Marshal(attributes)
}

// field is a field of a struct as JSON has it.
type field struct {
	name string
	at   int
}

// fieldsOf lists the fields of a struct by their names in JSON.
func fieldsOf(t reflect.Type) (out []field) {
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		out = append(out, field{name, i})
	}
	slices.SortFunc(out, func(a, b field) int { return strings.Compare(a.name, b.name) })
	return out
}

// holds reports whether a change is still as it was made.
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
