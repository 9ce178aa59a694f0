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
	changes bool   // it belongs to a change
	store   *Store // nil: it belongs to a transaction
}

// on is what a statement of the unit is run on.
func (u *Unit) on() conn {
	if u.tx != nil {
		return conn{db: u.tx, changes: true}
	}
	return conn{db: u.store.reads, store: u.store}
}

func (c conn) GetContext(ctx context.Context, dest any, query string, args ...any) error {
	return inTime(ctx, storageFault(firstWords(query), c.changes, c.db.GetContext(ctx, dest, query, args...)))
}

func (c conn) SelectContext(ctx context.Context, dest any, query string, args ...any) error {
	return inTime(ctx, storageFault(firstWords(query), c.changes, c.db.SelectContext(ctx, dest, query, args...)))
}

func (c conn) ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error) {
	var r sql.Result
	err := c.write(ctx, func(db sqlx.ExtContext) (err error) {
		r, err = db.ExecContext(ctx, query, args...)
		return storageFault(firstWords(query), true, err)
	})
	return r, err
}

func (c conn) NamedExecContext(ctx context.Context, query string, arg any) (sql.Result, error) {
	var r sql.Result
	err := c.write(ctx, func(db sqlx.ExtContext) (err error) {
		r, err = sqlx.NamedExecContext(ctx, db, query, arg)
		return storageFault(firstWords(query), true, err)
	})
	return r, err
}

// write runs a statement that changes something: in the transaction it belongs to, or when
// its turn has come.
func (c conn) write(ctx context.Context, do func(sqlx.ExtContext) error) error {
	if c.store == nil {
		return inTime(ctx, do(c.db))
	}
	return inTime(ctx, c.store.inTurn(ctx, func() error { return do(c.store.db) }))
}

// inTime tells of what was broken off whether whoever asked has gone, or the time was over.
func inTime(ctx context.Context, err error) error {
	if errors.Is(err, context.Canceled) && ctx.Err() != nil {
		return ctx.Err()
	}
	return err
}

// firstWords says of a statement what it is about, for the log.
func firstWords(query string) string {
	w := strings.Fields(query)
	return strings.Join(w[:min(len(w), 8)], " ")
}

// trouble is what can be wrong with the data, and what to do.
type trouble struct {
	what, do string
	copies   bool // a copy of the data helps
	full     bool // there is no room left
}

// troubles are the troubles by SQLite's primary result codes
// (https://www.sqlite.org/rescode.html).
var troubles = map[int]trouble{
	sqlite3.SQLITE_FULL:     {what: "the disk is full", do: "Make room and try again", full: true},
	sqlite3.SQLITE_READONLY: readOnly,
	sqlite3.SQLITE_PERM:     {what: "the data folder may not be used", do: allowIt},
	sqlite3.SQLITE_AUTH:     {what: "the data folder may not be used", do: allowIt},
	sqlite3.SQLITE_CANTOPEN: {what: "the data folder cannot be opened", do: allowIt},
	sqlite3.SQLITE_BUSY:     {what: "the data is in use by another program", do: "Close that and try again"},
	sqlite3.SQLITE_LOCKED:   {what: "the data is in use by another program", do: "Close that and try again"},
	sqlite3.SQLITE_CORRUPT:  {what: "the data file is damaged", do: "Restore a backup", copies: true},
	sqlite3.SQLITE_NOTADB: {what: "the data file is not one of Hidden Lanes, or damaged",
		do:     "Restore a backup",
		copies: true},
	sqlite3.SQLITE_IOERR: {what: "the disk failed", do: "Look whether it is still connected and try again"},
}

// readOnly is the trouble of a disk that takes nothing.
var readOnly = trouble{what: "the data folder is read-only",
	do: "Allow writing to it, or copy it to another disk and open that with --data"}

const allowIt = "Allow reading and writing there, or open another with --data"

// codeOf is SQLite's primary result code of an error, or -1. That there is no room for what
// connections share is told as a failure of input and output; it is a full disk.
func codeOf(err error) int {
	var e *sqlite.Error
	switch {
	case !errors.As(err, &e):
		return -1
	case e.Code() == sqlite3.SQLITE_IOERR_SHMSIZE:
		return sqlite3.SQLITE_FULL
	}
	return e.Code() & 0xff
}

// storageFault gives an error of the database its kind and says it in words; changes
// reports whether something was to be kept.
func storageFault(doing string, changes bool, err error) error {
	var f *fault.Error
	if err == nil || errors.Is(err, sql.ErrNoRows) || errors.Is(err, context.Canceled) ||
		errors.Is(err, context.DeadlineExceeded) || errors.As(err, &f) {
		return err
	}
	code := codeOf(err)
	switch code {
	case sqlite3.SQLITE_INTERRUPT: // whoever asked has gone
		return context.Canceled
	case sqlite3.SQLITE_CONSTRAINT, sqlite3.SQLITE_ERROR, sqlite3.SQLITE_MISUSE, sqlite3.SQLITE_MISMATCH,
		sqlite3.SQLITE_RANGE:
		return fault.Bug(doing, err) // a statement of ours
	}
	t, ok := troubles[code]
	if !ok {
		t = trouble{what: "the data cannot be reached", do: "Try again"}
	}
	say := "Not read: " + t.what + ". " + t.do
	if changes {
		say = "Not saved: " + t.what + ". Nothing was lost. " + t.do
	}
	return &fault.Error{Kind: fault.Storage, Full: code == sqlite3.SQLITE_FULL, Say: say, Doing: doing, Err: err}
}
