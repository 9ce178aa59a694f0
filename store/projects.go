package store

import (
	"cmp"
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/progress"
)

// ProjectColumns is what the list of projects shows of a document.
type ProjectColumns struct {
	Name        string `db:"name"`
	Instruments string `db:"instruments"`
	Lanes       int    `db:"lanes"`
	Buses       int    `db:"buses"`
	Problems    int    `db:"findings"`
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

// Project is a project as it stands. Its document is shared with all who ask for it: who wants to
// change it takes a clone.
type Project struct {
	State
	Plan *plan.Project
	// Analysis is what Derivation.Analyse makes from it, once for all who ask.
	Analysis func() any
}

// Project loads a project at its head.
func (u *Unit) Project(ctx context.Context, id int64) (*Project, error) {
	st, err := projectLine.state(ctx, u, id)
	if err != nil {
		return nil, err
	}
	if p, known := u.store.recent.get(st.Revision); known {
		return &Project{st, p.plan, p.analysis}, nil
	}
	read := &plan.Project{}
	_, text, err := u.docOf(ctx, projectLine, st.Revision)
	if err != nil {
		return nil, err
	}
	if err := projectLine.decode(ctx, u, id, text, read); err != nil {
		return nil, err
	}
	p := u.store.recent.of(read)
	if u.tx == nil { // what is not kept yet may never be
		u.store.recent.put(st.Revision, p, len(text))
	}
	return &Project{st, p.plan, p.analysis}, nil
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
			if n.Song != nil && n.Plan.Song != nil {
				if n.Plan.Song.ID, err = u.keepSong(ctx, n.Plan.Song.Name, n.Song); err != nil {
					return err
				}
			}
			first, _, err := u.store.preparedProject(beginLabel, n.Plan)
			if err != nil {
				return err
			}
			id, err := u.insertProject(ctx, n.State, cmp.Or(n.UID, NewUID()), listed)
			if err != nil {
				return err
			}
			if _, err := projectLine.append(ctx, u, id, 0, first); err != nil {
				return err
			}
			ids = append(ids, id)
		}
		return nil
	})
	return ids, err
}

const beginLabel = "begin the project"

// NewUID is an identity that no other project has, in any library.
func NewUID() string {
	var b [16]byte
	_, _ = rand.Read(b[:])
	return hex.EncodeToString(b[:])
}

// What projects.removed says.
const (
	listed   = 0 // it is on the list
	removed  = 1 // the user took it off
	arriving = 2 // it comes with an import that is not done: nobody sees it
)

// insertProject makes a row for a project; uid may be "", of one that is not to be listed.
func (u *Unit) insertProject(ctx context.Context, state, uid string, removed int) (int64, error) {
	r, err := u.on().ExecContext(ctx,
		`INSERT INTO projects (name, instruments, lanes, buses, findings, colours, state, uid, removed)
		VALUES ('', '', 0, 0, 0, '', ?, nullif(?, ''), ?)`, state, uid, removed)
	if err != nil {
		return 0, err
	}
	return r.LastInsertId()
}

// preparedProject works out the revision that a project is to have next; nobody changes the
// document from then on.
func (s *Store) preparedProject(label string, p *plan.Project) (n next, of analysed, err error) {
	of = s.recent.of(p)
	if err := p.Validate(); err != nil {
		return n, of, err
	}
	// Both only read, and each takes its time where the project is large.
	var show columnsOf
	shown := alongside("working out what lists show", func() (err error) {
		show, err = s.showProject(of)
		return err
	})
	n, err = projectLine.prepare(label, p, nil)
	err = errors.Join(shown(), err)
	n.show = show
	return n, of, err
}

// alongside does something in a goroutine of its own, and gives what to wait for it with. A panic
// there becomes an error.
func alongside(doing string, do func() error) (wait func() error) {
	done := make(chan error, 1)
	go func() {
		defer func() {
			if v := recover(); v != nil {
				done <- fault.Panicked(v, doing)
			}
		}()
		done <- do()
	}()
	return func() error { return <-done }
}

// keepSong keeps a song's bytes; the same bytes are kept once.
func (u *Unit) keepSong(ctx context.Context, name string, data []byte) (int64, error) {
	id, _, err := u.songOf(ctx, name, data, 0)
	return id, err
}

// songOf keeps a song's bytes, or finds them: not among those that come with imports, which may
// be broken off, but with this one.
func (u *Unit) songOf(ctx context.Context, name string, data []byte, of int64) (id int64, isNew bool, err error) {
	err = u.on().GetContext(ctx, &id, `SELECT id FROM songs WHERE length(data) = ? AND data = ?
		AND id NOT IN (SELECT ref FROM incoming WHERE kind = 'song' AND import <> ?)`, len(data), data, of)
	if !errors.Is(err, sql.ErrNoRows) {
		return id, false, err
	}
	r, err := u.on().ExecContext(ctx, `INSERT INTO songs (name, data) VALUES (?, ?)`, name, data)
	if err != nil {
		return 0, false, err
	}
	id, err = r.LastInsertId()
	return id, true, err
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
	err := u.on().SelectContext(ctx, &out, `SELECT id, name FROM songs
		WHERE id NOT IN (SELECT ref FROM incoming WHERE kind = 'song') ORDER BY id DESC LIMIT ?`, most)
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

// Edit applies an edit to the project as one new revision. base is the revision the user saw; where
// that is no longer the head, the edit is carried out on the head if it does not collide with what
// has changed since (plan.OnNewer), and a *StaleError says with what it does. An edit that fails, or
// leaves the document impossible, changes nothing.
func (u *Unit) Edit(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	for {
		p, err := u.EditSeen(ctx, id, base, edit)
		var stale *StaleError
		if !errors.As(err, &stale) {
			return p, err
		}
		e, err := u.onHead(ctx, id, base, edit, stale)
		if err != nil {
			return nil, err
		}
		p, err = u.keepOne(ctx, e)
		if !errors.As(err, &stale) { // else another change came in between
			return p, err
		}
	}
}

// EditSeen is Edit for edits that go by all there is: they are refused where the user has not seen
// the head.
func (u *Unit) EditSeen(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	e, err := u.edited(ctx, id, base, func(p *plan.Project) (string, error) {
		label, err := edit(p)
		if err == nil && label == "" {
			err = ErrUnchanged
		}
		return label, err
	})
	if errors.Is(err, ErrUnchanged) {
		return &e.Project, nil
	}
	if err != nil {
		return nil, err
	}
	return u.keepOne(ctx, e)
}

// onHead works an edit out that was made for a state which is no longer the head. Where there is
// nothing to change it gives the head, and no revision to keep.
func (u *Unit) onHead(ctx context.Context, id, base int64, edit plan.Edit, stale *StaleError) (*edited, error) {
	now, err := u.Project(ctx, id)
	if err != nil {
		return nil, err
	}
	e := &edited{base: now.Revision, Project: *now}
	changed, label, err := onNewer(ctx, u, projectLine, id, base, stale, now.Plan, plan.OnNewer, edit)
	if err != nil || label == "" {
		return e, err
	}
	return e, u.store.prepareEdited(e, label, changed)
}

// keepOne keeps a change, if there is one.
func (u *Unit) keepOne(ctx context.Context, e *edited) (*Project, error) {
	if e.next.text == "" {
		return &e.Project, nil
	}
	if err := u.AsOne(ctx, func(u *Unit) error { return u.keepEdited(ctx, e) }); err != nil {
		return nil, err
	}
	u.onceKept(func() { u.store.recent.put(e.Revision, analysed{e.Plan, e.Analysis}, len(e.next.text)) })
	return &e.Project, nil
}

// edited is a project with a change that is worked out and not kept yet.
type edited struct {
	Project
	base int64
	next next
}

// edited works the change of a project out. Where the edit has nothing to change it gives the
// project as it stands, and ErrUnchanged.
func (u *Unit) edited(ctx context.Context, id, base int64, edit plan.Edit) (*edited, error) {
	e := &edited{base: base}
	if err := projectLine.isCurrent(ctx, u, id, base); err != nil {
		return e, err
	}
	now, err := u.Project(ctx, id)
	if err != nil {
		return e, err
	}
	e.Project = *now
	changed := now.Plan.Clone()
	label, err := edit(changed)
	if err != nil {
		return e, err
	}
	return e, u.store.prepareEdited(e, label, changed)
}

// prepareEdited works out the revision that an edited project is to have.
func (s *Store) prepareEdited(e *edited, label string, changed *plan.Project) (err error) {
	var of analysed
	e.next, of, err = s.preparedProject(label, changed)
	e.Plan, e.Analysis = of.plan, of.analysis
	return err
}

// keepEdited keeps a change, if the project is still as it was when that was worked out.
func (u *Unit) keepEdited(ctx context.Context, e *edited) error {
	if err := projectLine.isCurrent(ctx, u, e.ID, e.base); err != nil {
		return err
	}
	rev, err := projectLine.append(ctx, u, e.ID, e.base, e.next)
	e.State = State{ID: e.ID, Revision: rev, Label: e.next.label, Undo: true}
	return err
}

// TakeSong keeps a song file and gives it to the project, as one revision; then is an
// edit of the same revision that already has the song, or nil.
func (u *Unit) TakeSong(ctx context.Context, id, base int64, song plan.Song, data []byte,
	then plan.Edit) (*Project, error) {
	var out *Project
	err := u.AsOne(ctx, func(u *Unit) (err error) {
		if song.ID, err = u.keepSong(ctx, song.Name, data); err != nil {
			return err
		}
		out, err = u.Edit(ctx, id, base, func(p *plan.Project) (string, error) {
			label, err := edits.SetSong(&song)(p)
			if err == nil && then != nil {
				label, err = then(p)
			}
			return label, err
		})
		return err
	})
	return out, err
}

// showProject works out what the list of projects shows of one.
func (s *Store) showProject(p analysed) (columnsOf, error) {
	columns, err := s.derive.Project(p.plan, p.analysis())
	if err != nil {
		return nil, err
	}
	return func(ctx context.Context, u *Unit, id int64) error {
		_, err := u.on().NamedExecContext(ctx, `UPDATE projects SET name = :name, instruments = :instruments,
			lanes = :lanes, buses = :buses, findings = :findings, colours = :colours, facts = :facts, derived = :derived
			WHERE id = :id`,
			struct {
				ProjectRow
				Derived string `db:"derived"`
			}{ProjectRow{ProjectColumns: columns, ID: id}, s.derive.Rules})
		return err
	}, nil
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
		show, err := u.store.showProject(u.store.recent.of(p))
		if err != nil {
			return err
		}
		return show(ctx, u, id)
	}, `SELECT id FROM projects WHERE derived <> ?`, u.store.derive.Rules)
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
	there := &plan.Project{}
	if err := projectLine.step(ctx, u, id, base, dir, there,
		func() (columnsOf, error) { return u.store.showProject(u.store.recent.of(there)) }); err != nil {
		return nil, err
	}
	return u.Project(ctx, id)
}
