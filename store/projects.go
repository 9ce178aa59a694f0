package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/plan"
	"hiddenlanes/internal/progress"
)

// ProjectColumns is what the list of projects shows of a document.
type ProjectColumns struct {
	Name        string `db:"name"`
	Instruments string `db:"instruments"`
	Lanes       int    `db:"lanes"`
	Buses       int    `db:"buses"`
	Findings    int    `db:"findings"`
	Colours     string `db:"colours"` // of the lanes by number, with spaces between
	Facts       string `db:"facts"`   // what questions across projects need
}

// ProjectRow is a project on the list, from the derived columns. Its facts are read by
// ProjectFacts alone.
type ProjectRow struct {
	ProjectColumns
	ID         int64  `db:"id"`
	Removed    bool   `db:"removed"`
	ChangedAt  string `db:"made_at"`
	LastChange string `db:"label"`
	State      string `db:"state"` // "" at work, or one of States
	Head       int64  `db:"head"`
}

// The states of a project that is not at work.
const (
	Archived = plan.Archived
	Template = plan.Template
)

const rowColumns = `p.id, p.name, p.instruments, p.lanes, p.buses, p.findings, p.colours,
	p.removed, r.made_at, r.label, p.state, p.head`

// Projects lists the projects, the last changed first.
func (s *Store) Projects(ctx context.Context) ([]ProjectRow, error) {
	var out []ProjectRow
	err := s.on(ctx).SelectContext(ctx, &out, `
		SELECT `+rowColumns+` FROM projects p JOIN revisions r ON r.id = p.head
		WHERE p.removed = 0 ORDER BY r.made_at DESC, p.id DESC`)
	return out, err
}

// Project is a project as it stands.
type Project struct {
	State
	Plan *plan.Project
}

// Project loads a project at its head.
func (s *Store) Project(ctx context.Context, id int64) (*Project, error) {
	out := &Project{Plan: &plan.Project{}}
	var err error
	if out.State, err = projectLine.load(ctx, s.on(ctx), id, out.Plan); err != nil {
		return nil, err
	}
	return out, nil
}

// CreateProject keeps a new project; its first revision cannot be undone.
func (s *Store) CreateProject(ctx context.Context, p *plan.Project) (id int64, err error) {
	ids, err := s.CreateProjects(ctx, []NewProject{{Plan: p}})
	if err != nil {
		return 0, err
	}
	return ids[0], nil
}

// NewProject is a project to be kept.
type NewProject struct {
	Plan  *plan.Project
	State string
	UID   string // "": it gets one
	Song  []byte // the bytes of its song, if it has one that is not kept yet
}

// CreateProjects keeps new projects, all or none.
func (s *Store) CreateProjects(ctx context.Context, all []NewProject) (ids []int64, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		for i, n := range all {
			progress.Report(ctx, "projects kept", i, len(all))
			id, err := s.createProject(ctx, tx, n)
			if err != nil {
				return err
			}
			ids = append(ids, id)
		}
		return nil
	})
	return ids, err
}

func (s *Store) createProject(ctx context.Context, tx *sqlx.Tx, n NewProject) (int64, error) {
	if err := n.Plan.Validate(); err != nil {
		return 0, err
	}
	if n.Song != nil && n.Plan.Song != nil {
		id, err := keepSong(ctx, tx, n.Plan.Song.Name, n.Song)
		if err != nil {
			return 0, err
		}
		n.Plan.Song.ID = id
	}
	r, err := tx.ExecContext(ctx, `INSERT INTO projects (name, instruments, lanes, buses, findings, colours, state, uid)
		VALUES ('', '', 0, 0, 0, '', ?, coalesce(nullif(?, ''), lower(hex(randomblob(16)))))`, n.State, n.UID)
	if err != nil {
		return 0, err
	}
	id, err := r.LastInsertId()
	if err != nil {
		return 0, err
	}
	_, err = s.appendProject(ctx, tx, id, 0, "begin the project", n.Plan)
	return id, err
}

// keepSong keeps a song's bytes; the same bytes are kept once.
func keepSong(ctx context.Context, tx *sqlx.Tx, name string, data []byte) (int64, error) {
	var id int64
	err := tx.GetContext(ctx, &id, `SELECT id FROM songs WHERE length(data) = ? AND data = ?`, len(data), data)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	r, err := tx.ExecContext(ctx, `INSERT INTO songs (name, data) VALUES (?, ?)`, name, data)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// AddSong keeps a song file for itself.
func (s *Store) AddSong(ctx context.Context, name string, data []byte) (id int64, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		id, err = keepSong(ctx, tx, name, data)
		return err
	})
	return id, err
}

// SongRow is a song that is kept.
type SongRow struct {
	ID   int64  `db:"id"`
	Name string `db:"name"`
}

// Songs lists the songs that came last, at most so many.
func (s *Store) Songs(ctx context.Context, most int) ([]SongRow, error) {
	var out []SongRow
	err := s.on(ctx).SelectContext(ctx, &out, `SELECT id, name FROM songs ORDER BY id DESC LIMIT ?`, most)
	return out, err
}

// SongName gives the name a song came with.
func (s *Store) SongName(ctx context.Context, id int64) (string, error) {
	var name string
	err := s.on(ctx).GetContext(ctx, &name, `SELECT name FROM songs WHERE id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return "", ErrNotFound
	}
	return name, err
}

// SetProjectState puts a project at work (""), among the archived or the templates.
func (s *Store) SetProjectState(ctx context.Context, id int64, state string) error {
	if state != "" && state != Archived && state != Template {
		return fmt.Errorf("a project is at work, %s or a %s, not %q", Archived, Template, state)
	}
	return s.mark(ctx, `UPDATE projects SET state = ? WHERE id = ?`, id, state)
}

func (s *Store) appendProject(ctx context.Context, tx *sqlx.Tx, id, parent int64, label string,
	p *plan.Project) (int64, error) {
	return projectLine.append(ctx, tx, s.now(), id, parent, label, p,
		func() error { return s.deriveProject(ctx, tx, id, p) })
}

// Edit applies an edit to the project as one new revision. base is the revision
// the user saw; a *StaleError tells that it is no longer the head. An edit that
// fails, or leaves the document impossible, changes nothing.
func (s *Store) Edit(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	return s.edit(ctx, id, base, func(*sqlx.Tx) (plan.Edit, error) { return edit, nil })
}

// TakeSong keeps a song file and gives it to the project, as one revision; then is an
// edit of the same revision that already has the song, or nil.
func (s *Store) TakeSong(ctx context.Context, id, base int64, song plan.Song, data []byte,
	then plan.Edit) (*Project, error) {
	return s.edit(ctx, id, base, func(tx *sqlx.Tx) (plan.Edit, error) {
		var err error
		if song.ID, err = keepSong(ctx, tx, song.Name, data); err != nil {
			return nil, err
		}
		take := plan.SetSong(&song)
		if then == nil {
			return take, nil
		}
		return func(p *plan.Project) (string, error) {
			if _, err := take(p); err != nil {
				return "", err
			}
			return then(p)
		}, nil
	})
}

// edit makes the edit inside the transaction that carries it out.
func (s *Store) edit(ctx context.Context, id, base int64, prepare func(*sqlx.Tx) (plan.Edit, error)) (*Project, error) {
	out := &Project{Plan: &plan.Project{}}
	err := s.within(ctx, func(tx *sqlx.Tx) (err error) {
		out.State, err = s.editProject(ctx, tx, id, base, out.Plan, func(p *plan.Project) (string, error) {
			edit, err := prepare(tx)
			if err != nil {
				return "", err
			}
			return edit(p)
		})
		return err
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// editProject loads a project into p, edits it and appends the revision.
func (s *Store) editProject(ctx context.Context, tx *sqlx.Tx, id, base int64, p *plan.Project,
	edit plan.Edit) (State, error) {
	st, err := projectLine.current(ctx, tx, id, base, p)
	if err != nil {
		return State{}, err
	}
	label, err := edit(p)
	if err != nil {
		return State{}, err
	}
	if err := p.Validate(); err != nil {
		return State{}, err
	}
	rev, err := s.appendProject(ctx, tx, id, st.Revision, label, p)
	return State{ID: id, Revision: rev, Label: label, Undo: true}, err
}

// deriveProject writes the columns that the list of projects shows.
func (s *Store) deriveProject(ctx context.Context, tx *sqlx.Tx, id int64, p *plan.Project) error {
	columns, err := s.derive.Project(p)
	if err != nil {
		return err
	}
	_, err = tx.NamedExecContext(ctx, `UPDATE projects SET name = :name, instruments = :instruments, lanes = :lanes,
		buses = :buses, findings = :findings, colours = :colours, facts = :facts WHERE id = :id`,
		ProjectRow{ProjectColumns: columns, ID: id})
	return err
}

// deriveProjects fills the derived columns of projects from before they were as they are now.
func (s *Store) deriveProjects(ctx context.Context) error {
	return s.eachOf(ctx, func(tx *sqlx.Tx, id int64) error {
		p := &plan.Project{}
		if _, err := projectLine.load(ctx, tx, id, p); err != nil {
			return err
		}
		return s.deriveProject(ctx, tx, id, p)
	}, `SELECT id FROM projects WHERE facts IS NULL OR substr(facts, 1, ?) <> ?`, len(s.derive.Stamp), s.derive.Stamp)
}

// Undo goes back to the revision before the head; Redo forward again. Each
// refuses a stale base as Edit does.
func (s *Store) Undo(ctx context.Context, id, base int64) (*Project, error) {
	return s.stepProject(ctx, id, base, Back)
}

// Redo goes forward along the changes last undone.
func (s *Store) Redo(ctx context.Context, id, base int64) (*Project, error) {
	return s.stepProject(ctx, id, base, Forward)
}

func (s *Store) stepProject(ctx context.Context, id, base int64, dir Direction) (*Project, error) {
	p := &plan.Project{}
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		var there plan.Project
		err := projectLine.step(ctx, tx, id, base, dir, &there, func() error { return s.deriveProject(ctx, tx, id, &there) })
		*p = there
		return err
	})
	if err != nil {
		return nil, err
	}
	return s.Project(ctx, id)
}
