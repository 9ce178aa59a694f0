package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

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
func (u *Unit) Projects(ctx context.Context) ([]ProjectRow, error) {
	var out []ProjectRow
	err := u.on().SelectContext(ctx, &out, `
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
func (u *Unit) Project(ctx context.Context, id int64) (*Project, error) {
	out := &Project{Plan: &plan.Project{}}
	var err error
	if out.State, err = projectLine.load(ctx, u, id, out.Plan); err != nil {
		return nil, err
	}
	return out, nil
}

// CreateProject keeps a new project; its first revision cannot be undone.
func (u *Unit) CreateProject(ctx context.Context, p *plan.Project) (id int64, err error) {
	ids, err := u.CreateProjects(ctx, []NewProject{{Plan: p}})
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
func (u *Unit) CreateProjects(ctx context.Context, all []NewProject) (ids []int64, err error) {
	err = u.AsOne(ctx, func(u *Unit) error {
		for i, n := range all {
			progress.Report(ctx, "projects kept", i, len(all))
			id, err := u.createProject(ctx, n)
			if err != nil {
				return err
			}
			ids = append(ids, id)
		}
		return nil
	})
	return ids, err
}

func (u *Unit) createProject(ctx context.Context, n NewProject) (int64, error) {
	if err := n.Plan.Validate(); err != nil {
		return 0, err
	}
	if n.Song != nil && n.Plan.Song != nil {
		id, err := u.keepSong(ctx, n.Plan.Song.Name, n.Song)
		if err != nil {
			return 0, err
		}
		n.Plan.Song.ID = id
	}
	r, err := u.on().ExecContext(ctx,
		`INSERT INTO projects (name, instruments, lanes, buses, findings, colours, state, uid)
		VALUES ('', '', 0, 0, 0, '', ?, coalesce(nullif(?, ''), lower(hex(randomblob(16)))))`, n.State, n.UID)
	if err != nil {
		return 0, err
	}
	id, err := r.LastInsertId()
	if err != nil {
		return 0, err
	}
	_, err = u.appendProject(ctx, id, 0, "begin the project", n.Plan)
	return id, err
}

// keepSong keeps a song's bytes; the same bytes are kept once.
func (u *Unit) keepSong(ctx context.Context, name string, data []byte) (int64, error) {
	var id int64
	err := u.on().GetContext(ctx, &id, `SELECT id FROM songs WHERE length(data) = ? AND data = ?`, len(data), data)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	r, err := u.on().ExecContext(ctx, `INSERT INTO songs (name, data) VALUES (?, ?)`, name, data)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// AddSong keeps a song file for itself.
func (u *Unit) AddSong(ctx context.Context, name string, data []byte) (id int64, err error) {
	err = u.AsOne(ctx, func(u *Unit) error {
		id, err = u.keepSong(ctx, name, data)
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
func (u *Unit) Songs(ctx context.Context, most int) ([]SongRow, error) {
	var out []SongRow
	err := u.on().SelectContext(ctx, &out, `SELECT id, name FROM songs ORDER BY id DESC LIMIT ?`, most)
	return out, err
}

// SongName gives the name a song came with.
func (u *Unit) SongName(ctx context.Context, id int64) (string, error) {
	var name string
	err := u.on().GetContext(ctx, &name, `SELECT name FROM songs WHERE id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return "", ErrNotFound
	}
	return name, err
}

// SetProjectState puts a project at work (""), among the archived or the templates.
func (u *Unit) SetProjectState(ctx context.Context, id int64, state string) error {
	if state != "" && state != Archived && state != Template {
		return fmt.Errorf("a project is at work, %s or a %s, not %q", Archived, Template, state)
	}
	return u.mark(ctx, `UPDATE projects SET state = ? WHERE id = ?`, id, state)
}

func (u *Unit) appendProject(ctx context.Context, id, parent int64, label string,
	p *plan.Project) (int64, error) {
	return projectLine.append(ctx, u, id, parent, label, p,
		func() error { return u.deriveProject(ctx, id, p) })
}

// Edit applies an edit to the project as one new revision. base is the revision
// the user saw; a *StaleError tells that it is no longer the head. An edit that
// fails, or leaves the document impossible, changes nothing.
func (u *Unit) Edit(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	return u.edit(ctx, id, base, func(*Unit) (plan.Edit, error) { return edit, nil })
}

// TakeSong keeps a song file and gives it to the project, as one revision; then is an
// edit of the same revision that already has the song, or nil.
func (u *Unit) TakeSong(ctx context.Context, id, base int64, song plan.Song, data []byte,
	then plan.Edit) (*Project, error) {
	return u.edit(ctx, id, base, func(u *Unit) (plan.Edit, error) {
		var err error
		if song.ID, err = u.keepSong(ctx, song.Name, data); err != nil {
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
func (u *Unit) edit(ctx context.Context, id, base int64, prepare func(*Unit) (plan.Edit, error)) (*Project, error) {
	out := &Project{Plan: &plan.Project{}}
	err := u.AsOne(ctx, func(u *Unit) (err error) {
		out.State, err = u.editProject(ctx, id, base, out.Plan, func(p *plan.Project) (string, error) {
			edit, err := prepare(u)
			if err != nil {
				return "", err
			}
			label, err := edit(p)
			if err == nil && label == "" {
				err = ErrUnchanged
			}
			return label, err
		})
		if errors.Is(err, ErrUnchanged) {
			return nil
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	return out, nil
}

// editProject loads a project into p, edits it and appends the revision.
func (u *Unit) editProject(ctx context.Context, id, base int64, p *plan.Project,
	edit plan.Edit) (State, error) {
	st, err := projectLine.current(ctx, u, id, base, p)
	if err != nil {
		return State{}, err
	}
	label, err := edit(p)
	if err != nil {
		return st, err
	}
	if err := p.Validate(); err != nil {
		return State{}, err
	}
	rev, err := u.appendProject(ctx, id, st.Revision, label, p)
	return State{ID: id, Revision: rev, Label: label, Undo: true}, err
}

// deriveProject writes the columns that the list of projects shows.
func (u *Unit) deriveProject(ctx context.Context, id int64, p *plan.Project) error {
	columns, err := u.store.derive.Project(p)
	if err != nil {
		return err
	}
	_, err = u.on().NamedExecContext(ctx, `UPDATE projects SET name = :name, instruments = :instruments, lanes = :lanes,
		buses = :buses, findings = :findings, colours = :colours, facts = :facts, derived = :derived
		WHERE id = :id`,
		struct {
			ProjectRow
			Derived string `db:"derived"`
		}{ProjectRow{ProjectColumns: columns, ID: id}, u.store.derive.Stamp})
	return err
}

// deriveProjects fills the derived columns that come from other rules than today's.
func (u *Unit) deriveProjects(ctx context.Context) error {
	return u.eachOf(ctx, func(u *Unit, id int64) error {
		p := &plan.Project{}
		if _, err := projectLine.load(ctx, u, id, p); errors.Is(err, errDamaged) {
			return nil // the others are not to wait for it
		} else if err != nil {
			return err
		}
		return u.deriveProject(ctx, id, p)
	}, `SELECT id FROM projects WHERE derived <> ?`, u.store.derive.Stamp)
}

// Undo goes back to the revision before the head; Redo forward again. Each
// refuses a stale base as Edit does.
func (u *Unit) Undo(ctx context.Context, id, base int64) (*Project, error) {
	return u.stepProject(ctx, id, base, Back)
}

// Redo goes forward along the changes last undone.
func (u *Unit) Redo(ctx context.Context, id, base int64) (*Project, error) {
	return u.stepProject(ctx, id, base, Forward)
}

func (u *Unit) stepProject(ctx context.Context, id, base int64, dir Direction) (*Project, error) {
	p := &plan.Project{}
	err := u.AsOne(ctx, func(u *Unit) error {
		var there plan.Project
		err := projectLine.step(ctx, u, id, base, dir, &there, func() error { return u.deriveProject(ctx, id, &there) })
		*p = there
		return err
	})
	if err != nil {
		return nil, err
	}
	return u.Project(ctx, id)
}
