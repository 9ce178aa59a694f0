package web

import (
	"net/http"
	"net/url"
	"slices"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
)

// practicePage is the stand-in host, to be worked by hand.
type practicePage struct {
	Profile     rig.Profile
	Sentences   []string
	Next        *runsheet.Step
	Left        int
	Instruments []practiceInstrument
	Lanes       []plan.Lane
	Buses       []plan.Lane
	Jacks       []outputChoice
	Done        bool
}

type practiceInstrument struct {
	*plan.Placed
	State   plan.InstrumentState
	Loaded  bool
	Setup   string
	Seen    string
	Waiting bool
	Heard   []host.Heard
}

func (s *server) practicePage(_ *http.Request, p *project, _ url.Values) (any, error) {
	state := p.Plan.Practice.Clone()
	out := practicePage{Profile: p.Plan.Host.Behaviour(), Lanes: state.Lanes}
	out.Sentences = out.Profile.Sentences()
	steps := runsheet.From(p.Plan, state)
	out.Left, out.Done = len(steps), len(steps) == 0
	if len(steps) > 0 {
		out.Next = &steps[0]
	}
	slices.SortFunc(out.Lanes, func(a, b plan.Lane) int { return int(a.Number - b.Number) })
	for _, l := range out.Lanes {
		if l.Kind == plan.Bus {
			out.Buses = append(out.Buses, l)
		}
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		in, loaded := state.Instruments[pl.ID]
		row := practiceInstrument{Placed: pl, State: in, Loaded: loaded, Setup: rig.FormatRuns(rig.Runs(in.Setup)),
			Seen:    rig.FormatRuns(rig.Runs(in.Seen)),
			Waiting: !slices.Equal(in.Setup, in.Seen), Heard: host.Sound(pl, state, out.Profile)}
		out.Instruments = append(out.Instruments, row)
		for _, o := range in.Jacks() {
			label := "output " + o.Label()
			if len(p.Plan.Placed) > 1 {
				label = pl.Instrument.Name + " " + label
			}
			out.Jacks = append(out.Jacks, outputChoice{pl.Ref(o).String(), label})
		}
	}
	return out, nil
}
