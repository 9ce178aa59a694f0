package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
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
func (s *Store) Chart(ctx context.Context) (*Chart, error) {
	out := &Chart{House: &house.Chart{}}
	var err error
	out.State, err = chartLine.load(ctx, s.on(ctx), theChart, out.House)
	return out, err
}

func unchanged() error { return nil }

// EditChart applies an edit to the house chart as one revision, as Edit does for projects.
func (s *Store) EditChart(ctx context.Context, base int64, edit house.Edit) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		_, err := s.editChart(ctx, tx, base, edit)
		return err
	})
}

func (s *Store) editChart(ctx context.Context, tx *sqlx.Tx, base int64, edit house.Edit) (int64, error) {
	c := &house.Chart{}
	st, err := chartLine.current(ctx, tx, theChart, base, c)
	if err != nil {
		return 0, err
	}
	label, err := edit(c)
	if err != nil {
		return 0, err
	}
	if err := c.Validate(); err != nil {
		return 0, err
	}
	return chartLine.append(ctx, tx, s.now(), theChart, st.Revision, label, c, unchanged)
}

// StepChart undoes the last change of the house chart, or redoes.
func (s *Store) StepChart(ctx context.Context, base int64, dir Direction) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		return chartLine.step(ctx, tx, theChart, base, dir, &house.Chart{}, unchanged)
	})
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
func (s *Store) KeepChart(ctx context.Context, base int64, note string, keep func(number int) house.Edit) (
	number int, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if err := tx.GetContext(ctx, &number, `SELECT 1 + coalesce(max(number), 0) FROM chart_versions`); err != nil {
			return err
		}
		rev, err := s.editChart(ctx, tx, base, keep(number))
		if err != nil {
			return err
		}
		return s.keepVersion(ctx, tx, number, rev, strings.Join(strings.Fields(note), " "))
	})
	return number, err
}

func (s *Store) keepVersion(ctx context.Context, tx *sqlx.Tx, number int, rev int64, note string) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO chart_versions (number, revision_id, note, kept_at) VALUES (?, ?, ?, ?)`,
		number, rev, note, s.now().UTC().Format(time.RFC3339))
	return err
}

// ChartVersions lists the kept versions, the last first.
func (s *Store) ChartVersions(ctx context.Context) ([]ChartVersion, error) {
	var out []ChartVersion
	err := s.on(ctx).SelectContext(ctx, &out, `SELECT number, note, kept_at FROM chart_versions ORDER BY number DESC`)
	return out, err
}

// HouseVersion gives a kept version of the house chart; 0 is the last one, and nil,
// the standard alone, where none was kept yet.
func (s *Store) HouseVersion(ctx context.Context, number int) (*house.Chart, error) {
	var doc string
	err := s.on(ctx).GetContext(ctx, &doc,
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
	return c, json.Unmarshal([]byte(doc), c)
}

// KeepChartVersions keeps versions of the house chart as they come, where none is kept
// yet, and goes on working with the last of them.
func (s *Store) KeepChartVersions(ctx context.Context, charts []*house.Chart, notes []string) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		for i, c := range charts {
			var head int64
			if err := tx.GetContext(ctx, &head, `SELECT head FROM charts WHERE id = ?`, theChart); err != nil {
				return err
			}
			rev, err := chartLine.append(ctx, tx, s.now(), theChart, head, fmt.Sprintf("bring version %d", c.Version),
				c, unchanged)
			if err != nil {
				return err
			}
			if err := s.keepVersion(ctx, tx, c.Version, rev, notes[i]); err != nil {
				return err
			}
		}
		return nil
	})
}

// ProjectIdentity tells a project in every library it is brought to.
type ProjectIdentity struct {
	ID    int64  `db:"id"`
	UID   string `db:"uid"`
	State string `db:"state"`
}

// Identities lists the projects on the list.
func (s *Store) Identities(ctx context.Context) ([]ProjectIdentity, error) {
	var out []ProjectIdentity
	err := s.on(ctx).SelectContext(ctx, &out, `SELECT id, uid, state FROM projects WHERE removed = 0 ORDER BY id`)
	return out, err
}

// Past calls fn with every revision of a project, the last first, until it says stop.
func (s *Store) Past(ctx context.Context, id int64, fn func(*plan.Project) (stop bool)) error {
	rows, err := s.on(ctx).QueryxContext(ctx, `SELECT doc FROM revisions WHERE project_id = ? ORDER BY id DESC`, id)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var doc string
		p := &plan.Project{}
		if err := rows.Scan(&doc); err != nil {
			return err
		}
		if err := read(doc, p); err != nil {
			return err
		}
		if fn(p) {
			break
		}
	}
	return rows.Err()
}

// ProjectHead says where a project on the list stands, for those who remember facts.
type ProjectHead struct {
	ID    int64  `db:"id"`
	Head  int64  `db:"head"`
	State string `db:"state"`
}

// Heads lists where every project on the list stands.
func (s *Store) Heads(ctx context.Context) ([]ProjectHead, error) {
	var out []ProjectHead
	err := s.on(ctx).SelectContext(ctx, &out, `SELECT id, head, state FROM projects WHERE removed = 0 ORDER BY id`)
	return out, err
}

// ProjectFacts gives the list's rows of some projects with their facts.
func (s *Store) ProjectFacts(ctx context.Context, ids []int64) ([]ProjectRow, error) {
	var out []ProjectRow
	const query = `SELECT ` + rowColumns +
		`, p.facts FROM projects p JOIN revisions r ON r.id = p.head WHERE p.removed = 0`
	if len(ids) > 200 {
		err := s.on(ctx).SelectContext(ctx, &out, query)
		return out, err
	}
	q, args, err := sqlx.In(query+` AND p.id IN (?)`, ids)
	if err != nil {
		return nil, err
	}
	err = s.on(ctx).SelectContext(ctx, &out, q, args...)
	return out, err
}

// Change is an edit of one project among several; Base is the revision the user saw.
type Change struct {
	ID, Base int64
	Edit     plan.Edit
	Song     []byte // of the project's song after it, where that is not kept yet
}

// EditMany applies one edit to each of several projects, all or none, as one change that
// is undone at once. One whose edit gives ErrUnchanged stays as it is. It gives the
// number of projects changed and of the change, 0 where none was.
func (s *Store) EditMany(ctx context.Context, label string, changes []Change) (changed int, batch int64, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		for i, c := range changes {
			progress.Report(ctx, "projects changed", i, len(changes))
			p := &plan.Project{}
			st, err := s.editProject(ctx, tx, c.ID, c.Base, p, func(p *plan.Project) (string, error) {
				label, err := c.Edit(p)
				if err == nil && c.Song != nil && p.Song != nil {
					p.Song.ID, err = keepSong(ctx, tx, p.Song.Name, c.Song)
				}
				return label, err
			})
			if errors.Is(err, ErrUnchanged) {
				continue
			}
			if err != nil {
				return fmt.Errorf("%s: %w", p.Name, err)
			}
			if batch == 0 {
				r, err := tx.ExecContext(ctx, `INSERT INTO batches (label, made_at) VALUES ('', ?)`,
					s.now().UTC().Format(time.RFC3339))
				if err != nil {
					return err
				}
				if batch, err = r.LastInsertId(); err != nil {
					return err
				}
			}
			if _, err := tx.ExecContext(ctx, `UPDATE revisions SET batch_id = ? WHERE id = ?`, batch, st.Revision); err != nil {
				return err
			}
			changed++
		}
		_, err := tx.ExecContext(ctx, `UPDATE batches SET label = ? WHERE id = ?`, label, batch)
		return err
	})
	return changed, batch, err
}

// Batch is a change over several projects.
type Batch struct {
	ID       int64  `db:"id"`
	Label    string `db:"label"`
	Undone   bool   `db:"undone"`
	Projects int    `db:"projects"`
}

// LastBatch gives the last change over several projects, or nil.
func (s *Store) LastBatch(ctx context.Context) (*Batch, error) {
	var b Batch
	err := s.on(ctx).GetContext(ctx, &b,
		`SELECT b.id, b.label, b.undone, count(r.id) AS projects FROM batches b JOIN revisions r ON r.batch_id = b.id
		GROUP BY b.id ORDER BY b.id DESC LIMIT 1`)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &b, err
}

// StepBatch takes a change over several projects back in one step, or brings it again.
// Projects that have been changed since stay as they are, and are named.
func (s *Store) StepBatch(ctx context.Context, id int64, dir Direction) (walked int, left []string, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		var rows []struct {
			Project  int64  `db:"project_id"`
			Revision int64  `db:"id"`
			Parent   int64  `db:"parent"`
			Head     int64  `db:"head"`
			Name     string `db:"name"`
		}
		if err := tx.SelectContext(ctx, &rows,
			`SELECT r.project_id, r.id, r.parent, p.head, p.name FROM revisions r JOIN projects p ON p.id = r.project_id
			WHERE r.batch_id = ? ORDER BY r.id`, id); err != nil {
			return err
		}
		if len(rows) == 0 {
			return ErrNotFound
		}
		for i, r := range rows {
			progress.Report(ctx, "projects", i, len(rows))
			from, to := r.Revision, r.Parent
			if dir == Forward {
				from, to = to, from
			}
			if r.Head != from {
				left = append(left, r.Name)
				continue
			}
			p := &plan.Project{}
			derive := func() error { return s.deriveProject(ctx, tx, r.Project, p) }
			if err := projectLine.moveHead(ctx, tx, r.Project, to, p, derive); err != nil {
				return err
			}
			walked++
		}
		if walked == 0 {
			return fmt.Errorf("every project of that change has been changed since: %s", words.Few(left))
		}
		_, err := tx.ExecContext(ctx, `UPDATE batches SET undone = ? WHERE id = ?`, dir == Back, id)
		return err
	})
	return walked, left, err
}
