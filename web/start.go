package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/instances"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
)

// startPage is how the instruments start: their versions, the state that each is loaded in, the
// ways from there to the plan, the stages of the piece, and one instance beside several.
type startPage struct {
	Starts   []startView
	Links    []placedLink // to instruments that are not on the page
	Stages   []stageRow   // of all instruments together, where there are several
	Template bool
	Name     string              // of the template that is kept
	Opens    *plan.MixerTemplate // that a new session begins from
	Holds    string
}

// startView is how one instrument starts.
type startView struct {
	*plan.Placed
	Version  rig.Variant // that is loaded
	Needs    int         // ports
	Versions []versionChoice
	Choices  []startChoice
	Now      string // its start, in words
	Ways     []runsheet.Way
	Stages   []stageRow
	CanWrite bool
	Sums     []instances.Sum
	Several  int    // instances there are
	Free     string // outputs that are kept free
	Saves    bool   // a default can be saved
	SaveText string
}

// versionChoice is a version that can be loaded, with what choosing it costs.
type versionChoice struct {
	Name     string // "": the smallest that fits
	Text     string
	Selected bool
}

// startChoice is a state that the instrument can be loaded in.
type startChoice struct {
	Key, Text string
	Selected  bool
}

// stageRow is a stage, with what it takes.
type stageRow struct {
	Stage    plan.Stage
	Text     string
	MiB      float64
	Known    bool // it was there once, so the memory is known
	Here     bool
	Settings int // to switch there
}

func (s *server) startPage(r *http.Request, p *project, q url.Values) (any, error) {
	out := startPage{Template: p.Plan.KeepTemplate, Name: p.Plan.TemplateName, Opens: p.Plan.Opens}
	if out.Opens != nil {
		out.Holds = out.Opens.Text()
	}
	rows := p.placedRows()
	shown, links := oneAtATime(projectPath(p.ID, "start"), q, rows, len(rows) <= mostStarts)
	out.Links = links
	out.Stages = allStages(p.Plan)
	for _, row := range shown {
		st, err := s.startOf(r, p, row.Placed)
		if err != nil {
			return out, err
		}
		out.Starts = append(out.Starts, st)
	}
	return out, nil
}

// mostStarts is how many instruments have their starts on one page; of more there is one at a time.
const mostStarts = 4

func (s *server) startOf(r *http.Request, p *project, pl *plan.Placed) (startView, error) {
	st := startView{Placed: pl, Needs: rig.PortsOver(pl.Outputs), Now: pl.Start.Text(),
		Several: len(p.Plan.Instances(pl.ID)),
		Saves:   pl.Instrument.Traits.Defaults != rig.NoDefault}
	st.Version, _ = pl.LoadedVersion()
	layouts, err := s.app.Layouts(r.Context(), pl)
	if err != nil {
		return st, err
	}
	st.Versions = versionsOf(p.Plan, pl)
	st.Choices = startsOf(pl, layouts)
	if pl.Decided() {
		st.Ways = runsheet.Ways(p.Plan, pl.ID)
	}
	st.stages(p.Plan)
	st.Sums = instances.Compare(p.Plan, pl.ID)
	var free []plan.LaneNumber
	for _, n := range pl.KeepFree {
		free = append(free, plan.LaneNumber(n))
	}
	st.Free = strings.ReplaceAll(plan.RangesOf(free...).String(), "–", "-")
	if st.SaveText = "for the version that is loaded"; pl.Instrument.Traits.Defaults == rig.DefaultAll {
		st.SaveText = "for every version"
	}
	return st, nil
}

// versionsOf lists the versions of an instrument with what loading each would cost.
func versionsOf(p *plan.Project, pl *plan.Placed) (out []versionChoice) {
	if len(pl.Instrument.Variants) == 0 {
		return nil
	}
	fits, _ := pl.Instrument.VersionFor(rig.PortsOver(pl.Outputs))
	out = append(out, versionChoice{"", "the smallest that fits: " + fits.Name, pl.Variant == ""})
	for _, v := range pl.Instrument.Variants {
		c := versionChoice{v.Name, v.Name, v.Name == pl.Variant}
		if _, loaded := patchedVersion(p, pl); loaded && v.Name != pl.Variant {
			if more := runsheet.VersionCost(p, pl.ID, v.Name); more > 0 {
				c.Text += fmt.Sprintf(", %d settings more", more)
			}
		}
		out = append(out, c)
	}
	return out
}

func patchedVersion(p *plan.Project, pl *plan.Placed) (string, bool) {
	if p.Patched == nil {
		return "", false
	}
	in, ok := p.Patched.Instruments[pl.ID]
	return in.Version, ok
}

// startsOf lists the states that an instrument can be loaded in.
func startsOf(pl *plan.Placed, layouts []rig.Layout) (out []startChoice) {
	add := func(key, text string, selected bool) { out = append(out, startChoice{key, text, selected}) }
	add("", "as delivered", pl.Start.Kind == plan.AsDelivered)
	for _, l := range layouts {
		text := "in the layout " + l.Name
		if l.Kit != "" {
			text += ", " + l.Kit
		}
		add(plan.LayoutKey(l.Name), text, pl.Start.Kind == plan.FromLayout && pl.Start.Name == l.Name)
	}
	add(string(plan.FromSaved), "as it was saved with the project", pl.Start.Kind == plan.FromSaved)
	if len(pl.Instrument.SavedDefaults) > 0 || pl.Start.Kind == plan.FromDefault {
		add(string(plan.FromDefault), "with the default of this machine", pl.Start.Kind == plan.FromDefault)
	}
	return out
}

// allStages are the stages of all instruments together: the memory of writing beside that of mixing, and
// the settings of switching all of them; nil where there are not several to be switched.
func allStages(p *plan.Project) (out []stageRow) {
	if len(p.Placed) < 2 {
		return nil
	}
	memory := func(p *plan.Project) (mib float64) {
		for i := range p.Placed {
			mib += p.Placed[i].Memory()
		}
		return mib
	}
	can := 0
	for _, stage := range plan.Stages {
		row := stageRow{Stage: stage, Text: stageTexts[stage], Here: true, Known: true}
		q := p.Clone()
		if _, err := edits.SwitchStages(stage)(q); err == nil {
			can++
			row.Here, row.Settings = false, runsheet.Settings(runsheet.From(q, p.AsPlanned()))
		}
		row.MiB = memory(q)
		out = append(out, row)
	}
	if can == 0 {
		return nil
	}
	return out
}

var stageTexts = map[plan.Stage]string{plan.Writing: "Writing", plan.Mixing: "Mixing"}

// stages adds the stages, with the memory of each and the settings of switching.
func (st *startView) stages(p *plan.Project) {
	for _, stage := range plan.Stages {
		row := stageRow{Stage: stage, Here: stage == st.AtStage(),
			Text: stageTexts[stage]}
		row.MiB, row.Known = st.MemoryAt(stage)
		if !row.Here {
			q := p.Clone()
			if _, err := edits.SwitchStage(st.ID, stage)(q); err != nil {
				return
			}
			if pl := q.Find(st.ID); pl != nil {
				row.MiB, row.Known = pl.Memory(), true
			}
			row.Settings += runsheet.Settings(runsheet.From(q, p.AsPlanned()))
			st.CanWrite = true
		}
		st.Stages = append(st.Stages, row)
	}
}

// startsOfShelf are the states that instruments of the shelf can be loaded in, where they are
// added to a project.
type startsOfShelf struct {
	Start string // that is chosen
	Of    []shelfLayouts
}

// shelfLayouts are the layouts of one instrument.
type shelfLayouts struct {
	Name    string
	Layouts []layoutChoice
}

type layoutChoice struct{ Key, Name string }

// shelfStarts offers the layouts of instruments, each under its instrument.
func shelfStarts(chosen string, rows ...app.ShelfRow) startsOfShelf {
	out := startsOfShelf{Start: chosen}
	for _, in := range rows {
		if in.Layouts == "" {
			continue
		}
		of := shelfLayouts{Name: in.Name}
		for name := range strings.SplitSeq(in.Layouts, "\n") {
			of.Layouts = append(of.Layouts, layoutChoice{string(app.LayoutStart(name)), name})
		}
		out.Of = append(out.Of, of)
	}
	return out
}
