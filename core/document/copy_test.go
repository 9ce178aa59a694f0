package document

import (
	"reflect"
	"testing"
)

type leaf struct {
	Text  string
	Marks []int
}

type tree struct {
	Name   string
	Leaves map[string]leaf
	Down   *tree
	Any    any
	Rows   [2][]leaf
	Flag   *bool
	None   []string
	memory *leaf // from elsewhere
}

// A copy says the same, and nothing that is changed in it changes what it is of; what is not
// exported is shared.
func TestACopyIsTheSameAndApart(t *testing.T) {
	yes := true
	made := func() *tree {
		return &tree{Name: "a", Leaves: map[string]leaf{"x": {"one", []int{1, 2}}}, Down: &tree{Name: "b", Flag: &yes},
			Any: []any{map[string]any{"k": []any{1.0}}}, Rows: [2][]leaf{{{"r", []int{3}}}, nil}}
	}
	of := made()
	of.memory = &leaf{}
	c := Copy(of)
	if c.memory != of.memory {
		t.Error("what is not exported is not shared")
	}
	c.memory, of.memory = nil, nil
	if !reflect.DeepEqual(c, of) || c == of {
		t.Fatalf("the copy is %+v; want %+v", c, of)
	}
	c.Leaves["x"].Marks[0] = 9
	c.Leaves["y"] = leaf{}
	c.Down.Name, *c.Down.Flag = "changed", false
	c.Any.([]any)[0].(map[string]any)["k"].([]any)[0] = 7.0
	c.Rows[0][0].Marks[0] = 9
	yes = true // *c.Down.Flag is another one
	if want := made(); !reflect.DeepEqual(of, want) {
		t.Errorf("changing the copy made %+v of %+v", of, want)
	}
	if c.None != nil || Copy((*tree)(nil)) != nil {
		t.Error("what is nil became something")
	}
}
