// Package store keeps instruments, songs and projects in SQLite. A project is
// one document, and so is an instrument; every accepted edit is a new revision of
// it in one transaction, and undo and redo walk the revisions. It knows the core's
// values, and nothing of its rules: what lists show of a document is worked out by
// whoever opens the store. Nor does it know of pages or commands.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver, in Go alone

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound says that there is nothing with that number.
var ErrNotFound = errors.New("there is nothing with that number here")

// Store is an open database. It may be used from several goroutines.
type Store struct {
	db     *sqlx.DB
	now    func() time.Time
	derive Derivation
}

// Derivation works out what lists and searches show of documents, from the documents
// alone. It is handed in, for the rules it takes are not the store's.
type Derivation struct {
	// Stamp begins the facts of every project; those that begin otherwise come from
	// other rules, and are made anew.
	Stamp      string
	Project    func(*plan.Project) (ProjectColumns, error)
	Instrument func(*rig.Instrument) InstrumentColumns
}

// Open opens the database in a file and brings its tables up to date. Each
// accepted change is on disk before the call that made it returns.
func Open(ctx context.Context, path string, derive Derivation) (*Store, error) {
	dsn := "file:" + strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(path) +
		"?_txlock=immediate&_pragma=busy_timeout(30000)&_pragma=journal_mode(WAL)" +
		"&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)"
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
	s := &Store{db: db, now: time.Now, derive: derive}
	if err := errors.Join(s.deriveInstruments(ctx), s.deriveProjects(ctx)); err != nil {
		db.Close()
		return nil, fmt.Errorf("bringing %s up to date: %w", path, err)
	}
	return s, nil
}

// Close closes the database.
func (s *Store) Close() error { return s.db.Close() }

// within runs fn in one transaction; an error undoes all of it.
func (s *Store) within(ctx context.Context, fn func(*sqlx.Tx) error) error {
	if tx, ok := ctx.Value(oneKey{}).(*sqlx.Tx); ok {
		return fn(tx)
	}
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

// oneKey is where a context has the transaction that AsOne began.
type oneKey struct{}

// AsOne makes one transaction of all that is changed with the context it gives: all of it
// or nothing. What is read with that context sees those changes.
func (s *Store) AsOne(ctx context.Context, do func(ctx context.Context) error) error {
	return s.within(ctx, func(tx *sqlx.Tx) error { return do(context.WithValue(ctx, oneKey{}, tx)) })
}

// on is what a statement outside within is run on: the transaction of AsOne, or the
// database.
func (s *Store) on(ctx context.Context) interface {
	sqlx.ExtContext
	GetContext(ctx context.Context, dest any, query string, args ...any) error
	SelectContext(ctx context.Context, dest any, query string, args ...any) error
} {
	if tx, ok := ctx.Value(oneKey{}).(*sqlx.Tx); ok {
		return tx
	}
	return s.db
}

// eachOf calls fn with every id that the query finds, in one transaction.
func (s *Store) eachOf(ctx context.Context, fn func(tx *sqlx.Tx, id int64) error, query string, args ...any) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var ids []int64
		if err := tx.SelectContext(ctx, &ids, query, args...); err != nil {
			return err
		}
		for _, id := range ids {
			if err := fn(tx, id); err != nil {
				return err
			}
		}
		return nil
	})
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

func (s *Store) mark(ctx context.Context, query string, id int64, value any) error {
	r, err := s.on(ctx).ExecContext(ctx, query, value, id)
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
	err := s.on(ctx).GetContext(ctx, &data, `SELECT data FROM songs WHERE id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return data, err
}

// Setting gives what the user has set, or "".
func (s *Store) Setting(ctx context.Context, name string) (string, error) {
	var v string
	err := s.on(ctx).GetContext(ctx, &v, `SELECT value FROM settings WHERE name = ?`, name)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return v, err
}

// Set keeps what the user has set.
func (s *Store) Set(ctx context.Context, name, value string) error {
	_, err := s.on(ctx).ExecContext(ctx,
		`INSERT INTO settings (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value`, name,
		value)
	return err
}
