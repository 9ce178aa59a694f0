// Package store keeps instruments, songs and projects in SQLite. A project is
// one document, and so is an instrument; every accepted edit is a new revision of
// it in one transaction, and undo and redo walk the revisions. It knows the core's
// values, and nothing of its rules: what lists show of a document is worked out by
// whoever opens the store. Nor does it know of pages or commands.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
)

// ErrNotFound says that there is nothing with that number.
var ErrNotFound error = &fault.Error{Kind: fault.Missing, Say: "there is nothing with that number here"}

// Store is an open database. It may be used from several goroutines. Its Unit is for
// single reads and changes; several changes that belong together are one through AsOne.
type Store struct {
	*Unit
	path     string
	file     fs.FileInfo   // of the database as it was opened
	db       *sqlx.DB      // the one connection that changes are made on
	reads    *sqlx.DB      // connections that read, beside it and each other
	turn     chan struct{} // holds whoever changes something now; the others wait in the order they came
	now      func() time.Time
	derive   Derivation
	log      *slog.Logger
	contents contentCache
	recent   recent
	free     func()          // gives the folder up; nil: it was not taken
	atCommit func(done bool) // for tests that want to be there
}

// Unit is what reads and changes are made on: one transaction, handed down to everything
// that belongs to it, or the database itself, where each change is a transaction of its
// own.
type Unit struct {
	store *Store
	tx    *sqlx.Tx // nil: the database itself
	kept  []func() // is done when the transaction is kept
}

// onceKept does something when what the unit has changed is kept: at once, or with its transaction.
func (u *Unit) onceKept(do func()) {
	if u.tx == nil {
		do()
		return
	}
	u.kept = append(u.kept, do)
}

// Derivation works out what lists and searches show of documents, from the documents
// alone. It is handed in, for the rules it takes are not the store's.
type Derivation struct {
	// Rules is the version of the rules: what was derived under another one is made again.
	Rules string
	// Analyse computes of a project what its columns come from, and whoever shows it needs. The
	// store keeps it beside the document; it is made once for a revision.
	Analyse    func(*plan.Project) any
	Project    func(p *plan.Project, analysis any) (ProjectColumns, error)
	Instrument func(*rig.Instrument) InstrumentColumns
	// Hash is of what a project says, the same in every library and store.
	Hash func(*plan.Project) string
}

// Close closes the database.
func (s *Store) Close() error {
	err := errors.Join(s.reads.Close(), s.db.Close())
	if s.free != nil {
		s.free()
		s.free = nil
	}
	return err
}

// inTurn does a change when those that came before are done. Writers wait here and not in
// the database, where who comes next is chance and patience ends. What was written to a file
// that is no longer there is not said to be kept.
func (s *Store) inTurn(ctx context.Context, do func() error) error {
	select {
	case s.turn <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-s.turn }()
	if err := do(); err != nil {
		return err
	}
	return s.stillThere()
}

// stillThere tells where the data file has gone, or another has come in its place.
func (s *Store) stillThere() error {
	info, err := os.Stat(s.path)
	if err == nil && os.SameFile(info, s.file) {
		return nil
	}
	return &fault.Error{Kind: fault.Storage, Doing: "looking for " + s.path, Err: err,
		Say: fmt.Sprintf("Not saved: the data file has gone from %s. What was saved before is in it. "+
			"Bring its folder back, or stop Hidden Lanes and start it with another one", filepath.Dir(s.path))}
}

// Healthy gives an error where the data cannot be read, or is no longer there.
func (s *Store) Healthy(ctx context.Context) error {
	var one int
	if err := s.on().GetContext(ctx, &one, `SELECT count(*) FROM charts`); err != nil {
		return err
	}
	return s.stillThere()
}

// AsOne makes one transaction of all that do changes on the unit it is given: all of it
// or nothing. What is read on that unit sees the changes. On a unit that is a transaction
// already it is part of that one.
func (u *Unit) AsOne(ctx context.Context, do func(*Unit) error) error {
	if u.tx != nil {
		return do(u)
	}
	return u.store.inTurn(ctx, func() error {
		tx, err := u.store.db.BeginTxx(ctx, nil)
		if err != nil {
			return storageFault("beginning a change", true, err)
		}
		defer tx.Rollback() //nolint:errcheck // after Commit it does nothing
		all := &Unit{store: u.store, tx: tx}
		if err := do(all); err != nil {
			return err
		}
		u.store.atCommit(false)
		err = tx.Commit()
		u.store.atCommit(true)
		if err != nil {
			return storageFault("keeping a change", true, err)
		}
		for _, then := range all.kept {
			then()
		}
		return nil
	})
}

// eachOf calls fn with every id that the query finds, in one transaction; where it finds
// none there is none, for the disk may be read-only.
func (u *Unit) eachOf(ctx context.Context, fn func(u *Unit, id int64) error, query string, args ...any) error {
	var ids []int64
	if err := u.on().SelectContext(ctx, &ids, query, args...); err != nil || len(ids) == 0 {
		return err
	}
	return u.AsOne(ctx, func(u *Unit) error {
		for _, id := range ids {
			if err := fn(u, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// RemoveInstrument takes an instrument off the shelf, or puts it back. Projects
// that use it keep their copy.
func (u *Unit) RemoveInstrument(ctx context.Context, id int64, removed bool) error {
	return u.mark(ctx, `UPDATE instruments SET removed = ? WHERE id = ? AND removed < 2`, id, removed)
}

// RemoveProject takes a project off the list, or puts it back.
func (u *Unit) RemoveProject(ctx context.Context, id int64, removed bool) error {
	return u.mark(ctx, `UPDATE projects SET removed = ? WHERE id = ? AND removed < 2`, id, removed)
}

func (u *Unit) mark(ctx context.Context, query string, id int64, value any) error {
	r, err := u.on().ExecContext(ctx, query, value, id)
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

// Song gives the bytes of a song file.
func (u *Unit) Song(ctx context.Context, id int64) ([]byte, error) {
	var data []byte
	err := u.on().GetContext(ctx, &data, `SELECT data FROM songs WHERE id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return data, err
}

// Setting gives what the user has set, or "".
func (u *Unit) Setting(ctx context.Context, name string) (string, error) {
	var v string
	err := u.on().GetContext(ctx, &v, `SELECT value FROM settings WHERE name = ?`, name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return v, err
}

// SettingsDocument is the name that the document of all settings is kept by.
const SettingsDocument = "settings"

// Set keeps what the user has set.
func (u *Unit) Set(ctx context.Context, name, value string) error {
	_, err := u.on().ExecContext(ctx,
		`INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name,
		value)
	return err
}
