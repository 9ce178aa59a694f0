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
)

// history is a kind of document with a history of revisions: projects or instruments.
// Its names are constants of this package and go into the SQL as they are.
type history struct {
	things, revisions, ref, what string
}

var (
	projectLine    = history{"projects", "revisions", "project_id", "project"}
	instrumentLine = history{"instruments", "instrument_revisions", "instrument_id", "instrument"}
	chartLine      = history{"charts", "chart_revisions", "chart_id", "house chart"}
)

// sql fills the names into a query.
func (l history) sql(query string) string {
	return strings.NewReplacer("{things}", l.things, "{revisions}", l.revisions, "{ref}", l.ref).Replace(query)
}

type revision struct {
	ID     int64  `db:"id"`
	Parent int64  `db:"parent"`
	Label  string `db:"label"`
	Doc    string `db:"doc"`
	Tip    int64  `db:"tip"`
}

// State is where a document stands in its line of revisions.
type State struct {
	ID       int64
	Revision int64
	Label    string // what the last change did
	Undo     bool   // there is something to undo
	Redo     string // the label of the change redo brings back, or ""
}

// load reads a document at its head into doc.
func (l history) load(ctx context.Context, q sqlx.QueryerContext, id int64, doc any) (State, error) {
	var r revision
	err := sqlx.GetContext(ctx, q, &r, l.sql(`
		SELECT r.id, r.parent, r.label, r.doc, t.tip FROM {things} t JOIN {revisions} r ON r.id = t.head WHERE t.id = ?`), id)
	if errors.Is(err, sql.ErrNoRows) {
		return State{}, ErrNotFound
	}
	if err != nil {
		return State{}, err
	}
	st := State{ID: id, Revision: r.ID, Label: r.Label, Undo: r.Parent != 0}
	if err := read(r.Doc, doc); err != nil {
		return State{}, fmt.Errorf("reading %s %d: %w", l.what, id, err)
	}
	if r.Tip != r.ID {
		next, err := l.redoTarget(ctx, q, r.Tip, r.ID)
		if err != nil {
			return State{}, err
		}
		if next != nil {
			st.Redo = next.Label
		}
	}
	return st, nil
}

// read decodes a document and lets it tie up what it does not keep.
func read(text string, doc any) error {
	if err := json.Unmarshal([]byte(text), doc); err != nil {
		return err
	}
	if d, ok := doc.(interface{ Relink() }); ok {
		d.Relink()
	}
	return nil
}

// redoTarget is the revision on the way to the tip whose parent is the head.
func (l history) redoTarget(ctx context.Context, q sqlx.QueryerContext, tip, head int64) (*revision, error) {
	var r revision
	err := sqlx.GetContext(ctx, q, &r, l.sql(`
		WITH RECURSIVE line (id, parent, label) AS (
			SELECT id, parent, label FROM {revisions} WHERE id = ?
			UNION ALL
			SELECT r.id, r.parent, r.label FROM {revisions} r JOIN line ON r.id = line.parent WHERE line.parent > ?
		)
		SELECT id, parent, label FROM line WHERE parent = ?`), tip, head, head)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &r, err
}

// StaleError says that the document has changed since the page was made, and how.
type StaleError struct {
	Since []string
	What  string // project or instrument
}

func (e *StaleError) Error() string {
	how := "has undone changes in this " + e.What + " meanwhile"
	if len(e.Since) > 0 {
		how = "has changed this " + e.What + " meanwhile (" + strings.Join(e.Since, "; ") + ")"
	}
	return "another window " + how + "; nothing was changed by you. Look at it as it stands now and try again"
}

// current loads the document if the revision the user saw is still its head.
func (l history) current(ctx context.Context, tx *sqlx.Tx, id, base int64, doc any) (State, error) {
	st, err := l.load(ctx, tx, id, doc)
	if err != nil || st.Revision == base {
		return st, err
	}
	e := &StaleError{What: l.what}
	err = tx.SelectContext(ctx, &e.Since,
		l.sql(`SELECT label FROM {revisions} WHERE {ref} = ? AND id > ? AND id <= ? ORDER BY id DESC LIMIT 5`), id,
		base, st.Revision)
	return State{}, errors.Join(err, e)
}

// append writes a revision and moves head and tip to it; derive writes the
// columns that follow from the document.
func (l history) append(ctx context.Context, tx *sqlx.Tx, now time.Time, id, parent int64, label string, doc any,
	derive func() error) (int64, error) {
	text, err := json.Marshal(doc)
	if err != nil {
		return 0, err
	}
	r, err := tx.ExecContext(ctx,
		l.sql(`INSERT INTO {revisions} ({ref}, parent, label, doc, made_at) VALUES (?, ?, ?, ?, ?)`),
		id, parent, label, string(text), now.UTC().Format(time.RFC3339Nano))
	if err != nil {
		return 0, err
	}
	rev, err := r.LastInsertId()
	if err != nil {
		return 0, err
	}
	if _, err := tx.ExecContext(ctx, l.sql(`UPDATE {things} SET head = ?, tip = ? WHERE id = ?`), rev, rev,
		id); err != nil {
		return 0, err
	}
	return rev, derive()
}

// ErrNothing says that there is nothing to undo or redo.
var ErrNothing = errors.New("there is nothing more to undo or redo")

// Direction is which way a document's revisions are stepped through.
type Direction bool

// The directions: undo, and redo.
const (
	Back    Direction = false
	Forward Direction = true
)

// step moves the head one revision back, or forward along the changes last
// undone, and reads the document there into doc. It refuses a stale base.
func (l history) step(ctx context.Context, tx *sqlx.Tx, id, base int64, dir Direction, doc any,
	derive func() error) error {
	var now json.RawMessage // read apart, so that nothing of it stays in doc
	if _, err := l.current(ctx, tx, id, base, &now); err != nil {
		return err
	}
	var r revision
	if err := tx.GetContext(ctx, &r,
		l.sql(`SELECT r.id, r.parent, t.tip FROM {revisions} r JOIN {things} t ON t.id = r.{ref} WHERE r.id = ?`),
		base); err != nil {
		return err
	}
	to := r.Parent
	if dir == Forward {
		next, err := l.redoTarget(ctx, tx, r.Tip, r.ID)
		if err != nil {
			return err
		}
		if to = 0; next != nil {
			to = next.ID
		}
	}
	if to == 0 {
		return ErrNothing
	}
	return l.moveHead(ctx, tx, id, to, doc, derive)
}

// moveHead moves the head to a revision and reads the document there into doc.
func (l history) moveHead(ctx context.Context, tx *sqlx.Tx, id, to int64, doc any, derive func() error) error {
	var text string
	if err := tx.GetContext(ctx, &text, l.sql(`SELECT doc FROM {revisions} WHERE id = ?`), to); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, l.sql(`UPDATE {things} SET head = ? WHERE id = ?`), to, id); err != nil {
		return err
	}
	if err := read(text, doc); err != nil {
		return err
	}
	return derive()
}
