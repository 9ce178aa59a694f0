// Package store keeps instruments, songs and projects in SQLite. A project is
// one document; every accepted edit is a new revision of it in one
// transaction, and undo and redo walk the revisions. It knows the core's
// values, and nothing of pages or commands.
package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver, in Go alone

	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that there is nothing with that number.
var ErrNotFound = errors.New("there is nothing with that number here")

// Store is an open database. It may be used from several goroutines.
type Store struct {
	db  *sqlx.DB
	now func() time.Time
}

// Open opens the database in a file and brings its tables up to date. Each
// accepted change is on disk before the call that made it returns.
func Open(ctx context.Context, path string) (*Store, error) {
	dsn := "file:" + strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(path) +
		"?_txlock=immediate&_pragma=busy_timeout(5000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)"
	db, err := sqlx.Open("sqlite", dsn)
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", path, err)
	}
	db.SetMaxOpenConns(8)
	sub, err := fs.Sub(migrations, "migrations")
	if err == nil {
		var p *goose.Provider
		if p, err = goose.NewProvider(goose.DialectSQLite3, db.DB, sub); err == nil {
			_, err = p.Up(ctx)
		}
	}
	if err != nil {
		db.Close()
		return nil, fmt.Errorf("bringing %s up to date: %w", path, err)
	}
	return &Store{db: db, now: time.Now}, nil
}

// Close closes the database.
func (s *Store) Close() error { return s.db.Close() }

// within runs fn in one transaction; an error undoes all of it.
func (s *Store) within(ctx context.Context, fn func(*sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback() //nolint:errcheck // after Commit it does nothing
	if err := fn(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// Instrument is an instrument on the shelf.
type Instrument struct {
	ID      int64          `db:"id"`
	Name    string         `db:"name"`
	Doc     string         `db:"doc"`
	Removed bool           `db:"removed"`
	Rig     rig.Instrument `db:"-"`
}

func (i *Instrument) decode() error {
	if err := json.Unmarshal([]byte(i.Doc), &i.Rig); err != nil {
		return fmt.Errorf("reading instrument %d %s: %w", i.ID, i.Name, err)
	}
	return nil
}

// AddInstruments puts instruments on the shelf in one transaction. One that is
// there already, the same in everything, is not put there twice; if it had been
// removed it comes back. added counts the new ones.
func (s *Store) AddInstruments(ctx context.Context, ins []rig.Instrument) (ids []int64, added int, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		for _, in := range ins {
			if err := in.Validate(); err != nil {
				return err
			}
			doc, err := json.Marshal(in)
			if err != nil {
				return err
			}
			sum := sha256.Sum256(doc)
			hash := hex.EncodeToString(sum[:])
			var id int64
			err = tx.GetContext(ctx, &id, `SELECT id FROM instruments WHERE hash = ?`, hash)
			switch {
			case errors.Is(err, sql.ErrNoRows):
				r, err := tx.ExecContext(ctx, `INSERT INTO instruments (name, doc, hash) VALUES (?, ?, ?)`, in.Name, string(doc), hash)
				if err != nil {
					return err
				}
				if id, err = r.LastInsertId(); err != nil {
					return err
				}
				added++
			case err != nil:
				return err
			default:
				if _, err := tx.ExecContext(ctx, `UPDATE instruments SET removed = 0 WHERE id = ?`, id); err != nil {
					return err
				}
			}
			ids = append(ids, id)
		}
		return nil
	})
	return ids, added, err
}

// Instruments lists the shelf by name.
func (s *Store) Instruments(ctx context.Context) ([]Instrument, error) {
	var out []Instrument
	if err := s.db.SelectContext(ctx, &out, `SELECT id, name, doc, removed FROM instruments WHERE removed = 0 ORDER BY name COLLATE NOCASE, id`); err != nil {
		return nil, err
	}
	for i := range out {
		if err := out[i].decode(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// InstrumentName is an instrument on the shelf by its name alone.
type InstrumentName struct {
	ID   int64  `db:"id"`
	Name string `db:"name"`
}

// InstrumentNames lists the shelf by name without reading the instruments.
func (s *Store) InstrumentNames(ctx context.Context) ([]InstrumentName, error) {
	var out []InstrumentName
	err := s.db.SelectContext(ctx, &out, `SELECT id, name FROM instruments WHERE removed = 0 ORDER BY name COLLATE NOCASE, id`)
	return out, err
}

// Instrument gives one instrument, removed or not.
func (s *Store) Instrument(ctx context.Context, id int64) (*Instrument, error) {
	var in Instrument
	err := s.db.GetContext(ctx, &in, `SELECT id, name, doc, removed FROM instruments WHERE id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return &in, in.decode()
}

// RemoveInstrument takes an instrument off the shelf, or puts it back. Projects
// that use it keep their copy.
func (s *Store) RemoveInstrument(ctx context.Context, id int64, removed bool) error {
	return s.mark(ctx, `UPDATE instruments SET removed = ? WHERE id = ?`, id, removed)
}

// RemoveProject takes a project off the list, or puts it back.
func (s *Store) RemoveProject(ctx context.Context, id int64, removed bool) error {
	return s.mark(ctx, `UPDATE projects SET removed = ? WHERE id = ?`, id, removed)
}

func (s *Store) mark(ctx context.Context, query string, id int64, removed bool) error {
	r, err := s.db.ExecContext(ctx, query, removed, id)
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

// Song gives the bytes of a song file.
func (s *Store) Song(ctx context.Context, id int64) ([]byte, error) {
	var data []byte
	err := s.db.GetContext(ctx, &data, `SELECT data FROM songs WHERE id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return data, err
}

// Setting gives what the user has set, or "".
func (s *Store) Setting(ctx context.Context, name string) (string, error) {
	var v string
	err := s.db.GetContext(ctx, &v, `SELECT value FROM settings WHERE name = ?`, name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return v, err
}

// Set keeps what the user has set.
func (s *Store) Set(ctx context.Context, name, value string) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name, value)
	return err
}

// ProjectRow is a project on the list, from the derived columns.
type ProjectRow struct {
	ID          int64  `db:"id"`
	Name        string `db:"name"`
	Instruments string `db:"instruments"`
	Lanes       int    `db:"lanes"`
	Buses       int    `db:"buses"`
	Findings    int    `db:"findings"`
	Colours     string `db:"colours"`
	Removed     bool   `db:"removed"`
	ChangedAt   string `db:"made_at"`
	LastChange  string `db:"label"`
}

// Strip lists the lanes' colours by number, at most 48 of them.
func (r ProjectRow) Strip() []string {
	c := strings.Fields(r.Colours)
	return c[:min(len(c), 48)]
}

// Projects lists the projects, the last changed first.
func (s *Store) Projects(ctx context.Context) ([]ProjectRow, error) {
	var out []ProjectRow
	err := s.db.SelectContext(ctx, &out, `
		SELECT p.id, p.name, p.instruments, p.lanes, p.buses, p.findings, p.colours, p.removed, r.made_at, r.label
		FROM projects p JOIN revisions r ON r.id = p.head
		WHERE p.removed = 0 ORDER BY r.made_at DESC, p.id DESC`)
	return out, err
}

// Project is a project as it stands.
type Project struct {
	ID       int64
	Revision int64
	Label    string // what the last change did
	Undo     bool   // there is something to undo
	Redo     string // the label of the change redo brings back, or ""
	Plan     *plan.Project
}

type revision struct {
	ID     int64  `db:"id"`
	Parent int64  `db:"parent"`
	Label  string `db:"label"`
	Doc    string `db:"doc"`
	Tip    int64  `db:"tip"`
}

// Project loads a project at its head.
func (s *Store) Project(ctx context.Context, id int64) (*Project, error) {
	return project(ctx, s.db, id)
}

func project(ctx context.Context, q sqlx.QueryerContext, id int64) (*Project, error) {
	var r revision
	err := sqlx.GetContext(ctx, q, &r, `
		SELECT r.id, r.parent, r.label, r.doc, p.tip FROM projects p JOIN revisions r ON r.id = p.head WHERE p.id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	out := &Project{ID: id, Revision: r.ID, Label: r.Label, Undo: r.Parent != 0, Plan: &plan.Project{}}
	if err := json.Unmarshal([]byte(r.Doc), out.Plan); err != nil {
		return nil, fmt.Errorf("reading project %d: %w", id, err)
	}
	if r.Tip != r.ID {
		next, err := redoTarget(ctx, q, r.Tip, r.ID)
		if err != nil {
			return nil, err
		}
		if next != nil {
			out.Redo = next.Label
		}
	}
	return out, nil
}

// redoTarget is the revision on the way to the tip whose parent is the head.
func redoTarget(ctx context.Context, q sqlx.QueryerContext, tip, head int64) (*revision, error) {
	var r revision
	err := sqlx.GetContext(ctx, q, &r, `
		WITH RECURSIVE line (id, parent, label) AS (
			SELECT id, parent, label FROM revisions WHERE id = ?
			UNION ALL
			SELECT r.id, r.parent, r.label FROM revisions r JOIN line ON r.id = line.parent WHERE line.parent > ?
		)
		SELECT id, parent, label FROM line WHERE parent = ?`, tip, head, head)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &r, err
}

// CreateProject keeps a new project; its first revision cannot be undone.
func (s *Store) CreateProject(ctx context.Context, p *plan.Project) (id int64, err error) {
	if err := p.Validate(); err != nil {
		return 0, err
	}
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		r, err := tx.ExecContext(ctx, `INSERT INTO projects (name, instruments, lanes, buses, findings, colours) VALUES ('', '', 0, 0, 0, '')`)
		if err != nil {
			return err
		}
		if id, err = r.LastInsertId(); err != nil {
			return err
		}
		_, err = s.append(ctx, tx, id, 0, "begin the project", p)
		return err
	})
	return id, err
}

// StaleError says that the project has changed since the page was made, and how.
type StaleError struct{ Since []string }

func (e *StaleError) Error() string {
	if len(e.Since) == 0 {
		return "another window has undone changes in this project meanwhile; nothing was changed by you. Look at it as it stands now and try again"
	}
	return "another window has changed this project meanwhile (" + strings.Join(e.Since, "; ") +
		"); nothing was changed by you. Look at it as it stands now and try again"
}

// Edit applies an edit to the project as one new revision. base is the revision
// the user saw; a *StaleError tells that it is no longer the head. An edit that
// fails, or leaves the document impossible, changes nothing.
func (s *Store) Edit(ctx context.Context, id, base int64, edit plan.Edit) (*Project, error) {
	return s.edit(ctx, id, base, func(*sqlx.Tx) (plan.Edit, error) { return edit, nil })
}

// TakeSong keeps a song file and gives it to the project, as one revision.
func (s *Store) TakeSong(ctx context.Context, id, base int64, song plan.Song, data []byte) (*Project, error) {
	return s.edit(ctx, id, base, func(tx *sqlx.Tx) (plan.Edit, error) {
		r, err := tx.ExecContext(ctx, `INSERT INTO songs (name, data) VALUES (?, ?)`, song.Name, data)
		if err != nil {
			return nil, err
		}
		song.ID, err = r.LastInsertId()
		return plan.SetSong(&song), err
	})
}

// edit makes the edit inside the transaction that carries it out.
func (s *Store) edit(ctx context.Context, id, base int64, prepare func(*sqlx.Tx) (plan.Edit, error)) (*Project, error) {
	var out *Project
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		p, err := current(ctx, tx, id, base)
		if err != nil {
			return err
		}
		edit, err := prepare(tx)
		if err != nil {
			return err
		}
		label, err := edit(p.Plan)
		if err != nil {
			return err
		}
		if err := p.Plan.Validate(); err != nil {
			return err
		}
		rev, err := s.append(ctx, tx, id, p.Revision, label, p.Plan)
		if err != nil {
			return err
		}
		out = &Project{ID: id, Revision: rev, Label: label, Undo: true, Plan: p.Plan}
		return nil
	})
	return out, err
}

// current loads the project if the revision the user saw is still its head.
func current(ctx context.Context, tx *sqlx.Tx, id, base int64) (*Project, error) {
	p, err := project(ctx, tx, id)
	if err != nil || p.Revision == base {
		return p, err
	}
	e := &StaleError{}
	err = tx.SelectContext(ctx, &e.Since, `SELECT label FROM revisions WHERE project_id = ? AND id > ? AND id <= ? ORDER BY id DESC LIMIT 5`, p.ID, base, p.Revision)
	return nil, errors.Join(err, e)
}

// append writes a revision and moves head and tip to it, with the derived columns.
func (s *Store) append(ctx context.Context, tx *sqlx.Tx, id, parent int64, label string, p *plan.Project) (int64, error) {
	doc, err := json.Marshal(p)
	if err != nil {
		return 0, err
	}
	r, err := tx.ExecContext(ctx, `INSERT INTO revisions (project_id, parent, label, doc, made_at) VALUES (?, ?, ?, ?, ?)`,
		id, parent, label, string(doc), s.now().UTC().Format(time.RFC3339Nano))
	if err != nil {
		return 0, err
	}
	rev, err := r.LastInsertId()
	if err != nil {
		return 0, err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE projects SET tip = ? WHERE id = ?`, rev, id); err != nil {
		return 0, err
	}
	return rev, s.moveHead(ctx, tx, id, rev, p)
}

func (s *Store) moveHead(ctx context.Context, tx *sqlx.Tx, id, rev int64, p *plan.Project) error {
	var names []string
	for _, pl := range p.Placed {
		names = append(names, pl.Instrument.Name)
	}
	buses := len(p.Buses())
	var colours []string
	for _, l := range p.ByNumber() {
		colours = append(colours, l.Colour)
	}
	_, err := tx.NamedExecContext(ctx, `UPDATE projects SET head = :head, name = :name, instruments = :instruments,
		lanes = :lanes, buses = :buses, findings = :findings, colours = :colours WHERE id = :id`,
		map[string]any{"head": rev, "id": id, "name": p.Name, "instruments": strings.Join(names, ", "),
			"lanes": len(p.Lanes) - buses, "buses": buses, "findings": len(check.Project(p)), "colours": strings.Join(colours, " ")})
	return err
}

// ErrNothing says that there is nothing to undo or redo.
var ErrNothing = errors.New("there is nothing more to undo or redo")

// Undo goes back to the revision before the head; Redo forward again. Each
// refuses a stale base as Edit does.
func (s *Store) Undo(ctx context.Context, id, base int64) (*Project, error) {
	return s.walk(ctx, id, base, func(tx *sqlx.Tx, r revision) (int64, error) { return r.Parent, nil })
}

// Redo goes forward along the changes last undone.
func (s *Store) Redo(ctx context.Context, id, base int64) (*Project, error) {
	return s.walk(ctx, id, base, func(tx *sqlx.Tx, r revision) (int64, error) {
		next, err := redoTarget(ctx, tx, r.Tip, r.ID)
		if err != nil || next == nil {
			return 0, err
		}
		return next.ID, nil
	})
}

func (s *Store) walk(ctx context.Context, id, base int64, step func(*sqlx.Tx, revision) (int64, error)) (*Project, error) {
	var out *Project
	err := s.within(ctx, func(tx *sqlx.Tx) error {
		p, err := current(ctx, tx, id, base)
		if err != nil {
			return err
		}
		var r revision
		if err := tx.GetContext(ctx, &r, `SELECT r.id, r.parent, p.tip FROM revisions r JOIN projects p ON p.id = r.project_id WHERE r.id = ?`, p.Revision); err != nil {
			return err
		}
		to, err := step(tx, r)
		if err != nil {
			return err
		}
		if to == 0 {
			return ErrNothing
		}
		var doc string
		if err := tx.GetContext(ctx, &doc, `SELECT doc FROM revisions WHERE id = ?`, to); err != nil {
			return err
		}
		target := &plan.Project{}
		if err := json.Unmarshal([]byte(doc), target); err != nil {
			return err
		}
		if err := s.moveHead(ctx, tx, id, to, target); err != nil {
			return err
		}
		out, err = project(ctx, tx, id)
		return err
	})
	return out, err
}
