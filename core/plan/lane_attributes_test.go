package plan_test

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Every field of a lane is an attribute of the registry, once; what is set by a step says how, and a
// cell that shows a text takes it.
func TestEveryFieldOfALaneIsAnAttribute(t *testing.T) {
	names := map[plan.Attribute]bool{}
	for _, a := range plan.LaneAttributes {
		if names[a.Name()] {
			t.Errorf("%s is there twice", a.Name())
		}
		names[a.Name()] = true
		if a.Step != nil && (!a.Patched() || a.Step.Verb == "" || a.Step.Verify == "" || a.Step.Text == nil) {
			t.Errorf("the step of %s says too little: %+v", a.Name(), a.Step)
		}
	}
	if got, want := len(plan.LaneAttributes), reflect.TypeFor[plan.Lane]().NumField()-2; got != want { // but ID and Typed
		t.Errorf("got %d attributes; want one for each of the %d fields but two", got, want)
	}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "20x2", sample.BrineworkKit())
	id := p.OwnLanes()[0].ID
	lanes := tables.Named("lanes")
	for i, text := range lanes.Texts(p)(id) {
		cell := tabular.At(id, lanes.Columns(p)[i].Key, text)
		if _, err := tables.SetCells("lanes", []tabular.Cell{cell})(p.Clone()); err != nil {
			t.Errorf("%s shows %q and does not take it: %v", lanes.Columns(p)[i].Key, text, err)
		}
	}
}

// The polarity of a lane is typed, kept with what is patched, and told in words where it is not usual.
func TestALaneIsTurnedOver(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "20x2", sample.BrineworkKit())
	id := testkit.Lane(p, "Snare Bottom").ID
	typed := func(text string) error {
		_, err := tables.SetCells("lanes", []tabular.Cell{tabular.At(id, "polarity", text)})(p)
		return err
	}
	if err := typed("Inverted"); err != nil || !p.Lane(id).Inverted || p.Lane(id).Says() != "polarity inverted" {
		t.Fatalf("typed, the lane is %+v and says %q, %v; want it inverted", p.Lane(id), p.Lane(id).Says(), err)
	}
	if err := typed("upside down"); err == nil || !strings.Contains(err.Error(), "inverted") {
		t.Errorf("got %v; want it refused with what may be typed", err)
	}
	p.Patched = p.AsPlanned()
	doc, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	var back plan.Project
	if err := plan.Versions.Read(doc, &back); err != nil || !back.Lane(id).Inverted || !back.Patched.Lane(id).Inverted {
		t.Errorf("read again it is %v and %v in the host, %v; want both inverted", back.Lane(id).Inverted,
			back.Patched.Lane(id).Inverted, err)
	}
	if err := typed(""); err != nil || p.Lane(id).Inverted || p.Lane(id).Says() != "" {
		t.Errorf("cleared, it is %v and says %q, %v", p.Lane(id).Inverted, p.Lane(id).Says(), err)
	}
	// Of a host that nobody has told about it, it is asked for only where the plan wants it.
	p.Patched.Forget(plan.LaneEntity(id), plan.AttrPolarity)
	asked := func() bool {
		return slices.Contains(p.Patched.Clone().Assume(p), plan.Key{Entity: plan.LaneEntity(id),
			Attribute: plan.AttrPolarity})
	}
	if asked() {
		t.Error("a polarity that nobody wants is asked for")
	}
	if err := typed("inverted"); err != nil || !asked() {
		t.Errorf("a polarity that the plan wants is not asked for (%v)", err)
	}
}
