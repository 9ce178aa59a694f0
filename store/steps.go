package store

import (
	"context"
	"slices"
	"time"

	"hiddenlanes/internal/fault"
)

// Run-sheet steps have a number in their project, outside undo: a step gets it when it is
// first shown, and no other step ever has it. As long as no step is done, they count from 1 in
// their order instead: nobody goes by a number yet.

type numberedStep struct {
	Step   string  `db:"step"`
	Number int     `db:"number"`
	Done   *string `db:"done"`
	isNew  bool    // it is not kept yet
}

func (u *Unit) steps(ctx context.Context, project int64) (map[string]numberedStep, int, error) {
	var rows []numberedStep
	if err := u.on().SelectContext(ctx, &rows, `SELECT step, number, done FROM step_numbers WHERE project_id = ?`,
		project); err != nil {
		return nil, 0, err
	}
	out, last := make(map[string]numberedStep, len(rows)), 0
	for _, r := range rows {
		out[r.Step], last = r, max(last, r.Number)
	}
	return out, last, nil
}

// StepNumbers gives the numbers of steps, in the order they are in; those that are shown
// for the first time get the next ones. One that was done and is shown again is open.
func (u *Unit) StepNumbers(ctx context.Context, project int64, keys []string) (map[string]int, error) {
	have, last, err := u.steps(ctx, project)
	if err != nil {
		return nil, err
	}
	steps, anew := numbered(have, last, keys)
	out := numbersOf(steps)
	if !anew && !slices.ContainsFunc(steps, numberedStep.fresh) {
		return out, nil
	}
	err = u.AsOne(ctx, func(u *Unit) error {
		have, last, err := u.steps(ctx, project)
		if err != nil {
			return err
		}
		steps, anew := numbered(have, last, keys)
		if anew {
			if _, err := u.on().ExecContext(ctx, `DELETE FROM step_numbers WHERE project_id = ?`, project); err != nil {
				return err
			}
		}
		for _, s := range steps {
			if !s.fresh() {
				continue
			}
			if err := u.keepStep(ctx, project, s, nil, nil); err != nil {
				return err
			}
		}
		out = numbersOf(steps)
		return nil
	})
	if fault.Of(err) == fault.Storage { // they are shown all the same, and kept when they can be
		err = nil
	}
	return out, err
}

// numbered gives each of the steps once, with its number: that it has, or the next one. Where these do
// not ascend and no step is done, they are numbered anew.
func numbered(have map[string]numberedStep, last int, keys []string) (out []numberedStep, anew bool) {
	seen := map[string]bool{}
	for _, k := range keys {
		if seen[k] {
			continue
		}
		seen[k] = true
		s, ok := have[k]
		if !ok {
			last++
			s = numberedStep{Step: k, Number: last, isNew: true}
		}
		out = append(out, s)
	}
	if slices.IsSortedFunc(out, func(a, b numberedStep) int { return a.Number - b.Number }) {
		return out, false
	}
	for _, s := range have {
		if s.Done != nil {
			return out, false
		}
	}
	for i := range out {
		out[i].Number, out[i].isNew = i+1, true
	}
	return out, true
}

// fresh reports whether a step that is shown is to be kept: it is new, or was done.
func (s numberedStep) fresh() bool { return s.isNew || s.Done != nil }

func numbersOf(steps []numberedStep) map[string]int {
	out := make(map[string]int, len(steps))
	for _, s := range steps {
		out[s.Step] = s.Number
	}
	return out
}

func (u *Unit) keepStep(ctx context.Context, project int64, s numberedStep, done, told *string) error {
	_, err := u.on().ExecContext(ctx, `INSERT INTO step_numbers (project_id, step, number, first_shown, done, told)
		VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (project_id, step) DO UPDATE SET done = excluded.done, told = excluded.told`,
		project, s.Step, s.Number, u.store.now().UTC().Format(time.RFC3339Nano), done, told)
	return err
}

// StepDone says that a step, or a part of one, was ticked off now, under the number that it
// is shown with, and keeps what is told about it.
func (u *Unit) StepDone(ctx context.Context, project int64, key string, number int, told string) error {
	now := u.store.now().UTC().Format(time.RFC3339Nano)
	return u.AsOne(ctx, func(u *Unit) error {
		return u.keepStep(ctx, project, numberedStep{Step: key, Number: number}, &now, &told)
	})
}

// SameStep gives what is left of a step the step's number.
func (u *Unit) SameStep(ctx context.Context, project int64, key string, number int) error {
	return u.AsOne(ctx, func(u *Unit) error {
		have, _, err := u.steps(ctx, project)
		if _, ok := have[key]; err != nil || ok {
			return err
		}
		return u.keepStep(ctx, project, numberedStep{Step: key, Number: number}, nil, nil)
	})
}

// ToldStep is a step that was ticked off, with what was told about it.
type ToldStep struct {
	Step   string `db:"step"`
	Number int    `db:"number"`
	Told   string `db:"told"`
}

// StepsToldDone lists the steps of a project that were ticked off, the last first.
func (u *Unit) StepsToldDone(ctx context.Context, project int64) (out []ToldStep, err error) {
	err = u.on().SelectContext(ctx, &out, `SELECT step, number, told FROM step_numbers
		WHERE project_id = ? AND told IS NOT NULL ORDER BY done DESC, number DESC`, project)
	return out, err
}
