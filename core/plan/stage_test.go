package plan_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Written with the ready-made mix and mixed with everything, on the same lanes and buses.
func TestAStageIsSwitchedOnTheSameLanes(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "12x2", sample.SaltpanSection())
	lanes := func() string {
		var out []string
		for _, l := range p.ByNumber() {
			out = append(out, l.Name+">"+l.To)
		}
		return strings.Join(out, ", ")
	}
	mixed, before := p.Placed[0].Memory(), lanes()
	testkit.Edit(t, p, edits.SwitchStage("i1", plan.Writing))
	pl := &p.Placed[0]
	if a := pl.Feeds["part1.mix"]; a.State != plan.Assigned || a.Output != 1 || pl.Feeds["part1.close"].State != plan.Off {
		t.Errorf("written, the mix of the first part is %+v, its close microphone %+v", a, pl.Feeds["part1.close"])
	}
	if now := lanes(); now != before || pl.Memory() >= mixed {
		t.Errorf("written on lanes %s with %.0f MiB; mixed on %s with %.0f", now, pl.Memory(), before, mixed)
	}
	if mib, ok := pl.MemoryAt(plan.Mixing); !ok || mib != mixed {
		t.Errorf("mixed it is said to take %.0f MiB, %v; want %.0f", mib, ok, mixed)
	}
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("written, it has problems: %s", f[0].Title())
	}
	if pr, err := propose.Make(p, propose.Options{Placed: "i1"}); err != nil || len(pr.Closing) != 0 {
		t.Errorf("a proposal closes lanes of the other stage: %+v, %v", pr.Closing, err)
	}
	testkit.RunSheetEndsInThePlan(t, p)
	if _, err := edits.SwitchStage("i1", plan.Writing)(p); err == nil {
		t.Error("it is switched to the stage that it is at")
	}
	testkit.Edit(t, p, edits.SwitchStage("i1", plan.Mixing))
	if now := lanes(); now != before || p.Placed[0].Memory() != mixed ||
		p.Placed[0].Feeds["part1.close"].State != plan.Assigned || p.Placed[0].Feeds["part1.mix"].State != plan.Off {
		t.Errorf("mixed again on %s with %.0f MiB", now, p.Placed[0].Memory())
	}
	testkit.RunSheetEndsInThePlan(t, p)
}

// Without a ready-made mix one microphone is left: the most useful in the user's order.
func TestWritingThroughTheMostUsefulMicrophone(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "10x2", sample.BrineworkKit())
	q := p.Clone()
	testkit.Edit(t, p, edits.SwitchStage("i1", plan.Writing))
	if a := p.Placed[0].Feeds["oh"]; a.State != plan.Assigned || p.Placed[0].Feeds["kin"].State != plan.Off {
		t.Errorf("by habit the overheads are left, not %+v", a)
	}
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("kit", "useful", "Room Near, Overhead")},
		midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	testkit.Edit(t, q, edits.Follow(c))
	testkit.Edit(t, q, edits.SwitchStage("i1", plan.Writing))
	if q.Placed[0].Feeds["near"].State != plan.Assigned || q.Placed[0].Feeds["oh"].State != plan.Off {
		t.Errorf("the user's order is passed over: %+v", q.Placed[0].Feeds)
	}
}

// All instruments are switched at once; one that cannot be written with stays as it is, and one undo
// would take all of it back, since it is one edit.
func TestAllInstrumentsAreSwitchedAtOnce(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "12x2", sample.SaltpanSection(), sample.BrineworkKit(),
		sample.ReedCabinet())
	before := 0.0
	for i := range p.Placed {
		before += p.Placed[i].Memory()
	}
	reeds := p.Clone().Placed[2]
	label, err := edits.SwitchStages(plan.Writing)(p)
	if err != nil || !strings.Contains(label, "Saltpan Section") || !strings.Contains(label, "Brinework Kit") {
		t.Fatalf("it says %q, %v; want both instruments that can be written with", label, err)
	}
	after := 0.0
	for i := range p.Placed {
		after += p.Placed[i].Memory()
	}
	if p.Placed[0].AtStage() != plan.Writing || p.Placed[1].AtStage() != plan.Writing || after >= before {
		t.Errorf("the stages are %s and %s with %.0f MiB, before %.0f; want both written with, in less memory",
			p.Placed[0].AtStage(), p.Placed[1].AtStage(), after, before)
	}
	if p.Placed[2].AtStage() != plan.Mixing || len(p.Placed[2].Feeds) != len(reeds.Feeds) {
		t.Errorf("what has no microphones is at %s with %d feeds", p.Placed[2].AtStage(), len(p.Placed[2].Feeds))
	}
	testkit.RunSheetEndsInThePlan(t, p)
	testkit.Edit(t, p, edits.SwitchStages(plan.Mixing))
	again := 0.0
	for i := range p.Placed {
		again += p.Placed[i].Memory()
	}
	if again != before {
		t.Errorf("mixed again it takes %.0f MiB; want %.0f", again, before)
	}
	if _, err := edits.SwitchStages(plan.Mixing)(p); err == nil {
		t.Error("nothing is left to be switched, and it was done")
	}
}
