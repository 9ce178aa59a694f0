package app

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strings"
	"sync"

	"github.com/google/jsonschema-go/jsonschema"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
	"hiddenlanes/format/smf"
	"hiddenlanes/store"
)

// LibraryFile is a whole library as one file of our own.
type LibraryFile struct {
	Format      string               `json:"format"`
	Version     int                  `json:"version"`
	Charts      []ChartFile          `json:"charts"` // the kept versions of the house chart
	Instruments []InstrumentFile     `json:"instruments"`
	Projects    []ProjectFile        `json:"projects"`
	Setups      []SetupFile          `json:"setups,omitempty"`
	Profiles    []rig.Profile        `json:"profiles,omitempty"` // of hosts, the user's own
	Spellings   map[string]role.Role `json:"spellings,omitempty"`
}

// ChartFile is a kept version of the house chart.
type ChartFile struct {
	Note  string       `json:"note,omitempty"`
	Chart *house.Chart `json:"chart"`
}

// InstrumentFile is an instrument of the shelf.
type InstrumentFile struct {
	Number     int64          `json:"number"` // by which projects of the file name it, as their shelf number
	Instrument rig.Instrument `json:"instrument"`
	Source     *SourceFile    `json:"source,omitempty"`
}

// SourceFile is what an instrument was read from.
type SourceFile struct {
	Format string `json:"format"`
	Main   string `json:"main"`
	Data   []byte `json:"data"` // its texts as one ZIP
}

// ProjectFile is a project. UID is the same in every library that it comes to.
type ProjectFile struct {
	UID     string        `json:"uid"`
	State   string        `json:"state,omitempty"`
	Project *plan.Project `json:"project"`
	Song    []byte        `json:"song,omitempty"` // the bytes of its song
}

// SetupFile is an output set-up kept by name.
type SetupFile struct {
	Name    string   `json:"name"`
	Variant string   `json:"variant,omitempty"`
	Outputs string   `json:"outputs"`
	First   rig.Port `json:"first"`
	Default bool     `json:"default,omitempty"`
}

const libraryFormat, libraryVersion = "hiddenlanes-library", 1

// maxLibrary bounds the file that is read, in bytes.
const maxLibrary = 1 << 30

// bundleFile is a project bundle for its schema.
type bundleFile struct {
	Format  string        `json:"format"`
	Version int           `json:"version"`
	Project *plan.Project `json:"project"`
	Song    *BundledSong  `json:"song,omitempty"`
}

// Schemas gives the JSON Schemas of our own files, by file name, made from the types
// that are written and read. They are the ones published in docs.
var Schemas = sync.OnceValue(func() map[string]*jsonschema.Schema {
	object := func(of *jsonschema.Schema, names string) *jsonschema.Schema {
		return &jsonschema.Schema{Type: "object", AdditionalProperties: of, PropertyNames: &jsonschema.Schema{Pattern: names}}
	}
	words := func(list ...any) *jsonschema.Schema { return &jsonschema.Schema{Type: "string", Enum: list} }
	var sure []any
	for s := role.NoIdea; s <= role.Told; s++ {
		sure = append(sure, s.String())
	}
	options := &jsonschema.ForOptions{TypeSchemas: map[reflect.Type]*jsonschema.Schema{
		reflect.TypeFor[audio.Width]():         words("mono", "stereo", "5.1"),
		reflect.TypeFor[plan.State]():          words("", string(plan.Assigned), string(plan.Parked), string(plan.Off)),
		reflect.TypeFor[plan.LaneKind]():       words(string(plan.Regular), string(plan.Bus)),
		reflect.TypeFor[rig.Side]():            words("", string(rig.Left), string(rig.Right)),
		reflect.TypeFor[rig.Mode]():            words("", string(rig.Own), string(rig.ByMic), string(rig.Each)),
		reflect.TypeFor[rig.Axis]():            words("", string(rig.ByInstrument), string(rig.ByMicrophone)),
		reflect.TypeFor[role.Sureness]():       {Type: "string", Enum: sure},
		reflect.TypeFor[plan.Ranges]():         {Type: "string", Description: "lane numbers such as 1–4, 9"},
		reflect.TypeFor[map[midi.Key]int]():    object(&jsonschema.Schema{Type: "integer"}, `^\d+$`),
		reflect.TypeFor[map[int]bool]():        object(&jsonschema.Schema{Type: "boolean"}, `^-?\d+$`),
		reflect.TypeFor[[]byte]():              {Types: []string{"string", "null"}, ContentEncoding: "base64"},
		reflect.TypeFor[map[string]int]():      {Types: []string{"object", "null"}, AdditionalProperties: &jsonschema.Schema{Type: "integer"}},
		reflect.TypeFor[map[string]rig.Mode](): {Types: []string{"object", "null"}, AdditionalProperties: words("", string(rig.Own), string(rig.ByMic), string(rig.Each))},
	}}
	out := map[string]*jsonschema.Schema{}
	add := func(file, title, format string, version int, s *jsonschema.Schema, err error) {
		if err != nil {
			panic(fmt.Sprintf("the schema of %s: %v", file, err)) // it is made of our own types
		}
		needOnly(s)
		s.Schema, s.ID, s.Title = "https://json-schema.org/draft/2020-12/schema", "urn:hiddenlanes:"+strings.TrimSuffix(file, ".schema.json"), title
		var f, v any = format, version
		s.Properties["format"] = &jsonschema.Schema{Const: &f}
		s.Properties["version"] = &jsonschema.Schema{Const: &v}
		out[file] = s
	}
	project, err := jsonschema.For[bundleFile](options)
	add("project.schema.json", "A project of Hidden Lanes", bundleFormat, bundleVersion, project, err)
	library, err := jsonschema.For[LibraryFile](options)
	add("library.schema.json", "A library of Hidden Lanes", libraryFormat, libraryVersion, library, err)
	return out
})

// needed are the fields that a file must have where its kind of thing has them; without
// any other, what it stands for is nothing.
var needed = []string{"format", "version", "project", "projects", "uid", "name", "id", "instrument", "chart", "number", "kind", "data"}

// needOnly lets a schema, and all below it, require nothing but what is needed.
func needOnly(s *jsonschema.Schema) {
	if s == nil {
		return
	}
	s.Required = slices.DeleteFunc(s.Required, func(name string) bool { return !slices.Contains(needed, name) })
	for _, below := range s.Properties {
		needOnly(below)
	}
	needOnly(s.Items)
	needOnly(s.AdditionalProperties)
}

// shape is a schema ready for holding documents against.
type shape struct{ *jsonschema.Resolved }

func newShape(s *jsonschema.Schema) shape {
	r, err := s.CloneSchemas().Resolve(nil)
	if err != nil {
		panic("a schema of our own: " + err.Error())
	}
	return shape{r}
}

func (s shape) check(data []byte) error {
	var doc any
	if err := json.Unmarshal(data, &doc); err != nil {
		return err
	}
	return s.Validate(doc)
}

// shapes are the schemas of whole files, and of one instrument and one project of a
// library, so that a large library is never held twice.
var shapes = sync.OnceValue(func() (out struct{ bundle, library, instrument, project shape }) {
	all := Schemas()
	out.bundle, out.library = newShape(all["project.schema.json"]), newShape(all["library.schema.json"])
	part := all["library.schema.json"].Properties
	out.instrument, out.project = newShape(part["instruments"].Items), newShape(part["projects"].Items)
	return out
})

// WriteLibrary writes the whole library: every project on the list, at work, archived or
// a template, the shelf, the kept versions of the house chart and what else is kept.
func (a *App) WriteLibrary(ctx context.Context, w io.Writer) error {
	f := LibraryFile{Format: libraryFormat, Version: libraryVersion, Charts: []ChartFile{}, Instruments: []InstrumentFile{}, Projects: []ProjectFile{}}
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
		f.Charts = append(f.Charts, ChartFile{v.Note, c})
	}
	shelf, err := a.Shelf(ctx)
	if err != nil {
		return err
	}
	for _, row := range shelf {
		in, err := a.Instrument(ctx, row.ID)
		if err != nil {
			return err
		}
		x := InstrumentFile{Number: in.ID, Instrument: in.Rig}
		if in.Source {
			src, err := a.SourceOf(ctx, in.ID)
			if err != nil {
				return err
			}
			x.Source = &SourceFile{src.Format, src.Main, src.Data}
		}
		f.Instruments = append(f.Instruments, x)
	}
	projects, err := a.Identities(ctx)
	if err != nil {
		return err
	}
	for _, id := range projects {
		p, err := a.Project(ctx, id.ID)
		if err != nil {
			return err
		}
		x := ProjectFile{UID: id.UID, State: id.State, Project: p.Plan}
		if p.Plan.Song != nil && p.Plan.Song.ID != 0 {
			if x.Song, err = a.Song(ctx, p.Plan.Song.ID); err != nil {
				return fmt.Errorf("reading the song of %s: %w", p.Plan.Name, err)
			}
			p.Plan.Song.ID = 0 // a number of this store
		}
		f.Projects = append(f.Projects, x)
	}
	setups, err := a.Setups(ctx)
	if err != nil {
		return err
	}
	for _, s := range setups {
		f.Setups = append(f.Setups, SetupFile{s.Name, s.Variant, s.Outputs, s.First, s.Default})
	}
	if f.Profiles, err = a.ownProfiles(ctx); err != nil {
		return err
	}
	if f.Spellings, err = a.Spellings(ctx); err != nil {
		return err
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(f)
}

// ReadLibrary reads a library file strictly: what its schema does not know is refused,
// and so is a project or an instrument that cannot be computed with.
func ReadLibrary(ctx context.Context, r io.Reader) (*LibraryFile, error) {
	data, err := io.ReadAll(io.LimitReader(r, maxLibrary+1))
	if err != nil {
		return nil, err
	}
	bad := func(where, what string, args ...any) error {
		return format.Errorf("library file", where, "write it again from a Hidden Lanes of this version or a later one", what, args...)
	}
	if len(data) > maxLibrary {
		return nil, bad("", "it is larger than %d MiB", maxLibrary>>20)
	}
	var parts struct {
		Format      string            `json:"format"`
		Version     int               `json:"version"`
		Instruments []json.RawMessage `json:"instruments"`
		Projects    []json.RawMessage `json:"projects"`
	}
	if err := json.Unmarshal(data, &parts); err != nil {
		return nil, bad("", "%v", err)
	}
	if parts.Format != libraryFormat || parts.Version != libraryVersion {
		return nil, bad("", "it is %q version %d, and %q version %d can be read", parts.Format, parts.Version, libraryFormat, libraryVersion)
	}
	rest := map[string]json.RawMessage{}
	if err := json.Unmarshal(data, &rest); err != nil {
		return nil, bad("", "%v", err)
	}
	for _, k := range []string{"instruments", "projects"} {
		if _, ok := rest[k]; ok {
			rest[k] = json.RawMessage("[]")
		}
	}
	frame, err := json.Marshal(rest)
	if err != nil {
		return nil, err
	}
	if err := shapes().library.check(frame); err != nil {
		return nil, bad("", "%v", err)
	}
	f := &LibraryFile{}
	if err := strictly(frame, f); err != nil {
		return nil, bad("", "%v", err)
	}
	f.Instruments, f.Projects = make([]InstrumentFile, len(parts.Instruments)), make([]ProjectFile, len(parts.Projects))
	err = errors.Join(
		onEveryProcessor(ctx, "instruments read", len(parts.Instruments), func(i int) error {
			raw := parts.Instruments[i]
			if err := cmp.Or(shapes().instrument.check(raw), strictly(raw, &f.Instruments[i])); err != nil {
				return bad(fmt.Sprintf("instrument %d", i+1), "%v", err)
			}
			return nil
		}),
		onEveryProcessor(ctx, "projects read", len(parts.Projects), func(i int) error {
			raw := parts.Projects[i]
			if err := cmp.Or(shapes().project.check(raw), strictly(raw, &f.Projects[i])); err != nil {
				return bad(fmt.Sprintf("project %d", i+1), "%v", err)
			}
			return nil
		}))
	if err != nil {
		return nil, err
	}
	for i, c := range f.Charts {
		if c.Chart == nil || c.Chart.Version < 1 || i > 0 && c.Chart.Version <= f.Charts[i-1].Chart.Version {
			return nil, bad("", "version %d of the house chart is not numbered after the one before", i+1)
		}
		if err := c.Chart.Validate(); err != nil {
			return nil, bad("house chart", "%v", err)
		}
	}
	for _, in := range f.Instruments {
		if err := in.Instrument.Validate(); err != nil {
			return nil, bad("instrument "+in.Instrument.Name, "%v", err)
		}
	}
	seen := map[string]bool{}
	for _, p := range f.Projects {
		if p.UID == "" || seen[p.UID] || p.Project == nil {
			return nil, bad("", "a project has no identity of its own")
		}
		seen[p.UID] = true
		if err := complete(p.Project); err != nil {
			return nil, bad("project "+p.Project.Name, "%v", err)
		}
		if p.State != "" && p.State != store.Archived && p.State != store.Template {
			return nil, bad("project "+p.Project.Name, "its state is %q", p.State)
		}
		if p.Song != nil {
			if _, err := smf.Decode(bytes.NewReader(p.Song)); err != nil {
				return nil, fmt.Errorf("the song of %s: %w", p.Project.Name, err)
			}
		}
	}
	for _, s := range f.Setups {
		if _, err := rig.ParseRuns(s.Outputs); err != nil {
			return nil, bad("set-up "+s.Name, "%v", err)
		}
	}
	for _, p := range f.Profiles {
		if err := p.Validate(); err != nil {
			return nil, bad("host profile "+p.Name, "%v", err)
		}
	}
	for _, r := range f.Spellings {
		if _, err := role.Parse(string(r)); err != nil {
			return nil, bad("spellings", "%v", err)
		}
	}
	return f, nil
}

// strictly decodes JSON and refuses a field that is not known.
func strictly(data []byte, v any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode(v)
}

// complete makes a project from a file safe to compute with.
func complete(p *plan.Project) error {
	p.Relink()
	for i := range p.Placed {
		if p.Placed[i].Feeds == nil {
			p.Placed[i].Feeds = map[string]plan.Assignment{}
		}
	}
	return p.Validate()
}

// Merged tells what bringing a library did.
type Merged struct {
	Instruments int // new on the shelf
	New         int // projects that were not here
	Updated     int // projects that the file has in a state they never had here
	Same        int // projects that are here as they are in the file, or newer
	Charts      int // versions of the house chart
	ChartKept   bool
	Batch       int64 // undoes the updates
}

func (m Merged) String() string {
	text := fmt.Sprintf("projects: %d new, %d brought up to date, %d here already; instruments: %d new", m.New, m.Updated, m.Same, m.Instruments)
	switch {
	case m.Charts > 0:
		text += fmt.Sprintf("; versions of the house chart: %d", m.Charts)
	case m.ChartKept:
		text += "; your own house chart stays, the file has another"
	}
	return text
}

// contentHash is what a project says, without the numbers of one store.
func contentHash(p *plan.Project) [32]byte {
	c := *p
	c.Placed = slices.Clone(p.Placed)
	for i := range c.Placed {
		c.Placed[i].Shelf = 0
	}
	if p.Song != nil {
		song := *p.Song
		song.ID = 0
		c.Song = &song
	}
	doc, err := json.Marshal(c)
	if err != nil {
		panic("a project that cannot be written: " + err.Error())
	}
	return sha256.Sum256(doc)
}

// MergeLibrary brings a library file into this one without doubles. A project that is
// here already is left alone where the file has a state that it had here before, and
// brought up to date, undoably, where it has another. All of it is brought, or nothing.
func (a *App) MergeLibrary(ctx context.Context, r io.Reader) (*Merged, error) {
	f, err := ReadLibrary(ctx, r)
	if err != nil {
		return nil, err
	}
	out := &Merged{}
	return out, a.AsOne(ctx, func(ctx context.Context) error { return a.merge(ctx, f, out) })
}

func (a *App) merge(ctx context.Context, f *LibraryFile, out *Merged) error {
	var ins []store.NewInstrument
	for _, in := range f.Instruments {
		n := store.NewInstrument{Rig: in.Instrument}
		if s := in.Source; s != nil {
			n.Source = &store.Source{Format: s.Format, Main: s.Main, Data: s.Data}
		}
		ins = append(ins, n)
	}
	ids, added, err := a.MergeInstruments(ctx, ins)
	if err != nil {
		return err
	}
	out.Instruments = added
	shelf := map[int64]int64{}
	for i, in := range f.Instruments {
		shelf[in.Number] = ids[i]
	}
	here := map[string]int64{}
	identities, err := a.Identities(ctx)
	if err != nil {
		return err
	}
	for _, id := range identities {
		here[id.UID] = id.ID
	}
	var fresh []store.NewProject
	var changes []store.Change
	for i, p := range f.Projects {
		store.Progress(ctx, "projects looked for", i, len(f.Projects))
		for i := range p.Project.Placed {
			p.Project.Placed[i].Shelf = shelf[p.Project.Placed[i].Shelf]
		}
		id, ok := here[p.UID]
		if !ok {
			fresh = append(fresh, store.NewProject{Plan: p.Project, State: p.State, UID: p.UID, Song: p.Song})
			continue
		}
		change, err := a.update(ctx, id, p)
		if err != nil {
			return err
		}
		if change == nil {
			out.Same++
		} else {
			changes = append(changes, *change)
		}
	}
	if len(changes) > 0 {
		if out.Updated, out.Batch, err = a.EditMany(ctx, fmt.Sprintf("bring %d projects up to date from a library file", len(changes)), changes); err != nil {
			return err
		}
	}
	if _, err := a.CreateProjects(ctx, fresh); err != nil {
		return err
	}
	out.New = len(fresh)
	return a.mergeRest(ctx, f, out)
}

// update is the change that brings a project to the state it has in a file, or nil where
// it has or had that here.
func (a *App) update(ctx context.Context, id int64, p ProjectFile) (*store.Change, error) {
	want, known := contentHash(p.Project), false
	if err := a.Past(ctx, id, func(past *plan.Project) bool {
		known = contentHash(past) == want
		return known
	}); err != nil || known {
		return nil, err
	}
	now, err := a.Project(ctx, id)
	if err != nil {
		return nil, err
	}
	return &store.Change{ID: id, Base: now.Revision, Song: p.Song, Edit: func(x *plan.Project) (string, error) {
		*x = *p.Project
		x.Relink()
		return "bring it up to date from a library file", nil
	}}, nil
}

// mergeRest brings what is kept beside instruments and projects; what has a name that is
// here already stays as it is here.
func (a *App) mergeRest(ctx context.Context, f *LibraryFile, out *Merged) error {
	versions, err := a.ChartVersions(ctx)
	if err != nil {
		return err
	}
	var charts []*house.Chart
	var notes []string
	for _, c := range f.Charts {
		charts, notes = append(charts, c.Chart), append(notes, c.Note)
	}
	if len(versions) == 0 && len(charts) > 0 {
		if err := a.KeepChartVersions(ctx, charts, notes); err != nil {
			return err
		}
		out.Charts = len(charts)
	} else if len(charts) > 0 {
		mine, err := a.HouseVersion(ctx, 0)
		if err != nil {
			return err
		}
		a, _ := json.Marshal(mine)
		b, _ := json.Marshal(charts[len(charts)-1])
		out.ChartKept = !bytes.Equal(a, b)
	}
	setups, err := a.Setups(ctx)
	if err != nil {
		return err
	}
	for _, s := range f.Setups {
		if !slices.ContainsFunc(setups, func(x store.Setup) bool { return strings.EqualFold(x.Name, s.Name) }) {
			taken := slices.ContainsFunc(setups, func(x store.Setup) bool { return x.Default && x.Variant == s.Variant })
			if err := a.KeepSetup(ctx, store.Setup{Name: s.Name, Variant: s.Variant, Outputs: s.Outputs, First: s.First, Default: s.Default && !taken}); err != nil {
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
	told, err := a.Spellings(ctx)
	if err != nil {
		return err
	}
	for spelling, r := range f.Spellings {
		if _, ok := told[spelling]; !ok {
			if err := a.RememberRole(ctx, spelling, r); err != nil {
				return err
			}
		}
	}
	return nil
}
