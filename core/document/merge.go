package document

import (
	"encoding/json"
	"reflect"
)

// Merge takes up in a copy what changed in the document that it is a copy of: base is that document
// as it was copied, ours the copy as it is now, theirs the document as it is now. What the copy
// changed stays changed; of lists of things with IDs or names each thing is merged by itself, those
// that are new come in, and those that are gone on either side go.
func Merge(base, ours, theirs []byte) ([]byte, error) {
	b, err := decode(base)
	if err != nil {
		return nil, err
	}
	o, err := decode(ours)
	if err != nil {
		return nil, err
	}
	t, err := decode(theirs)
	if err != nil {
		return nil, err
	}
	return json.Marshal(merge(b, o, t))
}

func merge(base, ours, theirs any) any {
	switch {
	case reflect.DeepEqual(ours, base):
		return theirs
	case reflect.DeepEqual(theirs, base):
		return ours
	}
	if b, o, t, ok := three[map[string]any](base, ours, theirs); ok {
		return mergeObjects(b, o, t)
	}
	if b, o, t, ok := three[[]any](base, ours, theirs); ok && named(b) && named(o) && named(t) {
		return mergeLists(b, o, t)
	}
	return ours
}

// three reports whether all are of a kind; what is not there is an empty one.
func three[T any](base, ours, theirs any) (b, o, t T, ok bool) {
	is := func(v any, into *T) bool {
		if v == nil {
			return true
		}
		x, ok := v.(T)
		*into = x
		return ok
	}
	ok = is(base, &b) && is(ours, &o) && is(theirs, &t) && ours != nil && theirs != nil
	return b, o, t, ok
}

func mergeObjects(base, ours, theirs map[string]any) map[string]any {
	out := map[string]any{}
	for _, side := range []map[string]any{theirs, ours} {
		for name := range side {
			b, was := base[name]
			o, here := ours[name]
			t, there := theirs[name]
			switch {
			case here && there:
				out[name] = merge(b, o, t)
			case was && here && reflect.DeepEqual(o, b), was && there && reflect.DeepEqual(t, b):
				// gone on the other side, and not changed on this one
			case here:
				out[name] = o
			default:
				out[name] = t
			}
		}
	}
	return out
}

// named reports whether each thing of a list has an ID or a name of its own.
func named(list []any) bool {
	seen := map[string]bool{}
	for _, v := range list {
		id := itemID(v)
		if id == "" || seen[id] {
			return false
		}
		seen[id] = true
	}
	return true
}

func mergeLists(base, ours, theirs []any) []any {
	find := func(list []any) func(id string) (any, bool) {
		by := make(map[string]any, len(list))
		for _, v := range list {
			by[itemID(v)] = v
		}
		return func(id string) (any, bool) { v, ok := by[id]; return v, ok }
	}
	inBase, inOurs, inTheirs := find(base), find(ours), find(theirs)
	out := []any{}
	for _, t := range theirs {
		b, was := inBase(itemID(t))
		o, here := inOurs(itemID(t))
		switch {
		case here:
			out = append(out, merge(b, o, t))
		case !was:
			out = append(out, t)
		}
	}
	for _, o := range ours {
		_, was := inBase(itemID(o))
		if _, there := inTheirs(itemID(o)); !was && !there {
			out = append(out, o)
		}
	}
	return out
}
