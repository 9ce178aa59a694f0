package store

import (
	"context"
	"database/sql"
	"errors"
	"strings"

	"github.com/jmoiron/sqlx"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"hiddenlanes/internal/fault"
)

// conn is what statements of a unit are run on. Its errors have a kind and say in words
// what is wrong with the data and what to do; sql.ErrNoRows stays as it is.
type conn struct {
	db interface {
		sqlx.ExtContext
		GetContext(ctx context.Context, dest any, query string, args ...any) error
		SelectContext(ctx context.Context, dest any, query string, args ...any) error
	}
	changes bool // it belongs to a change
}

// on is what a statement of the unit is run on.
func (u *Unit) on() conn {
	if u.tx != nil {
		return conn{u.tx, true}
	}
	return conn{u.store.db, false}
}

func (c conn) GetContext(ctx context.Context, dest any, query string, args ...any) error {
	return storageFault(firstWords(query), c.changes, c.db.GetContext(ctx, dest, query, args...))
}

func (c conn) SelectContext(ctx context.Context, dest any, query string, args ...any) error {
	return storageFault(firstWords(query), c.changes, c.db.SelectContext(ctx, dest, query, args...))
}

func (c conn) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	r, err := c.db.ExecContext(ctx, query, args...)
	return r, storageFault(firstWords(query), true, err)
}

func (c conn) NamedExecContext(ctx context.Context, query string, arg any) (sql.Result, error) {
	r, err := sqlx.NamedExecContext(ctx, c.db, query, arg)
	return r, storageFault(firstWords(query), true, err)
}

// firstWords says of a statement what it is about, for the log.
func firstWords(query string) string {
	w := strings.Fields(query)
	return strings.Join(w[:min(len(w), 8)], " ")
}

// trouble is what can be wrong with the data, by SQLite's primary result codes
// (https://www.sqlite.org/rescode.html), and what to do.
var trouble = map[int]string{
	sqlite3.SQLITE_FULL:     "the disk is full. Make room and try again",
	sqlite3.SQLITE_READONLY: "the data folder is read-only. Allow writing to it, or open another with --data",
	sqlite3.SQLITE_PERM:     "the data folder may not be used. Allow reading and writing there, or open another with --data",
	sqlite3.SQLITE_AUTH:     "the data folder may not be used. Allow reading and writing there, or open another with --data",
	sqlite3.SQLITE_CANTOPEN: "the data folder cannot be opened. Allow reading and writing there, or open another with --data",
	sqlite3.SQLITE_BUSY:     "the data is in use by another program. Close that and try again",
	sqlite3.SQLITE_LOCKED:   "the data is in use by another program. Close that and try again",
	sqlite3.SQLITE_CORRUPT:  "the data file is damaged. Put a copy of it in its place",
	sqlite3.SQLITE_NOTADB:   "the data file is not one of Hidden Lanes, or damaged. Put a copy of it in its place",
	sqlite3.SQLITE_IOERR:    "the disk failed. Look whether it is still connected and try again",
}

// storageFault gives an error of the database its kind and says it in words; changes
// tells whether something was to be kept.
func storageFault(doing string, changes bool, err error) error {
	var f *fault.Error
	if err == nil || errors.Is(err, sql.ErrNoRows) || errors.Is(err, context.Canceled) ||
		errors.Is(err, context.DeadlineExceeded) || errors.As(err, &f) {
		return err
	}
	before, after := "Not read: ", ""
	if changes {
		before, after = "Not saved: ", ". Nothing was lost"
	}
	out := &fault.Error{Kind: fault.Storage, Say: before + "the data cannot be reached" + after, Doing: doing, Err: err}
	var e *sqlite.Error
	if !errors.As(err, &e) {
		return out
	}
	code := e.Code() & 0xff
	if code == sqlite3.SQLITE_CONSTRAINT || code == sqlite3.SQLITE_ERROR || code == sqlite3.SQLITE_MISUSE ||
		code == sqlite3.SQLITE_MISMATCH || code == sqlite3.SQLITE_RANGE {
		return fault.Bug(doing, err) // a statement of ours
	}
	out.Full = code == sqlite3.SQLITE_FULL
	if what, ok := trouble[code]; ok {
		out.Say = before + what
		if changes {
			first, rest, _ := strings.Cut(what, ". ")
			out.Say = before + first + after + ". " + rest
		}
	}
	return out
}
