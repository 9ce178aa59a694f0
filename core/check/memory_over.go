package check

import (
	"cmp"
	"fmt"
	"slices"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

var memoryOver = &Rule{
	Code: "memory-over", Title: "The instruments do not fit in memory", Severity: Wrong, Step: AtOutputs,
	Doc: "Parts times open microphones times their size, plus what each instance takes, are more than the machine's " +
		"budget. Microphones that are not heard are closed first, then those that want an output of their own the " +
		"least, after your own order of usefulness in the house chart; one that a voice is heard through alone stays open.",
	Find: func(g *trace.Graph) (out []Problem) {
		budget := g.Project.Host.Budget
		if budget <= 0 {
			return nil
		}
		sum, most, biggest := 0.0, "", 0.0
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			m := pl.Memory()
			sum += m
			if m > biggest {
				biggest, most = m, pl.Instrument.Name
			}
		}
		if sum <= budget {
			return nil
		}
		fd := Problem{values: []any{most, biggest}}
		close, left := closable(g, sum, budget)
		fd.say = func() Words {
			w := Words{Title: fmt.Sprintf("The open microphones take %.0f MiB, and there are %.0f", sum, budget),
				Reason: fmt.Sprintf("%s takes %.0f MiB.", most, biggest)}
			if biggest > sum/2 {
				w.Reason = fmt.Sprintf("%s takes most of it, %.0f MiB.", most, biggest)
			}
			return w
		}
		switch {
		case len(close) > 0 && left <= budget:
			fd.more(func() string { return fmt.Sprintf("Without %s it is %.0f MiB.", openNames(close), left) })
		case len(close) > 0:
			fd.more(func() string {
				return fmt.Sprintf("Without %s it is still %.0f MiB; use fewer instances, or more memory.", openNames(close), left)
			})
		default:
			fd.more(func() string { return "No open microphone can be missed; use fewer instances, or more memory." })
		}
		if len(close) > 0 {
			fd.offer("Close "+openNames(close), closeAll(close))
		}
		for _, b := range lessBleed(g) {
			text := fmt.Sprintf("Set the bleed of %s: %s, %.0f MiB less", b.pl.Instrument.Name, rig.BleedTexts[b.to], b.saves)
			edit := edits.SetInside(b.pl.ID, rig.SetBleed(b.to, 0))
			if fd.fix == nil {
				fd.offer(text, edit)
			} else {
				fd.also(text, edit)
			}
		}
		return append(out, fd)
	},
}

// bleedChange is a bleed of an instrument that takes less memory.
type bleedChange struct {
	pl    *plan.Placed
	to    rig.Bleed
	saves float64 // MiB
}

// lessBleed lists what less bleed would save, where it is known, those that save the most first.
func lessBleed(g *trace.Graph) (out []bleedChange) {
	for i := range g.Project.Placed {
		pl := &g.Project.Placed[i]
		for _, to := range rig.BleedModes {
			trial := *pl
			trial.Instrument.Bleed = to
			less := slices.Index(rig.BleedModes, to) > slices.Index(rig.BleedModes, pl.Instrument.Bleed)
			if saves := pl.Memory() - trial.Memory(); less && saves > 0 {
				out = append(out, bleedChange{pl, to, saves})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b bleedChange) int { return cmp.Compare(b.saves, a.saves) })
	return out
}

// openMic is an open microphone of an instrument.
type openMic struct {
	pl    *plan.Placed
	id    string
	name  string
	feeds []trace.Feed
	heard bool // some of its feeds arrive
	wish  int  // the most that one of its feeds wants an output of its own
	place int  // in the user's order of usefulness, the last first to go; −1: there is none
	mix   bool // a ready-made mix of others that are open
	size  float64
}

// closable lists the microphones to close, one after the other, until the rest fits, and what
// it takes then. What is not heard comes first, then what wants an output of its own the
// least, then what comes last in the chart's order; not size alone.
func closable(g *trace.Graph, sum, budget float64) (out []openMic, left float64) {
	var all []openMic
	for i := range g.Project.Placed {
		all = append(all, openMics(g, &g.Project.Placed[i])...)
	}
	slices.Reverse(all) // the last of the chart first
	slices.SortStableFunc(all, func(a, b openMic) int {
		if a.heard != b.heard {
			if b.heard {
				return -1
			}
			return 1
		}
		if a.place != b.place { // the least useful first; those in no order after them
			return cmp.Compare(b.place, a.place)
		}
		if a.mix != b.mix {
			if a.mix {
				return -1
			}
			return 1
		}
		return cmp.Compare(a.wish, b.wish)
	})
	left = sum
	closed := map[*plan.Placed]map[string]bool{}
	for _, m := range all {
		if left <= budget {
			break
		}
		if closed[m.pl] == nil {
			closed[m.pl] = map[string]bool{}
		}
		closed[m.pl][m.id] = true
		if m.size <= 0 || m.heard && !allHeard(g, m.pl, closed[m.pl]) {
			delete(closed[m.pl], m.id)
			continue
		}
		out = append(out, m)
		left -= m.size
	}
	return out, left
}

func openMics(g *trace.Graph, pl *plan.Placed) (out []openMic) {
	at := map[string]int{}
	for _, f := range g.Feeds {
		if f.Ref.Placed != pl.ID || f.Microphone == "" || f.At.State == plan.Off {
			continue
		}
		i, ok := at[f.Microphone]
		if !ok {
			i = len(out)
			at[f.Microphone] = i
			m := openMic{pl: pl, id: f.Microphone, name: f.Microphone, place: -1}
			if mic := pl.Instrument.Microphone(f.Microphone); mic != nil {
				m.name, m.mix = mic.Name, len(mic.Sums) > 0
				if place, ok := pl.House().Useful(f.Role, mic.Name, mic.Position); ok {
					m.place = place
				}
			}
			m.size = pl.Memory() - pl.MemoryWithout(f.Microphone)
			out = append(out, m)
		}
		out[i].feeds = append(out[i].feeds, f)
		out[i].heard = out[i].heard || f.At.State == plan.Assigned && g.Arrival(f).Times > 0
		out[i].wish = max(out[i].wish, pl.OwnOutput(f.Feed))
	}
	return out
}

// allHeard reports whether each voice and part of an instrument that is heard now has a feed
// left without some microphones.
func allHeard(g *trace.Graph, pl *plan.Placed, without map[string]bool) bool {
	heard := func(f trace.Feed) bool { return f.At.State == plan.Assigned && g.Arrival(f).Times > 0 }
	left := map[string]bool{}
	for _, f := range g.Feeds {
		if f.Ref.Placed == pl.ID && heard(f) && !without[f.Microphone] {
			left[f.ID] = true
		}
	}
	for _, s := range sourcesOf(pl) {
		now, then := false, false
		for _, f := range feedsOf(g, pl, s.id) {
			now = now || heard(f)
			then = then || left[f.ID]
		}
		if now && !then {
			return false
		}
	}
	return true
}

func openNames(mics []openMic) string {
	count := map[string]int{}
	var names []string
	for _, m := range mics {
		if count[m.name]++; count[m.name] == 1 {
			names = append(names, m.name)
		}
	}
	return namesInWords(names)
}

// closeAll switches the feeds of microphones off, as one edit, and removes the lanes that
// nothing else arrives on.
func closeAll(mics []openMic) plan.Edit {
	return func(p *plan.Project) (string, error) {
		for _, m := range mics {
			for _, f := range m.feeds {
				if _, err := edits.SwitchOff(f.Ref)(p); err != nil {
					return "", err
				}
			}
		}
		return "close " + openNames(mics), nil
	}
}
