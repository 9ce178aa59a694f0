package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"

	"github.com/jmoiron/sqlx"

	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// documentsToVersion1 writes every document again as version 1 has it, with instruments
// and charts of projects kept by content. It is one transaction: all of it, or nothing.
func (s *Store) documentsToVersion1(ctx context.Context, tx *sql.Tx) error {
	u := &Unit{store: s, tx: &sqlx.Tx{Tx: tx, Mapper: s.db.Mapper}}
	if err := u.rewriteProjects(ctx); err != nil {
		return err
	}
	if err := u.rewriteInstruments(ctx); err != nil {
		return err
	}
	if err := u.rewrite(ctx, chartLine, func() any { return &house.Chart{} }); err != nil {
		return err
	}
	return u.settingsAsDocument(ctx)
}

// revisionIDs lists the revisions of a line, of one document after the other.
func (u *Unit) revisionIDs(ctx context.Context, l history) (ids []int64, err error) {
	err = u.on().SelectContext(ctx, &ids, l.sql(`SELECT id FROM {revisions} ORDER BY {ref}, id`))
	return ids, err
}

func (u *Unit) docOf(ctx context.Context, l history, revision int64) (of int64, doc string, err error) {
	var row struct {
		Of     int64  `db:"of"`
		Doc    string `db:"doc"`
		Packed []byte `db:"packed"`
	}
	err = u.on().GetContext(ctx, &row, l.sql(`SELECT {ref} AS of, doc{packed} FROM {revisions} WHERE id = ?`), revision)
	if err == nil && row.Packed != nil {
		row.Doc, err = unpack(row.Packed)
	}
	return row.Of, row.Doc, err
}

func (u *Unit) setDoc(ctx context.Context, l history, revision int64, doc string) error {
	_, err := u.on().ExecContext(ctx, l.sql(`UPDATE {revisions} SET doc = ? WHERE id = ?`), doc, revision)
	return err
}

// rewriteProjects keeps the instruments of every revision by content. They came as they
// first stood on the shelf; one that is not there as the first revision that has it says.
func (u *Unit) rewriteProjects(ctx context.Context) error {
	ids, err := u.revisionIDs(ctx, projectLine)
	if err != nil {
		return err
	}
	came, err := u.firstOnShelf(ctx)
	if err != nil {
		return err
	}
	line := projectLine
	line.packed = "" // the tables of then do not have it
	var project int64
	var names map[string]string // of its instruments so far, by placed ID
	for _, id := range ids {
		of, doc, err := u.docOf(ctx, line, id)
		if err != nil {
			return err
		}
		if of != project {
			project, names = of, map[string]string{}
		}
		p := &plan.Project{}
		if err := projectLine.decode(ctx, u, of, doc, p); err != nil {
			if !errors.Is(err, errDamaged) {
				return err
			}
			continue // it stays as it is
		}
		for i := range p.Placed {
			pl := &p.Placed[i]
			names[pl.ID] = pl.Instrument.Name
			if first := came[pl.Instrument.Name]; first != nil && sameShape(first, &pl.Instrument) {
				pl.AsItCame = first
			} else {
				now := pl.Instrument
				came[pl.Instrument.Name] = &now
			}
		}
		p.Patched.NameInstruments(names)
		p.StandIn.NameInstruments(names)
		if doc, err = u.written(ctx, projectLine, p); err != nil {
			return err
		}
		u.store.log.Debug("writing a revision anew", "project", of, "revision", id)
		if err := u.setDoc(ctx, projectLine, id, doc); err != nil {
			return err
		}
	}
	return nil
}

// written gives a document as it is kept now, and keeps the contents it names.
func (u *Unit) written(ctx context.Context, l history, doc any) (string, error) {
	n, err := l.prepare("", doc, nil)
	if err != nil {
		return "", err
	}
	for _, c := range n.contents {
		if err := u.keepContent(ctx, c); err != nil {
			return "", err
		}
	}
	return n.text, nil
}

// firstOnShelf gives the instruments of the shelf as they came, by name.
func (u *Unit) firstOnShelf(ctx context.Context) (map[string]*rig.Instrument, error) {
	var rows []struct {
		Of  int64  `db:"of"`
		Doc string `db:"doc"`
	}
	if err := u.on().SelectContext(ctx, &rows, `SELECT instrument_id AS of, doc FROM instrument_revisions
		WHERE id IN (SELECT min(id) FROM instrument_revisions GROUP BY instrument_id) ORDER BY id`); err != nil {
		return nil, err
	}
	out := map[string]*rig.Instrument{}
	for _, r := range rows {
		in := &rig.Instrument{}
		if err := instrumentLine.decode(ctx, u, r.Of, r.Doc, in); errors.Is(err, errDamaged) {
			continue
		} else if err != nil {
			return nil, err
		}
		if out[in.Name] == nil {
			out[in.Name] = in
		}
	}
	return out, nil
}

// sameShape reports whether one instrument can well be said by what it changes in the other.
func sameShape(a, b *rig.Instrument) bool {
	return a.Name == b.Name && len(a.Voices) == len(b.Voices) && len(a.Microphones) == len(b.Microphones) &&
		len(a.Parts) == len(b.Parts)
}

// rewriteInstruments writes the shelf's revisions again, and the hashes that report whether
// an instrument is there already.
func (u *Unit) rewriteInstruments(ctx context.Context) error {
	if err := u.rewrite(ctx, instrumentLine, func() any { return &rig.Instrument{} }); err != nil {
		return err
	}
	var all []struct {
		ID   int64  `db:"id"`
		Doc  string `db:"doc"`
		Data []byte `db:"data"`
	}
	if err := u.on().SelectContext(ctx, &all, `SELECT i.id, r.doc, s.data FROM instruments i
		JOIN instrument_revisions r ON r.id = (SELECT min(id) FROM instrument_revisions WHERE instrument_id = i.id)
		LEFT JOIN sources s ON s.id = i.source_id`); err != nil {
		return err
	}
	for _, in := range all {
		if _, err := u.on().ExecContext(ctx, `UPDATE instruments SET hash = ? WHERE id = ?`,
			shelfHash(in.Doc, in.Data), in.ID); err != nil {
			return err
		}
	}
	return nil
}

// shelfHash names an instrument as it came, with what it was read from.
func shelfHash(doc string, source []byte) string {
	h := sha256.New()
	h.Write([]byte(doc))
	h.Write(source)
	return hex.EncodeToString(h.Sum(nil))
}

// rewrite writes every revision of a line again.
func (u *Unit) rewrite(ctx context.Context, l history, empty func() any) error {
	ids, err := u.revisionIDs(ctx, l)
	if err != nil {
		return err
	}
	for _, id := range ids {
		of, doc, err := u.docOf(ctx, l, id)
		if err != nil {
			return err
		}
		v := empty()
		if err := l.decode(ctx, u, of, doc, v); err != nil {
			if !errors.Is(err, errDamaged) {
				return err
			}
			continue // it stays as it is
		}
		if doc, err = u.written(ctx, l, v); err != nil {
			return err
		}
		u.store.log.Debug("writing a revision anew", l.what, of, "revision", id)
		if err := u.setDoc(ctx, l, id, doc); err != nil {
			return err
		}
	}
	return nil
}

// settingsAsDocument makes one document of the settings there were.
func (u *Unit) settingsAsDocument(ctx context.Context) error {
	var rows []struct {
		Name  string `db:"name"`
		Value string `db:"value"`
	}
	if err := u.on().SelectContext(ctx, &rows, `SELECT name, value FROM settings`); err != nil || len(rows) == 0 {
		return err
	}
	doc := map[string]any{"version": 1}
	for _, r := range rows {
		switch r.Name {
		case "middle C":
			doc["middleC"] = r.Value
		case "host profiles":
			if json.Valid([]byte(r.Value)) {
				doc["profiles"] = json.RawMessage(r.Value)
			}
		default:
			return fmt.Errorf("a setting %q that no release has had", r.Name)
		}
	}
	text, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	if _, err := u.on().ExecContext(ctx, `DELETE FROM settings`); err != nil {
		return err
	}
	return u.Set(ctx, SettingsDocument, string(text))
}
