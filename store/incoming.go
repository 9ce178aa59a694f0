package store

import (
	"context"
	"errors"
	"time"

	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/lock"
)

// Import is what comes with a large file. It is written in short changes that nobody sees,
// between which others have their turn, and published by one; where it is broken off before
// that, nothing of it is ever seen.
type Import struct {
	store *Store
	id    int64
	lock  *lock.Lock // tells other processes that somebody is importing

	held      []prepared // to be written next
	heldBytes int
	same      []sameState // projects that stand as they do there
}

// sameState is a project that stands in a state of the computer it comes from.
type sameState struct {
	id, revision int64
	uid          string
	states       []ProjectState
}

// Same says that a project stands as it does where the import comes from: from then on both
// computers know that state by one identity.
func (im *Import) Same(id, revision int64, uid string, states []ProjectState) {
	im.same = append(im.same, sameState{id, revision, uid, states})
}

// What is written in one change at most: others wait no longer than this takes.
const (
	maxAtOnce      = 32
	maxBytesAtOnce = 1 << 20
)

// BeginImport begins an import. It ends by Publish or Drop.
func (s *Store) BeginImport(ctx context.Context) (*Import, error) {
	l, err := lock.Together(beside(s.path, importing))
	if err != nil {
		return nil, cannotLock(s.path, err)
	}
	im := &Import{store: s, lock: l}
	err = s.AsOne(ctx, func(u *Unit) error {
		r, err := u.on().ExecContext(ctx, `INSERT INTO imports (begun_at) VALUES (?)`, s.now().UTC().Format(time.RFC3339))
		if err == nil {
			im.id, err = r.LastInsertId()
		}
		return err
	})
	if err != nil {
		return nil, errors.Join(err, l.Free())
	}
	return im, nil
}

// arrives writes down that something comes with the import.
func (im *Import) arrives(ctx context.Context, u *Unit, kind string, ref int64, uid string, updates, base int64) error {
	_, err := u.on().ExecContext(ctx, `INSERT INTO incoming (import, kind, ref, uid, updates, base)
		VALUES (?, ?, ?, nullif(?, ''), nullif(?, 0), nullif(?, 0)) ON CONFLICT DO NOTHING`, im.id, kind, ref, uid, updates,
		base)
	return err
}

// AddInstruments is MergeInstruments for an import.
func (im *Import) AddInstruments(ctx context.Context, ins []NewInstrument) (ids []int64, added int, err error) {
	for at := 0; at < len(ins); at += maxAtOnce {
		some := ins[at:min(at+maxAtOnce, len(ins))]
		err := im.store.AsOne(ctx, func(u *Unit) error {
			for _, n := range some {
				id, isNew, err := u.addInstrument(ctx, n, true, arriving)
				if err != nil {
					return err
				}
				if isNew {
					added++
				}
				ids = append(ids, id)
				if err := im.arrives(ctx, u, "instrument", id, "", 0, 0); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return nil, 0, err
		}
	}
	return ids, added, nil
}

// Arrival is a project that comes with an import.
type Arrival struct {
	NewProject
	Updates int64          // the project here that it is a later state of; 0: it is new
	Base    int64          // the revision that it was compared with
	Same    bool           // it is here as it is there, and only comes back to the list
	Head    string         // the identity of its state; "": it has none, or there is a project in that state here
	States  []ProjectState // that it has had where it comes from
}

// prepared is an arrival that is to be written.
type prepared struct {
	Arrival
	next next
}

// Add writes a project that nobody sees yet, with others of the import: some are held until then.
func (im *Import) Add(ctx context.Context, a Arrival) error {
	p := prepared{Arrival: a}
	if !a.Same {
		if err := im.takeSong(ctx, a.NewProject); err != nil {
			return err
		}
		label := beginLabel
		if a.Updates != 0 {
			label = "update from a library file"
		}
		var err error
		if p.next, _, err = im.store.preparedProject(label, a.Plan); err != nil {
			return err
		}
		p.next.uid = a.Head
	}
	p.Plan, p.Song = nil, nil // all that is to be written is in what was prepared
	im.held, im.heldBytes = append(im.held, p), im.heldBytes+len(p.next.text)
	if len(im.held) < maxAtOnce && im.heldBytes < maxBytesAtOnce {
		return nil
	}
	return im.writeHeld(ctx)
}

func (im *Import) writeHeld(ctx context.Context) error {
	if len(im.held) == 0 {
		return nil
	}
	err := im.store.AsOne(ctx, func(u *Unit) error { return im.write(ctx, u, im.held) })
	im.held, im.heldBytes = nil, 0
	return err
}

// takeSong keeps the song of a project that comes, if it has one that is not here.
func (im *Import) takeSong(ctx context.Context, n NewProject) error {
	if n.Song == nil || n.Plan.Song == nil {
		return nil
	}
	return im.store.AsOne(ctx, func(u *Unit) error {
		id, isNew, err := u.songOf(ctx, n.Plan.Song.Name, n.Song, im.id)
		if err == nil && isNew {
			err = im.arrives(ctx, u, "song", id, "", 0, 0)
		}
		n.Plan.Song.ID = id
		return err
	})
}

func (im *Import) write(ctx context.Context, u *Unit, some []prepared) error {
	for _, p := range some {
		id := p.Updates
		if !p.Same {
			var err error
			if id, err = u.insertProject(ctx, p.State, "", arriving); err != nil {
				return err
			}
			if _, err := projectLine.append(ctx, u, id, p.Base, p.next); err != nil {
				return err
			}
			if err := u.keepHistory(ctx, id, p.States); err != nil {
				return err
			}
		}
		if err := im.arrives(ctx, u, "project", id, p.UID, p.Updates, p.Base); err != nil {
			return err
		}
	}
	return nil
}

// Published tells what an import brought.
type Published struct {
	New, Updated int
	Batch        int64    // undoes the updates; 0: there is none
	Left         []string // projects that were changed or came here meanwhile, and stay so
}

// Publish lets everybody see what the import brought, with what rest does beside it, in one
// short change. label says what is done with projects that it updates.
func (im *Import) Publish(ctx context.Context, label func(updated int) string, rest func(*Unit) error) (out Published,
	err error) {
	if err := im.writeHeld(ctx); err != nil {
		return out, err
	}
	err = im.store.AsOne(ctx, func(u *Unit) error {
		out = Published{}
		if err := im.publishInstruments(ctx, u); err != nil {
			return err
		}
		if err := im.publishProjects(ctx, u, &out, label); err != nil {
			return err
		}
		for _, s := range im.same {
			if err := u.sameState(ctx, s.id, s.revision, s.uid, s.states); err != nil {
				return err
			}
		}
		if err := rest(u); err != nil {
			return err
		}
		_, err := u.on().ExecContext(ctx, `DELETE FROM incoming WHERE import = ? AND (kind <> 'project' OR
			ref NOT IN (SELECT id FROM projects WHERE removed = ?))`, im.id, arriving)
		return err
	})
	if err != nil {
		return out, err
	}
	im.Drop(ctx) // what was left
	return out, nil
}

func (im *Import) publishInstruments(ctx context.Context, u *Unit) error {
	_, err := u.on().ExecContext(ctx, `UPDATE instruments SET removed = 0
		WHERE id IN (SELECT ref FROM incoming WHERE import = ? AND kind = 'instrument')`, im.id)
	return err
}

func (im *Import) publishProjects(ctx context.Context, u *Unit, out *Published, label func(int) string) error {
	exec := func(query string, args ...any) (int, error) {
		r, err := u.on().ExecContext(ctx, query, args...)
		if err != nil {
			return 0, err
		}
		n, err := r.RowsAffected()
		return int(n), err
	}
	var err error
	if out.New, err = exec(`UPDATE projects SET removed = 0, uid = i.uid FROM incoming i
		WHERE i.import = ? AND i.kind = 'project' AND i.ref = projects.id AND i.updates IS NULL
		AND NOT EXISTS (SELECT 1 FROM projects o WHERE o.uid = i.uid)`, im.id); err != nil {
		return err
	}
	const come = `UPDATE projects SET removed = 0 WHERE removed = 1
		AND id IN (SELECT updates FROM incoming WHERE import = ? AND kind = 'project'`
	back, err := exec(come+` AND ref = updates)`, im.id)
	if err != nil {
		return err
	}
	out.New += back
	if _, err := exec(come+`)`, im.id); err != nil { // those are counted as updated
		return err
	}
	if err := u.on().SelectContext(ctx, &out.Left, `SELECT p.name FROM incoming i JOIN projects p ON p.id = i.ref
		LEFT JOIN projects t ON t.id = i.updates WHERE i.import = ? AND i.kind = 'project' AND p.removed = ?
		AND (i.updates IS NULL OR t.head <> i.base)`, im.id, arriving); err != nil {
		return err
	}
	const those = ` FROM incoming i JOIN projects s ON s.id = i.ref JOIN projects t ON t.id = i.updates
		WHERE i.import = ? AND i.kind = 'project' AND i.ref <> i.updates AND t.head = i.base`
	if err := u.on().GetContext(ctx, &out.Updated, `SELECT count(*)`+those, im.id); err != nil || out.Updated == 0 {
		return err
	}
	if out.Batch, err = u.newBatch(ctx, label(out.Updated)); err != nil {
		return err
	}
	if _, err := exec(`UPDATE revisions SET project_id = x.updates, batch_id = ?
		FROM (SELECT i.updates, s.head`+those+`) x WHERE revisions.id = x.head`, out.Batch, im.id); err != nil {
		return err
	}
	if _, err := exec(`UPDATE histories SET project_id = x.updates
		FROM (SELECT i.updates, i.ref`+those+`) x WHERE histories.project_id = x.ref`, im.id); err != nil {
		return err
	}
	_, err = exec(`UPDATE projects SET head = x.head, tip = x.head, name = x.name, instruments = x.instruments,
		lanes = x.lanes, buses = x.buses, findings = x.findings, colours = x.colours, facts = x.facts, derived = x.derived
		FROM (SELECT i.updates, s.*`+those+`) x WHERE projects.id = x.updates`, im.id)
	return err
}

// Drop takes away what was written of an import and not published, and ends it.
func (im *Import) Drop(ctx context.Context) {
	err := im.store.dropImport(context.WithoutCancel(ctx), im.id) // it stays nobody's otherwise
	if err = errors.Join(err, im.lock.Free()); err != nil {
		im.store.log.Warn("what is left of an import is taken away at the next start", "error", fault.Detail(err))
	}
}

// dropImports takes away what imports left that were broken off, unless somebody is importing.
func (s *Store) dropImports(ctx context.Context) error {
	var left []int64
	if err := s.on().SelectContext(ctx, &left, `SELECT id FROM imports`); err != nil || len(left) == 0 {
		return err
	}
	l, err := lock.Alone(beside(s.path, importing), "")
	var held *lock.HeldError
	if errors.As(err, &held) {
		return nil
	}
	if err != nil {
		return cannotLock(s.path, err)
	}
	for _, id := range left {
		if err := s.dropImport(ctx, id); err != nil {
			return errors.Join(err, l.Free())
		}
		s.log.Info("an unfinished import was removed; nobody had seen any of it", "import", id)
	}
	return l.Free()
}

// dropImport takes away what is left of an import, in short changes, and the import with it.
func (s *Store) dropImport(ctx context.Context, id int64) error {
	for more := true; more; {
		err := s.AsOne(ctx, func(u *Unit) (err error) {
			more, err = u.dropSome(ctx, id)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (u *Unit) dropSome(ctx context.Context, id int64) (more bool, err error) {
	var some []struct {
		Kind string `db:"kind"`
		Ref  int64  `db:"ref"`
	}
	if err := u.on().SelectContext(ctx, &some, `SELECT kind, ref FROM incoming WHERE import = ? LIMIT ?`, id,
		maxAtOnce); err != nil {
		return false, err
	}
	if len(some) == 0 {
		_, err := u.on().ExecContext(ctx, `DELETE FROM imports WHERE id = ?`, id)
		return false, err
	}
	for _, x := range some {
		if _, err := u.on().ExecContext(ctx, `DELETE FROM incoming WHERE import = ? AND kind = ? AND ref = ?`, id, x.Kind,
			x.Ref); err != nil {
			return false, err
		}
		var others int
		if err := u.on().GetContext(ctx, &others, `SELECT count(*) FROM incoming WHERE kind = ? AND ref = ?`, x.Kind,
			x.Ref); err != nil {
			return false, err
		}
		if others > 0 { // another import brings it too
			continue
		}
		if err := u.dropOne(ctx, x.Kind, x.Ref); err != nil {
			return false, err
		}
	}
	return true, nil
}

// dropOne takes away something that nobody has seen.
func (u *Unit) dropOne(ctx context.Context, kind string, ref int64) error {
	var queries []string
	switch kind {
	case "project":
		queries = []string{`DELETE FROM histories WHERE project_id IN (SELECT id FROM projects WHERE id = ? AND removed = 2)`,
			`DELETE FROM revisions WHERE project_id IN (SELECT id FROM projects WHERE id = ? AND removed = 2)`,
			`DELETE FROM projects WHERE id = ? AND removed = 2`}
	case "instrument":
		queries = []string{
			`DELETE FROM instrument_revisions WHERE instrument_id IN (SELECT id FROM instruments WHERE id = ? AND removed = 2)`,
			`DELETE FROM instruments WHERE id = ? AND removed = 2`}
	case "song":
		queries = []string{`DELETE FROM songs WHERE id = ?`}
	}
	for _, q := range queries {
		if _, err := u.on().ExecContext(ctx, q, ref); err != nil {
			return err
		}
	}
	if kind != "instrument" {
		return nil
	}
	_, err := u.on().ExecContext(ctx,
		`DELETE FROM sources WHERE id NOT IN (SELECT source_id FROM instruments WHERE source_id IS NOT NULL)`)
	return err
}
