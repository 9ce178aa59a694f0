package app

import (
	"context"
	"slices"

	"hiddenlanes/app/command"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/runsheet"
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

// TickStep says that a step of the run sheet was done.
func (a *App) TickStep(ctx context.Context, at command.Target, key string) error {
	return a.asOne(ctx, func(a *App) error {
		if _, err := a.Edit(ctx, at.Project, at.Base, runsheet.Tick(key)); err != nil {
			return err
		}
		return a.store.StepsDone(ctx, at.Project, []string{key})
	})
}

// AllStepsDone says that everything stands as planned already.
func (a *App) AllStepsDone(ctx context.Context, at command.Target) error {
	return a.asOne(ctx, func(a *App) error {
		var open []runsheet.Step
		if _, err := a.Edit(ctx, at.Project, at.Base, func(p *plan.Project) (string, error) {
			open = runsheet.Make(p)
			return runsheet.AllDone()(p)
		}); err != nil {
			return err
		}
		return a.store.StepsDone(ctx, at.Project, keysOf(open))
	})
}
