package road_test

import (
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/road"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// of is the road of a project with so many steps left.
func of(p *plan.Project, left runsheet.Left) map[road.Stage]road.State {
	g := trace.New(p)
	return road.Of(g, check.All(g), left)
}

// From an empty project to one that is mapped, each stage says what it has, and is done
// when it is.
func TestTheRoadCountsWhatIsThere(t *testing.T) {
	empty := &plan.Project{Name: "Empty"}
	placed := testkit.Project(t, plan.Host{}, "10x2", sample.BrineworkKit())
	mapped := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	aside := mapped.Clone()
	testkit.Edit(t, aside, edits.Decide(testkit.Feed("v70"), plan.Off, plan.Jack{}))
	reeds := testkit.Project(t, plan.Host{}, "1x2", sample.ReedCabinet())
	lost := reeds.Clone()
	lost.Placed[0].Instrument.Parts[0].Address.Channel = 0
	lost.Placed[0].Instrument.Parts[0].Program = -1
	for _, c := range []struct {
		name  string
		p     *plan.Project
		left  int // settings; below 0: checks by ear
		stage road.Stage
		count string
		done  bool
	}{
		{"empty", empty, 0, road.Feeds, "0 wanted", false},
		{"empty", empty, 0, road.Lanes, "0 lanes", false},
		{"empty", empty, 0, road.RunSheet, "nothing to do yet", false},
		{"empty", empty, 0, road.Check, "no problems", false},
		{"placed", placed, 9, road.Feeds, "18 wanted", true},
		{"placed", placed, 9, road.Outputs, "0 of 10 used", false},
		{"mapped", mapped, 9, road.Outputs, "10 of 10 used", true},
		{"mapped", mapped, 9, road.Lanes, "10 lanes", true},
		{"mapped", mapped, 9, road.Buses, "1 bus", true},
		{"mapped", mapped, 0, road.RunSheet, "patched as planned", true},
		{"mapped", mapped, 1, road.RunSheet, "1 setting left", false},
		{"mapped", mapped, 9, road.RunSheet, "9 settings left", false},
		{"mapped", mapped, -3, road.RunSheet, "3 checks by ear left", false},
		{"mapped", mapped, 9, road.Check, "no problems", true},
		{"a voice off", aside, 9, road.Feeds, "17 wanted, 1 aside", true},
		{"parts", reeds, 9, road.Parts, "6 parts", true},
		{"a part nobody reaches", lost, 9, road.Parts, "6 parts", false},
		{"no parts", mapped, 9, road.Parts, "none", true},
	} {
		left := runsheet.Left{Settings: max(0, c.left), Checks: max(0, -c.left)}
		if s := of(c.p, left)[c.stage]; s.Count != c.count || s.Done != c.done {
			t.Errorf("%s, %s: %q, done %t; want %q, %t", c.name, c.stage, s.Count, s.Done, c.count, c.done)
		}
	}
}

// A problem stands at the stage where it is made, and is severe there when something is
// silent.
func TestProblemsStandAtTheirStage(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.AddBus("Spare", 0, nil))
	s := of(p, runsheet.Left{Settings: 3})
	if b := s[road.Buses]; b.Problems != 1 || b.Severe {
		t.Errorf("a bus that nothing goes to: %+v", b)
	}
	testkit.Edit(t, p, edits.DeleteLane(testkit.Lane(p, "Cymbals").ID))
	s = of(p, runsheet.Left{Settings: 3})
	if l := s[road.Lanes]; l.Problems != 1 || !l.Severe || l.Done {
		t.Errorf("a lane that is gone: %+v", l)
	}
	if c := s[road.Check]; c.Count != "2 problems" || c.Done {
		t.Errorf("the check: %+v", c)
	}
	sum := 0
	for _, stage := range s {
		sum += stage.Problems
	}
	if sum != 2 {
		t.Errorf("%d problems stand on the road, want 2: %+v", sum, s)
	}
}

// Every stage has a state for every project that can be made.
func TestEveryStageHasAState(t *testing.T) {
	stages := []road.Stage{road.Feeds, road.Outputs, road.Lanes, road.Buses, road.Parts, road.RunSheet,
		road.Check, road.Sheet}
	for _, in := range []rig.Instrument{sample.BrineworkKit(), sample.FlintTwelve(), sample.SaltpanSection(),
		sample.ReedCabinet()} {
		s := of(testkit.Project(t, plan.Host{}, "16x2", in), runsheet.Left{Settings: 1})
		for _, stage := range stages {
			if s[stage].Count == "" {
				t.Errorf("%s: nothing is said of %s", in.Name, stage)
			}
		}
	}
}
