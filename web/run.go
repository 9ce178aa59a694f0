package web

import (
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/internal/words"
)

// runPage is the run sheet: what is left to do in the host.
type runPage struct {
	Steps     []runStep
	Profile   rig.Profile
	Profiles  []rig.Profile
	Sentences []string
	OwnName   string // to keep what is described under
	Search    searchView
	Window    window // of the steps
	Left      int    // settings left to make
	Checks    int    // and checks by ear
	Done      int    // settings that are made already, of all that the plan takes
	DoneSteps []app.DoneStep
	Found     bool // the search leaves steps, or there is none
	Differ    []string
	Patched   bool
	Doubts    []plan.Doubt
	Planned   []*plan.Lane // that are not there yet, for the doubtful ones
	HasPlan   bool
	Ways      []wayLine
	// Kind is another kind of host that was chosen, KindChanges what it would change.
	Kind        string
	Renewed     bool // the project's own kind says something else by now
	KindChanges []string
}

type runStep struct {
	runsheet.Step
	ID      string // its key: what it sets
	Heading string // where the hands are, where that changes
	Parts   []runsheet.Part
	Folded  bool // its parts are a list of their own, which is opened
}

// mostDone is how many steps that were marked as done are listed, the last first.
const mostDone = 200

// All is how many settings there are.
func (r runPage) All() int { return r.Left + r.Done }

// offer fills in what another kind of host would change, and whether the project's own says something else
// by now than when it was chosen.
func (r *runPage) offer(p *project, chosen string) {
	named := p.Plan.Host.Profile
	if kind, err := rig.ProfileNamed(r.Profiles, named.Name); err == nil && named.Name != "" {
		r.Renewed = kind != named
	}
	kind, err := rig.ProfileNamed(r.Profiles, chosen)
	if err == nil && (kind.Name != r.Profile.Name || r.Renewed) {
		r.Kind, r.KindChanges = kind.Name, app.KindChanges(p.Analysis, kind)
	}
}

func (s *server) runPage(r *http.Request, p *project, q url.Values) (any, error) {
	out := runPage{Profile: p.Plan.Host.Behaviour(), Patched: p.Plan.Patched != nil}
	var err error
	if out.Profiles, err = s.app.Profiles(r.Context()); err != nil {
		return out, err
	}
	if !slices.ContainsFunc(out.Profiles, func(x rig.Profile) bool { return x.Name == out.Profile.Name }) {
		out.Profiles = append(out.Profiles, out.Profile) // it came with the project
	}
	out.HasPlan = runsheet.HasPlan(p.Plan)
	if out.HasPlan {
		out.Ways = wayLines(p.Plan)
	}
	out.offer(p, q.Get("kind"))
	out.OwnName = out.Profile.Name
	if _, err := rig.ProfileNamed(rig.Profiles, out.OwnName); err == nil {
		out.OwnName = "My host"
	}
	out.Sentences = out.Profile.Sentences()
	steps, err := s.app.NumberSteps(r.Context(), p.ID, p.Steps())
	if err != nil {
		return out, err
	}
	out.Search = searchOf(projectPath(p.ID, "run"), "Search steps", q)
	last := runsheet.Where("")
	left := runsheet.LeftOf(steps)
	out.Left, out.Checks = left.Settings, left.Checks
	found := search(steps, q.Get("find"), stepText)
	out.Window = windowOf(projectPath(p.ID, "run"), q, "from", len(found), windowRows)
	out.Window.Many = "steps"
	for _, st := range found[out.Window.From:out.Window.To] {
		row := runStep{Step: st, ID: st.Key(), Parts: st.Parts(p.Plan), Folded: len(st.Items) == 0}
		if st.Place != last {
			row.Heading, last = words.Capital(string(st.Place)), st.Place
		}
		out.Steps = append(out.Steps, row)
	}
	out.Found = len(out.Steps) > 0 || len(steps) == 0
	if out.DoneSteps, err = s.app.DoneSteps(r.Context(), p.ID, p.Plan); err != nil {
		return out, err
	}
	out.DoneSteps = search(out.DoneSteps[:min(len(out.DoneSteps), mostDone)], q.Get("find"), func(d app.DoneStep) string {
		return d.Text + " " + strings.Join(d.Items, " ")
	})
	if out.Patched {
		out.Done = max(0, runsheet.Settings(runsheet.From(p.Plan, nil))-out.Left)
		out.Differ = host.Differences(p.Plan, p.Plan.Patched)
		out.Doubts = p.Plan.Doubts()
		for _, l := range p.Plan.ByNumber() {
			if p.Plan.Patched.Lane(l.ID) == nil {
				out.Planned = append(out.Planned, l)
			}
		}
	}
	return out, nil
}

// wayLine is the way that the sheet takes for an instrument, and what the others would take.
type wayLine struct {
	ID, Name, Way, Others string
	Settings              int
}

// mostWays is how many instruments have their ways compared on the page.
const mostWays = 8

// wayLines lists the instruments of a project that can come to the plan by several ways.
func wayLines(p *plan.Project) (out []wayLine) {
	for i := range p.Placed {
		pl := &p.Placed[i]
		if len(out) == mostWays || len(pl.SpreadKeys()) == 0 || !pl.Decided() {
			continue
		}
		ways := runsheet.Ways(p, pl.ID)
		line := wayLine{ID: pl.ID, Name: pl.Instrument.Name}
		var others []string
		for _, w := range ways {
			if w.Taken {
				line.Way, line.Settings = w.Name, w.Settings
			} else {
				others = append(others, fmt.Sprintf("%s, %d", w.Name, w.Settings))
			}
		}
		if len(others) > 0 && (line.Settings > 0 || len(others) > 0 && ways[0].Settings > 0) {
			line.Others = strings.Join(others[:min(3, len(others))], " · ")
			out = append(out, line)
		}
	}
	return out
}

// stepText is what a step is found by.
func stepText(st runsheet.Step) string {
	text := fmt.Sprintf("%d %s %s", st.Number, st.Text, st.Place)
	for _, i := range st.Items {
		text += " " + i.String()
	}
	return text
}
