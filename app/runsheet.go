package app

import (
	"context"
	"encoding/json"
	"errors"
	"slices"

	"hiddenlanes/app/command"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/internal/fault"
)

// NumberSteps gives the steps of a project's run sheet their numbers, which stay with them
// whatever is done and undone.
func (a *App) NumberSteps(ctx context.Context, project int64, steps []runsheet.Step) ([]runsheet.Step, error) {
	keys := keysOf(steps)
	numbers, err := a.store.StepNumbers(ctx, project, keys)
	if err != nil {
		return nil, err
	}
	out := slices.Clone(steps)
	for i := range out {
		out[i].Number = numbers[keys[i]]
	}
	return out, nil
}

func keysOf(steps []runsheet.Step) []string {
	keys := make([]string, len(steps))
	for i, st := range steps {
		keys[i] = st.Key()
	}
	return keys
}

// DoneStep is a step, or a part of one, that was marked as done.
type DoneStep struct {
	Key      string
	Number   int
	Text     string
	Items    []string
	Settings int
	Changes  []plan.Change
}

// TickStep says that a step of the run sheet was done, or some parts of it. What is left of
// a step that was done in part keeps its number.
func (a *App) TickStep(ctx context.Context, at command.Target, key string, parts []string) error {
	return a.asOne(ctx, func(a *App) error {
		var done, step runsheet.Step
		stands, err := a.Project(ctx, at.ID)
		if err != nil {
			return err
		}
		p, err := a.Edit(ctx, at.ID, at.Base, func(p *plan.Project) (string, error) {
			var ok bool
			if step, ok = runsheet.Named(runsheet.Make(p), key); ok {
				var err error
				if done, err = step.Chosen(p, parts); err != nil {
					return "", err
				}
			}
			return runsheet.Tick(key, parts...)(p)
		})
		if err != nil || p.Revision == stands.Revision { // it is done already
			return err
		}
		numbers, err := a.store.StepNumbers(ctx, at.ID, []string{key})
		if err != nil {
			return err
		}
		if len(parts) > 0 {
			for _, left := range AnalysisOf(p).Steps() {
				if step.Has(left) && left.Key() != key {
					if err := a.store.SameStep(ctx, at.ID, left.Key(), numbers[key]); err != nil {
						return err
					}
				}
			}
		}
		if err := a.saveDefaults(ctx, p.Plan, []runsheet.Step{done}); err != nil {
			return err
		}
		return a.tell(ctx, at.ID, done, numbers[key], stands.Plan.Patched, p.Plan.Patched)
	})
}

// saveDefaults keeps on the shelf what steps have saved as the default of instruments, so that the
// next project begins with it.
func (a *App) saveDefaults(ctx context.Context, p *plan.Project, steps []runsheet.Step) error {
	for _, st := range steps {
		for _, act := range st.Actions {
			save, ok := act.(host.SaveDefault)
			pl := p.Find(save.Instrument)
			if !ok || pl == nil {
				continue
			}
			d := rig.SavedDefault{Since: a.store.Today(), Layout: pl.Layout("default"), Inside: pl.InsideWanted(),
				Saved: pl.DefaultHash()}
			if v, several := pl.LoadedVersion(); several && pl.Instrument.Traits.Defaults != rig.DefaultAll {
				d.Version = v.Name
			}
			if err := a.editOnShelf(ctx, pl, rig.SaveDefault(d)); err != nil {
				return err
			}
		}
	}
	return nil
}

// tell keeps that a step was done, with what it changed.
func (a *App) tell(ctx context.Context, project int64, st runsheet.Step, number int, before,
	after *plan.Patched) error {
	told, err := whatWasDone(st, before, after)
	if err != nil {
		return err
	}
	return a.store.StepDone(ctx, project, st.Key(), number, told)
}

// whatWasDone is what is kept of a step that was done: what it said, and what it changed.
func whatWasDone(st runsheet.Step, before, after *plan.Patched) (string, error) {
	changes, err := plan.ChangesOf(before, after)
	if err != nil {
		return "", fault.Bug("comparing what is patched", err)
	}
	d := DoneStep{Text: st.Text, Settings: st.Count, Changes: changes}
	for _, i := range st.Items {
		d.Items = append(d.Items, i.String())
	}
	told, err := json.Marshal(d)
	if err != nil {
		return "", fault.Bug("writing a step", err)
	}
	return string(told), nil
}

// AllStepsDone says that everything stands as planned already. What each step changes is worked
// out before others have to wait.
func (a *App) AllStepsDone(ctx context.Context, at command.Target) error {
	now, err := a.Project(ctx, at.ID)
	if err != nil {
		return err
	}
	var open []runsheet.Step
	var told []string
	if now.Revision == at.Base { // else it is refused below, for what was changed since
		if open, told, err = everyStep(now); err != nil {
			return err
		}
	}
	return a.asOne(ctx, func(a *App) error {
		p, err := a.EditSeen(ctx, at.ID, at.Base, runsheet.AllDone())
		if err != nil {
			return err
		}
		numbers, err := a.store.StepNumbers(ctx, at.ID, keysOf(open))
		if err != nil {
			return err
		}
		if err := a.saveDefaults(ctx, p.Plan, open); err != nil {
			return err
		}
		for i, st := range open {
			if err := a.store.StepDone(ctx, at.ID, st.Key(), numbers[st.Key()], told[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

// everyStep does all steps that are open on a copy of what is patched, and gives what each did.
func everyStep(p *Project) (open []runsheet.Step, told []string, err error) {
	open = AnalysisOf(p).Steps()
	before := p.Plan.Patched.Clone()
	done := p.Plan.Clone()
	if _, err := runsheet.AllDone()(done); err != nil {
		return nil, nil, err
	}
	for i, st := range open {
		after := before.Clone()
		runsheet.Record(done, after, st)
		if i == len(open)-1 {
			after = done.Patched
		}
		what, err := whatWasDone(st, before, after)
		if err != nil {
			return nil, nil, err
		}
		told, before = append(told, what), after
	}
	return open, told, nil
}

// DoneSteps lists the steps of a project that were marked as done and still are, the last
// first.
func (a *App) DoneSteps(ctx context.Context, project int64, p *plan.Project) (out []DoneStep, err error) {
	kept, err := a.store.StepsToldDone(ctx, project)
	if err != nil {
		return nil, err
	}
	for _, k := range kept {
		d := DoneStep{}
		if json.Unmarshal([]byte(k.Told), &d) != nil {
			continue // of another version; it is done, and that is all that is known
		}
		d.Key, d.Number = k.Step, k.Number
		if d.Changes, err = p.Patched.Standing(d.Changes); err != nil {
			return nil, fault.Bug("reading what is patched", err)
		}
		if len(d.Changes) > 0 {
			out = append(out, d)
		}
	}
	return out, nil
}

// UntickStep says that a step that was marked as done was not.
func (a *App) UntickStep(ctx context.Context, at command.Target, key string) error {
	return a.asOne(ctx, func(a *App) error {
		p, err := a.Project(ctx, at.ID)
		if err != nil {
			return err
		}
		done, err := a.DoneSteps(ctx, at.ID, p.Plan)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(done, func(d DoneStep) bool { return d.Key == key })
		if i < 0 {
			return errors.New("that step is not marked as done; reload the sheet")
		}
		_, err = a.Edit(ctx, at.ID, at.Base, runsheet.Untick(done[i].Text, done[i].Changes))
		return err
	})
}
