package app

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format/bundle"
	"hiddenlanes/internal/progress"
	"hiddenlanes/internal/words"
	"hiddenlanes/store"
)

// WriteLibrary writes the whole library: every project on the list, at work, archived or
// a template, the shelf, the kept versions of the house chart and what else is kept.
// It gives what is damaged and therefore left out, in words, which the file says too.
func (a *App) WriteLibrary(ctx context.Context, w io.Writer) (leftOut []string, err error) {
	f := bundle.NewLibrary()
	if err := a.gather(ctx, f); err != nil {
		return nil, err
	}
	err = f.Write(w, func(yield func(bundle.LibraryProject) error) error { return a.eachProject(ctx, f, yield) })
	return f.LeftOut, err
}

// gather fills a library file with all there is.
func (a *App) gather(ctx context.Context, f *bundle.Library) error {
	versions, err := a.ChartVersions(ctx)
	if err != nil {
		return err
	}
	slices.Reverse(versions)
	for _, v := range versions {
		c, err := a.HouseVersion(ctx, v.Number)
		if err != nil {
			return err
		}
		f.Charts = append(f.Charts, bundle.LibraryChart{Note: v.Note, Chart: c})
	}
	shelf, err := a.Shelf(ctx)
	if err != nil {
		return err
	}
	for _, row := range shelf {
		in, err := a.Instrument(ctx, row.ID)
		if store.IsDamaged(err) {
			f.LeftOut = append(f.LeftOut, fmt.Sprintf("instrument %d, %s: it is damaged", row.ID, row.Name))
			continue
		}
		if err != nil {
			return err
		}
		x := bundle.LibraryInstrument{Number: in.ID, Instrument: in.Rig}
		if in.Source {
			src, err := a.store.SourceOf(ctx, in.ID)
			if err != nil {
				return err
			}
			x.Source = &bundle.LibrarySource{Format: src.Format, Main: src.Main, Data: src.Data}
		}
		f.Instruments = append(f.Instruments, x)
	}
	setups, err := a.Setups(ctx)
	if err != nil {
		return err
	}
	for _, s := range setups {
		f.Setups = append(f.Setups, bundle.LibrarySetup{Name: s.Name, Variant: s.Variant, Outputs: s.Outputs, First: s.First,
			Default: s.Default})
	}
	own, err := a.settings(ctx)
	if err != nil {
		return err
	}
	f.Profiles = own.Profiles
	f.Spellings, err = a.store.Spellings(ctx)
	return err
}

// eachProject gives every project on the list for a library file, and tells the file which are
// damaged.
func (a *App) eachProject(ctx context.Context, f *bundle.Library, yield func(bundle.LibraryProject) error) error {
	projects, err := a.store.Identities(ctx)
	if err != nil {
		return err
	}
	for _, id := range projects {
		if id.Removed {
			continue
		}
		p, err := a.Project(ctx, id.ID)
		if store.IsDamaged(err) {
			f.LeftOut = append(f.LeftOut, fmt.Sprintf("project %d, %s: it is damaged", id.ID, id.Name))
			continue
		}
		if err != nil {
			return err
		}
		x := bundle.LibraryProject{UID: id.UID, State: id.State, Project: p.Plan}
		if err := a.withHistory(ctx, id.ID, &x); err != nil {
			return err
		}
		if s := p.Plan.Song; s != nil && s.ID != 0 {
			if x.Song, err = a.store.Song(ctx, s.ID); err != nil {
				return fmt.Errorf("reading the song of %s: %w", p.Plan.Name, err)
			}
			out, song := *p.Plan, *s
			song.ID = 0 // a number of this store
			out.Song, x.Project = &song, &out
		}
		if err := yield(x); err != nil {
			return err
		}
	}
	return nil
}

// withHistory says in which state a project goes out, and which states it has had.
func (a *App) withHistory(ctx context.Context, id int64, x *bundle.LibraryProject) error {
	at, err := a.store.Standing(ctx, id)
	if err != nil {
		return err
	}
	x.Head, x.Changed = at.UID, at.ChangedAt
	states, err := a.store.States(ctx, id)
	for _, s := range states {
		x.History = append(x.History, bundle.LibraryState(s))
	}
	return err
}

// Diverged is a project that was changed both here and where a library file comes from.
type Diverged struct {
	Name        string
	Here, There string // when it was changed last; RFC 3339, There "" where the file does not say
}

func (d Diverged) String() string {
	there := "at a time it does not say"
	if d.There != "" {
		there = minute(d.There)
	}
	return fmt.Sprintf("%s (changed here %s, in the file %s)", d.Name, minute(d.Here), there)
}

// minute is a time as people read it: 2026-11-30 19:20 UTC.
func minute(at string) string {
	t, err := time.Parse(time.RFC3339Nano, at)
	if err != nil {
		return at
	}
	return t.UTC().Format("2006-01-02 15:04 UTC")
}

// Merging says what is done with projects that were changed both here and in the file: the file's
// are left out, or added as second projects.
type Merging struct{ Second bool }

// Merged tells what importing a library did.
type Merged struct {
	Instruments int // new on the shelf
	New         int // projects that were not here
	Updated     int // projects that were changed in the file since they were as they are here
	Same        int // projects that are here as they are in the file, or newer
	Diverged    []Diverged
	Second      bool // those were added as second projects; else they were left out
	Charts      int  // versions of the house chart
	ChartKept   bool
	Batch       int64    // undoes the updates
	Left        []string // projects that were changed meanwhile and stay as they are
	LeftOut     []string // was damaged where the file was written
	Shortened   string
}

func (m Merged) String() string {
	text := fmt.Sprintf("projects: %d new, %d updated, %d here already; instruments: %d new", m.New, m.Updated,
		m.Same, m.Instruments)
	switch {
	case m.Charts > 0:
		text += fmt.Sprintf("; versions of the house chart: %d", m.Charts)
	case m.ChartKept:
		text += "; your own house chart stays, the file has another"
	}
	switch n := len(m.Diverged); {
	case n > 0 && m.Second:
		text += fmt.Sprintf("; changed both here and in the file, and added as %s: %s",
			words.Count(n, "second project", "second projects"), divergedList(m.Diverged))
	case n > 0:
		text += fmt.Sprintf("; changed both here and in the file, and left as they are here: %s. To have both, import the "+
			"file again with “Add second projects” (--second in the command)", divergedList(m.Diverged))
	}
	if len(m.Left) > 0 {
		text += "; changed meanwhile, and left as they are here: " + words.Few(m.Left) + " (import again to bring them)"
	}
	if len(m.LeftOut) > 0 {
		text += "; damaged where the file was written, and not in it: " + words.Few(m.LeftOut)
	}
	return andSaid(text, m.Shortened)
}

func divergedList(list []Diverged) string {
	names := make([]string, len(list))
	for i, d := range list {
		names[i] = d.String()
	}
	return strings.Join(names, ", ")
}

// contentHash names what a project says, without the numbers of one store.
func contentHash(p *plan.Project) string {
	c := *p
	c.Placed = slices.Clone(p.Placed)
	for i := range c.Placed {
		c.Placed[i].Shelf, c.Placed[i].AsItCame = 0, nil
	}
	c.Patched, c.StandIn = p.Patched.WithoutNames(), p.StandIn.WithoutNames()
	if p.Song != nil {
		song := *p.Song
		song.ID = 0
		c.Song = &song
	}
	doc, err := json.Marshal(c)
	if err != nil {
		panic("a project that cannot be written: " + err.Error())
	}
	return document.Hash(doc)
}

// MergeLibrary brings a library file into this one without doubles. A project that is
// here already is left alone where the file has a state that it had here before, and brought up
// to date, undoably, where the file knows the state that it is in here. Where neither knows the
// other's, both were changed: the project here stays, and the file's is left out or added as a
// second one. All of it is brought, or nothing.
func (a *App) MergeLibrary(ctx context.Context, r io.Reader, how Merging) (*Merged, error) {
	f, err := bundle.OpenLibrary(ctx, r)
	if err != nil {
		return nil, err
	}
	return a.Merge(ctx, f, how)
}

// Merge is MergeLibrary for a file that was read. It is written in short changes, so that
// others go on meanwhile, and is seen as a whole or not at all.
func (a *App) Merge(ctx context.Context, f *bundle.LibraryFile, how Merging) (*Merged, error) {
	defer f.Close() //nolint:errcheck // it was only read
	out := &Merged{LeftOut: f.LeftOut, Second: how.Second}
	im, err := a.db.BeginImport(ctx)
	if err != nil {
		return nil, err
	}
	if err := a.merge(ctx, im, f, out); err != nil {
		im.Drop(ctx)
		return nil, err
	}
	out.Shortened = f.Shortened()
	return out, nil
}

func (a *App) merge(ctx context.Context, im *store.Import, f *bundle.LibraryFile, out *Merged) error {
	shelf, err := mergeShelf(ctx, im, f, out)
	if err != nil {
		return err
	}
	here := map[string]store.ProjectIdentity{}
	identities, err := a.store.Identities(ctx)
	if err != nil {
		return err
	}
	for _, id := range identities {
		here[id.UID] = id
	}
	err = f.Each(ctx, func(i int, p bundle.LibraryProject) error {
		progress.Report(ctx, "projects kept", i, f.Count())
		if err := ctx.Err(); err != nil {
			return err
		}
		for i := range p.Project.Placed {
			p.Project.Placed[i].Shelf = shelf[p.Project.Placed[i].Shelf]
		}
		return a.mergeProject(ctx, im, here, p, out)
	})
	if err != nil {
		return err
	}
	published, err := im.Publish(ctx,
		func(n int) string {
			return fmt.Sprintf("update %s from a library file", words.Count(n, "project", "projects"))
		},
		func(u *store.Unit) error {
			return a.within(u).mergeRest(ctx, f, out)
		})
	if err != nil {
		return err
	}
	out.New, out.Updated, out.Batch, out.Left = published.New, published.Updated, published.Batch, published.Left
	return nil
}

func statesOf(p bundle.LibraryProject) (out []store.ProjectState) {
	for _, s := range p.History {
		out = append(out, store.ProjectState(s))
	}
	return out
}

// had reports whether a project has been here in the state of a file: by the state's identity, or,
// of files that do not say one and of states from before there were any, by what it says.
func (a *App) had(ctx context.Context, im *store.Import, id int64, at store.Standing, p bundle.LibraryProject) (
	bool, error) {
	if p.Head != "" {
		if known, err := a.store.KnowsState(ctx, id, p.Head); err != nil || known {
			return known, err
		}
		if p.Had(at.UID) {
			return false, nil
		}
	}
	is := contentHash(p.Project)
	head, had, err := a.store.Had(ctx, id, is)
	if err != nil || !had || p.Head == "" {
		return had, err
	}
	now, err := a.store.Project(ctx, id)
	if err == nil && contentHash(now.Plan) == is {
		im.Same(id, head, p.Head, statesOf(p))
	}
	return true, err
}

// secondName is what a second project is called that a file brings.
func secondName(name string) string {
	const suffix = ", from this file"
	return words.Short(rig.MaxName-len(suffix), name) + suffix
}

// mergeShelf adds the instruments of a library file, and gives the numbers that they have here by
// those that they have there.
func mergeShelf(ctx context.Context, im *store.Import, f *bundle.LibraryFile, out *Merged) (map[int64]int64, error) {
	var ins []store.NewInstrument
	for _, in := range f.Instruments {
		n := store.NewInstrument{Rig: in.Instrument}
		if s := in.Source; s != nil {
			n.Source = &store.Source{Format: s.Format, Main: s.Main, Data: s.Data}
		}
		ins = append(ins, n)
	}
	ids, added, err := im.AddInstruments(ctx, ins)
	if err != nil {
		return nil, err
	}
	out.Instruments = added
	shelf := map[int64]int64{}
	for i, in := range f.Instruments {
		shelf[in.Number] = ids[i]
	}
	return shelf, nil
}

// mergeProject adds a project of a library file, or updates the one that is here, by its UID; one that
// both sides have changed is named, and added as a second one where that is asked for.
func (a *App) mergeProject(ctx context.Context, im *store.Import, here map[string]store.ProjectIdentity,
	p bundle.LibraryProject, out *Merged) error {
	arrival := store.Arrival{
		NewProject: store.NewProject{Plan: p.Project, State: p.State, UID: p.UID, Song: p.Song}, Head: p.Head,
		States: statesOf(p)}
	id, ok := here[p.UID]
	if !ok {
		return im.Add(ctx, arrival)
	}
	at, err := a.store.Standing(ctx, id.ID)
	if err != nil {
		return err
	}
	arrival.Base, arrival.Updates = at.Revision, id.ID
	p.Project.Relink()
	had, err := a.had(ctx, im, id.ID, at, p)
	switch {
	case err != nil:
		return err
	case had && !id.Removed:
		out.Same++
		return nil
	case had:
		arrival.Same = true
		return im.Add(ctx, arrival)
	case p.Had(at.UID):
		return im.Add(ctx, arrival)
	}
	out.Diverged = append(out.Diverged, Diverged{id.Name, at.ChangedAt, p.Changed})
	if !out.Second {
		return nil
	}
	arrival.Updates, arrival.Base, arrival.UID = 0, 0, store.NewUID()
	p.Project.Name = secondName(p.Project.Name)
	return im.Add(ctx, arrival)
}

// mergeCharts keeps the versions of a library file's house chart where there are none yet.
func (a *App) mergeCharts(ctx context.Context, f *bundle.LibraryFile, out *Merged) error {
	versions, err := a.ChartVersions(ctx)
	if err != nil || len(f.Charts) == 0 {
		return err
	}
	var charts []*house.Chart
	var notes []string
	for _, c := range f.Charts {
		charts, notes = append(charts, c.Chart), append(notes, c.Note)
	}
	if len(versions) == 0 {
		if err := a.store.KeepChartVersions(ctx, charts, notes); err != nil {
			return err
		}
		out.Charts = len(charts)
		return nil
	}
	mine, err := a.HouseVersion(ctx, 0)
	if err != nil {
		return err
	}
	was, _ := json.Marshal(mine)
	theirs, _ := json.Marshal(charts[len(charts)-1])
	out.ChartKept = !bytes.Equal(was, theirs)
	return nil
}

// mergeRest brings what is kept beside instruments and projects; what has a name that is
// here already stays as it is here.
func (a *App) mergeRest(ctx context.Context, f *bundle.LibraryFile, out *Merged) error {
	if err := a.mergeCharts(ctx, f, out); err != nil {
		return err
	}
	setups, err := a.Setups(ctx)
	if err != nil {
		return err
	}
	for _, s := range f.Setups {
		if !slices.ContainsFunc(setups, func(x store.Setup) bool { return strings.EqualFold(x.Name, s.Name) }) {
			taken := slices.ContainsFunc(setups, func(x store.Setup) bool { return x.Default && x.Variant == s.Variant })
			if err := a.KeepSetup(ctx, store.Setup{Name: s.Name, Variant: s.Variant, Outputs: s.Outputs, First: s.First,
				Default: s.Default && !taken}); err != nil {
				return err
			}
		}
	}
	profiles, err := a.Profiles(ctx)
	if err != nil {
		return err
	}
	for _, p := range f.Profiles {
		if _, err := rig.ProfileNamed(profiles, p.Name); err != nil {
			if err := a.KeepProfile(ctx, p); err != nil {
				return err
			}
		}
	}
	told, err := a.store.Spellings(ctx)
	if err != nil {
		return err
	}
	for spelling, r := range f.Spellings {
		if _, ok := told[spelling]; !ok {
			if err := a.store.RememberRole(ctx, spelling, r); err != nil {
				return err
			}
		}
	}
	return nil
}
