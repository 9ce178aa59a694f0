package app

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/format"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/format/smf"
	"hiddenlanes/store"
)

// maxBundle bounds what is read of a session or a bundle, in bytes.
const maxBundle = 256 << 20

// ReadSession takes the mixer of a session file as what stands in the host: lanes
// that are called as planned are those, the others wait to be matched.
func ReadSession(s *dawproject.Session) plan.Edit {
	return plan.SetPatched(fmt.Sprintf("read a session of %d lanes", len(s.Lanes)), func(p *plan.Project, st *plan.Patched) error {
		ids := map[string]string{} // of the session's channels
		used := map[string]bool{}
		before := st.Clone()
		st.Lanes = nil
		// An instrument's own track carries its notes; it is no lane of the plan.
		lanes := slices.DeleteFunc(slices.Clone(s.Lanes), func(l dawproject.SessionLane) bool {
			return !l.Bus && slices.ContainsFunc(p.Placed, func(pl plan.Placed) bool { return strings.EqualFold(pl.Instrument.Name, l.Name) }) &&
				!slices.ContainsFunc(p.Lanes, func(x plan.Lane) bool { return strings.EqualFold(x.Name, l.Name) })
		})
		for _, l := range lanes {
			id := ""
			for _, want := range p.Lanes {
				if !used[want.ID] && strings.EqualFold(want.Name, l.Name) && (want.Kind == plan.Bus) == l.Bus {
					id = want.ID
					break
				}
			}
			if id == "" {
				st.LastID++
				id = fmt.Sprintf("h%d", st.LastID)
			}
			used[id], ids[l.ID] = true, id
		}
		for i, l := range lanes {
			lane := laneOf(l, i, ids)
			if want := p.Lane(lane.ID); want != nil { // the file has no numbers and no inputs
				lane.Number, lane.Width = want.Number, want.Width
				if known := before.Lane(lane.ID); known != nil {
					lane.Sources = known.Sources
				}
			}
			st.Lanes = append(st.Lanes, lane)
		}
		return nil
	})
}

// Doubt is a lane of the session that the plan does not have by name.
type Doubt struct {
	Lane  plan.Lane
	Guess string // the planned lane it may be; "" where nothing suggests one
}

// Doubts lists the lanes that stand in the host and are not in the plan, each with
// the planned lane of its role that is not there yet.
func Doubts(p *plan.Project) (out []Doubt) {
	if p.Patched == nil {
		return nil
	}
	guessed := map[string]bool{}
	for _, l := range p.Patched.Lanes {
		if p.Lane(l.ID) != nil {
			continue
		}
		d := Doubt{Lane: l}
		r := role.FromName(l.Name).Role
		for _, want := range p.ByNumber() {
			if guessed[want.ID] || p.Patched.Lane(want.ID) != nil || want.Kind != l.Kind || r == role.Unnamed {
				continue
			}
			var of role.Role
			for _, s := range want.Sources {
				of = plan.CommonRole(p.FeedsOn(s))
			}
			if of == r || of != role.Unnamed && (of.Under(r) || r.Under(of)) {
				d.Guess, guessed[want.ID] = want.ID, true
				break
			}
		}
		out = append(out, d)
	}
	return out
}

// Match says which planned lane a lane in the host is.
func Match(lane, planned string) plan.Edit {
	return plan.SetPatched("match a lane of the session", func(p *plan.Project, s *plan.Patched) error {
		l, want := s.Lane(lane), p.Lane(planned)
		if l == nil || want == nil || s.Lane(planned) != nil {
			return errors.New("that lane is matched already or no longer there")
		}
		l.ID, l.Number = want.ID, want.Number
		for i := range s.Lanes {
			if s.Lanes[i].To == lane {
				s.Lanes[i].To = planned
			}
			if send := s.Lanes[i].SendInto(lane); send != nil {
				send.To = planned
			}
		}
		return nil
	})
}

// ImportSession reads a session file for a project.
func (a *App) ImportSession(ctx context.Context, project, base int64, r io.Reader) (*store.Project, error) {
	s, err := readSession(r)
	if err != nil {
		return nil, err
	}
	return a.Edit(ctx, project, base, ReadSession(s))
}

func readSession(r io.Reader) (*dawproject.Session, error) {
	data, err := io.ReadAll(io.LimitReader(r, maxBundle+1))
	if err != nil {
		return nil, err
	}
	if len(data) > maxBundle {
		return nil, format.Errorf("DAWproject", "", "leave the audio out", "it is larger than %d MiB", maxBundle>>20)
	}
	return dawproject.Decode(bytes.NewReader(data), int64(len(data)))
}

// Bundle is a project as one file of our own.
type Bundle struct {
	Format  string          `json:"format"`
	Version int             `json:"version"`
	Project json.RawMessage `json:"project"`
	Song    *BundledSong    `json:"song,omitempty"`
}

// BundledSong is the project's song, its bytes as they came.
type BundledSong struct {
	Name string `json:"name"`
	Data []byte `json:"data"`
}

const bundleFormat, bundleVersion = "hiddenlanes-project", 1

// WriteBundle writes a project as a bundle.
func (a *App) WriteBundle(ctx context.Context, w io.Writer, p *plan.Project) error {
	doc, err := json.Marshal(p)
	if err != nil {
		return err
	}
	b := Bundle{Format: bundleFormat, Version: bundleVersion, Project: doc}
	if p.Song != nil && p.Song.ID != 0 {
		data, err := a.Song(ctx, p.Song.ID)
		if err != nil {
			return fmt.Errorf("reading the song %s: %w", p.Song.Name, err)
		}
		b.Song = &BundledSong{p.Song.Name, data}
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	return e.Encode(b)
}

// readBundle reads a bundle strictly: a field that is not known is refused.
func readBundle(r io.Reader) (*plan.Project, *BundledSong, error) {
	bad := func(what string, args ...any) error {
		return format.Errorf("bundle", "", "export it again from a Hidden Lanes of this version or a later one", what, args...)
	}
	data, err := io.ReadAll(io.LimitReader(r, maxBundle+1))
	if err != nil {
		return nil, nil, err
	}
	if len(data) > maxBundle {
		return nil, nil, bad("it is larger than %d MiB", maxBundle>>20)
	}
	var b Bundle
	p := &plan.Project{}
	if err := strictly(data, &b); err != nil {
		return nil, nil, bad("%v", err)
	}
	if b.Format != bundleFormat || b.Version != bundleVersion {
		return nil, nil, bad("it is %q version %d, and %q version %d can be read", b.Format, b.Version, bundleFormat, bundleVersion)
	}
	if err := cmp.Or(shapes().bundle.check(data), strictly(b.Project, p)); err != nil {
		return nil, nil, bad("%v", err)
	}
	for i := range p.Placed {
		p.Placed[i].Shelf = 0 // the shelf is another one here
	}
	if err := complete(p); err != nil {
		return nil, nil, bad("%v", err)
	}
	if b.Song != nil {
		if _, err := smf.Decode(bytes.NewReader(b.Song.Data)); err != nil {
			return nil, nil, fmt.Errorf("the song in the bundle: %w", err)
		}
	}
	return p, b.Song, nil
}

// ImportBundle makes a project of a bundle.
func (a *App) ImportBundle(ctx context.Context, r io.Reader) (int64, error) {
	p, file, err := readBundle(r)
	if err != nil {
		return 0, err
	}
	song := p.Song
	p.Song = nil
	id, err := a.CreateProject(ctx, p)
	if err != nil || file == nil || song == nil {
		return id, err
	}
	made, err := a.Project(ctx, id)
	if err != nil {
		return id, err
	}
	song.ID = 0
	_, err = a.TakeSong(ctx, id, made.Revision, *song, file.Data, nil)
	return id, err
}

// ProjectNamed finds a project by name; case does not matter. Of several it is
// the one changed last.
func (a *App) ProjectNamed(ctx context.Context, name string) (*store.Project, error) {
	rows, err := a.Projects(ctx)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, r := range rows {
		if strings.EqualFold(r.Name, strings.TrimSpace(name)) {
			return a.Project(ctx, r.ID)
		}
		names = append(names, r.Name)
	}
	return nil, fmt.Errorf("no project is called %q; there are: %s", name, strings.Join(names, ", "))
}

// ImportFile brings a bundle or a session: a session goes to the project that is
// named, or makes a new one of its lanes. It tells what it did.
func (a *App) ImportFile(ctx context.Context, file, project string) (string, error) {
	f, err := os.Open(file)
	if err != nil {
		return "", err
	}
	defer f.Close()
	head := make([]byte, 64)
	n, _ := io.ReadFull(f, head)
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	switch what := strings.TrimSpace(string(head[:n])); {
	case strings.HasPrefix(what, "PK"): // a ZIP
	case !strings.HasPrefix(what, "{"):
		return "", errors.New("it is neither a project bundle nor a DAWproject session; those can be imported")
	default:
		library, err := isLibrary(f)
		if err != nil {
			return "", err
		}
		if library {
			m, err := a.MergeLibrary(ctx, f)
			if err != nil {
				return "", err
			}
			return m.String(), nil
		}
		id, err := a.ImportBundle(ctx, f)
		if err != nil {
			return "", err
		}
		p, err := a.Project(ctx, id)
		if err != nil {
			return "", err
		}
		return "made the project " + p.Plan.Name, nil
	}
	s, err := readSession(f)
	if err != nil {
		return "", err
	}
	if project == "" {
		p := sessionProject(s)
		if _, err := a.CreateProject(ctx, p); err != nil {
			return "", err
		}
		return fmt.Sprintf("made the project %s with %d lanes", p.Name, len(p.Lanes)), nil
	}
	p, err := a.ProjectNamed(ctx, project)
	if err != nil {
		return "", err
	}
	if p, err = a.Edit(ctx, p.ID, p.Revision, ReadSession(s)); err != nil {
		return "", err
	}
	doubts := len(Doubts(p.Plan))
	return fmt.Sprintf("%d of %d lanes are those of %s by name, %d are in doubt", len(s.Lanes)-doubts, len(s.Lanes), p.Plan.Name, doubts), nil
}

// isLibrary tells a library file from a project bundle by its first field, and goes back
// to the beginning.
func isLibrary(f io.ReadSeeker) (bool, error) {
	d := json.NewDecoder(f)
	var key, value json.Token
	for range 3 {
		t, err := d.Token()
		if err != nil {
			break // the reader of bundles says what is wrong
		}
		key, value = value, t
	}
	_, err := f.Seek(0, io.SeekStart)
	return key == "format" && value == libraryFormat, err
}

// laneOf is the i-th lane of a session as a lane of ours; ids are those its channels
// get. One that goes where no lane is goes to the main mix.
func laneOf(l dawproject.SessionLane, i int, ids map[string]string) plan.Lane {
	kind := plan.Regular
	if l.Bus {
		kind = plan.Bus
	}
	out := plan.Lane{ID: ids[l.ID], Number: plan.LaneNumber(i + 1), Name: l.Name, Colour: cmp.Or(l.Colour, host.Grey), Kind: kind,
		Width: audio.Width(min(max(l.Channels, 1), 2)), To: ids[l.To], AlsoMain: l.AlsoMain}
	for _, s := range l.Sends {
		if id := ids[s.To]; id != "" {
			out.Sends = append(out.Sends, plan.Send{To: id, Pre: s.Pre, Level: s.Level})
		}
	}
	return out
}

// sessionProject makes a project of a session's lanes, which then stand as planned.
func sessionProject(s *dawproject.Session) *plan.Project {
	p := &plan.Project{Name: s.Title}
	if p.Name == "" {
		p.Name = "Session"
	}
	ids := map[string]string{}
	for _, l := range s.Lanes {
		ids[l.ID] = p.NewLaneID()
	}
	for i, l := range s.Lanes {
		p.Lanes = append(p.Lanes, laneOf(l, i, ids))
	}
	buses := map[string]bool{}
	for _, l := range p.Lanes {
		buses[l.ID] = l.Kind == plan.Bus
	}
	for i := range p.Lanes { // a destination that is no bus cannot be kept
		if l := &p.Lanes[i]; l.To != plan.MainMix && (!buses[l.To] || l.To == l.ID) {
			l.To, l.AlsoMain = plan.MainMix, false
		}
	}
	for i := range p.Lanes { // nor can a send that comes back
		l := &p.Lanes[i]
		all := l.Sends
		l.Sends = nil
		for _, s := range all {
			if buses[s.To] && !(l.Kind == plan.Bus && p.Reaches(s.To, l.ID)) {
				l.Sends = append(l.Sends, s)
			}
		}
	}
	return p
}

// ExportAs writes a project in one of ExportFormats.
func (a *App) ExportAs(ctx context.Context, w io.Writer, p *plan.Project, as string) error {
	switch as {
	case "bundle":
		return a.WriteBundle(ctx, w, p)
	case "dawproject":
		return a.WriteDAWproject(ctx, w, p)
	case "midi":
		return smf.Encode(w, TemplateSong(p))
	case "csv":
		naming, err := a.Naming(ctx)
		if err != nil {
			return err
		}
		return patchsheet.Encode(w, p, naming)
	}
	return fmt.Errorf("a project is written as %s, not %q", strings.Join(ExportFormats, ", "), as)
}

// ExportFormats lists what ExportAs writes.
var ExportFormats = []string{"bundle", "dawproject", "midi", "csv"}

// FindingReport is one finding as scripts read it.
type FindingReport struct {
	Project  string `json:"project"`
	Code     string `json:"code"`
	Severity string `json:"severity"`
	Where    string `json:"where"`
	Why      string `json:"why"`
	Mend     string `json:"mend"`
}

// ReportFindings sums up what is found in a project; severe tells whether anything
// is silent.
func ReportFindings(p *plan.Project) (out []FindingReport, severe bool) {
	out = []FindingReport{}
	for _, f := range check.Project(p) {
		severe = severe || f.Rule.Severity == check.Silent
		out = append(out, FindingReport{p.Name, f.Rule.Code, f.Rule.Severity.String(), f.Title, f.Reason, f.Mend})
	}
	return out, severe
}

// RunStepReport is one step of a run sheet as scripts read it.
type RunStepReport struct {
	Number int            `json:"number"`
	Place  runsheet.Place `json:"place"`
	Text   string         `json:"text"`
	Count  int            `json:"count"`
	Verify string         `json:"verify"`
	Items  []string       `json:"items,omitempty"`
	Why    string         `json:"why,omitempty"`
}

// ReportRunSheet sums up the run sheet of a project.
func ReportRunSheet(p *plan.Project) []RunStepReport {
	out := []RunStepReport{}
	for _, s := range runsheet.Make(p) {
		out = append(out, RunStepReport{s.Number, s.Place, s.Text, s.Count, s.Verify, slices.Clone(s.Items), s.Why})
	}
	return out
}
