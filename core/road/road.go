// Package road counts how far a project is on the road through the job: what each stage
// has, whether it is done, and what is wrong with it. It decides nothing.
package road

import (
	"fmt"
	"slices"

	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

// Stage is one stage of the job.
type Stage string

// The stages, in the order in which people do them.
const (
	Feeds    Stage = "feeds"
	Outputs  Stage = "outputs"
	Lanes    Stage = "lanes"
	Buses    Stage = "buses"
	Parts    Stage = "parts"
	RunSheet Stage = "run sheet"
	Check    Stage = "check"
	Sheet    Stage = "patch sheet"
)

// State is how far a stage is.
type State struct {
	Count    string // in words
	Done     bool
	Problems int
	Severe   bool // one of them silences something
}

// ofStep is the stage at which a mistake is made and fixed.
var ofStep = map[check.Step]Stage{check.AtOutputs: Outputs, check.AtLanes: Lanes, check.AtBuses: Buses,
	check.AtParts: Parts}

// Of counts the stages of a project: its graph, the problems that are open, and what
// is left on its run sheet.
func Of(g *trace.Graph, open []check.Problem, left runsheet.Left) map[Stage]State {
	c := count(g)
	out := map[Stage]State{
		Feeds:    {Count: fmt.Sprintf("%d wanted", c.wanted), Done: c.wanted > 0},
		Outputs:  {Count: fmt.Sprintf("%d of %d used", c.used, c.outputs), Done: c.wanted > 0 && c.decided == c.wanted},
		Lanes:    {Count: words.Count(c.lanes, "lane", "lanes"), Done: c.lanes >= c.used && c.used > 0},
		Buses:    {Count: words.Count(c.buses, "bus", "buses"), Done: c.buses > 0 && c.bussed == c.lanes},
		Parts:    partsOf(g.Project),
		RunSheet: runSheetOf(g.Project, left),
		Check:    {Count: "no problems", Done: len(open) == 0 && c.lanes > 0},
		Sheet:    {Count: "CSV, paper, DAWproject"},
	}
	change := func(at Stage, do func(*State)) {
		s := out[at]
		do(&s)
		out[at] = s
	}
	if c.aside > 0 {
		change(Feeds, func(s *State) { s.Count += fmt.Sprintf(", %d aside", c.aside) })
	}
	if n := len(open); n > 0 {
		change(Check, func(s *State) { s.Count = words.Count(n, "problem", "problems") })
	}
	for _, f := range open {
		change(ofStep[f.Rule.Step], func(s *State) {
			s.Problems++
			s.Severe = s.Severe || f.Rule.Severity == check.Silent
		})
	}
	return out
}

// counts is what a project has.
type counts struct {
	wanted, aside, decided int // feeds
	outputs, used          int
	lanes, buses, bussed   int
}

func count(g *trace.Graph) (c counts) {
	for _, f := range g.Feeds {
		switch f.At.State {
		case plan.Parked, plan.Off:
			c.aside++
			continue
		case plan.Assigned:
			c.decided++
		}
		c.wanted++
	}
	for i := range g.Project.Placed {
		pl := &g.Project.Placed[i]
		jacks := pl.Jacks()
		c.outputs += len(jacks)
		for _, o := range jacks {
			if on, _ := g.On(pl.Ref(o)); len(on) > 0 || len(g.Project.SecondExits(pl.Ref(o))) > 0 {
				c.used++
			}
		}
	}
	for _, l := range g.Lanes() {
		if l.IsOther() && !slices.ContainsFunc(g.Into(l.ID), func(x *plan.Lane) bool { return !x.IsOther() }) {
			continue
		}
		if l.Kind == plan.Bus {
			c.buses++
			continue
		}
		c.lanes++
		if l.To != plan.MainMix {
			c.bussed++
		}
	}
	return c
}

// partsOf counts the parts; they are done where each has an address or a program.
func partsOf(p *plan.Project) State {
	n, open := 0, 0
	for i := range p.Placed {
		for _, part := range p.Placed[i].Instrument.Parts {
			n++
			if !part.Address.Known() && part.Program < 0 {
				open++
			}
		}
	}
	s := State{Count: "none", Done: open == 0 && len(p.Placed) > 0}
	if n > 0 {
		s.Count = words.Count(n, "part", "parts")
	}
	return s
}

func runSheetOf(p *plan.Project, left runsheet.Left) State {
	switch {
	case len(p.Placed) == 0:
		return State{Count: "nothing to do yet"}
	case !runsheet.HasPlan(p):
		return State{Count: "no plan yet"}
	case left == runsheet.Left{}:
		return State{Count: "patched as planned", Done: true}
	case left.Settings == 0:
		return State{Count: words.Count(left.Checks, "check by ear left", "checks by ear left")}
	}
	return State{Count: words.Count(left.Settings, "setting left", "settings left")}
}
