package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/check"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
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
	Doubts    []app.Doubt
	Planned   []*plan.Lane // that are not there yet, for the doubtful ones
}

type runStep struct {
	runsheet.Step
	Heading string // where the hands are, where that changes
	Say     bool   // the text does not say how many settings there are
	Items   []stepItem
}

// stepItem is one setting of a step, with the colour to show where it is one.
type stepItem struct{ Text, Colour string }

func (s *server) runPage(r *http.Request, p *project) (runPage, error) {
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
	last := runsheet.Place("")
	for _, st := range p.steps {
		row := runStep{Step: st, Say: st.Count > 1 && !strings.Contains(st.Text+" ", fmt.Sprintf(" %d ", st.Count))}
		for _, item := range st.Items {
			text, colour, is := strings.Cut(item, " #")
			if is {
				colour = "#" + colour
				text += " " + colour
			}
			row.Items = append(row.Items, stepItem{text, colour})
		}
		if st.Place != last {
			row.Heading, last = strings.ToUpper(string(st.Place[:1]))+string(st.Place[1:]), st.Place
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
		out.Doubts = app.Doubts(p.Plan)
		for _, l := range p.Plan.ByNumber() {
			if p.Plan.Patched.Lane(l.ID) == nil {
				out.Planned = append(out.Planned, l)
			}
		}
	}
	return out, nil
}

// practicePage is the stand-in host, to be worked by hand.
type practicePage struct {
	Profile     rig.Profile
	Sentences   []string
	Next        *runsheet.Step
	Left        int
	Instruments []practiceInstrument
	Lanes       []plan.Lane
	Buses       []plan.Lane
	Jacks       []outputChoice
	Done        bool
}

type practiceInstrument struct {
	*plan.Placed
	Stands  plan.InstrumentState
	Loaded  bool
	Setup   string
	Seen    string
	Waiting bool
	Heard   []host.Heard
}

func (p *project) practicePage() practicePage {
	s := p.Plan.Practice.Clone()
	out := practicePage{Profile: p.Plan.Host.Behaviour(), Lanes: s.Lanes}
	out.Sentences = out.Profile.Sentences()
	steps := runsheet.From(p.Plan, s)
	out.Left, out.Done = len(steps), len(steps) == 0
	if len(steps) > 0 {
		out.Next = &steps[0]
	}
	slices.SortFunc(out.Lanes, func(a, b plan.Lane) int { return int(a.Number - b.Number) })
	for _, l := range out.Lanes {
		if l.Kind == plan.Bus {
			out.Buses = append(out.Buses, l)
		}
	}
	for i := range p.Plan.Placed {
		pl := &p.Plan.Placed[i]
		in, loaded := s.Instruments[pl.ID]
		row := practiceInstrument{Placed: pl, Stands: in, Loaded: loaded, Setup: rig.FormatRuns(rig.Runs(in.Setup)), Seen: rig.FormatRuns(rig.Runs(in.Seen)),
			Waiting: !slices.Equal(in.Setup, in.Seen), Heard: host.Sound(pl, s, out.Profile)}
		out.Instruments = append(out.Instruments, row)
		for _, o := range in.Jacks() {
			label := "output " + o.Label()
			if len(p.Plan.Placed) > 1 {
				label = pl.Instrument.Name + " " + label
			}
			out.Jacks = append(out.Jacks, outputChoice{pl.Ref(o).String(), label})
		}
	}
	return out
}

// runEdit reads the changes of the run sheet, the practice host and the findings
// that are let stand; nil where it is none of these.
func runEdit(f url.Values) (plan.Edit, error) {
	switch f.Get("do") {
	case "tick":
		return runsheet.Tick(f.Get("step")), nil
	case "all-done":
		return runsheet.AllDone(), nil
	case "not-patched":
		return func(p *plan.Project) (string, error) {
			p.Patched = nil
			return "nothing stands in the host yet", nil
		}, nil
	case "match":
		return app.Match(f.Get("lane"), f.Get("to")), nil
	case "accept":
		return check.MarkIntended(f.Get("finding"), f.Get("reason")), nil
	case "accept-not":
		return plan.UnmarkIntended(f.Get("finding")), nil
	case "practice":
		return practiceFrom(f), nil
	}
	return nil, nil
}

// profileEdit takes a profile by name, or keeps the one that is described and takes
// that.
func (s *server) profileEdit(r *http.Request, f url.Values) (plan.Edit, error) {
	if name := f.Get("profile"); name != "" {
		p, err := s.app.ProfileNamed(r.Context(), name)
		return plan.SetProfile(p), err
	}
	p, err := profileFrom(f)
	if err != nil {
		return nil, err
	}
	return plan.SetProfile(p), s.app.KeepProfile(r.Context(), p)
}

// profileFrom reads a profile that is described.
func profileFrom(f url.Values) (rig.Profile, error) {
	p := rig.Profile{Name: strings.Join(strings.Fields(f.Get("name")), " "), Lanes: rig.LaneStyle(f.Get("lanes")), Appears: rig.Appears(f.Get("appears")), After: rig.After(f.Get("after")),
		FirstOnOwn: f.Has("first"), Sides: f.Has("sides"), SaveFirst: f.Has("save"), Several: f.Has("several"), AllChannels: f.Has("allchannels")}
	var err error
	if p.Limit, err = readNumber(f.Get("limit"), 0, 0, "the last lane"); err != nil {
		return p, err
	}
	if p.BlockSize, err = readNumber(f.Get("block"), 0, 0, "the size of a block"); err != nil {
		return p, err
	}
	if p.MIDIPorts, err = readNumber(f.Get("ports"), 1, 1, "the number of MIDI ports"); err != nil {
		return p, err
	}
	return p, p.Validate()
}

// practiceFrom reads what is done to the stand-in host.
func practiceFrom(f url.Values) plan.Edit {
	what := f.Get("what")
	return func(p *plan.Project) (string, error) {
		s := p.Practice.Clone()
		h := host.New(s, p.Host.Behaviour())
		label := "practise: "
		switch what {
		case "next", "all":
			steps := runsheet.From(p, s)
			if len(steps) == 0 {
				return "", errors.New("nothing is left to do: the stand-in host stands as planned")
			}
			if what == "next" {
				steps = steps[:1]
			}
			for _, st := range steps {
				for _, a := range st.Actions {
					if err := h.Do(a); err != nil {
						return "", fmt.Errorf("%s: %w", st.Text, err)
					}
				}
				label = "practise: " + st.Text
			}
			if what == "all" {
				label = "practise: do every step"
			}
		case "over":
			p.Practice = nil
			return "practise from the beginning", nil
		case "break":
			l, err := h.Break()
			if err != nil {
				return "", err
			}
			label += l
		default:
			a, err := standInAction(p, what, f)
			if err != nil {
				return "", err
			}
			if err := h.Do(a); err != nil {
				return "", err
			}
			label += what
		}
		p.Practice = s
		return label, nil
	}
}

// standInAction reads one action on the stand-in host.
func standInAction(p *plan.Project, what string, f url.Values) (host.Action, error) {
	n, err := laneNumberFrom(f)
	if err != nil {
		return nil, err
	}
	id, lane := f.Get("placed"), f.Get("lane")
	switch what {
	case "load":
		pl := p.Find(id)
		if pl == nil {
			return nil, errors.New("that instrument is not in this project")
		}
		return host.Load{Instrument: id, Outputs: pl.Instrument.AsLoaded(), Lane: lane, Number: n}, nil
	case "setup":
		runs, err := rig.ParseRuns(f.Get("outputs"))
		return host.Setup{Instrument: id, Outputs: rig.Lay(runs, 1)}, err
	case "save":
		return host.Save{Instrument: id}, nil
	case "reload":
		return host.Reload{Instrument: id}, nil
	case "reopen":
		return host.Reopen{}, nil
	case "assign":
		return host.Assign{Instrument: id, Feed: f.Get("feed"), Jack: f.Get("jack"), Lane: lane, Number: n}, nil
	case "switch":
		return host.Switch{Instrument: id, Jack: f.Get("jack"), Lane: lane, Number: n}, nil
	case "make", "bus":
		return host.MakeLane{Lane: lane, Number: n, Name: f.Get("text"), Bus: what == "bus"}, nil
	case "point":
		a := host.Point{Lane: lane, Number: n}
		if f.Get("source") != "" {
			ref, err := plan.ParseOutputRef(f.Get("source"))
			if err != nil {
				return nil, err
			}
			a.Sources = []plan.OutputRef{ref}
		}
		return a, nil
	case "close":
		return host.CloseLane{Lane: lane}, nil
	case "route":
		return host.Route{Lane: lane, To: f.Get("to")}, nil
	case "mainoff":
		return host.MainOff{Lane: lane}, nil
	}
	return nil, fmt.Errorf("there is nothing called %q to do", what)
}

// runStage counts what the road on top says of the run sheet.
func (p *project) runStage() stage {
	st := stage{View: "run", Name: "Run sheet", Count: plural(len(p.steps), "step left", "steps left")}
	switch {
	case len(p.Plan.Placed) == 0:
		st.Count = "nothing to do yet"
	case len(p.steps) == 0:
		st.Count, st.Done = "stands as planned", true
	}
	return st
}
