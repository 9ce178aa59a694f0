package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
	"hiddenlanes/store"
)

// Backup is a file with all there was at a time.
type Backup struct {
	Name string // of the file in the folder of backups
	Why  Reason
	Made time.Time // to the second, in local time
	Size int64     // in bytes
}

// Reason says why a backup was made.
type Reason string

// The reasons. Those made by hand stay until they are removed; the others go by age.
const (
	Daily         Reason = "daily"
	ByHand        Reason = "by-hand"
	BeforeRestore Reason = "before-restore"
)

var reasons = []Reason{Daily, ByHand, BeforeRestore}

// Says is the reason in words.
func (r Reason) Says() string { return strings.ReplaceAll(string(r), "-", " ") }

// BackupsFolder is where backups stand in the data folder.
const BackupsFolder = "backups"

// stampLayout is how the time stands in a backup's name: in order, and without what file
// systems refuse.
const stampLayout = "2006-01-02_15-04-05"

func backupName(made time.Time, why Reason) string {
	return fmt.Sprintf("%s_%s.db", made.Format(stampLayout), why)
}

// readBackupName tells when and why a backup was made, by its name alone.
func readBackupName(name string) (made time.Time, why Reason, ok bool) {
	stem, isDB := strings.CutSuffix(name, ".db")
	if !isDB || len(stem) <= len(stampLayout) || stem[len(stampLayout)] != '_' {
		return made, "", false
	}
	made, err := time.ParseInLocation(stampLayout, stem[:len(stampLayout)], time.Local)
	why = Reason(stem[len(stampLayout)+1:])
	return made, why, err == nil && slices.Contains(reasons, why) && backupName(made, why) == name
}

// BackupTime is when a backup was made, by its name.
func BackupTime(name string) time.Time {
	made, _, _ := readBackupName(name)
	return made
}

// Backups lists the backups there are, the last first.
func (a *App) Backups() ([]Backup, error) { return backupsIn(a.dir) }

func backupsIn(dir string) (out []Backup, err error) {
	files, err := os.ReadDir(filepath.Join(dir, BackupsFolder))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, folderFault(dir, err)
	}
	for _, f := range files {
		made, why, ok := readBackupName(f.Name())
		info, err := f.Info()
		if !ok || err != nil || !info.Mode().IsRegular() {
			continue
		}
		out = append(out, Backup{f.Name(), why, made, info.Size()})
	}
	slices.SortFunc(out, func(x, y Backup) int {
		return cmp.Or(y.Made.Compare(x.Made), cmp.Compare(y.Name, x.Name))
	})
	return out, nil
}

func folderFault(dir string, err error) error {
	return &fault.Error{Kind: fault.Storage, Doing: "looking at the backups", Err: err,
		Say: fmt.Sprintf("the backups in %s cannot be listed: %s", dir, fault.Say(err))}
}

// backupFile is the path of a backup; what is none of ours is not there.
func (a *App) backupFile(name string) (string, error) {
	if _, _, ok := readBackupName(name); !ok {
		return "", ErrNotFound
	}
	file := filepath.Join(a.dir, BackupsFolder, name)
	if info, err := os.Stat(file); err != nil || !info.Mode().IsRegular() {
		return "", ErrNotFound
	}
	return file, nil
}

// BackUp makes a backup in the data folder.
func (a *App) BackUp(ctx context.Context, why Reason) (Backup, error) {
	folder := filepath.Join(a.dir, BackupsFolder)
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return Backup{}, folderFault(a.dir, err)
	}
	all, err := a.Backups()
	if err != nil {
		return Backup{}, err
	}
	b := Backup{Why: why, Made: a.now().Truncate(time.Second)}
	for slices.ContainsFunc(all, func(x Backup) bool { return x.Made.Equal(b.Made) }) {
		b.Made = b.Made.Add(time.Second) // another was made in this one
	}
	b.Name = backupName(b.Made, why)
	file := filepath.Join(folder, b.Name)
	if err := a.db.BackUp(ctx, file); err != nil {
		return Backup{}, err
	}
	info, err := os.Stat(file)
	if err != nil {
		return Backup{}, folderFault(a.dir, err)
	}
	b.Size = info.Size()
	return b, nil
}

// BackUpTo writes a backup to a file of the user's choice.
func (a *App) BackUpTo(ctx context.Context, file string) error { return a.db.BackUp(ctx, file) }

// ReadBackup opens a backup for downloading.
func (a *App) ReadBackup(name string) (io.ReadSeekCloser, error) {
	file, err := a.backupFile(name)
	if err != nil {
		return nil, err
	}
	return os.Open(file)
}

// RemoveBackup removes a backup that is no longer needed.
func (a *App) RemoveBackup(name string) error {
	file, err := a.backupFile(name)
	if err != nil {
		return err
	}
	if err := os.Remove(file); err != nil {
		return folderFault(a.dir, err)
	}
	return nil
}

// How long backups stay that were not made by hand: every one for a week, then the last of each
// calendar week for four more.
const (
	keptDays  = 7
	keptWeeks = 4
)

// outlived lists the backups that may go. all are in order, the last first. The last one of all
// always stays.
func outlived(all []Backup, now time.Time) (out []Backup) {
	weeks := map[string]bool{}
	for i, b := range all {
		if b.Why == ByHand || i == 0 {
			continue
		}
		days := now.Sub(b.Made).Hours() / 24
		if days < keptDays {
			continue
		}
		year, week := b.Made.ISOWeek()
		if of := fmt.Sprint(year, week); days >= keptDays*(1+keptWeeks) || weeks[of] {
			out = append(out, b)
		} else {
			weeks[of] = true
		}
	}
	return out
}

// Kept tells what keeping house did.
type Kept struct {
	BackedUp *Backup // nil: the last one was young enough
	Removed  int     // backups that were too old
	Thinned  int     // documents beyond the reach of undo
	Freed    int64   // bytes given back to the disk
}

// KeepHouse does what is due: a backup where the last is older than a day, old backups away,
// documents beyond the reach of undo away, room given back. Others go on meanwhile.
func (a *App) KeepHouse(ctx context.Context) (k Kept, err error) {
	all, err := a.Backups()
	if err != nil {
		return k, err
	}
	if len(all) == 0 || a.now().Sub(all[0].Made) >= 24*time.Hour {
		b, err := a.BackUp(ctx, Daily)
		if err != nil {
			return k, err
		}
		k.BackedUp, all = &b, slices.Insert(all, 0, b)
	}
	for _, b := range outlived(all, a.now()) {
		if err := a.RemoveBackup(b.Name); err != nil {
			return k, err
		}
		k.Removed++
	}
	if k.Thinned, err = a.db.Thin(ctx); err != nil {
		return k, err
	}
	k.Freed, err = a.db.Compact(ctx)
	return k, err
}

// Comparison is what a backup holds, and what restoring it would do.
type Comparison struct {
	Projects, Archived, Templates, Removed int // of the backup
	Instruments, Songs, Charts             int
	Gone, Back, Earlier                    []string // projects that only are here; only there; that stand otherwise there
	Same                                   int      // projects that stand as they do here
	InstrumentsNow, SongsNow, ChartsNow    int
}

// CompareBackup tells what restoring a backup would do. Nothing is changed.
func (a *App) CompareBackup(ctx context.Context, name string) (*Comparison, error) {
	file, err := a.backupFile(name)
	if err != nil {
		return nil, err
	}
	return a.CompareFile(ctx, file)
}

// CompareFile is CompareBackup for any file.
func (a *App) CompareFile(ctx context.Context, file string) (*Comparison, error) {
	then, err := store.HoldsFile(ctx, file)
	if err != nil {
		return nil, err
	}
	now, err := a.db.Holds(ctx)
	if err != nil {
		return nil, err
	}
	c := &Comparison{Instruments: then.Instruments, Songs: then.Songs, Charts: then.Charts,
		InstrumentsNow: now.Instruments, SongsNow: now.Songs, ChartsNow: now.Charts}
	here := map[string]store.HeldProject{}
	for _, p := range now.Projects {
		here[p.UID] = p
	}
	for _, p := range then.Projects {
		switch {
		case p.Removed:
			c.Removed++
		case p.State == Archived:
			c.Archived++
		case p.State == Template:
			c.Templates++
		default:
			c.Projects++
		}
		h, ok := here[p.UID]
		delete(here, p.UID)
		switch {
		case p.Removed && (!ok || h.Removed): // not on the list before or after
		case !ok || h.Removed:
			c.Back = append(c.Back, p.Name)
		case p.Removed:
			c.Gone = append(c.Gone, h.Name)
		case h.Said != p.Said || h.State != p.State:
			c.Earlier = append(c.Earlier, p.Name)
		default:
			c.Same++
		}
	}
	for _, p := range now.Projects {
		if h, left := here[p.UID]; left && !h.Removed {
			c.Gone = append(c.Gone, h.Name)
		}
	}
	return c, nil
}

// Says tells in sentences what restoring would do.
func (c *Comparison) Says() (out []string) {
	say := func(names []string, one, many string) {
		if len(names) > 0 {
			out = append(out, fmt.Sprintf("%s: %s.", words.Capital(words.Count(len(names), one, many)), words.Few(names)))
		}
	}
	say(c.Gone, "project made since would be gone", "projects made since would be gone")
	say(c.Earlier, "project would stand as it did then", "projects would stand as they did then")
	say(c.Back, "project would come back", "projects would come back")
	for _, x := range []struct {
		then, now int
		what      string
	}{{c.Instruments, c.InstrumentsNow, "instruments on the shelf"}, {c.Songs, c.SongsNow, "songs"},
		{c.Charts, c.ChartsNow, "versions of the house chart"}} {
		if x.then != x.now {
			out = append(out, fmt.Sprintf("%s: %d instead of %d.", words.Capital(x.what), x.then, x.now))
		}
	}
	if len(out) == 0 {
		out = append(out, "Projects, instruments, songs and the house chart stand as they do in the backup.")
	}
	return out
}

// Restore puts a backup in the place of all there is, after a backup of that was made.
func (a *App) Restore(ctx context.Context, name string) (before Backup, err error) {
	file, err := a.backupFile(name)
	if err != nil {
		return before, err
	}
	return a.RestoreFile(ctx, file)
}

// RestoreFile is Restore for any file.
func (a *App) RestoreFile(ctx context.Context, file string) (before Backup, err error) {
	then, err := store.HoldsFile(ctx, file)
	if err != nil {
		return before, err
	}
	if before, err = a.BackUp(ctx, BeforeRestore); err != nil {
		return before, err
	}
	if err := a.db.Restore(ctx, then); err != nil {
		return before, err
	}
	a.memory.forget()
	return before, nil
}

// RestoreInto makes a data folder of a backup: one that is new, or whose data file cannot be
// opened, which is then set aside. It gives where the damaged one stands, or "".
func RestoreInto(ctx context.Context, dir, file string, o Options) (aside string, err error) {
	then, err := store.HoldsFile(ctx, file)
	if err != nil {
		return "", err
	}
	now := time.Now()
	if aside, err = store.SetAside(filepath.Join(dir, DataFile), now.Format(stampLayout)); err != nil {
		return "", err
	}
	a, err := openAnew(ctx, dir, o)
	if err != nil {
		return aside, err
	}
	return aside, errors.Join(a.db.Restore(ctx, then), a.Close())
}

// IsBroken reports whether an error says that the data file itself is damaged.
func IsBroken(err error) bool { return store.IsBroken(err) }

// IsDamaged reports whether an error says that one document cannot be read; all others can.
func IsDamaged(err error) bool { return store.IsDamaged(err) }

// Verified is what came of a look at everything.
type Verified = store.Verified

// Verify looks at everything there is.
func (a *App) Verify(ctx context.Context) (*Verified, error) {
	return a.db.Verify(ctx, func(text string) error { return settingsVersions.Read([]byte(text), &settings{}) })
}
