package edits

import (
	"fmt"
	"maps"
	"reflect"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// TakeUp gives a placed instrument what changed on the shelf since it came: in is the instrument as
// it is there now. What the project changed inside stays, and so do outputs, assignments, what is
// asked of feeds, splits and lanes; feeds that are gone leave them.
func TakeUp(placed string, in rig.Instrument) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		merged, err := pl.Merged(in)
		if err != nil {
			return "", err
		}
		if reflect.DeepEqual(merged, pl.Instrument) && !pl.Differs(in) {
			return "", fmt.Errorf("%s is as it is on the shelf already", pl.Instrument.Name)
		}
		return "update " + pl.Instrument.Name + " from the shelf", relabel(p, pl, func() error {
			came := in
			pl.Instrument, pl.AsItCame = merged, &came
			forgetGone(pl)
			return nil
		})
	})
}

// forgetGone drops what is decided and asked of feeds that there no longer are.
func forgetGone(pl *plan.Placed) {
	there := map[string]bool{}
	for _, f := range pl.AllFeeds() {
		there[f.ID] = true
	}
	maps.DeleteFunc(pl.Feeds, func(id string, _ plan.Assignment) bool { return !there[id] })
	ungroup(pl, func(id string) bool { return !there[id] })
}

// relabel does something to what an instrument's outputs carry, and then names the lanes again that
// were named by what they carry; what the user has named stays.
func relabel(p *plan.Project, pl *plan.Placed, do func() error) error {
	named := func(each func(l *plan.Lane, name string)) {
		namer, loads := plan.NewNamer(pl), pl.Loads()
		for i := range p.Lanes {
			l := &p.Lanes[i]
			if len(l.Sources) != 1 || l.Sources[0].Placed != pl.ID {
				continue
			}
			if o, ok := pl.Output(l.Sources[0].Jack()); ok && len(loads[l.Sources[0].Jack()]) > 0 {
				each(l, namer.Name(loads[l.Sources[0].Jack()], o))
			}
		}
	}
	ours := map[string]bool{}
	named(func(l *plan.Lane, name string) { ours[l.ID] = l.Name == name })
	if err := do(); err != nil {
		return err
	}
	taken := map[string]bool{}
	for _, l := range p.Lanes {
		taken[l.Name] = true
	}
	named(func(l *plan.Lane, name string) {
		if ours[l.ID] && l.Name != name {
			delete(taken, l.Name)
			l.Name = plan.Unique(name, taken)
			taken[l.Name] = true
		}
	})
	return nil
}
