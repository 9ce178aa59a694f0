package bundle

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/progress"
)

// Library is a whole library as one file of our own.
type Library struct {
	Format      string               `json:"format"`
	Version     int                  `json:"version"`
	Charts      []LibraryChart       `json:"charts"` // the kept versions of the house chart
	Instruments []LibraryInstrument  `json:"instruments"`
	Projects    []LibraryProject     `json:"projects"`
	Setups      []LibrarySetup       `json:"setups,omitempty"`
	Profiles    []rig.Profile        `json:"profiles,omitempty"` // of hosts, the user's own
	Spellings   map[string]role.Role `json:"spellings,omitempty"`
	LeftOut     []string             `json:"leftOut,omitempty"` // what was damaged where it was written, in words
}

// LibraryChart is a kept version of the house chart.
type LibraryChart struct {
	Note  string       `json:"note,omitempty"`
	Chart *house.Chart `json:"chart"`
}

// LibraryInstrument is an instrument of the shelf.
type LibraryInstrument struct {
	Number     int64          `json:"number"` // by which projects of the file name it, as their shelf number
	Instrument rig.Instrument `json:"instrument"`
	Source     *LibrarySource `json:"source,omitempty"`
}

// LibrarySource is what an instrument was read from.
type LibrarySource struct {
	Format string `json:"format"`
	Main   string `json:"main"`
	Data   []byte `json:"data"` // its texts as one ZIP
}

// LibraryProject is a project. UID is the same in every library that it comes to, and so is Head,
// which names the state that it is in. Files before version 3 say neither Head nor what is below it.
type LibraryProject struct {
	UID     string         `json:"uid"`
	State   string         `json:"state,omitempty"`
	Head    string         `json:"head,omitempty"`
	Changed string         `json:"changed,omitempty"` // when it came into that state; RFC 3339
	History []LibraryState `json:"history,omitempty"` // every state that it has had, that one too
	Project *plan.Project  `json:"project"`
	Song    []byte         `json:"song,omitempty"` // the bytes of its song
}

// LibraryState is a state that a project has had. Parent is the one that it was made from, or "".
type LibraryState struct {
	UID    string `json:"uid"`
	Parent string `json:"parent,omitempty"`
}

// Had reports whether the project has had a state, as far as the file says.
func (p *LibraryProject) Had(uid string) bool {
	return uid != "" && slices.ContainsFunc(p.History, func(s LibraryState) bool { return s.UID == uid })
}

// LibrarySetup is an output set-up kept by name.
type LibrarySetup struct {
	Name    string   `json:"name"`
	Variant string   `json:"variant,omitempty"`
	Outputs string   `json:"outputs"`
	First   rig.Port `json:"first"`
	Default bool     `json:"default,omitempty"`
}

// The library file as it names itself.
const libraryFormat, libraryVersion = "hiddenlanes-library", 3

// maxLibrary bounds the file that is read, in bytes.
const maxLibrary = 1 << 30

// NewLibrary is a library file with nothing in it yet.
func NewLibrary() *Library {
	return &Library{Format: libraryFormat, Version: libraryVersion, Charts: []LibraryChart{},
		Instruments: []LibraryInstrument{}, Projects: []LibraryProject{}}
}

// numbered names the i-th thing of a kind.
func numbered(kind string, i int, name string) string {
	if name == "" {
		return fmt.Sprintf("%s %d", kind, i+1)
	}
	return fmt.Sprintf("%s %d, %s", kind, i+1, name)
}

// Write writes the library with projects that come one after the other, so that a large library is
// never held in memory. What is left out may still be told while they come.
func (l *Library) Write(w io.Writer, projects func(yield func(LibraryProject) error) error) error {
	const empty = `"projects": []`
	frame := func() (before, after []byte, err error) {
		doc, err := json.MarshalIndent(l, "", " ")
		before, after, _ = bytes.Cut(doc, []byte(empty))
		return before, after, err
	}
	left := len(l.LeftOut)
	before, after, err := frame()
	if err == nil {
		_, err = w.Write(append(before, empty[:len(empty)-1]...))
	}
	if err != nil {
		return err
	}
	between := ""
	err = projects(func(p LibraryProject) error {
		doc, err := json.MarshalIndent(p, "  ", " ")
		if err == nil {
			_, err = fmt.Fprintf(w, "%s\n  %s", between, doc)
		}
		between = ","
		return err
	})
	if err != nil {
		return err
	}
	end := "]"
	if between != "" {
		end = "\n ]"
	}
	if len(l.LeftOut) > left {
		if _, after, err = frame(); err != nil {
			return err
		}
	}
	_, err = fmt.Fprintf(w, "%s%s\n", end, after)
	return err
}

func badLibrary(where, what string, args ...any) error {
	return format.Errorf("library file", format.Of(where),
		"write it again from a Hidden Lanes of this version or a later one", what, args...)
}

func (l *Library) cleanNames(n *rig.Names) {
	for i := range l.Charts {
		n.Clean(&l.Charts[i].Note)
		l.Charts[i].Chart.CleanNames(n)
	}
	for i := range l.Instruments {
		n.Instrument(&l.Instruments[i].Instrument)
	}
	for i := range l.Setups {
		n.Clean(&l.Setups[i].Name)
		n.Clean(&l.Setups[i].Variant)
	}
	for i := range l.Profiles {
		n.Clean(&l.Profiles[i].Name)
	}
}

// libraryParts are the parts of a library file, undecoded.
type libraryParts struct {
	Format      string
	Version     int
	Instruments []json.RawMessage
	projects    []extent
	rest        map[string]json.RawMessage
}

// within upgrades the document that stands in one field of an object.
func within(raw json.RawMessage, field string, line *document.Line) (json.RawMessage, error) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(raw, &all); err != nil || all[field] == nil {
		return raw, err
	}
	doc, err := line.Upgrade(all[field])
	if err != nil {
		return nil, err
	}
	if len(doc) > 0 && &doc[0] == &all[field][0] { // it is of this version
		return raw, nil
	}
	all[field] = doc
	return json.Marshal(all)
}

// frame reads all of a library file but its instruments and projects.
func (p *libraryParts) frame() (*Library, error) {
	rest := p.rest
	var charts []json.RawMessage
	if json.Unmarshal(rest["charts"], &charts) == nil && len(charts) > 0 {
		for i := range charts {
			var err error
			if charts[i], err = within(charts[i], "chart", house.Versions); err != nil {
				return nil, badLibrary("house chart", "%v", err)
			}
		}
		rest["charts"], _ = json.Marshal(charts)
	}
	rest["version"] = json.RawMessage(strconv.Itoa(libraryVersion))
	frame, err := json.Marshal(rest)
	if err != nil {
		return nil, err
	}
	l := &Library{}
	if err := shapes().library.read(frame, l); err != nil {
		return nil, badLibrary("", "%v", err)
	}
	return l, nil
}

// readInstruments reads the instruments, on all processors.
func (p *libraryParts) readInstruments(ctx context.Context, l *Library) error {
	l.Instruments = make([]LibraryInstrument, len(p.Instruments))
	return OnEveryProcessor(ctx, "instruments read", len(p.Instruments), func(i int) error {
		return readOne("instrument", i, p.Instruments[i], rig.Versions, shapes().instrument, &l.Instruments[i])
	})
}

// readOne reads the i-th thing of a kind, whose document stands in the field of that name.
func readOne(kind string, i int, raw json.RawMessage, line *document.Line, s shape, into any) error {
	raw, err := within(raw, kind, line)
	if err == nil {
		err = s.read(raw, into)
	}
	if err != nil {
		return badLibrary(nameIn(kind, i, raw), "%v", err)
	}
	return nil
}

// nameIn names the i-th thing of a kind by what it is called, where that can be read.
func nameIn(kind string, i int, raw json.RawMessage) string {
	var doc map[string]json.RawMessage
	var named struct {
		Name string `json:"name"`
	}
	if json.Unmarshal(raw, &doc) == nil && json.Unmarshal(doc[kind], &named) == nil {
		return numbered(kind, i, rig.ShortName(named.Name))
	}
	return numbered(kind, i, "")
}

// validate refuses what cannot be computed with.
func (l *Library) validate() error {
	if err := l.validateCharts(); err != nil {
		return err
	}
	for i, in := range l.Instruments {
		if err := in.Instrument.Validate(); err != nil {
			return badLibrary(numbered("instrument", i, in.Instrument.Name), "%v", err)
		}
	}
	for _, s := range l.Setups {
		if _, err := rig.ParseRuns(s.Outputs); err != nil {
			return badLibrary("set-up "+s.Name, "%v", err)
		}
	}
	for _, p := range l.Profiles {
		if err := p.Validate(); err != nil {
			return badLibrary("host profile "+p.Name, "%v", err)
		}
	}
	for _, r := range l.Spellings {
		if _, err := role.Parse(string(r)); err != nil {
			return badLibrary("spellings", "%v", err)
		}
	}
	return nil
}

func (l *Library) validateCharts() error {
	last := 0
	for i, c := range l.Charts {
		if c.Chart == nil || c.Chart.Number <= last {
			return badLibrary("", "version %d of the house chart is not numbered after the one before", i+1)
		}
		if err := c.Chart.Validate(); err != nil {
			return badLibrary("house chart", "%v", err)
		}
		last = c.Chart.Number
	}
	return nil
}

// validProject refuses a project that cannot be computed with, or has no identity of its own.
func (f *LibraryFile) validProject(i int, p LibraryProject) error {
	if p.Project == nil {
		return badLibrary(numbered("project", i, ""), "there is no project in it")
	}
	where := numbered("project", i, p.Project.Name)
	if p.UID == "" {
		return badLibrary(where, "it has no identity")
	}
	if other, ok := f.seen[p.UID]; ok {
		return badLibrary(where, "it has the identity of %s", other)
	}
	f.seen[p.UID] = where
	if err := complete(p.Project); err != nil {
		return badLibrary(where, "%v", err)
	}
	if p.State != "" && !slices.Contains(plan.States, p.State) {
		return badLibrary(where, "its state cannot be %q; it is one of %s", p.State, strings.Join(plan.States, ", "))
	}
	if p.Song == nil {
		return nil
	}
	if _, err := smf.Decode(bytes.NewReader(p.Song)); err != nil {
		return badLibrary(where, "its song cannot be read: %v", err)
	}
	return nil
}

// OnEveryProcessor calls do for 0 to n-1 on all processors and gives the error of the first that
// has one; what comes behind it may be left undone. With a name for it, it tells how far it is. It stops where
// nobody waits any longer. A panic in do goes on in the caller, with its own stack.
func OnEveryProcessor(ctx context.Context, what string, n int, do func(i int) error) error {
	workers := min(runtime.GOMAXPROCS(0), n)
	errs, at := make([]error, workers), make([]int, workers)
	var wait sync.WaitGroup
	var done atomic.Int64
	var broke atomic.Pointer[fault.Error]
	for w := range workers {
		wait.Go(func() {
			defer func() {
				if v := recover(); v != nil {
					broke.Store(fault.Panicked(v, what))
				}
			}()
			for i := w; i < n && errs[w] == nil; i += workers {
				at[w] = i
				if errs[w] = ctx.Err(); errs[w] == nil {
					errs[w] = do(i)
				}
				if what != "" {
					progress.Report(ctx, what, int(done.Add(1)), n)
				}
			}
		})
	}
	wait.Wait()
	if e := broke.Load(); e != nil {
		panic(e)
	}
	first := -1
	for w, err := range errs {
		if err != nil && (first < 0 || at[w] < at[first]) {
			first = w
		}
	}
	if first < 0 {
		return nil
	}
	return errs[first]
}
