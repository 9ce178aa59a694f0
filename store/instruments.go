package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Source is what an instrument was read from.
type Source struct {
	Format string `db:"format"`
	Main   string `db:"main"` // path of the file that holds it
	Data   []byte `db:"data"` // its texts as one ZIP
}

// NewInstrument is an instrument to be put on the shelf.
type NewInstrument struct {
	Rig    rig.Instrument
	Source *Source
}

// Instrument is an instrument as it stands on the shelf.
type Instrument struct {
	State
	Name    string
	Removed bool
	Source  bool // what it was read from is kept
	Rig     rig.Instrument
}

// AddInstruments puts instruments on the shelf in one transaction. One that is
// there already, the same in everything as it came, is not put there twice; if it
// had been removed it comes back. added counts the new ones.
func (u *Unit) AddInstruments(ctx context.Context, ins []NewInstrument) (ids []int64, added int, err error) {
	err = u.AsOne(ctx, func(u *Unit) error {
		for _, n := range ins {
			id, isNew, err := u.addInstrument(ctx, n, false, listed)
			if err != nil {
				return err
			}
			if isNew {
				added++
			}
			ids = append(ids, id)
		}
		return nil
	})
	return ids, added, err
}

// addInstrument puts an instrument on the shelf, or finds it there: as it came, or, of another
// library, as it ever stood. as is what removed is to say about it.
func (u *Unit) addInstrument(ctx context.Context, n NewInstrument, ever bool, as int) (id int64, isNew bool,
	err error) {
	if err := n.Rig.Validate(); err != nil {
		return 0, false, err
	}
	doc, err := json.Marshal(n.Rig)
	if err != nil {
		return 0, false, err
	}
	var source []byte
	if n.Source != nil {
		source = n.Source.Data
	}
	hash := shelfHash(string(doc), source)
	err = u.on().GetContext(ctx, &id, `SELECT id FROM instruments WHERE hash = ?`, hash)
	if ever && errors.Is(err, sql.ErrNoRows) {
		err = u.on().GetContext(ctx, &id, `SELECT instrument_id FROM instrument_revisions WHERE doc = ? LIMIT 1`,
			string(doc))
	}
	if errors.Is(err, sql.ErrNoRows) {
		id, err = u.insertInstrument(ctx, n, hash, as)
		return id, true, err
	}
	if err == nil && as == listed {
		_, err = u.on().ExecContext(ctx, `UPDATE instruments SET removed = 0 WHERE id = ?`, id)
	}
	return id, false, err
}

func (u *Unit) insertInstrument(ctx context.Context, n NewInstrument, hash string, as int) (int64, error) {
	var source *int64
	if n.Source != nil {
		r, err := u.on().ExecContext(ctx, `INSERT INTO sources (format, main, data) VALUES (?, ?, ?)`, n.Source.Format,
			n.Source.Main, n.Source.Data)
		if err != nil {
			return 0, err
		}
		id, err := r.LastInsertId()
		if err != nil {
			return 0, err
		}
		source = &id
	}
	r, err := u.on().ExecContext(ctx, `INSERT INTO instruments (name, hash, source_id, removed) VALUES (?, ?, ?, ?)`,
		n.Rig.Name, hash, source, as)
	if err != nil {
		return 0, err
	}
	id, err := r.LastInsertId()
	if err != nil {
		return 0, err
	}
	first, err := instrumentLine.prepare("import "+n.Rig.Name, n.Rig, u.store.showInstrument(&n.Rig))
	if err != nil {
		return 0, err
	}
	_, err = instrumentLine.append(ctx, u, id, 0, first)
	return id, err
}

// showInstrument works out what the shelf shows of an instrument, and searches.
func (s *Store) showInstrument(in *rig.Instrument) columnsOf {
	columns := s.derive.Instrument(in)
	return func(ctx context.Context, u *Unit, id int64) error {
		row := struct {
			ShelfRow
			Derived string `db:"derived"`
		}{ShelfRow{InstrumentColumns: columns, ID: id}, s.derive.Rules}
		_, err := u.on().NamedExecContext(ctx, `UPDATE instruments SET name = :name, feeds = :feeds,
			voices = :voices, microphones = :microphones, parts = :parts, unsure = :unsure, outputs = :outputs,
			origin = :origin, family = :family, words = :words, layouts = :layouts, derived = :derived WHERE id = :id`, row)
		return err
	}
}

// deriveInstruments fills the derived columns that come from other rules than today's.
func (u *Unit) deriveInstruments(ctx context.Context) error {
	return u.eachOf(ctx, func(u *Unit, id int64) error {
		var in rig.Instrument
		if _, err := instrumentLine.load(ctx, u, id, &in); errors.Is(err, errDamaged) {
			return nil // the others are not to wait for it
		} else if err != nil {
			return err
		}
		return u.store.showInstrument(&in)(ctx, u, id)
	}, `SELECT id FROM instruments WHERE derived <> ?`, u.store.derive.Rules)
}

// InstrumentColumns is what the shelf shows of an instrument.
type InstrumentColumns struct {
	Name        string `db:"name"`
	Feeds       int    `db:"feeds"`
	Voices      int    `db:"voices"`
	Microphones int    `db:"microphones"`
	Parts       int    `db:"parts"`
	Unsure      int    `db:"unsure"` // voices whose role was guessed and may be wrong
	Outputs     string `db:"outputs"`
	Origin      string `db:"origin"`
	Family      string `db:"family"`
	Words       string `db:"words"`   // all that a search finds it by
	Layouts     string `db:"layouts"` // the names of its layouts, one a line
}

// ShelfRow is an instrument on the shelf, from the derived columns.
type ShelfRow struct {
	InstrumentColumns
	ID int64 `db:"id"`
}

// Shelf lists the instruments by name without reading them.
func (u *Unit) Shelf(ctx context.Context) ([]ShelfRow, error) {
	var out []ShelfRow
	err := u.on().SelectContext(ctx, &out,
		`SELECT id, name, feeds, voices, microphones, parts, unsure, outputs, origin, family, words, layouts
		FROM instruments WHERE removed = 0 ORDER BY name COLLATE NOCASE, id`)
	return out, err
}

// Instrument gives one instrument, removed or not.
func (u *Unit) Instrument(ctx context.Context, id int64) (*Instrument, error) {
	out := &Instrument{}
	var err error
	if out.State, err = instrumentLine.load(ctx, u, id, &out.Rig); err != nil {
		return nil, err
	}
	out.Name = out.Rig.Name
	var row struct {
		Removed bool `db:"removed"`
		Source  bool `db:"source"`
	}
	err = u.on().GetContext(ctx, &row, `SELECT removed, source_id IS NOT NULL AS source FROM instruments WHERE id = ?`, id)
	out.Removed, out.Source = row.Removed, row.Source
	return out, err
}

// SourceOf gives what an instrument was read from.
func (u *Unit) SourceOf(ctx context.Context, id int64) (*Source, error) {
	var src Source
	err := u.on().GetContext(ctx, &src,
		`SELECT s.format, s.main, s.data FROM sources s JOIN instruments i ON i.source_id = s.id WHERE i.id = ?`, id)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNotFound
	}
	return &src, err
}

// EditInstrument applies an edit as one new revision, as Edit does for projects.
func (u *Unit) EditInstrument(ctx context.Context, id, base int64, edit rig.Edit) (*Instrument, error) {
	err := u.AsOne(ctx, func(u *Unit) error {
		in, st, label, err := worked(ctx, u, instrumentLine, id, base, edit)
		if err != nil || in == nil { // the other window did the same
			return err
		}
		return u.keepInstrument(ctx, st, in, label)
	})
	if err != nil {
		return nil, err
	}
	return u.Instrument(ctx, id)
}

func (u *Unit) editInstrument(ctx context.Context, st State, in *rig.Instrument, edit rig.Edit) error {
	label, err := edit(in)
	if err != nil {
		return err
	}
	return u.keepInstrument(ctx, st, in, label)
}

func (u *Unit) keepInstrument(ctx context.Context, st State, in *rig.Instrument, label string) error {
	if err := in.Validate(); err != nil {
		return err
	}
	n, err := instrumentLine.prepare(label, in, u.store.showInstrument(in))
	if err != nil {
		return err
	}
	_, err = instrumentLine.append(ctx, u, st.ID, st.Revision, n)
	return err
}

// StepInstrument undoes the last change of an instrument, or redoes.
func (u *Unit) StepInstrument(ctx context.Context, id, base int64, dir Direction) error {
	var there rig.Instrument
	return instrumentLine.step(ctx, u, id, base, dir, &there,
		func() (columnsOf, error) { return u.store.showInstrument(&there), nil })
}

// Spellings gives the roles that the user has told, by spelling.
func (u *Unit) Spellings(ctx context.Context) (map[string]role.Role, error) {
	var rows []struct {
		Spelling string    `db:"spelling"`
		Role     role.Role `db:"role"`
	}
	err := u.on().SelectContext(ctx, &rows, `SELECT spelling, role FROM spellings`)
	out := map[string]role.Role{}
	for _, r := range rows {
		out[r.Spelling] = r.Role
	}
	return out, err
}

// RememberRole remembers the role of a spelling.
func (u *Unit) RememberRole(ctx context.Context, spelling string, r role.Role) error {
	_, err := u.on().ExecContext(ctx,
		`INSERT INTO spellings (spelling, role) VALUES (?, ?) ON CONFLICT (spelling) DO UPDATE SET role = excluded.role`,
		spelling, string(r))
	return err
}

// EditShelf applies an edit to every instrument on the shelf whose words hold a
// text, all in one transaction; one the edit refuses with ErrUnchanged stays as it
// is. It gives the number of instruments changed.
func (u *Unit) EditShelf(ctx context.Context, words string, edit rig.Edit) (changed int, err error) {
	err = u.AsOne(ctx, func(u *Unit) error {
		var ids []int64
		if err := u.on().SelectContext(ctx, &ids, `SELECT id FROM instruments WHERE removed = 0 AND instr(words, ?) > 0`,
			strings.ToLower(words)); err != nil {
			return err
		}
		for _, id := range ids {
			var in rig.Instrument
			st, err := instrumentLine.load(ctx, u, id, &in)
			if err != nil {
				return err
			}
			err = u.editInstrument(ctx, st, &in, edit)
			if errors.Is(err, ErrUnchanged) {
				continue
			}
			if err != nil {
				return fmt.Errorf("%s: %w", in.Name, err)
			}
			changed++
		}
		return nil
	})
	return changed, err
}

// ErrUnchanged is what an edit gives where there is nothing to do.
var ErrUnchanged = errors.New("there is nothing to change")

// Setup is an output set-up kept by name.
type Setup struct {
	ID      int64    `db:"id"`
	Name    string   `db:"name"`
	Variant string   `db:"variant"` // the version it is for; "": any
	Outputs string   `db:"outputs"` // as rig.ParseRuns reads it
	First   rig.Port `db:"first"`
	Default bool     `db:"is_default"` // of its version
}

// Setups lists the kept set-ups by name.
func (u *Unit) Setups(ctx context.Context) ([]Setup, error) {
	var out []Setup
	err := u.on().SelectContext(ctx, &out,
		`SELECT id, name, variant, outputs, first, is_default FROM setups ORDER BY name COLLATE NOCASE`)
	return out, err
}

// KeepSetup keeps a set-up under its name, in place of one that has it already.
// As the default it takes the place of the version's other default.
func (u *Unit) KeepSetup(ctx context.Context, x Setup) error {
	return u.AsOne(ctx, func(u *Unit) error {
		if x.Default {
			if _, err := u.on().ExecContext(ctx, `UPDATE setups SET is_default = 0 WHERE variant = ?`, x.Variant); err != nil {
				return err
			}
		}
		_, err := u.on().NamedExecContext(ctx,
			`INSERT INTO setups (name, variant, outputs, first, is_default) VALUES
			(:name, :variant, :outputs, :first, :is_default)
			ON CONFLICT (name) DO UPDATE SET variant = excluded.variant, outputs = excluded.outputs,
			first = excluded.first, is_default = excluded.is_default`, x)
		return err
	})
}

// RemoveSetup forgets a set-up.
func (u *Unit) RemoveSetup(ctx context.Context, id int64) error {
	r, err := u.on().ExecContext(ctx, `DELETE FROM setups WHERE id = ?`, id)
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

// Today is the day it is, "2026-11-26".
func (u *Unit) Today() string { return u.store.now().Format(time.DateOnly) }
