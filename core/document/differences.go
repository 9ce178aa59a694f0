package document

import (
	"encoding/json"
	"maps"
	"reflect"
	"slices"
)

// Difference is one place where two documents differ: fields by their names, things of lists by
// their IDs or names. What is not there is nil.
type Difference struct {
	Path          []string
	First, Second json.RawMessage
}

// Differences lists where two documents differ, in the order of the paths. A list of which things
// came, went or moved differs as a whole.
func Differences(a, b []byte) (out []Difference, err error) {
	x, err := decode(a)
	if err != nil {
		return nil, err
	}
	y, err := decode(b)
	if err != nil {
		return nil, err
	}
	err = differences(nil, x, y, func(path []string, x, y any) error {
		d := Difference{Path: slices.Clone(path)}
		for v, into := range map[*any]*json.RawMessage{&x: &d.First, &y: &d.Second} {
			if *v == nil {
				continue
			}
			if *into, err = json.Marshal(*v); err != nil {
				return err
			}
		}
		out = append(out, d)
		return nil
	})
	return out, err
}

func differences(path []string, a, b any, found func(path []string, a, b any) error) error {
	if reflect.DeepEqual(a, b) {
		return nil
	}
	x, y, ok := fieldsOf(a, b)
	if !ok {
		return found(path, a, b)
	}
	names := maps.Clone(x)
	maps.Copy(names, y)
	for _, name := range slices.Sorted(maps.Keys(names)) {
		if err := differences(append(path, name), x[name], y[name], found); err != nil {
			return err
		}
	}
	return nil
}

// fieldsOf are two objects, or two lists of the same things, by names.
func fieldsOf(a, b any) (x, y map[string]any, ok bool) {
	switch a := a.(type) {
	case map[string]any:
		y, ok = b.(map[string]any)
		return a, y, ok
	case []any:
		b, isList := b.([]any)
		if !isList || !sameItems(a, b) {
			return nil, nil, false
		}
		x, y = map[string]any{}, map[string]any{}
		for i := range a {
			x[itemID(a[i])], y[itemID(a[i])] = a[i], b[i]
		}
		return x, y, true
	}
	return nil, nil, false
}
