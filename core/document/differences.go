package document

import (
	"maps"
	"reflect"
	"slices"
)

// difference is one place where two documents differ: fields by their names, things of lists by
// their IDs or names. What is not there is nil.
type difference struct {
	path          []string
	first, second any
}

// differences lists where two documents differ below a path, in the order of the paths. A list of which
// things came, went or moved differs as a whole.
func differences(path []string, a, b any) (out []difference) {
	if reflect.DeepEqual(a, b) {
		return nil
	}
	x, y, ok := fieldsOf(a, b)
	if !ok {
		return []difference{{slices.Clone(path), a, b}}
	}
	names := maps.Clone(x)
	maps.Copy(names, y)
	for _, name := range slices.Sorted(maps.Keys(names)) {
		out = append(out, differences(append(path, name), x[name], y[name])...)
	}
	return out
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
