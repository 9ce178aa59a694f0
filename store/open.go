package store

import (
	"cmp"
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver, in Go alone
	sqlite3 "modernc.org/sqlite/lib"

	"hiddenlanes/internal/fault"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Options are how a database is opened; the zero value is right for people.
type Options struct {
	Log *slog.Logger // is told of migrations and their copies; nil: nobody is
	// Owner says what this process does as the only one that serves or restores the data; "":
	// it works beside one that does.
	Owner string
	// Now is the clock; nil: the system's.
	Now func() time.Time
	// Wait is how long a change waits for one of another program; 0: 30 s.
	Wait time.Duration
	// Pages is the most pages of 4 KiB that the database may take; 0: as many as the
	// disk holds. With Pages a full disk can be tried out without one.
	Pages int
	// ReadOnly refuses every change, as a read-only disk does.
	ReadOnly bool
}

// Open opens the database in a file and brings its tables and documents up to date,
// after a copy was made. One that a later release wrote is refused before anything is
// written. Each accepted change is on disk before the call that made it returns.
func Open(ctx context.Context, path string, derive Derivation, o Options) (s *Store, err error) {
	at, err := versionOf(ctx, path)
	if err != nil {
		return nil, cannotOpen(path, err)
	}
	free, err := lockToOpen(ctx, path, at, o)
	if err != nil {
		return nil, err
	}
	defer func() {
		if o.Owner == "" || s == nil {
			free()
			return
		}
		s.free = free
	}()
	if !o.ReadOnly {
		keepPrivate(path)
	}
	s = &Store{recent: recent{analyse: derive.Analyse}, path: path, turn: make(chan struct{}, 1),
		atCommit: func(bool) {}, now: time.Now, derive: derive,
		log: cmp.Or(o.Log, slog.New(slog.DiscardHandler))}
	if o.Now != nil {
		s.now = o.Now
	}
	s.Unit = &Unit{store: s}
	if s.db, err = sqlx.Open("sqlite", dsn(path, o)+"&_txlock=immediate"); err != nil {
		return nil, cannotOpen(path, err)
	}
	s.db.SetMaxOpenConns(1)
	if s.reads, err = sqlx.Open("sqlite", dsn(path, o)); err != nil {
		return nil, cannotOpen(path, errors.Join(err, s.db.Close()))
	}
	s.reads.SetMaxOpenConns(8)
	if err := s.bringUpToDate(ctx, path, at); err != nil {
		s.Close()
		return nil, cannotOpen(path, err)
	}
	return s, nil
}

// lockToOpen takes the folder for an owner, or as long as the data is made or brought up to date.
func lockToOpen(ctx context.Context, path string, at int64, o Options) (free func(), err error) {
	who, wait := o.Owner, time.Duration(0)
	if who == "" {
		who, wait = "bringing the data up to date", cmp.Or(o.Wait, 30*time.Second)
	}
	if o.ReadOnly || o.Owner == "" && at >= newestMigration() {
		return func() {}, nil
	}
	l, err := own(ctx, path, who, wait)
	if err != nil {
		return nil, err
	}
	return func() { _ = l.Free() }, nil
}

// newestMigration is the version of the tables that this release writes.
func newestMigration() (last int64) {
	files, _ := fs.Glob(migrations, "migrations/*.sql")
	for _, f := range files {
		var n int64
		if _, err := fmt.Sscanf(filepath.Base(f), "%d_", &n); err == nil {
			last = max(last, n)
		}
	}
	return last
}

// keepPrivate lets nobody but the owner read the database and what the library writes beside it, whose
// rights are those of the database. Where that cannot be had, opening says why.
func keepPrivate(path string) {
	if f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600); err == nil {
		_ = f.Close()
	}
	for _, beside := range []string{"", "-wal", "-shm"} {
		_ = os.Chmod(path+beside, 0o600)
	}
}

func fileName(path string) string {
	return "file:" + strings.NewReplacer("%", "%25", "?", "%3f", "#", "%23").Replace(path)
}

func dsn(path string, o Options) string {
	out := fileName(path) + fmt.Sprintf("?_pragma=busy_timeout(%d)", cmp.Or(o.Wait, 30*time.Second).Milliseconds())
	out += "&_pragma=auto_vacuum(2)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)"
	if o.Pages > 0 {
		out += fmt.Sprintf("&_pragma=max_page_count(%d)", o.Pages)
	}
	if o.ReadOnly {
		out += "&_pragma=query_only(1)"
	}
	return out
}

func provider(db *sql.DB, s *Store) (*goose.Provider, error) {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectSQLite3, db, sub, goose.WithGoMigrations(
		goose.NewGoMigration(5, &goose.GoFunc{RunTx: s.documentsToVersion1}, nil)))
}

// versionOf reads the version of the tables in a file and writes nothing; 0 where there
// is no file yet.
func versionOf(ctx context.Context, path string) (version int64, err error) {
	if info, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) || err == nil && info.Size() == 0 {
		return 0, nil
	} else if err != nil {
		return 0, err
	}
	db, err := sqlx.Open("sqlite", fileName(path)+"?mode=ro&_pragma=busy_timeout(5000)")
	if err != nil {
		return 0, err
	}
	defer db.Close()
	var tables int
	if err := db.GetContext(ctx, &tables,
		`SELECT count(*) FROM sqlite_master WHERE name = 'goose_db_version'`); err != nil {
		return 0, err
	}
	if tables == 0 {
		return 0, nil
	}
	err = db.GetContext(ctx, &version, `SELECT coalesce(max(version_id), 0) FROM goose_db_version WHERE is_applied = 1`)
	return version, err
}

// bringUpToDate migrates a database from version at, and derives what comes from other
// rules.
func (s *Store) bringUpToDate(ctx context.Context, path string, at int64) error {
	p, err := provider(s.db.DB, s)
	if err != nil {
		return err
	}
	last := newestMigration()
	if at > last {
		return &fault.Error{Kind: fault.Storage, Say: fmt.Sprintf("a later Hidden Lanes wrote it: its tables are of "+
			"version %d, and this one knows versions up to %d. Nothing was changed. Start the later one", at, last)}
	}
	older := at > 0 && at < last
	if older {
		copied, err := s.copyTo(ctx, path, at)
		if err != nil {
			return err
		}
		s.log.Info("bringing the data up to date", "from", at, "to", last, "copy", copied)
	}
	for v := at; v < last; v++ {
		s.log.Debug("bringing the tables on", "from", v)
		if _, err := p.UpByOne(ctx); err != nil {
			return err
		}
	}
	if older {
		s.log.Debug("making the data file smaller")
		if _, err := s.db.ExecContext(ctx, `VACUUM`); err != nil { // it is only larger than it need be
			s.log.Warn("the data file could not be made smaller", "err", err)
		}
	}
	if s.file, err = os.Stat(path); err != nil {
		return err
	}
	for _, do := range []func(context.Context) error{s.deriveInstruments, s.deriveProjects, s.dropImports} {
		if err := do(ctx); err != nil {
			return err
		}
	}
	return nil
}

// copyName is what the copy is called that is made of a database before it is brought on
// from a version.
func copyName(path, version string) string {
	ext := filepath.Ext(path)
	return strings.TrimSuffix(path, ext) + "-version-" + version + ext
}

// copyTo makes a copy of the whole database beside it. A copy of the same version is
// replaced when the new one is whole: where a migration was broken off nothing has
// changed since.
func (s *Store) copyTo(ctx context.Context, path string, version int64) (string, error) {
	name := copyName(path, strconv.FormatInt(version, 10))
	part := name + ".part"
	if err := os.Remove(part); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", err
	}
	if err := s.vacuumInto(ctx, part); err != nil {
		os.Remove(part)
		return "", err
	}
	if err := errors.Join(os.Chmod(part, 0o600), onDisk(part)); err != nil {
		return "", err
	}
	return name, os.Rename(part, name)
}

func onDisk(file string) error {
	f, err := os.OpenFile(file, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	return errors.Join(f.Sync(), f.Close())
}

// cannotOpen says that a database cannot be opened, why, and where its copies are.
func cannotOpen(path string, err error) error {
	var f *fault.Error
	t, known := troubles[codeOf(err)]
	switch {
	case errors.Is(err, context.Canceled):
		return err
	case errors.Is(err, fs.ErrPermission):
		t, known = trouble{what: "the data folder may not be read or written", do: allowIt}, true
	case errors.Is(err, syscall.EROFS):
		t, known = readOnly, true
	case errors.Is(err, syscall.ENOSPC):
		t, known = troubles[sqlite3.SQLITE_FULL], true
	case errors.As(err, &f) && !known:
		return &fault.Error{Kind: f.Kind, Full: f.Full, Stack: f.Stack, Doing: "opening " + path, Err: err,
			Say: fmt.Sprintf("%s cannot be opened: %s", path, f.Say)}
	case !known:
		return fault.Bug("opening "+path, err)
	}
	say := fmt.Sprintf("%s cannot be opened: %s. %s", path, t.what, t.do)
	if copies, _ := filepath.Glob(copyName(path, "*")); t.copies && len(copies) > 0 {
		say += "; there is " + strings.Join(copies, ", ")
	}
	return &fault.Error{Kind: fault.Storage, Full: codeOf(err) == sqlite3.SQLITE_FULL, Say: say, Doing: "opening " + path,
		Err: err}
}
