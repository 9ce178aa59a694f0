package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
)

// history is a kind of document with a history of revisions: projects or instruments.
// Its names are constants of this package and go into the SQL as they are.
type history struct {
	things, revisions, ref, what string
	seen                         string // is added to what finds those that may be seen
	packed                       string // is added to what reads a revision, where old ones are packed
	states                       bool   // each revision is a state with an identity
	// read decodes a document as it is kept, of this version or an older one; write gives
	// it as it is kept now, with the contents that it names.
	read  func(ctx context.Context, u *Unit, text string, into any) error
	write func(doc any) (string, []plan.Content, error)
}

var (
	projectLine = history{"projects", "revisions", "project_id", "project", " AND t.removed < 2", ", packed",
		true, readProject, writeProject}
	instrumentLine = history{"instruments", "instrument_revisions", "instrument_id", "instrument", " AND t.removed < 2",
		"",
		false, readBy(rig.Versions), writePlain}
	chartLine = history{"charts", "chart_revisions", "chart_id", "house chart", "", "", false,
		readBy(house.Versions), writePlain}
)

// readBy decodes documents of a line that hold all they say.
func readBy(line *document.Line) func(context.Context, *Unit, string, any) error {
	return func(_ context.Context, _ *Unit, text string, into any) error { return line.Read([]byte(text), into) }
}

func writePlain(doc any) (string, []plan.Content, error) {
	text, err := json.Marshal(doc)
	if err != nil {
		return "", nil, fault.Bug("writing a document", err)
	}
	return string(text), nil, nil
}

// readProject decodes a project with the contents that it names.
func readProject(ctx context.Context, u *Unit, text string, into any) error {
	p, err := plan.ReadKept([]byte(text), func(hash string) ([]byte, error) { return u.content(ctx, hash) })
	if err == nil {
		*into.(*plan.Project) = *p
	}
	return err
}

func writeProject(doc any) (string, []plan.Content, error) {
	text, used, err := doc.(*plan.Project).Keep()
	if err != nil {
		return "", nil, fault.Bug("writing a project", err)
	}
	return string(text), used, nil
}

// sql fills the names into a query.
func (l history) sql(query string) string {
	return strings.NewReplacer("{things}", l.things, "{revisions}", l.revisions, "{ref}", l.ref,
		"{packed}", l.packed, "{back}", l.back()).Replace(query)
}

// back is what finds out whether the document before a revision is kept.
func (l history) back() string {
	if l.packed == "" {
		return ""
	}
	return " AND b.hash IS NULL"
}

type revision struct {
	ID     int64  `db:"id"`
	Parent int64  `db:"parent"`
	Label  string `db:"label"`
	Doc    string `db:"doc"`
	Tip    int64  `db:"tip"`
	Back   bool   `db:"back"` // the document before it is kept
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
func (l history) load(ctx context.Context, u *Unit, id int64, doc any) (State, error) {
	st, err := l.state(ctx, u, id)
	if err != nil {
		return State{}, err
	}
	_, text, err := u.docOf(ctx, l, st.Revision)
	if err != nil {
		return State{}, err
	}
	return st, l.decode(ctx, u, id, text, doc)
}

// state says where a document stands.
func (l history) state(ctx context.Context, u *Unit, id int64) (State, error) {
	var r revision
	err := u.on().GetContext(ctx, &r, l.sql(`
		SELECT r.id, r.parent, r.label, t.tip, b.id IS NOT NULL{back} AS back FROM {things} t
		JOIN {revisions} r ON r.id = t.head LEFT JOIN {revisions} b ON b.id = r.parent WHERE t.id = ?`)+l.seen, id)
	if errors.Is(err, sql.ErrNoRows) {
		return State{}, ErrNotFound
	}
	if err != nil {
		return State{}, err
	}
	st := State{ID: id, Revision: r.ID, Label: r.Label, Undo: r.Back}
	if r.Tip != r.ID {
		next, err := l.redoTarget(ctx, u, r.Tip, r.ID)
		if err != nil {
			return State{}, err
		}
		if next != nil {
			st.Redo = next.Label
		}
	}
	return st, nil
}

// decode reads a revision's text; what cannot be read is damaged, and nothing else is.
func (l history) decode(ctx context.Context, u *Unit, id int64, text string, doc any) error {
	err := l.read(ctx, u, text, doc)
	var f *fault.Error
	if err == nil || errors.As(err, &f) {
		return err
	}
	say := fmt.Sprintf("%s %d cannot be read: it is damaged. All others can; restore a backup to have it back", l.what, id)
	var newer *document.NewerError
	if errors.As(err, &newer) {
		say = fmt.Sprintf("%s %d cannot be read: %v", l.what, id, newer)
	}
	return &fault.Error{Kind: fault.Storage, Say: say, Doing: fmt.Sprintf("reading %s %d", l.what, id),
		Err: fmt.Errorf("%w: %w", errDamaged, err)}
}

// errDamaged is in the chain of what is said of a document that cannot be read.
var errDamaged = errors.New("damaged document")

// IsDamaged reports whether an error says that a document cannot be read; others can.
func IsDamaged(err error) bool { return errors.Is(err, errDamaged) }

// redoTarget is the revision on the way to the tip whose parent is the head.
func (l history) redoTarget(ctx context.Context, u *Unit, tip, head int64) (*revision, error) {
	var r revision
	err := u.on().GetContext(ctx, &r, l.sql(`
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
	What  string              // project or instrument
	Met   *document.Collision // what both changed; nil: it was not looked for
}

func (e *StaleError) Error() string {
	how := "the last change of this " + e.What + " was undone"
	if e.Met != nil {
		return "changed in another window: " + e.Met.Error() + ". Not saved: save it again, or press Escape to leave it"
	}
	if len(e.Since) > 0 {
		how = "this " + e.What + " has other changes now: " + strings.Join(e.Since, "; ")
	}
	return "changed in another window: your change was not saved. " + words.Capital(how) + ". Look at it, then try again"
}

// FaultKind is that of a conflict.
func (e *StaleError) FaultKind() fault.Kind { return fault.Conflict }

// worked works out what an edit makes of a document, of the state that the user saw or, where that is
// no longer the head and they do not collide, of the head. The caller has the write transaction.
func worked[T any](ctx context.Context, u *Unit, l history, id, base int64,
	edit func(*T) (string, error)) (*T, State, string, error) {
	now := new(T)
	st, err := l.load(ctx, u, id, now)
	if err != nil {
		return nil, st, "", err
	}
	if st.Revision == base {
		label, err := edit(now)
		return now, st, label, err
	}
	out, label, err := onNewer(ctx, u, l, id, base, l.isCurrent(ctx, u, id, base), now,
		document.Newer[T]{Clone: document.Copy[*T]}.Edit, edit)
	return out, st, label, err
}

// onNewer carries an edit that was made for a past state of a document out on the newest, by carry. The
// stale error says of the state that it is past, and then with what the edit collides.
func onNewer[T any, E ~func(*T) (string, error)](ctx context.Context, u *Unit, l history, id, base int64, stale error,
	now *T, carry func(was, now *T, edit E) (*T, string, error), edit E) (*T, string, error) {
	was := new(T)
	if known, err := l.past(ctx, u, id, base, was); err != nil || !known {
		return nil, "", errors.Join(err, stale)
	}
	out, label, err := carry(was, now, edit)
	var e *StaleError
	var met *document.Collision
	if errors.As(err, &met) && errors.As(stale, &e) {
		e.Met = met
		err = e
	}
	return out, label, err
}

// past reads the document of a revision that need not be the head; known is false where it is none of
// this document, or no longer kept.
func (l history) past(ctx context.Context, u *Unit, id, rev int64, doc any) (known bool, err error) {
	of, text, err := u.docOf(ctx, l, rev)
	if errors.Is(err, sql.ErrNoRows) || err == nil && (of != id || text == gone) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return true, l.decode(ctx, u, id, text, doc)
}

// isCurrent gives a *StaleError where the revision the user saw is no longer the head.
func (l history) isCurrent(ctx context.Context, u *Unit, id, base int64) error {
	var head int64
	err := u.on().GetContext(ctx, &head, l.sql(`SELECT head FROM {things} WHERE id = ?`), id)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	if err != nil || head == base {
		return err
	}
	e := &StaleError{What: l.what}
	err = u.on().SelectContext(ctx, &e.Since,
		l.sql(`SELECT label FROM {revisions} WHERE {ref} = ? AND id > ? AND id <= ? ORDER BY id DESC LIMIT 5`), id,
		base, head)
	return errors.Join(err, e)
}

// next is a revision that is to be kept, worked out beforehand: what is done while others
// wait is to write it down.
type next struct {
	label, text string
	contents    []plan.Content
	show        columnsOf
	uid         string // of the state that it is elsewhere; "": it gets one
}

// prepare works a revision out.
func (l history) prepare(label string, doc any, show columnsOf) (n next, err error) {
	n = next{label: label, show: show}
	n.text, n.contents, err = l.write(doc)
	return n, err
}

// append writes a revision and moves head and tip to it.
func (l history) append(ctx context.Context, u *Unit, id, parent int64, n next) (int64, error) {
	for _, c := range n.contents {
		if err := u.keepContent(ctx, c); err != nil {
			return 0, err
		}
	}
	query, args := `INSERT INTO {revisions} ({ref}, parent, label, doc, made_at) VALUES (?, ?, ?, ?, ?)`,
		[]any{id, parent, n.label, n.text, u.store.now().UTC().Format(time.RFC3339Nano)}
	if l.states {
		query = `INSERT INTO {revisions} ({ref}, parent, label, doc, made_at, uid) VALUES (?, ?, ?, ?, ?, ?)`
		args = append(args, cmp.Or(n.uid, NewUID()))
	}
	r, err := u.on().ExecContext(ctx, l.sql(query), args...)
	if err != nil {
		return 0, err
	}
	rev, err := r.LastInsertId()
	if err != nil {
		return 0, err
	}
	if _, err := u.on().ExecContext(ctx, l.sql(`UPDATE {things} SET head = ?, tip = ? WHERE id = ?`), rev, rev,
		id); err != nil {
		return 0, err
	}
	if n.show == nil {
		return rev, nil
	}
	return rev, n.show(ctx, u, id)
}

// errNothing says that there is nothing to undo or redo.
var errNothing = errors.New("there is nothing more to undo or redo")

// Direction is which way a document's revisions are stepped through.
type Direction bool

// The directions: undo, and redo.
const (
	Back    Direction = false
	Forward Direction = true
)

// step moves the head one revision back, or forward along the changes last
// undone, and reads the document there into doc; columns gives what lists show about it. It
// refuses a stale base.
func (l history) step(ctx context.Context, u *Unit, id, base int64, dir Direction, doc any,
	columns func() (columnsOf, error)) error {
	if err := l.isCurrent(ctx, u, id, base); err != nil {
		return err
	}
	var r revision
	if err := u.on().GetContext(ctx, &r,
		l.sql(`SELECT r.id, r.parent, t.tip FROM {revisions} r JOIN {things} t ON t.id = r.{ref} WHERE r.id = ?`),
		base); err != nil {
		return err
	}
	to := r.Parent
	if dir == Forward {
		next, err := l.redoTarget(ctx, u, r.Tip, r.ID)
		if err != nil {
			return err
		}
		if to = 0; next != nil {
			to = next.ID
		}
	}
	if to == 0 {
		return errNothing
	}
	if err := l.goTo(ctx, u, id, to, doc); err != nil {
		return err
	}
	show, err := columns()
	if err != nil {
		return err
	}
	return u.AsOne(ctx, func(u *Unit) error {
		if err := l.isCurrent(ctx, u, id, base); err != nil {
			return err
		}
		return l.moveHead(ctx, u, id, to, show)
	})
}

// columnsOf writes what lists show of a document; nil where they show nothing.
type columnsOf = func(ctx context.Context, u *Unit, id int64) error

// goTo reads the document of a revision into doc.
func (l history) goTo(ctx context.Context, u *Unit, id, to int64, doc any) error {
	_, text, err := u.docOf(ctx, l, to)
	switch {
	case errors.Is(err, sql.ErrNoRows), err == nil && text == gone:
		return errNothing
	case err != nil:
		return err
	}
	return l.decode(ctx, u, id, text, doc)
}

// moveHead moves the head to a revision, of which lists show this.
func (l history) moveHead(ctx context.Context, u *Unit, id, to int64, show columnsOf) error {
	if _, err := u.on().ExecContext(ctx, l.sql(`UPDATE {things} SET head = ? WHERE id = ?`), to, id); err != nil {
		return err
	}
	if show == nil {
		return nil
	}
	return show(ctx, u, id)
}

// gone stands in the place of a document that is no longer kept.
const gone = "null"
