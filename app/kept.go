package app

import (
	"context"
	"errors"
	"fmt"

	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/store"
)

// What is kept, as the pages and the command see it. They know the store by these names
// alone.
type (
	Project      = store.Project
	ProjectRow   = store.ProjectRow
	Instrument   = store.Instrument
	ShelfRow     = store.ShelfRow
	Chart        = store.Chart
	ChartVersion = store.ChartVersion
	KeptSetup    = store.Setup
	SongRow      = store.SongRow
	Batch        = store.Batch
	Many         = store.Many
	Revision     = store.State
	Direction    = store.Direction
	Format       = format.Format
	StaleError   = store.StaleError
)

// The states of a project that is not at work.
const (
	Archived = store.Archived
	Template = store.Template
)

// The directions that the revisions of a document are stepped through in.
const (
	Back    = store.Back
	Forward = store.Forward
)

// ErrNotFound says that there is nothing with that number.
var ErrNotFound = store.ErrNotFound

// Healthy gives an error where the user's data cannot be read, or is no longer there.
func (a *App) Healthy(ctx context.Context) error { return a.db.Healthy(ctx) }

// Close closes the user's data.
func (a *App) Close() error { return a.db.Close() }

// Project loads a project as it stands.
func (a *App) Project(ctx context.Context, id int64) (*Project, error) {
	return a.store.Project(ctx, id)
}

// Projects lists the projects, the last changed first.
func (a *App) Projects(ctx context.Context) ([]ProjectRow, error) { return a.store.Projects(ctx) }

// Edit applies an edit to a project as one new revision. base is the revision the user
// saw; on a newer one it is carried out where it does not collide, and a *StaleError says with what
// it does.
func (a *App) Edit(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	return a.store.Edit(ctx, id, base, edit)
}

// EditSeen is Edit for what goes by all there is, such as proposals: it is refused where the user has
// not seen the newest state.
func (a *App) EditSeen(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	return a.store.EditSeen(ctx, id, base, edit)
}

// Undo takes the last change of a project back.
func (a *App) Undo(ctx context.Context, id, base int64) (*Project, error) {
	return a.store.Undo(ctx, id, base)
}

// Redo brings the change back that was undone last.
func (a *App) Redo(ctx context.Context, id, base int64) (*Project, error) {
	return a.store.Redo(ctx, id, base)
}

// CreateProjects keeps new projects, all or none.
func (a *App) CreateProjects(ctx context.Context, plans ...*plan.Project) (ids []int64, err error) {
	all := make([]store.NewProject, len(plans))
	for i, p := range plans {
		all[i].Plan = p
	}
	return a.store.CreateProjects(ctx, all)
}

// RemoveProject takes a project off the list, or puts it back.
func (a *App) RemoveProject(ctx context.Context, id int64, removed bool) error {
	return a.store.RemoveProject(ctx, id, removed)
}

// SetProjectState puts a project at work (""), among the archived or the templates.
func (a *App) SetProjectState(ctx context.Context, id int64, state string) error {
	return a.store.SetProjectState(ctx, id, state)
}

// AddInstruments puts instruments on the shelf; one that is there already is not put
// there twice.
func (a *App) AddInstruments(ctx context.Context, ins ...rig.Instrument) (ids []int64, added int, err error) {
	all := make([]store.NewInstrument, len(ins))
	for i := range ins {
		all[i].Rig = ins[i]
	}
	return a.store.AddInstruments(ctx, all)
}

// Shelf lists the instruments by name without reading them.
func (a *App) Shelf(ctx context.Context) ([]ShelfRow, error) { return a.store.Shelf(ctx) }

// Instrument gives one instrument of the shelf, removed or not.
func (a *App) Instrument(ctx context.Context, id int64) (*Instrument, error) {
	return a.store.Instrument(ctx, id)
}

// EditInstrument applies an edit to an instrument, as Edit does for projects.
func (a *App) EditInstrument(ctx context.Context, id, base int64, edit rig.Edit) (*Instrument, error) {
	return a.store.EditInstrument(ctx, id, base, edit)
}

// StepInstrument undoes the last change of an instrument, or redoes.
func (a *App) StepInstrument(ctx context.Context, id, base int64, dir Direction) error {
	return a.store.StepInstrument(ctx, id, base, dir)
}

// RemoveInstrument takes an instrument off the shelf, or puts it back.
func (a *App) RemoveInstrument(ctx context.Context, id int64, removed bool) error {
	return a.store.RemoveInstrument(ctx, id, removed)
}

// Chart loads the house chart as it is being worked on.
func (a *App) Chart(ctx context.Context) (*Chart, error) { return a.store.Chart(ctx) }

// EditChart applies an edit to the house chart, as Edit does for projects.
func (a *App) EditChart(ctx context.Context, base int64, edit house.Edit) error {
	return a.store.EditChart(ctx, base, edit)
}

// StepChart undoes the last change of the house chart, or redoes.
func (a *App) StepChart(ctx context.Context, base int64, dir Direction) error {
	return a.store.StepChart(ctx, base, dir)
}

// ChartVersions lists the kept versions of the house chart, the last first.
func (a *App) ChartVersions(ctx context.Context) ([]ChartVersion, error) {
	return a.store.ChartVersions(ctx)
}

// HouseVersion gives a kept version of the house chart; 0 is the last one, and nil,
// the standard alone, where none was kept yet.
func (a *App) HouseVersion(ctx context.Context, number int) (*house.Chart, error) {
	return a.store.HouseVersion(ctx, number)
}

// KeepChart keeps the house chart as it stands as the next version; one that says what
// the last version says is refused, for every project would seem to follow an older one.
func (a *App) KeepChart(ctx context.Context, base int64, note string) (number int, err error) {
	last, err := a.HouseVersion(ctx, 0)
	if err != nil {
		return 0, err
	}
	return a.store.KeepChart(ctx, base, note, func(number int) house.Edit {
		return func(c *house.Chart) (string, error) {
			if last != nil && house.Changes(c, last, midi.MiddleC3) == 0 {
				return "", fmt.Errorf("nothing has changed since version %d was kept", last.Number)
			}
			c.Number = number
			return fmt.Sprintf("save version %d", number), nil
		}
	})
}

// RestoreChart makes the house chart say again what a kept version said.
func (a *App) RestoreChart(ctx context.Context, base int64, number int) error {
	old, err := a.HouseVersion(ctx, number)
	if err != nil {
		return err
	}
	if old == nil {
		return errors.New("choose a version")
	}
	return a.EditChart(ctx, base, house.Restore(old))
}

// Setups lists the kept output set-ups by name.
func (a *App) Setups(ctx context.Context) ([]KeptSetup, error) { return a.store.Setups(ctx) }

// KeepSetup keeps an output set-up under its name, in place of one that has it already.
func (a *App) KeepSetup(ctx context.Context, x KeptSetup) error { return a.store.KeepSetup(ctx, x) }

// RemoveSetup forgets a set-up.
func (a *App) RemoveSetup(ctx context.Context, id int64) error { return a.store.RemoveSetup(ctx, id) }

// SongFile gives the bytes of a song, as they came.
func (a *App) SongFile(ctx context.Context, id int64) ([]byte, error) { return a.store.Song(ctx, id) }

// Songs lists the songs that came last, at most so many.
func (a *App) Songs(ctx context.Context, most int) ([]SongRow, error) {
	return a.store.Songs(ctx, most)
}

// SongName gives the name a song came with.
func (a *App) SongName(ctx context.Context, id int64) (string, error) {
	return a.store.SongName(ctx, id)
}

// LastBatch gives the last change over several projects, or nil.
func (a *App) LastBatch(ctx context.Context) (*Batch, error) { return a.store.LastBatch(ctx) }

// StepBatch takes a change over several projects back in one step, or brings it again.
// Projects that have been changed since stay as they are, and are named.
func (a *App) StepBatch(ctx context.Context, id int64, dir Direction) (stepped int, left []string, err error) {
	return a.store.StepBatch(ctx, id, dir)
}
