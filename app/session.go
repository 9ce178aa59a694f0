package app

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/format"
	"hiddenlanes/format/bundle"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/formats"
	"hiddenlanes/store"
)

// idsByName gives the channels of a session IDs: those of the lanes of the plan that are called so, in
// order, and new ones.
func idsByName(p *plan.Project, st *plan.Patched, lanes []dawproject.SessionLane) map[string]string {
	type called struct {
		name string
		bus  bool
	}
	planned := map[called][]string{} // lanes of the plan that are not found yet, in order
	for _, want := range p.OwnLanes() {
		k := called{strings.ToLower(want.Name), want.Kind == plan.Bus}
		planned[k] = append(planned[k], want.ID)
	}
	ids, used := map[string]string{}, map[string]bool{}
	for _, l := range lanes {
		id := ""
		k := called{strings.ToLower(l.Name), l.Bus}
		if ids := planned[k]; len(ids) > 0 {
			id, planned[k] = ids[0], ids[1:]
		}
		for id == "" || used[id] || p.Lane(id) != nil && p.Lane(id).IsOther() {
			st.LastID++
			id = fmt.Sprintf("h%d", st.LastID)
		}
		used[id], ids[l.ID] = true, id
	}
	return ids
}

// ReadSession takes the mixer of a session file as what is in the host: lanes
// that are called as planned are those, the others wait to be matched.
func ReadSession(s *dawproject.Session, shortened string) plan.Edit {
	label := fmt.Sprintf("read a session of %d lanes", len(s.Lanes))
	if shortened != "" {
		label += "; " + shortened
	}
	return edits.SetPatched(label,
		func(p *plan.Project, st *plan.Patched) error {
			before := st.Clone()
			st.Lanes, st.Muted = slices.DeleteFunc(st.Lanes, func(plan.Lane) bool { return true }), nil
			// An instrument's own track carries its notes; it is no lane of the plan.
			own := map[string]bool{}
			for _, pl := range p.Placed {
				own[strings.ToLower(pl.Instrument.Name)] = true
			}
			for _, x := range p.Lanes {
				delete(own, strings.ToLower(x.Name))
			}
			lanes := slices.DeleteFunc(slices.Clone(s.Lanes), func(l dawproject.SessionLane) bool {
				return !l.Bus && own[strings.ToLower(l.Name)]
			})
			ids := idsByName(p, st, lanes)
			for i, l := range lanes {
				lane := laneOf(l, i, ids)
				st.Mute(lane.ID, l.Muted)
				lane.Owner = plan.Found
				if want := p.Lane(lane.ID); want != nil {
					lane.Owner = plan.ByPlan
					st.TakeSession(&lane, before, want, func(a plan.Attribute) bool { return a != plan.AttrInserts || s.Inserts })
					if !slices.ContainsFunc(want.Sources, func(s plan.OutputRef) bool {
						_, loaded := st.Instruments[s.Placed]
						return loaded
					}) { // it cannot take what is not there
						delete(st.Unknown, plan.Key{Entity: plan.LaneEntity(lane.ID), Attribute: plan.AttrSources})
					}
				}
				st.Lanes = append(st.Lanes, lane)
			}
			st.TakeOthers(p, othersOf(p, st), true)
			return nil
		})
}

// othersOf lists the lanes of a session that are other lanes of the mixer: all that the plan does
// not have, except those that may be one of its lanes under another name.
func othersOf(p *plan.Project, st *plan.Patched) (out []plan.Lane) {
	type called struct {
		name string
		kind plan.LaneKind
	}
	others := map[called]bool{}
	for _, l := range p.OtherLanes() {
		others[called{strings.ToLower(l.Name), l.Kind}] = true
	}
	for _, d := range p.DoubtsIn(st) {
		if d.Guess == "" || others[called{strings.ToLower(d.Lane.Name), d.Lane.Kind}] {
			out = append(out, d.Lane)
		}
	}
	return out
}

// ImportBundle makes a project of a bundle.
func (a *App) ImportBundle(ctx context.Context, r io.Reader) (int64, error) {
	b, err := bundle.Decode(r)
	if err != nil {
		return 0, err
	}
	return a.createFromBundle(ctx, b)
}

func (a *App) createFromBundle(ctx context.Context, b *bundle.Project) (int64, error) {
	n := store.NewProject{Plan: b.Plan}
	if b.Song != nil {
		n.Song = b.Song.Data
	}
	if b.Plan.Song != nil {
		b.Plan.Song.ID = 0 // a number of another store
	}
	ids, err := a.store.CreateProjects(ctx, []store.NewProject{n})
	if err != nil {
		return 0, err
	}
	return ids[0], nil
}

// ProjectNamed finds a project by name; case does not matter. Of several it is
// the one changed last.
func (a *App) ProjectNamed(ctx context.Context, name string) (*Project, error) {
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

// ImportForProject imports a file for a project: a song, whose notes say what is used, or
// a session, which says what is in the host.
func (a *App) ImportForProject(ctx context.Context, project, base int64, r io.Reader, name string) (*Project, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	c, err := Read(ctx, bytes.NewReader(data), name, midi.MiddleC3, format.Song, format.Session)
	if err != nil {
		return nil, err
	}
	if c.Session != nil {
		return a.EditSeen(ctx, project, base, ReadSession(c.Session, c.Shortened))
	}
	return a.store.TakeSong(ctx, project, base, *PlanSong(filepath.Base(name), c.Song), data, nil)
}

// KeepSong keeps a song file for itself.
func (a *App) KeepSong(ctx context.Context, r io.Reader, name string) (int64, error) {
	data, err := io.ReadAll(r)
	if err != nil {
		return 0, err
	}
	if _, err := Read(ctx, bytes.NewReader(data), name, midi.MiddleC3, format.Song); err != nil {
		return 0, err
	}
	return a.store.AddSong(ctx, rig.ShortName(filepath.Base(name)), data)
}

// ImportFile imports a bundle, a library or a session: a session goes to the project that
// is named, or makes a new one of its lanes. It tells what it did.
func (a *App) ImportFile(ctx context.Context, file, project string, how Merging) (string, error) {
	c, err := ReadPath(ctx, file, midi.MiddleC3, format.Project, format.Library, format.Session)
	switch {
	case err != nil:
		return "", err
	case c.Library != nil:
		m, err := a.Merge(ctx, c.Library, how)
		if err != nil {
			return "", err
		}
		return m.String(), nil
	case c.Bundle != nil:
		if _, err := a.createFromBundle(ctx, c.Bundle); err != nil {
			return "", err
		}
		return andSaid("made the project "+c.Bundle.Plan.Name, c.Shortened), nil
	}
	if project == "" {
		p := sessionProject(c.Session)
		if _, err := a.store.CreateProject(ctx, p); err != nil {
			return "", err
		}
		return andSaid(fmt.Sprintf("made the project %s with %d lanes", p.Name, len(p.Lanes)), c.Shortened), nil
	}
	p, err := a.ProjectNamed(ctx, project)
	if err != nil {
		return "", err
	}
	if p, err = a.Edit(ctx, p.ID, p.Revision, ReadSession(c.Session, c.Shortened)); err != nil {
		return "", err
	}
	own := 0
	for _, l := range p.Plan.OwnLanes() {
		if p.Plan.Patched.Lane(l.ID) != nil {
			own++
		}
	}
	return andSaid(fmt.Sprintf("%d of %d lanes are those of %s by name, %d are other lanes, %d are in doubt", own,
		len(c.Session.Lanes), p.Plan.Name, len(p.Plan.OtherLanes()), len(p.Plan.Doubts())), c.Shortened), nil
}

// andSaid adds what there is to say to a sentence.
func andSaid(text, more string) string {
	if more == "" {
		return text
	}
	return text + "; " + more
}

// laneOf is the i-th lane of a session as a lane of ours; ids are those its channels
// get. One that goes where no lane is goes to the main mix.
func laneOf(l dawproject.SessionLane, i int, ids map[string]string) plan.Lane {
	kind := plan.Regular
	if l.Bus {
		kind = plan.Bus
	}
	out := plan.Lane{ID: ids[l.ID], Number: plan.LaneNumber(i + 1), Name: l.Name,
		Colour: cmp.Or(l.Colour, host.Grey), Kind: kind,
		Width: audio.Width(min(max(l.Channels, 1), 2)), To: ids[l.To], AlsoMain: l.AlsoMain, Inserts: l.Inserts,
		Gain: max(l.Level, plan.LowestFader), Pan: l.Pan}
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
		p.Name = "Untitled session"
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

// Export writes a project in a format.
func (a *App) Export(ctx context.Context, w io.Writer, p *plan.Project, f *format.Format) error {
	x := format.Export{Project: p}
	var err error
	if x.Naming, err = a.Naming(ctx); err != nil {
		return err
	}
	if p.Song != nil && p.Song.ID != 0 {
		if x.Song, err = a.store.Song(ctx, p.Song.ID); err != nil {
			return fmt.Errorf("reading the song %s: %w", p.Song.Name, err)
		}
	}
	return f.Encode(w, x)
}

// ExportAs is Export by the word of the command.
func (a *App) ExportAs(ctx context.Context, w io.Writer, p *plan.Project, as string) error {
	if f := formats.Exported(as); f != nil {
		return a.Export(ctx, w, p, f)
	}
	return fmt.Errorf("a project is written as %s, not %q", strings.Join(ExportFormats(), ", "), as)
}

// ProjectFiles lists the formats that a project can be taken away in.
func ProjectFiles() (out []*Format) {
	for _, f := range formats.Table {
		if f.As != "" {
			out = append(out, f)
		}
	}
	return out
}

// ExportFormats lists what ExportAs writes.
func ExportFormats() []string {
	var out []string
	for _, f := range ProjectFiles() {
		out = append(out, f.As)
	}
	return out
}

// ProblemReport is one problem as scripts read it.
type ProblemReport struct {
	Project  string `json:"project"`
	Code     string `json:"code"`
	Severity string `json:"severity"`
	Where    string `json:"where"`
	Why      string `json:"why"`
	Mend     string `json:"mend"`
}

// ReportProblems sums up what is found in a project; severe reports whether anything
// is silent.
func ReportProblems(p *Project) (out []ProblemReport, severe bool) {
	out = []ProblemReport{}
	for _, f := range AnalysisOf(p).Problems {
		severe = severe || f.Rule.Severity == check.Silent
		out = append(out, ProblemReport{p.Plan.Name, f.Rule.Code, f.Rule.Severity.String(), f.Title(), f.Reason(), f.Mend()})
	}
	return out, severe
}

// RunStepReport is one step of a run sheet as scripts read it.
type RunStepReport struct {
	Number int            `json:"number"`
	Place  runsheet.Where `json:"place"`
	Text   string         `json:"text"`
	Count  int            `json:"count"`
	Verify string         `json:"verify"`
	Items  []string       `json:"items,omitempty"`
	Why    string         `json:"why,omitempty"`
}

// ReportRunSheet sums up a run sheet.
func ReportRunSheet(steps []runsheet.Step) []RunStepReport {
	out := []RunStepReport{}
	for _, s := range steps {
		r := RunStepReport{s.Number, s.Place, s.Text, s.Count, s.Verify, nil, s.Why}
		for _, i := range s.Items {
			r.Items = append(r.Items, i.String())
		}
		out = append(out, r)
	}
	return out
}
