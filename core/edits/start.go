package edits

import (
	"errors"
	"fmt"
	"maps"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// SetStart says in which state the instrument is when it is loaded. For a layout or a default it
// is taken along as it is now; for what is saved, as the plan has it now.
func SetStart(placed string, kind plan.StartKind, name string, layouts []rig.Layout) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		s := plan.Start{Kind: kind, Name: name}
		switch kind {
		case plan.AsDelivered:
			s.Name = ""
		case plan.FromLayout:
			i := slices.IndexFunc(layouts, func(l rig.Layout) bool { return l.Name == name })
			if i < 0 {
				return "", fmt.Errorf("%s has no layout %q", pl.Instrument.Name, name)
			}
			s.Layout = &layouts[i]
		case plan.FromSaved:
			l := pl.Layout("saved")
			s.Name, s.Layout = "", &l
		case plan.FromDefault:
			d, ok := savedDefault(pl)
			if !ok {
				return "", fmt.Errorf("no default of %s is saved on this machine for that version", pl.Instrument.Name)
			}
			s = d
		default:
			return "", fmt.Errorf("an instrument starts as delivered, in a layout, as saved or with a default, not %q", kind)
		}
		pl.Start = s
		return pl.Instrument.Name + " starts " + s.Text(), nil
	})
}

// savedDefault is the start that is saved on this machine for the version that is loaded.
func savedDefault(pl *plan.Placed) (plan.Start, bool) {
	version := ""
	if v, ok := pl.LoadedVersion(); ok {
		version = v.Name
	}
	d, ok := pl.Instrument.DefaultFor(version)
	if !ok {
		return plan.Start{}, false
	}
	return plan.Start{Kind: plan.FromDefault, Name: d.Version, Since: d.Since, Layout: &d.Layout, Inside: d.Inside,
		Default: d.Saved}, true
}

// StartAsUsual begins with the default of the machine, where one is saved for the version.
func StartAsUsual(pl *plan.Placed) {
	if s, ok := savedDefault(pl); ok {
		pl.Start = s
	}
}

// beginAsSaved lets an instrument that was just added, and that starts with the default of the
// machine, be planned as it was saved: its feeds stand where they were and its inside is as it was,
// until a proposal or somebody moves them. Outputs that it was given besides stay.
func beginAsSaved(p *plan.Project, pl *plan.Placed) error {
	l, outputs := pl.Start.Layout, pl.Outputs
	if l == nil || !beginWith(outputs, l.Outputs) || len(knownOf(pl, *l)) == 0 {
		return nil
	}
	if _, err := ApplyLayout(pl.ID, *l)(p); err != nil {
		return err
	}
	pl.Outputs = outputs
	if pl.Start.Inside == nil {
		return nil
	}
	inside := maps.Clone(pl.Start.Inside)
	for id, a := range pl.Feeds {
		if a.Side == rig.Whole {
			continue
		}
		for _, x := range pl.PannedWith(id) { // their pans are what shares the pair
			delete(inside, rig.InsideKey(x.ID, rig.InsidePan, ""))
		}
	}
	delete(inside, rig.InsideKey("", rig.InsideSeparate, "")) // so is the switch: the plan sees to it
	if !maps.Equal(inside, pl.Instrument.InsideSettings()) {
		pl.Instrument = pl.Instrument.WithInside(inside)
	}
	return nil
}

// BeginIn lets an instrument that was just added start in one of its layouts: it is loaded so, and
// its feeds are assigned so until a proposal or somebody moves them.
func BeginIn(placed, layout string, layouts []rig.Layout) plan.Edit {
	return func(p *plan.Project) (string, error) {
		label, err := SetStart(placed, plan.FromLayout, layout, layouts)(p)
		if err != nil {
			return "", err
		}
		pl := p.Find(placed)
		l, outputs := pl.Start.Layout, pl.Outputs
		if len(knownOf(pl, *l)) > 0 {
			if _, err = ApplyLayout(placed, *l)(p); err == nil && beginWith(outputs, l.Outputs) {
				pl.Outputs = outputs // it was given more
			}
		}
		return label, err
	}
}

// beginWith reports whether outputs begin with others, as they are.
func beginWith(outputs, others []rig.Output) bool {
	return len(outputs) >= len(others) && slices.Equal(outputs[:len(others)], others)
}

// knownOf lists the feeds that a layout places.
func knownOf(pl *plan.Placed, l rig.Layout) (out []string) {
	for _, f := range pl.AllFeeds() {
		if _, ok := l.Feeds[f.ID]; ok {
			out = append(out, f.ID)
		}
	}
	return out
}

// SetWay chooses by which way the run sheet comes from the start to the plan; "" is the one with
// the fewest settings.
func SetWay(placed, way string) plan.Edit {
	return change(placed, func(_ *plan.Project, pl *plan.Placed) (string, error) {
		if pl.Way = way; way == "" {
			return "come to the plan of " + pl.Instrument.Name + " by the fewest settings", nil
		}
		return "choose the way to the plan of " + pl.Instrument.Name, nil
	})
}

// AskToSave asks the run sheet for a step at its end that saves what an instrument then is as its
// default, or no longer.
func AskToSave(placed string, ask bool) plan.Edit {
	return change(placed, func(_ *plan.Project, pl *plan.Placed) (string, error) {
		if ask && pl.Instrument.Traits.Defaults == rig.NoDefault {
			return "", fmt.Errorf("%s cannot save a default; say on the instrument's page if it can", pl.Instrument.Name)
		}
		if pl.SaveDefault = ask; ask {
			return "save the set-up of " + pl.Instrument.Name + " as its default at the end", nil
		}
		return "save no default of " + pl.Instrument.Name, nil
	})
}

// AskForTemplate asks the run sheet for a step at its end that keeps the session as a template of the
// host, under a name, or no longer; "" is the project's own.
func AskForTemplate(ask bool, name string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if name != "" {
			var err error
			if name, err = plan.ParseName(name); err != nil {
				return "", err
			}
		}
		if p.KeepTemplate == ask && p.TemplateName == name {
			return "", errors.New("that is so already")
		}
		p.KeepTemplate, p.TemplateName = ask, name
		if ask {
			return "keep the session as a template of the host at the end", nil
		}
		return "keep no template of the host", nil
	}
}

// OpenNoTemplate begins with an empty session instead of the template of the host.
func OpenNoTemplate(p *plan.Project) (string, error) {
	if p.Opens == nil {
		return "", errors.New("it begins with an empty session already")
	}
	name := p.Opens.Name
	p.Opens = nil
	return fmt.Sprintf("begin without the template %s of the host", name), nil
}
