package store

import (
	"bytes"
	"compress/flate"
	"context"
	"fmt"
	"io"
	"time"
)

// What undo reaches at least: so many steps, and so long. Documents beyond both may go.
const (
	reachSteps = 200
	reachTime  = 90 * 24 * time.Hour
	// slack is how many more are kept, for those who undo while others are thinned.
	slack = 20
)

// Thin lets the documents go that lie beyond the reach of undo, in short changes. What stays of
// a revision is its number, parent, label and batch, and the hash of what it said. It gives the
// number of documents that went.
func (s *Store) Thin(ctx context.Context) (went int, err error) {
	var ids []int64
	if err := s.on().SelectContext(ctx, &ids, `SELECT project_id FROM revisions WHERE hash IS NULL AND packed IS NULL
		GROUP BY project_id HAVING count(*) > 1`); err != nil {
		return 0, err
	}
	for _, id := range ids {
		n, err := s.thinProject(ctx, id)
		went += n
		if err != nil {
			return went, err
		}
	}
	return went, nil
}

// bare is a revision without its document.
type bare struct {
	ID     int64  `db:"id"`
	Parent int64  `db:"parent"`
	MadeAt string `db:"made_at"`
	Whole  bool   `db:"whole"` // its document is there
	Packed bool   `db:"is_packed"`
}

// packAfter is how old a revision is whose document is packed: it is hardly ever read again.
const packAfter = 7 * 24 * time.Hour

// pack makes a document small, unpack gives it back to the byte.
func pack(doc string) ([]byte, error) {
	var b bytes.Buffer
	w, err := flate.NewWriter(&b, flate.DefaultCompression)
	if err == nil {
		_, err = io.WriteString(w, doc)
	}
	if err == nil {
		err = w.Close()
	}
	return b.Bytes(), err
}

func unpack(packed []byte) (string, error) {
	doc, err := io.ReadAll(flate.NewReader(bytes.NewReader(packed)))
	if err != nil {
		return "", fmt.Errorf("%w: %w", errDamaged, err)
	}
	return string(doc), nil
}

// beyondReach lists the revisions of a project whose documents may go. all are its revisions by
// number.
func beyondReach(all []bare, head, tip int64, now time.Time) (out []int64) {
	parent := make(map[int64]int64, len(all))
	for _, r := range all {
		parent[r.ID] = r.Parent
	}
	near := map[int64]bool{}
	for at := tip; at != 0 && at != head && !near[at]; at = parent[at] { // what redo brings back
		near[at] = true
	}
	for at, n := head, 0; at != 0 && n <= reachSteps+slack; at, n = parent[at], n+1 {
		near[at] = true
	}
	since := now.Add(-reachTime).UTC().Format(time.RFC3339Nano)
	for _, r := range all {
		if r.Whole && !near[r.ID] && r.MadeAt < since {
			out = append(out, r.ID)
		}
	}
	return out
}

func (s *Store) thinProject(ctx context.Context, id int64) (went int, err error) {
	var at struct {
		Head int64 `db:"head"`
		Tip  int64 `db:"tip"`
	}
	var all []bare
	if err := s.on().GetContext(ctx, &at, `SELECT head, tip FROM projects WHERE id = ?`, id); err != nil {
		return 0, err
	}
	if err := s.on().SelectContext(ctx, &all, `SELECT id, parent, made_at, hash IS NULL AS whole,
		packed IS NOT NULL AS is_packed FROM revisions WHERE project_id = ? ORDER BY id`, id); err != nil {
		return 0, err
	}
	if err := s.packOld(ctx, all, at.Head, at.Tip); err != nil {
		return 0, err
	}
	far := beyondReach(all, at.Head, at.Tip, s.now())
	for len(far) > 0 {
		some := far[:min(len(far), maxAtOnce)]
		far = far[len(some):]
		hashes := make([]string, len(some))
		for i, rev := range some {
			p, err := s.revisionOf(ctx, id, rev)
			if IsDamaged(err) {
				continue // it stays as it is: who knows what it was
			}
			if err != nil {
				return went, err
			}
			hashes[i] = s.derive.Hash(p)
		}
		err := s.AsOne(ctx, func(u *Unit) error {
			for i, rev := range some {
				if hashes[i] == "" {
					continue
				}
				if _, err := u.on().ExecContext(ctx, `UPDATE revisions SET doc = ?, packed = NULL, hash = ? WHERE id = ?`, gone,
					hashes[i],
					rev); err != nil {
					return err
				}
				went++
			}
			return nil
		})
		if err != nil {
			return went, err
		}
	}
	return went, nil
}

// packOld packs the documents of revisions that are some days old, but for those that stand now.
func (s *Store) packOld(ctx context.Context, all []bare, head, tip int64) error {
	before := s.now().Add(-packAfter).UTC().Format(time.RFC3339Nano)
	packed := map[int64][]byte{}
	write := func() error {
		err := s.AsOne(ctx, func(u *Unit) error {
			for rev, doc := range packed {
				if _, err := u.on().ExecContext(ctx, `UPDATE revisions SET doc = ?, packed = ? WHERE id = ?`, gone, doc,
					rev); err != nil {
					return err
				}
			}
			return nil
		})
		clear(packed)
		return err
	}
	for _, r := range all {
		if !r.Whole || r.Packed || r.ID == head || r.ID == tip || r.MadeAt >= before {
			continue
		}
		_, doc, err := s.docOf(ctx, projectLine, r.ID)
		if err == nil {
			packed[r.ID], err = pack(doc)
		}
		if err == nil && len(packed) == maxAtOnce {
			err = write()
		}
		if err != nil {
			return err
		}
	}
	if len(packed) == 0 {
		return nil
	}
	return write()
}

// compactPages is how many pages of 4 KiB are given back in one change.
const compactPages = 256

// Compact gives room that nothing takes up any more back to the disk, in short changes, where
// it is more than a quarter of the file. It gives the number of bytes.
func (s *Store) Compact(ctx context.Context) (bytes int64, err error) {
	var pages, free int64
	if err := s.on().GetContext(ctx, &pages, `PRAGMA page_count`); err != nil {
		return 0, err
	}
	if err := s.on().GetContext(ctx, &free, `PRAGMA freelist_count`); err != nil || free*4 < pages {
		return 0, err
	}
	for left := free; left > 0; left -= compactPages {
		err := s.inTurn(ctx, func() error {
			rows, err := s.db.QueryContext(ctx, fmt.Sprintf(`PRAGMA incremental_vacuum(%d)`, compactPages))
			if err != nil {
				return storageFault("giving room back", true, err)
			}
			for rows.Next() { // each step frees a page
			}
			return storageFault("giving room back", true, rows.Close())
		})
		if err != nil {
			return bytes, err
		}
		bytes += min(left, compactPages) * 4096
	}
	_, err = s.on().ExecContext(ctx, `PRAGMA wal_checkpoint(TRUNCATE)`)
	return bytes, err
}
