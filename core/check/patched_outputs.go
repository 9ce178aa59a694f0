package check

import (
	"fmt"
	"slices"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var waitingReload = &Rule{
	Code: "waiting-reload", Title: "Changed outputs that the host does not see", Severity: Silent, Step: AtOutputs,
	Doc: "The instrument's outputs were changed since the host last looked at them. Voices fire and nothing sounds. Reload the instrument or open the project again, as the host needs it.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, in plan.Stands) {
			if slices.Equal(in.Seen, in.Setup) {
				return
			}
			how := "reload the instrument"
			if g.Project.Host.Behaviour().After == rig.Reopen {
				how = "open the project again"
			}
			out = append(out, Finding{Title: pl.Instrument.Name + " waits to be seen", Output: plan.OutputRef{Placed: pl.ID, Output: 1}, Silences: len(in.Feeds),
				Reason: fmt.Sprintf("It has %d outputs and the host sees %d; %s.", len(in.Setup), len(in.Seen), how),
				Mend:   "It is done", mend: tellStands("the host sees the outputs of "+pl.Instrument.Name, pl.ID, func(in *plan.Stands) { in.Seen, in.Kept = in.Setup, in.Setup })})
		})
		return out
	},
}

var notSaved = &Rule{
	Code: "setup-not-saved", Title: "A set-up that the next reload forgets", Severity: Wrong, Step: AtOutputs,
	Doc: "This host forgets a set-up of outputs that was not saved before the instrument is loaded again. Save it now.",
	Find: func(g *trace.Graph) (out []Finding) {
		if !g.Project.Host.Behaviour().SaveFirst {
			return nil
		}
		eachPatched(g, func(pl *plan.Placed, in plan.Stands) {
			if !slices.Equal(in.Kept, in.Setup) {
				out = append(out, Finding{Title: "The set-up of " + pl.Instrument.Name + " is not saved", Output: plan.OutputRef{Placed: pl.ID, Output: 1},
					Reason: "The next reload brings the old outputs back.",
					Mend:   "It is saved", mend: tellStands("the set-up of "+pl.Instrument.Name+" is saved", pl.ID, func(in *plan.Stands) { in.Kept = in.Setup })})
			}
		})
		return out
	},
}

var notSwitchedOn = &Rule{
	Code: "not-switched-on", Title: "An output that is not switched on", Severity: Silent, Step: AtLanes,
	Doc: "In this host an output is silent until it is switched on, though a feed is assigned to it and a lane may be there. Switch it on.",
	Find: func(g *trace.Graph) (out []Finding) {
		if g.Project.Host.Behaviour().Appears != rig.WhenSwitched {
			return nil
		}
		eachPatched(g, func(pl *plan.Placed, in plan.Stands) {
			for _, o := range in.Jacks() {
				if in.On[fmt.Sprint(o.Number)] || !stands(g, pl, in, o.Label()) || patchedLane(g, pl.Ref(o)) == nil {
					continue
				}
				out = append(out, Finding{Title: fmt.Sprintf("Output %s of %s is not switched on", o.Label(), pl.Instrument.Name), Output: pl.Ref(o),
					Reason: "A feed is assigned to it and its lane is there, and it is silent.",
					Mend:   "It is on", mend: tellStands(fmt.Sprintf("output %s is switched on", o.Label()), pl.ID, func(in *plan.Stands) { in.On[fmt.Sprint(o.Number)] = true })})
			}
		})
		return out
	},
}

var patchedGone = &Rule{
	Code: "patched-output-gone", Title: "A feed stands on an output that does not exist", Severity: Silent, Step: AtOutputs,
	Doc: "In the instrument as it stands, the feed is assigned to an output that has not been made yet or is gone. Set the outputs up first, then assign.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, in plan.Stands) {
			for _, f := range pl.AllFeeds() {
				l := host.Stood(in, f.ID)
				n, side, err := rig.ParseLabel(l)
				if l == plan.OffLabel || err != nil || (plan.Stands{Seen: in.Setup}).Sees(plan.Jack{Output: n, Side: side}) || len(in.Setup) == 0 {
					continue
				}
				fd := Finding{Title: f.Name + " stands on nothing", Feed: plan.FeedRef{Placed: pl.ID, Feed: f.ID},
					Reason: fmt.Sprintf("It is assigned to output %s, and the instrument as it stands has %d.", l, len(in.Setup))}
				if want := pl.FeedLabel(f.ID); want != "" && want != l {
					fd.Mend, fd.mend = "It is on "+want+" now", tellStands(f.Name+" is on "+want, pl.ID, func(in *plan.Stands) { in.Feeds[f.ID] = want })
				}
				out = append(out, fd)
			}
		})
		return out
	},
}

var leftover = &Rule{
	Code: "leftover", Title: "Something unused is still under a wanted feed", Severity: Wrong, Step: AtOutputs,
	Doc: "A feed that the plan parks or switches off stands on an output that carries a wanted one, usually the first, where everything begins. Park it or switch it off in the instrument.",
	Find: func(g *trace.Graph) (out []Finding) {
		eachPatched(g, func(pl *plan.Placed, in plan.Stands) {
			wanted := map[string]string{}
			for _, f := range pl.AllFeeds() {
				if pl.Feeds[f.ID].State == plan.Assigned && host.Stood(in, f.ID) == pl.FeedLabel(f.ID) {
					wanted[pl.FeedLabel(f.ID)] = f.Name
				}
			}
			for _, f := range pl.AllFeeds() {
				st, want := pl.Feeds[f.ID].State, pl.FeedLabel(f.ID)
				at := host.Stood(in, f.ID)
				if (st == plan.Parked || st == plan.Off) && at != want && wanted[at] != "" {
					out = append(out, Finding{Title: f.Name + " is still under " + wanted[at], Feed: plan.FeedRef{Placed: pl.ID, Feed: f.ID},
						Reason: fmt.Sprintf("Both stand on output %s.", at),
						Mend:   "It is on " + want + " now", mend: tellStands(f.Name+" is on "+want, pl.ID, func(in *plan.Stands) { in.Feeds[f.ID] = want })})
				}
			}
		})
		return out
	},
}

// eachPatched goes through the instruments that stand in the host.
func eachPatched(g *trace.Graph, do func(*plan.Placed, plan.Stands)) {
	if g.Project.Patched == nil {
		return
	}
	for i := range g.Project.Placed {
		pl := &g.Project.Placed[i]
		if in, ok := g.Project.Patched.Instruments[pl.ID]; ok {
			do(pl, in)
		}
	}
}

// stands tells whether a wanted feed stands on a jack.
func stands(g *trace.Graph, pl *plan.Placed, in plan.Stands, label string) bool {
	for _, f := range pl.AllFeeds() {
		if pl.Feeds[f.ID].State == plan.Assigned && host.Stood(in, f.ID) == label {
			return true
		}
	}
	return false
}

func patchedLane(g *trace.Graph, ref plan.OutputRef) *plan.Lane {
	for i, l := range g.Project.Patched.Lanes {
		if slices.Contains(l.Sources, ref) {
			return &g.Project.Patched.Lanes[i]
		}
	}
	return nil
}

// tellStands is the edit that says how an instrument stands now.
func tellStands(label, placed string, set func(*plan.Stands)) plan.Edit {
	return plan.SetPatched(label, func(p *plan.Project, s *plan.Patched) error {
		in, ok := s.Instruments[placed]
		if !ok {
			return fmt.Errorf("that instrument does not stand in the host")
		}
		if in.On == nil {
			in.On = map[string]bool{}
		}
		if in.Feeds == nil {
			in.Feeds = map[string]string{}
		}
		set(&in)
		s.Instruments[placed] = in
		return nil
	})
}
