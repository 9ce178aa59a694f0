package web

import (
	"net/http"
	"net/url"
	"slices"

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
	Settings  int    // settings left to make
	Done      int    // settings that stand already, of all that the plan takes
	Differ    []string
	Patched   bool
	Doubts    []plan.Doubt
	Planned   []*plan.Lane // that are not there yet, for the doubtful ones
}

type runStep struct {
	runsheet.Step
	Heading string // where the hands are, where that changes
	Say     bool   // how many settings there are
}

func (s *server) runPage(r *http.Request, p *project, _ url.Values) (any, error) {
	out := runPage{Profile: p.Plan.Host.Behaviour(), Patched: p.Plan.Patched != nil}
	var err error
	if out.Profiles, err = s.app.Profiles(r.Context()); err != nil {
		return out, err
	}
	if !slices.ContainsFunc(out.Profiles, func(x rig.Profile) bool { return x.Name == out.Profile.Name }) {
		out.Profiles = append(out.Profiles, out.Profile) // it came with the project
	}
	out.OwnName = out.Profile.Name
	if _, err := rig.ProfileNamed(rig.Profiles, out.OwnName); err == nil {
		out.OwnName = "My host"
	}
	out.Sentences = out.Profile.Sentences()
	steps, err := s.app.NumberSteps(r.Context(), p.ID, p.steps)
	if err != nil {
		return out, err
	}
	last := runsheet.Place("")
	for _, st := range steps {
		row := runStep{Step: st, Say: st.Count > 1 && !st.Told}
		if st.Place != last {
			row.Heading, last = words.Capital(string(st.Place)), st.Place
		}
		out.Settings += st.Count
		out.Steps = append(out.Steps, row)
	}
	if out.Patched {
		for _, st := range runsheet.From(p.Plan, nil) {
			out.Done += st.Count
		}
		out.Done = max(0, out.Done-out.Settings)
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
