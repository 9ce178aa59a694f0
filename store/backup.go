package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"github.com/jmoiron/sqlx"
	"modernc.org/sqlite"

	"hiddenlanes/internal/fault"
)

// BackUp writes all there is, as it stands now, into one file, which must be new. Others go on
// meanwhile. The file is whole or not there.
func (s *Store) BackUp(ctx context.Context, file string) error {
	if _, err := os.Stat(file); !errors.Is(err, fs.ErrNotExist) {
		return &fault.Error{Kind: fault.Conflict, Say: file + " is there already; name a new file"}
	}
	if err := s.stillThere(); err != nil {
		return err
	}
	part := file + ".part"
	if err := os.Remove(part); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return cannotWrite(file, err)
	}
	err := s.vacuumInto(ctx, part)
	if err == nil {
		err = errors.Join(os.Chmod(part, 0o600), onDisk(part))
	}
	if err == nil {
		err = os.Rename(part, file)
	}
	if err != nil {
		return cannotWrite(file, errors.Join(err, os.RemoveAll(part)))
	}
	return nil
}

// vacuumInto copies the whole database into a new file, by a connection of its own, for it may
// take long.
func (s *Store) vacuumInto(ctx context.Context, file string) error {
	db, err := sqlx.Open("sqlite", fileName(s.path)+"?_pragma=busy_timeout(30000)")
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, `VACUUM INTO ?`, file)
	return errors.Join(err, db.Close())
}

// cannotWrite says that a backup cannot be written, and why.
func cannotWrite(file string, err error) error {
	t, known := troubles[codeOf(err)]
	var f *fault.Error
	switch {
	case errors.Is(err, context.Canceled), errors.As(err, &f):
		return err
	case !known:
		t = trouble{what: fault.Say(err), do: "Look at the folder, or name another file"}
	}
	return &fault.Error{Kind: fault.Storage, Full: known && t.full, Doing: "writing " + file, Err: err,
		Say: fmt.Sprintf("the backup %s cannot be written: %s. %s", file, t.what, t.do)}
}

// Holding is what a database holds, for those who choose among backups.
type Holding struct {
	Instruments, Songs, Charts int
	Projects                   []HeldProject

	file    string // the backup; "": the data itself
	version int64  // of its tables
}

// HeldProject is a project in a database.
type HeldProject struct {
	UID     string `db:"uid"`
	Name    string `db:"name"`
	State   string `db:"state"`
	Removed bool   `db:"removed"`
	Doc     string `db:"doc"`
	Packed  []byte `db:"packed"`
	Said    [sha256.Size]byte
}

// Holds tells what is in the data now.
func (s *Store) Holds(ctx context.Context) (*Holding, error) {
	h, err := holds(ctx, s.reads, newestMigration())
	if err != nil {
		return nil, storageFault("counting what there is", false, err)
	}
	return h, nil
}

// HoldsFile reads a backup whole, tells what is in it, and writes nothing. Errors say what is wrong
// with it.
func HoldsFile(ctx context.Context, file string) (*Holding, error) {
	if _, err := os.Stat(file); err != nil {
		return nil, badBackup(file, err)
	}
	at, err := versionOf(ctx, file)
	if err != nil {
		return nil, badBackup(file, err)
	}
	switch {
	case at == 0:
		return nil, &fault.Error{Kind: fault.User, Say: file + " is not a backup of Hidden Lanes: it has none of its tables"}
	case at > newestMigration():
		return nil, &fault.Error{Kind: fault.User,
			Say: fmt.Sprintf("%s was written by a later Hidden Lanes (tables of version %d; this one knows up to %d). "+
				"Restore it with that one", file, at, newestMigration())}
	}
	db, err := sqlx.Open("sqlite", fileName(file)+"?mode=ro&_pragma=busy_timeout(5000)")
	if err != nil {
		return nil, badBackup(file, err)
	}
	defer db.Close()
	var said []string
	if err := db.SelectContext(ctx, &said, `PRAGMA integrity_check(1)`); err != nil {
		return nil, badBackup(file, err)
	}
	if len(said) != 1 || said[0] != "ok" {
		return nil, badBackup(file, errors.New(said[0]))
	}
	h, err := holds(ctx, db, at)
	if err != nil {
		return nil, badBackup(file, err)
	}
	h.file, h.version = file, at
	return h, nil
}

func badBackup(file string, err error) error {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return &fault.Error{Kind: fault.Missing, Say: file + " is not there", Err: err}
	case errors.Is(err, context.Canceled):
		return err
	}
	return &fault.Error{Kind: fault.User, Doing: "reading " + file, Err: err,
		Say: file + " cannot be restored: it is damaged, or no backup of Hidden Lanes. Choose another one"}
}

// packedSince is the version of the tables from which on documents may be packed.
const packedSince = 8

func holds(ctx context.Context, db *sqlx.DB, version int64) (*Holding, error) {
	h := &Holding{}
	packed := "r.packed"
	if version < packedSince {
		packed = "NULL AS packed"
	}
	const all = `SELECT count(*) FROM `
	if err := errors.Join(db.GetContext(ctx, &h.Instruments, all+`instruments WHERE removed = 0`),
		db.GetContext(ctx, &h.Songs, all+`songs`), db.GetContext(ctx, &h.Charts, all+`chart_versions`)); err != nil {
		return nil, err
	}
	if err := db.SelectContext(ctx, &h.Projects, `SELECT coalesce(p.uid, '') AS uid, p.name, p.state, p.removed, r.doc, `+
		packed+`
		FROM projects p JOIN revisions r ON r.id = p.head WHERE p.removed < 2 ORDER BY p.name, p.id`); err != nil {
		return nil, err
	}
	for i, p := range h.Projects {
		if p.Packed != nil {
			var err error
			if p.Doc, err = unpack(p.Packed); err != nil {
				return nil, err
			}
		}
		h.Projects[i].Said, h.Projects[i].Doc, h.Projects[i].Packed = sha256.Sum256([]byte(p.Doc)), "", nil
	}
	return h, nil
}

// Restore puts what is in a backup that HoldsFile has read in the place of all there is, in one
// change. The caller has the folder alone. Numbers of revisions that were given out since are not given again, so that
// no page that was open before can be taken for one of now.
func (s *Store) Restore(ctx context.Context, backup *Holding) error {
	if err := s.inTurn(ctx, func() error { return s.copyFrom(ctx, backup.file) }); err != nil {
		return err
	}
	s.recent.clear() // before anything is derived: a revision of now may have the number of one of then
	if err := s.bringUpToDate(ctx, s.path, backup.version); err != nil {
		return cannotOpen(s.path, err)
	}
	s.log.Info("the data is as a backup has it", "backup", backup.file)
	return nil
}

// counters are the tables whose numbers are never given twice.
const counters = `SELECT name, seq FROM sqlite_sequence`

type counter struct {
	Name string `db:"name"`
	Last int64  `db:"seq"`
}

func (s *Store) copyFrom(ctx context.Context, file string) error {
	var last []counter
	if err := s.db.SelectContext(ctx, &last, counters); err != nil {
		return storageFault("reading what was counted", true, err)
	}
	c, err := s.db.Conn(ctx)
	if err != nil {
		return storageFault("restoring", true, err)
	}
	err = c.Raw(func(driver any) error {
		b, err := driver.(interface {
			NewRestore(string) (*sqlite.Backup, error)
		}).NewRestore(fileName(file) + "?mode=ro")
		if err != nil {
			return err
		}
		_, err = b.Step(-1)
		return errors.Join(err, b.Finish())
	})
	if err == nil {
		for _, x := range last {
			if _, err = c.ExecContext(ctx, `UPDATE sqlite_sequence SET seq = max(seq, ?) WHERE name = ?`, x.Last,
				x.Name); err != nil {
				break
			}
		}
	}
	return storageFault("restoring", true, errors.Join(err, c.Close()))
}

// ReadAll does a reading of several statements on one state of the data, whatever others do.
func (s *Store) ReadAll(ctx context.Context, do func(u *Unit) error) error {
	tx, err := s.reads.BeginTxx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return storageFault("reading", false, err)
	}
	defer tx.Rollback() //nolint:errcheck // nothing was changed
	return do(&Unit{store: s, tx: tx})
}
