package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/progress"
	"hiddenlanes/internal/words"
)

// Chart is the house chart as it is being worked on.
type Chart struct {
	State
	House *house.Chart
}

const theChart = 1

// Chart loads the house chart as it stands.
func (u *Unit) Chart(ctx context.Context) (*Chart, error) {
	out := &Chart{House: &house.Chart{}}
	var err error
	out.State, err = chartLine.load(ctx, u, theChart, out.House)
	return out, err
}

// EditChart applies an edit to the house chart as one revision, as Edit does for projects.
func (u *Unit) EditChart(ctx context.Context, base int64, edit house.Edit) error {
	return u.AsOne(ctx, func(u *Unit) error {
		_, err := u.editChart(ctx, base, edit)
		return err
	})
}

func (u *Unit) editChart(ctx context.Context, base int64, edit house.Edit) (int64, error) {
	c, st, label, err := worked(ctx, u, chartLine, theChart, base, edit)
	if err != nil || c == nil { // the other window did the same
		return st.Revision, err
	}
	if err := c.Validate(); err != nil {
		return 0, err
	}
	n, err := chartLine.prepare(label, c, nil)
	if err != nil {
		return 0, err
	}
	return chartLine.append(ctx, u, theChart, st.Revision, n)
}

// StepChart undoes the last change of the house chart, or redoes.
func (u *Unit) StepChart(ctx context.Context, base int64, dir Direction) error {
	return chartLine.step(ctx, u, theChart, base, dir, &house.Chart{}, func() (columnsOf, error) { return nil, nil })
}

// ChartVersion is a version of the house chart that was kept.
type ChartVersion struct {
	Number   int    `db:"number"`
	Note     string `db:"note"`
	KeptAt   string `db:"kept_at"`
	Projects int    `db:"projects"` // that follow it
}

// KeepChart keeps the house chart as it stands as the next version. keep is the edit that
// gives it the number, and may refuse.
func (u *Unit) KeepChart(ctx context.Context, base int64, note string, keep func(number int) house.Edit) (
	number int, err error) {
	err = u.AsOne(ctx, func(u *Unit) error {
		if err := u.on().GetContext(ctx, &number, `SELECT 1 + coalesce(max(number), 0) FROM chart_versions`); err != nil {
			return err
		}
		rev, err := u.editChart(ctx, base, keep(number))
		if err != nil {
			return err
		}
		return u.keepVersion(ctx, number, rev, strings.Join(strings.Fields(note), " "))
	})
	return number, err
}

func (u *Unit) keepVersion(ctx context.Context, number int, rev int64, note string) error {
	_, err := u.on().ExecContext(ctx,
		`INSERT INTO chart_versions (number, revision_id, note, kept_at) VALUES (?, ?, ?, ?)`,
		number, rev, note, u.store.now().UTC().Format(time.RFC3339))
	return err
}

// ChartVersions lists the kept versions, the last first.
func (u *Unit) ChartVersions(ctx context.Context) ([]ChartVersion, error) {
	var out []ChartVersion
	err := u.on().SelectContext(ctx, &out, `SELECT number, note, kept_at FROM chart_versions ORDER BY number DESC`)
	return out, err
}

// HouseVersion gives a kept version of the house chart; 0 is the last one, and nil,
// the standard alone, where none was kept yet.
func (u *Unit) HouseVersion(ctx context.Context, number int) (*house.Chart, error) {
	var doc string
	err := u.on().GetContext(ctx, &doc,
		`SELECT r.doc FROM chart_versions v JOIN chart_revisions r ON r.id = v.revision_id
		WHERE v.number = ? OR ? = 0 ORDER BY v.number DESC LIMIT 1`, number, number)
	switch {
	case errors.Is(err, sql.ErrNoRows) && number == 0:
		return nil, nil
	case errors.Is(err, sql.ErrNoRows):
		return nil, fmt.Errorf("there is no version %d of the house chart", number)
	case err != nil:
		return nil, err
	}
	c := &house.Chart{}
	return c, chartLine.decode(ctx, u, theChart, doc, c)
}

// KeepChartVersions keeps versions of the house chart as they come, where none is kept
// yet, and goes on working with the last of them.
func (u *Unit) KeepChartVersions(ctx context.Context, charts []*house.Chart, notes []string) error {
	return u.AsOne(ctx, func(u *Unit) error {
		for i, c := range charts {
			var head int64
			if err := u.on().GetContext(ctx, &head, `SELECT head FROM charts WHERE id = ?`, theChart); err != nil {
				return err
			}
			n, err := chartLine.prepare(fmt.Sprintf("import version %d", c.Number), c, nil)
			if err != nil {
				return err
			}
			rev, err := chartLine.append(ctx, u, theChart, head, n)
			if err != nil {
				return err
			}
			if err := u.keepVersion(ctx, c.Number, rev, notes[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

// ProjectIdentity tells a project in every library it is brought to.
type ProjectIdentity struct {
	ID    int64  `db:"id"`
	Name  string `db:"name"`
	UID   string `db:"uid"`
	State string `db:"state"`
	// Removed says that the user took it off the list.
	Removed bool `db:"removed"`
}

// Identities lists the projects there are, also those that were taken off the list.
func (u *Unit) Identities(ctx context.Context) ([]ProjectIdentity, error) {
	var out []ProjectIdentity
	err := u.on().SelectContext(ctx, &out,
		`SELECT id, name, uid, state, removed FROM projects WHERE removed < ? ORDER BY id`,
		arriving)
	return out, err
}

// Had reports whether a project ever was in a state here, by the hash of what it said.
// It gives the revision that stands, too.
func (u *Unit) Had(ctx context.Context, id int64, hash string) (head int64, had bool, err error) {
	if err := u.on().GetContext(ctx, &head, `SELECT head FROM projects WHERE id = ?`, id); err != nil {
		return 0, false, err
	}
	var thinned int
	if err := u.on().GetContext(ctx, &thinned, `SELECT count(*) FROM revisions WHERE project_id = ? AND hash = ?`, id,
		hash); err != nil || thinned > 0 {
		return head, thinned > 0, err
	}
	err = u.Past(ctx, id, func(p *plan.Project) bool {
		had = u.store.derive.Hash(p) == hash
		return had
	})
	return head, had, err
}

// Past calls fn with every revision of a project that is kept, the last first, until it says
// stop. What is damaged is passed over.
func (u *Unit) Past(ctx context.Context, id int64, fn func(*plan.Project) (stop bool)) error {
	var ids []int64
	if err := u.on().SelectContext(ctx, &ids,
		`SELECT id FROM revisions WHERE project_id = ? AND hash IS NULL ORDER BY id DESC`, id); err != nil {
		return err
	}
	for _, revision := range ids {
		p, err := u.revisionOf(ctx, id, revision)
		if IsDamaged(err) {
			continue // what it was nobody can say
		}
		if err != nil {
			return err
		}
		if fn(p) {
			break
		}
	}
	return nil
}

// revisionOf reads a project as it stood at a revision.
func (u *Unit) revisionOf(ctx context.Context, id, revision int64) (*plan.Project, error) {
	_, doc, err := u.docOf(ctx, projectLine, revision)
	if err != nil {
		return nil, err
	}
	p := &plan.Project{}
	return p, projectLine.decode(ctx, u, id, doc, p)
}

// ProjectHead says where a project on the list stands, for those who remember facts.
type ProjectHead struct {
	ID    int64  `db:"id"`
	Head  int64  `db:"head"`
	State string `db:"state"`
}

// Heads lists where every project on the list stands.
func (u *Unit) Heads(ctx context.Context) ([]ProjectHead, error) {
	var out []ProjectHead
	err := u.on().SelectContext(ctx, &out, `SELECT id, head, state FROM projects WHERE removed = 0 ORDER BY id`)
	return out, err
}

// ProjectFacts gives the list's rows of some projects with their facts.
func (u *Unit) ProjectFacts(ctx context.Context, ids []int64) ([]ProjectRow, error) {
	var out []ProjectRow
	const query = `SELECT ` + rowColumns +
		`, p.facts FROM projects p JOIN revisions r ON r.id = p.head WHERE p.removed = 0`
	if len(ids) > 200 {
		err := u.on().SelectContext(ctx, &out, query)
		return out, err
	}
	q, args, err := sqlx.In(query+` AND p.id IN (?)`, ids)
	if err != nil {
		return nil, err
	}
	err = u.on().SelectContext(ctx, &out, q, args...)
	return out, err
}

// Change is an edit of one project among several; Base is the revision the user saw.
type Change struct {
	ID, Base int64
	Edit     plan.Edit
}

// EditMany applies one edit to each of several projects, all or none, as one change that
// is undone at once. One whose edit gives ErrUnchanged stays as it is. It gives the
// number of projects changed and of the change, 0 where none was. One that is damaged is left
// alone, and named.
func (u *Unit) EditMany(ctx context.Context, label string, changes []Change) (out Many, err error) {
	var all []*edited
	for i, c := range changes {
		progress.Report(ctx, "projects changed", i, len(changes))
		if err := ctx.Err(); err != nil {
			return out, err
		}
		e, err := u.edited(ctx, c.ID, c.Base, c.Edit)
		if err == nil {
			all = append(all, e)
			continue
		}
		if errors.Is(err, ErrUnchanged) {
			continue
		}
		name, errName := u.nameOf(ctx, c.ID)
		switch {
		case errName != nil:
			return out, errors.Join(err, errName)
		case !IsDamaged(err):
			return out, fmt.Errorf("%s: %w", name, err)
		}
		out.Left = append(out.Left, name)
	}
	if len(all) == 0 {
		return out, nil
	}
	var batch int64
	err = u.AsOne(ctx, func(u *Unit) (err error) {
		if batch, err = u.newBatch(ctx, label); err != nil {
			return err
		}
		for _, c := range all {
			if err := u.keepEdited(ctx, c); err != nil {
				return fmt.Errorf("%s: %w", c.Plan.Name, err)
			}
			if _, err := u.on().ExecContext(ctx, `UPDATE revisions SET batch_id = ? WHERE id = ?`, batch,
				c.Revision); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	out.Changed, out.Batch = len(all), batch
	return out, nil
}

// Many tells what a change over several projects did.
type Many struct {
	Changed int
	Batch   int64    // undoes it; 0: nothing was changed
	Left    []string // projects that cannot be read, and stay as they are
}

// nameOf is what the list calls a project.
func (u *Unit) nameOf(ctx context.Context, id int64) (name string, err error) {
	err = u.on().GetContext(ctx, &name, `SELECT name FROM projects WHERE id = ?`, id)
	return name, err
}

// newBatch begins a change over several projects.
func (u *Unit) newBatch(ctx context.Context, label string) (int64, error) {
	r, err := u.on().ExecContext(ctx, `INSERT INTO batches (label, made_at) VALUES (?, ?)`, label,
		u.store.now().UTC().Format(time.RFC3339))
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// Batch is a change over several projects.
type Batch struct {
	ID       int64  `db:"id"`
	Label    string `db:"label"`
	Undone   bool   `db:"undone"`
	Projects int    `db:"projects"`
}

// LastBatch gives the last change over several projects, or nil.
func (u *Unit) LastBatch(ctx context.Context) (*Batch, error) {
	var b Batch
	err := u.on().GetContext(ctx, &b,
		`SELECT b.id, b.label, b.undone, count(r.id) AS projects FROM batches b JOIN revisions r ON r.batch_id = b.id
		GROUP BY b.id ORDER BY b.id DESC LIMIT 1`)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &b, err
}

// batchRow is a revision that a change over several projects made.
type batchRow struct {
	Project  int64  `db:"project_id"`
	Revision int64  `db:"id"`
	Parent   int64  `db:"parent"`
	Head     int64  `db:"head"`
	Name     string `db:"name"`
}

// batchMove is a project that goes from one revision to another.
type batchMove struct {
	project, from, to int64
	show              columnsOf
	name              string
}

// batchMoves works out which projects can go, and names those that stay since they were changed.
func (u *Unit) batchMoves(ctx context.Context, rows []batchRow, dir Direction) (moves []batchMove, left []string,
	err error) {
	for i, r := range rows {
		progress.Report(ctx, "projects", i, len(rows))
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		m := batchMove{project: r.Project, from: r.Revision, to: r.Parent, name: r.Name}
		if dir == Forward {
			m.from, m.to = m.to, m.from
		}
		if r.Head != m.from {
			left = append(left, r.Name)
			continue
		}
		p := &plan.Project{}
		if err := projectLine.goTo(ctx, u, r.Project, m.to, p); IsDamaged(err) {
			left = append(left, r.Name)
			continue
		} else if err != nil {
			return nil, nil, err
		}
		if m.show, err = u.store.showProject(u.store.recent.of(p)); err != nil {
			return nil, nil, err
		}
		moves = append(moves, m)
	}
	return moves, left, nil
}

// StepBatch takes a change over several projects back in one step, or brings it again.
// Projects that have been changed since stay as they are, and are named.
func (u *Unit) StepBatch(ctx context.Context, id int64, dir Direction) (walked int, left []string, err error) {
	var rows []batchRow
	if err := u.on().SelectContext(ctx, &rows,
		`SELECT r.project_id, r.id, r.parent, p.head, p.name FROM revisions r JOIN projects p ON p.id = r.project_id
		WHERE r.batch_id = ? ORDER BY r.id`, id); err != nil {
		return 0, nil, err
	}
	if len(rows) == 0 {
		return 0, nil, ErrNotFound
	}
	moves, left, err := u.batchMoves(ctx, rows, dir)
	if err != nil {
		return 0, nil, err
	}
	err = u.AsOne(ctx, func(u *Unit) error {
		for _, m := range moves {
			if err := projectLine.isCurrent(ctx, u, m.project, m.from); fault.Of(err) == fault.Conflict {
				left = append(left, m.name) // changed while we looked
				continue
			} else if err != nil {
				return err
			}
			if err := projectLine.moveHead(ctx, u, m.project, m.to, m.show); err != nil {
				return err
			}
			walked++
		}
		if walked == 0 {
			return fmt.Errorf("every project of that change has been changed since: %s", words.Few(left))
		}
		_, err := u.on().ExecContext(ctx, `UPDATE batches SET undone = ? WHERE id = ?`, dir == Back, id)
		return err
	})
	return walked, left, err
}
