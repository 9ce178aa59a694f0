package check

import (
	"fmt"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

var patchedDouble = &Rule{
	Code: "patched-double", Title: "In the host a lane goes to its bus and to the main mix", Severity: Wrong, Step: AtBuses,
	Doc: "The plan sends the lane to its bus only, but in the host the way to the main mix is still open: the same signal twice, 6 dB louder. Take the main mix off.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatchedLane(g, func(have *plan.Lane) {
			want := g.Lane(have.ID)
			if want == nil || want.AlsoMain || !have.AlsoMain || have.To == plan.MainMix {
				return
			}
			out = append(out, Finding{Title: fmt.Sprintf("Lane %d %s still goes to the main mix", have.Number, have.Name), Lane: have.ID,
				Reason: "It goes to its bus as well, so it arrives twice.",
				Mend:   "It is off now", mend: tellLane("the main mix is off lane "+fmt.Sprint(have.Number), have.ID, func(l *plan.Lane) { l.AlsoMain = false })})
		})
		return out
	},
}

var patchedLoop = &Rule{
	Code: "bus-loop", Title: "Buses in the host feed each other", Severity: Silent, Step: AtBuses,
	Doc: "A bus goes, by way of others, to itself. The host howls or mutes it. Send one of them to the main mix.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatchedLane(g, func(have *plan.Lane) {
			at, steps := have.To, 0
			for at != plan.MainMix && at != have.ID && steps <= len(g.Project.Patched.Lanes) {
				next := g.Project.Patched.Lane(at)
				if next == nil {
					return
				}
				at, steps = next.To, steps+1
			}
			if at != have.ID {
				return
			}
			to := plan.MainMix
			if want := g.Lane(have.ID); want != nil {
				to = want.To
			}
			out = append(out, Finding{Title: fmt.Sprintf("%s feeds itself", have.Name), Lane: have.ID, Reason: "What goes into it comes back by way of other buses.",
				Mend: "It goes where the plan says now", mend: tellLane(have.Name+" goes where the plan says", have.ID, func(l *plan.Lane) { l.To = to })})
		})
		return out
	},
}

var patchedNowhere = &Rule{
	Code: "bus-nowhere", Title: "A lane in the host goes to a bus that is not there", Severity: Silent, Step: AtBuses,
	Doc: "The bus was closed or is no bus, so the lane is silent. Send it to a bus that is there, or to the main mix.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatchedLane(g, func(have *plan.Lane) {
			if have.To == plan.MainMix {
				return
			}
			if b := g.Project.Patched.Lane(have.To); b != nil && b.Kind == plan.Bus {
				return
			}
			to := plan.MainMix
			if want := g.Lane(have.ID); want != nil && g.Project.Patched.Lane(want.To) != nil {
				to = want.To
			}
			out = append(out, Finding{Title: fmt.Sprintf("Lane %d %s goes nowhere", have.Number, have.Name), Lane: have.ID, Reason: "Its bus is not in the mixer.",
				Mend: "It goes where the plan says now", mend: tellLane(have.Name+" goes where the plan says", have.ID, func(l *plan.Lane) { l.To, l.AlsoMain = to, false })})
		})
		return out
	},
}

var numbersOffset = &Rule{
	Code: "numbers-offset", Title: "In the host all lanes of an instrument are off by the same number", Severity: Wrong, Step: AtLanes,
	Doc: "Several lanes take outputs shifted by one and the same number: the instrument numbers its outputs differently from the host. Set the offset, or point the lanes at the outputs the plan says.",
	Find: func(g *trace.Graph) (out []Finding) {
		type key struct {
			placed string
			by     int
		}
		count := map[key]int{}
		total := map[string]int{}
		eachPatchedLane(g, func(have *plan.Lane) {
			want := g.Lane(have.ID)
			if want == nil || len(want.Sources) != 1 || len(have.Sources) != 1 || want.Sources[0].Placed != have.Sources[0].Placed {
				return
			}
			count[key{want.Sources[0].Placed, have.Sources[0].Output - want.Sources[0].Output}]++
			total[want.Sources[0].Placed]++
		})
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for k, n := range count {
				if k.placed != pl.ID || k.by == 0 || n < 2 || 2*n <= total[pl.ID] {
					continue
				}
				out = append(out, Finding{Title: fmt.Sprintf("%s is numbered differently in the host", pl.Instrument.Name), Output: plan.OutputRef{Placed: pl.ID, Output: 1},
					Reason: fmt.Sprintf("%d of its %d lanes take an output %d off the planned one.", n, total[pl.ID], k.by),
					Mend:   "They take the planned outputs now", mend: plan.SetPatched("the lanes take the planned outputs", func(p *plan.Project, s *plan.Patched) error {
						for j := range s.Lanes {
							if want := p.Lane(s.Lanes[j].ID); want != nil && len(want.Sources) == 1 && want.Sources[0].Placed == pl.ID {
								s.Lanes[j].Sources = append([]plan.OutputRef(nil), want.Sources...)
							}
						}
						return nil
					})})
			}
		}
		return out
	},
}

var allChannels = &Rule{
	Code: "all-channels", Title: "A track plays all MIDI channels", Severity: Wrong, Step: AtOutputs,
	Doc: "The track is set to all channels, so one key plays every part of the instrument at once. Set it to its part's channel.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, _ plan.Stands) {
			known := 0
			for _, part := range pl.Instrument.Parts {
				if part.Address.Known() {
					known++
				}
			}
			if known < 2 {
				return
			}
			for _, part := range pl.Instrument.Parts {
				ref := plan.TrackRef(pl.ID, part.ID)
				if !part.Address.Known() || host.Plays(g.Project.Host.Behaviour(), g.Project.Patched, ref) != 0 {
					continue
				}
				out = append(out, Finding{Title: "The track of " + part.Name + " plays all channels", Feed: plan.FeedRef{Placed: pl.ID, Feed: part.ID},
					Reason: fmt.Sprintf("Its part plays on %s; one key sounds in every part.", part.Address),
					Mend:   fmt.Sprintf("It plays %s now", part.Address), mend: plan.SetPatched("the track of "+part.Name+" plays its channel", func(p *plan.Project, s *plan.Patched) error {
						s.Tracks[ref] = int(part.Address.Channel)
						return nil
					})})
			}
		})
		return out
	},
}

// eachPatchedLane goes through the lanes that stand in the host.
func eachPatchedLane(g *trace.Graph, do func(*plan.Lane)) {
	if g.Project.Patched == nil {
		return
	}
	for i := range g.Project.Patched.Lanes {
		do(&g.Project.Patched.Lanes[i])
	}
}

// tellLane is the edit that says how a lane stands now.
func tellLane(label, id string, set func(*plan.Lane)) plan.Edit {
	return plan.SetPatched(label, func(p *plan.Project, s *plan.Patched) error {
		l := s.Lane(id)
		if l == nil {
			return fmt.Errorf("that lane does not stand in the host")
		}
		set(l)
		return nil
	})
}
