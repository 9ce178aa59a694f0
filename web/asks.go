package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// askFrom reads the changes that say what proposals are to do, how an instrument
// is looked at and how it is set up. A nil edit was carried out already.
func (s *server) askFrom(r *http.Request, base int64, f url.Values) (plan.Edit, error) {
	placed, feeds := f.Get("placed"), f["feed"]
	switch do := f.Get("do"); do {
	case "together":
		return plan.KeepTogether(placed, feeds), nil
	case "apart":
		return plan.KeepApart(placed, feeds), nil
	case "free":
		return plan.ClearConstraints(placed, feeds), nil
	case "park":
		return plan.SetAside(placed, feeds, plan.Parked), nil
	case "off":
		return plan.SetAside(placed, feeds, plan.Off), nil
	case "fold":
		return plan.SetFold(placed, feeds, true), nil
	case "pin":
		return pinFrom(f, placed, feeds)
	case "pairs":
		return plan.SetPairs(placed, f.Get("pairs") == "1"), nil
	case "lanes":
		lanes, err := plan.ParseRanges(f.Get("lanes"))
		return plan.SetLaneList(placed, lanes), err
	case "use":
		return plan.SetUse(placed, 0), nil
	case "axis", "voices", "parts", "mode", "split":
		return viewFrom(do, f, placed)
	case "variant":
		return plan.SetVariant(placed, f.Get("variant")), nil
	case "missing":
		return plan.AddOutputs(placed), nil
	case "halve", "whole":
		number, _, err := rig.ParseLabel(f.Get("output"))
		return plan.HalveOutput(placed, number, do == "halve"), err
	case "profile":
		return s.profileEdit(r, f)
	case "setup":
		return s.setupEdit(r, f, placed)
	case "layout":
		return s.layoutEdit(r, f, placed)
	case "keep-layout":
		return nil, s.app.KeepLayout(r.Context(), idOf(r), base, placed, f.Get("name"))
	case "keep-setup":
		p, err := s.app.Project(r.Context(), idOf(r))
		if err != nil {
			return nil, err
		}
		pl := p.Plan.Find(placed)
		if pl == nil || len(pl.Outputs) == 0 {
			return nil, errors.New("there are no outputs to keep")
		}
		x, err := setupFrom(f.Get("name"), pl.Variant, rig.FormatRuns(rig.Runs(pl.Outputs)), fmt.Sprint(pl.Outputs[0].First), f.Has("default"))
		if err != nil {
			return nil, err
		}
		return nil, s.app.KeepSetup(r.Context(), x)
	}
	return nil, fmt.Errorf("there is no change called %q", f.Get("do"))
}

// pinFrom pins the marked feeds to the output that is typed, or each to where the
// proposal has it ("i1.kick=3L" in at).
func pinFrom(f url.Values, placed string, feeds []string) (plan.Edit, error) {
	if to := strings.TrimSpace(f.Get("to")); to != "" {
		number, side, err := rig.ParseLabel(to)
		return plan.PinTo(placed, feeds, plan.Jack{Output: number, Side: side}), err
	}
	at := map[string]plan.Jack{}
	for _, a := range f["at"] {
		feed, label, _ := strings.Cut(a, "=")
		if number, side, err := rig.ParseLabel(label); err == nil {
			at[feed] = plan.Jack{Output: number, Side: side}
		}
	}
	return func(p *plan.Project) (string, error) {
		label := ""
		for _, id := range feeds {
			j, ok := at[id]
			if !ok {
				return "", errors.New("type the output to pin it to: the proposal has it on none")
			}
			l, err := plan.PinTo(placed, []string{id}, j)(p)
			if err != nil {
				return "", err
			}
			label = l
		}
		switch len(feeds) {
		case 0:
			return "", errors.New("mark some feeds first")
		case 1:
			return label, nil
		}
		return fmt.Sprintf("pin %d feeds where they are proposed", len(feeds)), nil
	}, nil
}

// viewFrom changes which feeds of an instrument are mapped.
func viewFrom(do string, f url.Values, placed string) (plan.Edit, error) {
	mode := rig.Mode(f.Get("to"))
	if do != "axis" && do != "split" && !slices.Contains(rig.Modes, mode) {
		return nil, fmt.Errorf("feeds cannot be made by %q", mode)
	}
	id := f.Get("id")
	return plan.SetView(placed, func(v *rig.View) {
		switch do {
		case "axis":
			v.Axis = ""
			if f.Get("to") == string(rig.ByMicrophone) {
				v.Axis = rig.ByMicrophone
			}
		case "voices":
			v.Voices = mode
		case "parts":
			v.Parts = mode
		case "mode":
			if v.Of == nil {
				v.Of = map[string]rig.Mode{}
			}
			v.Of[id] = mode
			if mode == rig.Usual {
				delete(v.Of, id)
			}
		case "split":
			if v.Split == nil {
				v.Split = map[string]bool{}
			}
			v.Split[id] = f.Get("to") == "1"
		}
	}), nil
}

// setupEdit sets an instrument's outputs up as one of the kept set-ups has them.
func (s *server) setupEdit(r *http.Request, f url.Values, placed string) (plan.Edit, error) {
	all, err := s.app.Setups(r.Context())
	if err != nil {
		return nil, err
	}
	for _, x := range all {
		if x.Name == f.Get("setup") {
			runs, err := rig.ParseRuns(x.Outputs)
			if err != nil {
				return nil, err
			}
			return func(p *plan.Project) (string, error) {
				offset := 0
				if pl := p.Find(placed); pl != nil {
					offset = pl.Offset
				}
				label, err := plan.SetOutputs(placed, rig.Lay(runs, x.First), offset)(p)
				return label + ", " + x.Name, err
			}, nil
		}
	}
	return nil, errors.New("that set-up is no longer kept; choose another")
}

// layoutEdit lays an instrument out as one of its layouts says.
func (s *server) layoutEdit(r *http.Request, f url.Values, placed string) (plan.Edit, error) {
	p, err := s.app.Project(r.Context(), idOf(r))
	if err != nil {
		return nil, err
	}
	pl := p.Plan.Find(placed)
	if pl == nil {
		return nil, errors.New("that instrument is not in this project")
	}
	all, err := s.app.Layouts(r.Context(), pl)
	if err != nil {
		return nil, err
	}
	for _, l := range all {
		if l.Name == f.Get("layout") {
			return plan.ApplyLayout(placed, l), nil
		}
	}
	return nil, errors.New("that layout is no longer kept; choose another")
}
