package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/progress"
)

// Verified is what came of a look at everything.
type Verified struct {
	Projects, Instruments, Charts int // whose revisions were read
	Revisions                     int // documents read and found valid
	Thinned                       int // revisions whose document is no longer kept, as is meant
	Wrong                         []string
}

// Verify looks at everything there is, on one state of it: whether the file is whole, whether
// what refers to something finds it, whether every document decodes and is valid, and whether
// lists show what the documents say. settings says what is wrong with the document of settings.
func (s *Store) Verify(ctx context.Context, settings func(text string) error) (v *Verified, err error) {
	v = &Verified{}
	err = s.ReadAll(ctx, func(u *Unit) error {
		for _, look := range []func(context.Context, *Unit) error{v.file, v.contents, v.projects, v.instruments, v.charts} {
			if err := look(ctx, u); err != nil {
				return err
			}
		}
		text, err := u.Setting(ctx, SettingsDocument)
		if err == nil && text != "" {
			if err := settings(text); err != nil {
				v.wrong("the settings cannot be read: %s", fault.Say(err))
			}
		}
		return err
	})
	return v, err
}

func (v *Verified) wrong(format string, args ...any) {
	v.Wrong = append(v.Wrong, fmt.Sprintf(format, args...))
}

// file looks at the file as SQLite does, and at what refers to what.
func (v *Verified) file(ctx context.Context, u *Unit) error {
	var said []string
	if err := u.on().SelectContext(ctx, &said, `PRAGMA integrity_check(20)`); err != nil {
		return err
	}
	for _, x := range said {
		if x != "ok" {
			v.wrong("the data file is damaged: %s", x)
		}
	}
	rows, err := u.tx.QueryxContext(ctx, `PRAGMA foreign_key_check`)
	if err != nil {
		return storageFault("looking at what refers to what", false, err)
	}
	defer rows.Close()
	for rows.Next() {
		var table, parent string
		var id, key sql.NullInt64
		if err := rows.Scan(&table, &id, &parent, &key); err != nil {
			return err
		}
		v.wrong("row %d of %s refers to something in %s that is not there", id.Int64, table, parent)
	}
	return storageFault("looking at what refers to what", false, rows.Err())
}

// contents looks whether what is kept by its hash still has it.
func (v *Verified) contents(ctx context.Context, u *Unit) error {
	var hashes []string
	if err := u.on().SelectContext(ctx, &hashes, `SELECT hash FROM contents ORDER BY hash`); err != nil {
		return err
	}
	for _, h := range hashes {
		var doc []byte
		if err := u.on().GetContext(ctx, &doc, `SELECT doc FROM contents WHERE hash = ?`, h); err != nil {
			return err
		}
		if document.Hash(doc) != h {
			v.wrong("content %s is not what it was", h)
		}
	}
	return nil
}

// things lists a line's documents with where they stand.
func (v *Verified) things(ctx context.Context, u *Unit, l history, what func(id, head int64) error) error {
	var rows []struct {
		ID   int64 `db:"id"`
		Head int64 `db:"head"`
		Tip  int64 `db:"tip"`
	}
	if err := u.on().SelectContext(ctx, &rows, l.sql(`SELECT id, head, tip FROM {things} ORDER BY id`)); err != nil {
		return err
	}
	for i, r := range rows {
		progress.Report(ctx, l.things+" verified", i, len(rows))
		var there int
		if err := u.on().GetContext(ctx, &there, l.sql(`SELECT count(*) FROM {revisions} WHERE {ref} = ? AND id IN (?, ?)`),
			r.ID, r.Head, r.Tip); err != nil {
			return err
		}
		if want := 2; there != want && (r.Head != r.Tip || there != 1) {
			v.wrong("%s %d stands at a revision that is not there", l.what, r.ID)
			continue
		}
		if err := what(r.ID, r.Head); err != nil {
			return err
		}
	}
	return nil
}

// revisions reads every document of one thing; read decodes one and gives its faults.
func (v *Verified) revisions(ctx context.Context, u *Unit, l history, id, head int64, read func(rev int64,
	text string) error) error {
	ids := []int64{}
	if err := u.on().SelectContext(ctx, &ids, l.sql(`SELECT id FROM {revisions} WHERE {ref} = ? ORDER BY id`),
		id); err != nil {
		return err
	}
	for _, rev := range ids {
		_, text, err := u.docOf(ctx, l, rev)
		if err != nil {
			return err
		}
		if text == gone && rev != head {
			v.Thinned++
			continue
		}
		if err := read(rev, text); errors.Is(err, context.Canceled) {
			return err
		} else if err != nil {
			v.wrong("revision %d of %s %d cannot be used: %s", rev, l.what, id, fault.Say(err))
			continue
		}
		v.Revisions++
	}
	return nil
}

func (v *Verified) projects(ctx context.Context, u *Unit) error {
	return v.things(ctx, u, projectLine, func(id, head int64) error {
		v.Projects++
		return v.revisions(ctx, u, projectLine, id, head, func(rev int64, text string) error {
			p := &plan.Project{}
			if err := projectLine.read(ctx, u, text, p); err != nil {
				return err
			}
			if err := p.Validate(); err != nil {
				return err
			}
			if rev != head {
				return nil
			}
			if p.Song != nil && p.Song.ID != 0 {
				if _, err := u.SongName(ctx, p.Song.ID); err != nil {
					v.wrong("the song of project %d, %s, is not there", id, p.Name)
				}
			}
			want, err := u.store.derive.Project(p, u.store.derive.Analyse(p))
			if err != nil {
				return err
			}
			var got struct {
				ProjectColumns
				Derived string `db:"derived"`
			}
			if err := u.on().GetContext(ctx, &got, `SELECT name, instruments, lanes, buses, findings, colours,
				coalesce(facts, '') AS facts, derived FROM projects WHERE id = ?`, id); err != nil {
				return err
			}
			if got.ProjectColumns != want || got.Derived != u.store.derive.Rules {
				v.wrong("the list does not show project %d, %s, as it is", id, p.Name)
			}
			return nil
		})
	})
}

func (v *Verified) instruments(ctx context.Context, u *Unit) error {
	return v.things(ctx, u, instrumentLine, func(id, head int64) error {
		v.Instruments++
		return v.revisions(ctx, u, instrumentLine, id, head, func(rev int64, text string) error {
			in := &rig.Instrument{}
			if err := instrumentLine.read(ctx, u, text, in); err != nil {
				return err
			}
			if err := in.Validate(); err != nil || rev != head {
				return err
			}
			var got InstrumentColumns
			if err := u.on().GetContext(ctx, &got, `SELECT name, feeds, voices, microphones, parts, unsure, outputs, origin,
				family, coalesce(words, '') AS words, layouts FROM instruments WHERE id = ?`, id); err != nil {
				return err
			}
			if got != u.store.derive.Instrument(in) {
				v.wrong("the shelf does not show instrument %d, %s, as it is", id, in.Name)
			}
			return nil
		})
	})
}

func (v *Verified) charts(ctx context.Context, u *Unit) error {
	return v.things(ctx, u, chartLine, func(id, head int64) error {
		v.Charts++
		return v.revisions(ctx, u, chartLine, id, head, func(_ int64, text string) error {
			c := &house.Chart{}
			if err := chartLine.read(ctx, u, text, c); err != nil {
				return err
			}
			return c.Validate()
		})
	})
}
