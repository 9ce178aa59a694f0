package document

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
)

// An overlay says what a copy changes in a document, as JSON:
//
//	{"set": v}                     this value instead, whatever was there
//	{"fields": {name: overlay}}    an object of which some fields differ
//	{"without": [name]}            and of which some are gone
//	{"items": {id: overlay}}       a list of things with IDs or names, the same ones in
//	                               the same order, of which some differ
//
// A list in which things came, went or moved is set as a whole.
type overlay struct {
	Set     json.RawMessage     `json:"set,omitempty"`
	Fields  map[string]*overlay `json:"fields,omitempty"`
	Without []string            `json:"without,omitempty"`
	Items   map[string]*overlay `json:"items,omitempty"`
}

// Diff gives the overlay that makes changed of base, or nil where they say the same.
// Apply gives changed back exactly, but for the order of an object's fields.
func Diff(base, changed []byte) ([]byte, error) {
	a, err := decode(base)
	if err != nil {
		return nil, err
	}
	b, err := decode(changed)
	if err != nil {
		return nil, err
	}
	o, err := diff(a, b)
	if err != nil || o == nil {
		return nil, err
	}
	return json.Marshal(o)
}

// Apply lays an overlay over a document.
func Apply(base, changes []byte) ([]byte, error) {
	a, err := decode(base)
	if err != nil {
		return nil, err
	}
	var o overlay
	d := json.NewDecoder(bytes.NewReader(changes))
	d.DisallowUnknownFields()
	if err := d.Decode(&o); err != nil {
		return nil, err
	}
	out, err := o.apply(a)
	if err != nil {
		return nil, err
	}
	return json.Marshal(out)
}

func decode(doc []byte) (v any, err error) {
	d := json.NewDecoder(bytes.NewReader(doc))
	d.UseNumber() // numbers keep their digits
	err = d.Decode(&v)
	return v, err
}

func diff(a, b any) (*overlay, error) {
	if reflect.DeepEqual(a, b) {
		return nil, nil
	}
	switch b := b.(type) {
	case map[string]any:
		if a, ok := a.(map[string]any); ok {
			return diffObject(a, b)
		}
	case []any:
		if a, ok := a.([]any); ok && sameItems(a, b) {
			return diffItems(a, b)
		}
	}
	set, err := json.Marshal(b)
	return &overlay{Set: set}, err
}

func diffObject(a, b map[string]any) (*overlay, error) {
	o := &overlay{Fields: map[string]*overlay{}}
	for name, to := range b {
		was, ok := a[name]
		if !ok {
			set, err := json.Marshal(to)
			if err != nil {
				return nil, err
			}
			o.Fields[name] = &overlay{Set: set}
			continue
		}
		below, err := diff(was, to)
		if err != nil {
			return nil, err
		}
		if below != nil {
			o.Fields[name] = below
		}
	}
	for name := range a {
		if _, ok := b[name]; !ok {
			o.Without = append(o.Without, name)
		}
	}
	return o, nil
}

func diffItems(a, b []any) (*overlay, error) {
	o := &overlay{Items: map[string]*overlay{}}
	for i := range a {
		below, err := diff(a[i], b[i])
		if err != nil {
			return nil, err
		}
		if below != nil {
			o.Items[itemID(a[i])] = below
		}
	}
	return o, nil
}

// itemID names a thing of a list: by its ID, or its name.
func itemID(v any) string {
	m, ok := v.(map[string]any)
	if !ok {
		return ""
	}
	if id, ok := m["id"].(string); ok {
		return id
	}
	name, _ := m["name"].(string)
	return name
}

// sameItems reports whether two lists hold the same things, each with a name of its own, in
// the same order.
func sameItems(a, b []any) bool {
	if len(a) != len(b) {
		return false
	}
	seen := map[string]bool{}
	for i := range a {
		id := itemID(a[i])
		if id == "" || seen[id] || itemID(b[i]) != id {
			return false
		}
		seen[id] = true
	}
	return true
}

func (o *overlay) apply(to any) (any, error) {
	if o == nil {
		return nil, fmt.Errorf("an overlay says nothing of what it changes")
	}
	if o.Set != nil {
		return decode(o.Set)
	}
	if o.Items != nil {
		return o.applyItems(to)
	}
	was, ok := to.(map[string]any)
	if !ok {
		return nil, fmt.Errorf("an overlay changes fields where there is no object")
	}
	out := make(map[string]any, len(was))
	for name, v := range was {
		out[name] = v
	}
	for name, below := range o.Fields {
		v, err := below.apply(out[name])
		if err != nil {
			return nil, err
		}
		out[name] = v
	}
	for _, name := range o.Without {
		delete(out, name)
	}
	return out, nil
}

func (o *overlay) applyItems(to any) (any, error) {
	was, ok := to.([]any)
	if !ok {
		return nil, fmt.Errorf("an overlay changes things of a list where there is no list")
	}
	out := append([]any{}, was...)
	done := 0
	for i, v := range was {
		if below := o.Items[itemID(v)]; below != nil {
			x, err := below.apply(v)
			if err != nil {
				return nil, err
			}
			out[i] = x
			done++
		}
	}
	if done != len(o.Items) {
		return nil, fmt.Errorf("an overlay changes %d things of a list that are not all in it", len(o.Items))
	}
	return out, nil
}
