package testkit

import (
	"fmt"
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Edit carries out an edit that must succeed and leave a sound document.
func Edit(t testing.TB, p *plan.Project, e plan.Edit) {
	t.Helper()
	if _, err := e(p); err != nil {
		t.Fatal(err)
	}
	if err := p.Validate(); err != nil {
		t.Fatal(err)
	}
}

// Project is a project with instruments placed on outputs such as "10x2" and
// nothing decided.
func Project(t testing.TB, h plan.Host, outputs string, ins ...rig.Instrument) *plan.Project {
	t.Helper()
	runs, err := rig.ParseRuns(outputs)
	if err != nil {
		t.Fatal(err)
	}
	p := &plan.Project{Name: "Test", Host: h}
	for _, in := range ins {
		Edit(t, p, edits.AddInstrument(in, rig.Lay(runs, 1), 0))
	}
	return p
}

// Propose is the proposal for one instrument of a project.
func Propose(t testing.TB, p *plan.Project, placed string) *propose.Proposal {
	t.Helper()
	pr, err := propose.Make(p, propose.Options{Placed: placed})
	if err != nil {
		t.Fatal(err)
	}
	return pr
}

// Mapped is a Project with every instrument's proposal accepted whole.
func Mapped(t testing.TB, h plan.Host, outputs string, ins ...rig.Instrument) *plan.Project {
	t.Helper()
	p := Project(t, h, outputs, ins...)
	for _, pl := range p.Placed {
		pr := Propose(t, p, pl.ID)
		Edit(t, p, pr.Accept(pr.Everything()))
	}
	return p
}

// Lane is the lane with the name, or nil.
func Lane(p *plan.Project, name string) *plan.Lane {
	for i := range p.Lanes {
		if p.Lanes[i].Name == name {
			return &p.Lanes[i]
		}
	}
	return nil
}

// Feed names a feed of the first instrument placed.
func Feed(id string) plan.FeedRef { return plan.FeedRef{Placed: "i1", Feed: id} }

// Problems finds what is wrong with a project, but for rules of which the test knows.
func Problems(p *plan.Project, except ...string) []check.Problem {
	return slices.DeleteFunc(check.Project(p), func(f check.Problem) bool { return slices.Contains(except, f.Rule.Code) })
}

// Wide is a mapped project of several instruments with so many voices each, every
// one on an output and a lane of its own.
func Wide(t testing.TB, instruments, voices int) *plan.Project {
	t.Helper()
	roles := role.All()
	p := &plan.Project{Name: "Wide"}
	for i := range instruments {
		in := rig.Instrument{Name: fmt.Sprintf("Instrument %d", i+1)}
		for v := range voices {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d-%d", i, v),
				Role: roles[v%len(roles)], Keys: []midi.Key{midi.Key(v % 128)}, Width: audio.Stereo})
		}
		Edit(t, p, edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: voices, Width: audio.Stereo}}, 1), 0))
		pl := &p.Placed[i]
		bus := p.NewLaneID()
		for v := range voices {
			pl.Feeds[fmt.Sprintf("v%d", v)] = plan.Assignment{State: plan.Assigned, Output: v + 1}
			p.Lanes = append(p.Lanes, plan.Lane{ID: p.NewLaneID(), Number: plan.LaneNumber(len(p.Lanes) + 1),
				Name: fmt.Sprintf("Lane %d-%d x", i, v), Colour: "#0072b2", Kind: plan.Regular,
				Width: audio.Stereo, Sources: []plan.OutputRef{{Placed: pl.ID, Output: v + 1}}, To: bus})
		}
		p.Lanes = append(p.Lanes, plan.Lane{ID: bus, Number: plan.LaneNumber(len(p.Lanes) + 1),
			Name: fmt.Sprintf("Bus %d x", i), Colour: "#0072b2", Kind: plan.Bus, Width: audio.Stereo})
	}
	return p
}
