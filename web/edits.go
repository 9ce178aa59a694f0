package web

import (
	"bytes"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/store"
	"hiddenlanes/web/mapdraw"
)

// change carries out one change of a project and goes back to the view it came
// from; a refusal shows that view again with the reason.
func (s *server) change(w http.ResponseWriter, r *http.Request, do func(base int64, f url.Values) (*store.Project, error)) {
	base, err := readBase(w, r)
	if err == nil {
		_, err = do(base, r.PostForm)
	}
	s.goBack(w, r, r.PostForm.Get("back"), err)
}

func (s *server) goBack(w http.ResponseWriter, r *http.Request, back string, err error) {
	view, query, ok := strings.Cut(back, "?")
	q, errQ := url.ParseQuery(query)
	switch view {
	case "feeds", "outputs", "lanes", "parts", "swap", "run", "practice", "check", "sheet", "proposal":
	default:
		view, ok = "map", ok && view == ""
	}
	if errQ != nil || !ok {
		q = url.Values{}
	}
	if err == nil {
		to := fmt.Sprintf("/projects/%d/", idOf(r))
		if view != "map" {
			to += view
		}
		if e := q.Encode(); e != "" {
			to += "?" + e
		}
		http.Redirect(w, r, to, http.StatusSeeOther)
		return
	}
	p, errLoad := s.load(r)
	if errLoad != nil {
		s.fail(w, r, errLoad)
		return
	}
	s.show(w, r, status(err), p, view, q, &flash{Bad: true, Text: message(err)})
}

func (s *server) edit(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(base int64, f url.Values) (*store.Project, error) {
		if f.Get("do") == "place" {
			c, err := readChoice(f.Get("instrument"), f.Get("outputs"), f.Get("port"), f.Get("offset"))
			if err != nil {
				return nil, err
			}
			return s.app.Place(r.Context(), idOf(r), base, c)
		}
		e, err := editFrom(f)
		if err != nil {
			return nil, err
		}
		if e == nil {
			e, err = runEdit(f)
		}
		if e == nil && err == nil {
			e, err = s.askFrom(r, base, f)
		}
		if err != nil || e == nil {
			return nil, err
		}
		return s.app.Edit(r.Context(), idOf(r), base, e)
	})
}

// editFrom reads which edit a form asks for; nil where it is none of these.
func editFrom(f url.Values) (plan.Edit, error) {
	switch do := f.Get("do"); do {
	case "decide":
		return decideFrom(f)
	case "wish":
		ref, err := plan.ParseFeedRef(f.Get("feed"))
		if err != nil {
			return nil, err
		}
		n, err := strconv.Atoi(f.Get("wish"))
		if err != nil {
			return nil, errors.New("a wish is a number from 0 to 3")
		}
		return plan.SetWish(ref, n), nil
	case "name":
		return plan.NameLane(f.Get("lane"), f.Get("name")), nil
	case "names":
		return plan.NameLanes(f["lane"], f["name"]), nil
	case "colour":
		return plan.ColourLane(f.Get("lane"), f.Get("colour")), nil
	case "gain":
		g, err := levelFrom(f.Get("gain"))
		if err != nil {
			return nil, err
		}
		return plan.SetGain(f.Get("lane"), g), nil
	case "send":
		return sendFrom(f)
	case "move":
		n, err := laneNumberFrom(f)
		if err != nil {
			return nil, err
		}
		return plan.MoveLane(f.Get("lane"), n), nil
	case "route":
		to := f.Get("to")
		return plan.Route(f["lane"], strings.TrimSuffix(to, "+main"), strings.HasSuffix(to, "+main")), nil
	case "bus":
		n, err := laneNumberFrom(f)
		if err != nil {
			return nil, err
		}
		return plan.AddBus(f.Get("name"), n, f["lane"]), nil
	case "open", "point", "land":
		ref, err := outputFrom(f)
		if err != nil {
			return nil, err
		}
		switch do {
		case "open":
			return plan.AddLane(ref, 0, f.Get("name")), nil
		case "point":
			return plan.PointLane(f.Get("lane"), ref), nil
		}
		n, err := laneNumberFrom(f)
		if err != nil {
			return nil, err
		}
		return plan.ArriveOn(ref, n), nil
	case "address":
		ref, err := plan.ParseFeedRef(f.Get("part"))
		if err != nil {
			return nil, err
		}
		a, err := midi.ParseAddress(f.Get("address"))
		return plan.SetAddress(ref, a), err
	case "close":
		return plan.DeleteLane(f.Get("lane")), nil
	case "rename":
		return plan.Rename(f.Get("name")), nil
	case "host":
		h, err := readHost(f)
		if err != nil {
			return nil, err
		}
		return plan.SetHost(h), nil
	case "outputs":
		s, err := readSetup(f.Get("outputs"), f.Get("port"), f.Get("offset"))
		if err != nil {
			return nil, err
		}
		return plan.SetOutputs(f.Get("placed"), rig.Lay(s.Outputs, s.FirstPort), s.Offset), nil
	case "remove":
		return plan.Remove(f.Get("placed")), nil
	case "no-song":
		return plan.SetSong(nil), nil
	case "mend":
		return mend(f.Get("finding")), nil
	}
	return nil, nil
}

// outputFrom reads an output that may be left out.
func outputFrom(f url.Values) (ref plan.OutputRef, err error) {
	if o := f.Get("output"); o != "" {
		ref, err = plan.ParseOutputRef(o)
	}
	return ref, err
}

func laneNumberFrom(f url.Values) (plan.LaneNumber, error) {
	return readNumber[plan.LaneNumber](f.Get("number"), 0, 0, "the lane number")
}

// mend does what a finding's button says, if the finding still stands.
func mend(key string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		f, ok := check.ByKey(p, key)
		if !ok {
			return "", errors.New("that is mended already")
		}
		if f.Edit() == nil {
			return "", errors.New("only you can know how to mend that; the reason says what is in the way")
		}
		label, err := f.Edit()(p)
		return "mend: " + label, err
	}
}

// decideFrom reads where a feed goes, from a list ("3", "park:3", "off", "") or
// a crosspoint ("i1:k36|3"), where a second press takes the feed off again.
func decideFrom(f url.Values) (plan.Edit, error) {
	feed, to := f.Get("feed"), f.Get("to")
	cell, crosspoint := f.Get("cell"), f.Has("cell")
	if crosspoint {
		feed, to, _ = strings.Cut(cell, "|")
	}
	ref, err := plan.ParseFeedRef(feed)
	if err != nil {
		return nil, err
	}
	state := plan.Assigned
	number, park := strings.CutPrefix(to, "park:")
	switch {
	case to == "":
		return plan.Decide(ref, plan.Undecided, plan.Jack{}), nil
	case to == "off":
		return plan.Decide(ref, plan.Off, plan.Jack{}), nil
	case park:
		state = plan.Parked
	}
	n, side, err := rig.ParseLabel(number)
	if err != nil {
		return nil, err
	}
	at := plan.Jack{Output: n, Side: side}
	return func(p *plan.Project) (string, error) {
		if pl := p.Find(ref.Placed); crosspoint && pl != nil {
			if a := pl.Feeds[ref.Feed]; a.State == state && a.At() == at {
				return plan.Decide(ref, plan.Undecided, plan.Jack{})(p)
			}
		}
		return plan.Decide(ref, state, at)(p)
	}, nil
}

func (s *server) undo(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(base int64, _ url.Values) (*store.Project, error) { return s.app.Undo(r.Context(), idOf(r), base) })
}

func (s *server) redo(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(base int64, _ url.Values) (*store.Project, error) { return s.app.Redo(r.Context(), idOf(r), base) })
}

// accept accepts all of a proposal, or the marked parts.
func (s *server) accept(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(base int64, f url.Values) (*store.Project, error) {
		o, err := optionsFrom(f, f.Get("placed"))
		if err != nil {
			return nil, err
		}
		return s.app.Accept(r.Context(), idOf(r), base, o, func(pr *propose.Proposal) propose.Selection {
			if f.Get("which") == "all" {
				return pr.Everything()
			}
			sel := propose.Selection{Outputs: map[string]bool{}, Unused: map[string]bool{}, Closing: map[string]bool{}}
			for _, o := range f["output"] {
				sel.Outputs[o] = true
			}
			for _, u := range f["unused"] {
				sel.Unused[u] = true
			}
			for _, l := range f["closing"] {
				sel.Closing[l] = true
			}
			return sel
		})
	})
}

// optionsFrom reads what a proposal's form says of one instrument.
func optionsFrom(f url.Values, placed string) (o propose.Options, err error) {
	o = propose.Options{Placed: placed, Bus: strings.TrimSpace(f.Get("bus-" + placed))}
	o.NoBus = f.Has("bus-"+placed) && o.Bus == ""
	o.Outputs, err = readNumber(f.Get("cut-"+placed), 0, 0, "the number of outputs")
	return o, err
}

// acceptAll accepts the proposals for every instrument in one go.
func (s *server) acceptAll(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(base int64, f url.Values) (*store.Project, error) {
		var all []propose.Options
		for _, placed := range f["placed"] {
			o, err := optionsFrom(f, placed)
			if err != nil {
				return nil, err
			}
			all = append(all, o)
		}
		return s.app.Edit(r.Context(), idOf(r), base, propose.AcceptAll(all))
	})
}

// routing sends the SFZ an instrument was read from, routed as planned.
func (s *server) routing(w http.ResponseWriter, r *http.Request) {
	p, err := s.app.Project(r.Context(), idOf(r))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	pl := p.Plan.Find(chi.URLParam(r, "placed"))
	if pl == nil {
		s.fail(w, r, errors.New("that instrument is not in this project"))
		return
	}
	out, err := s.app.RouteSFZ(r.Context(), pl)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	kind := "text/plain; charset=utf-8"
	if strings.HasSuffix(out.Name, ".zip") {
		kind = "application/zip"
	}
	sendFile(w, out.Name, kind, out.Data)
}

// song takes a Standard MIDI File for the project, or a session file that tells what
// stands in the host.
func (s *server) song(w http.ResponseWriter, r *http.Request) {
	var base int64 = -1
	back := "feeds"
	part, err := upload(w, r, maxSong, func(name, value string) {
		switch name {
		case "rev":
			if n, err := strconv.ParseInt(value, 10, 64); err == nil {
				base = n
			}
		case "back":
			back = value
		}
	})
	if err == nil {
		if dawproject.Is(part.FileName()) {
			_, err = s.app.ImportSession(r.Context(), idOf(r), base, part)
		} else {
			_, err = s.app.ImportSong(r.Context(), idOf(r), base, part, part.FileName())
		}
	}
	s.goBack(w, r, back, err)
}

func (s *server) mapSVG(w http.ResponseWriter, r *http.Request) {
	s.download(w, r, "map.svg", "image/svg+xml", func(b *bytes.Buffer, p *plan.Project) error {
		return mapdraw.SVG(b, mapdraw.New(trace.New(p), mapdraw.Options{}), p.Name)
	})
}

func (s *server) bundle(w http.ResponseWriter, r *http.Request) {
	s.download(w, r, "project.json", "application/json", func(b *bytes.Buffer, p *plan.Project) error {
		return s.app.WriteBundle(r.Context(), b, p)
	})
}

func (s *server) patchSheet(w http.ResponseWriter, r *http.Request) {
	naming, err := s.app.Naming(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.download(w, r, "patch sheet.csv", "text/csv; charset=utf-8", func(b *bytes.Buffer, p *plan.Project) error {
		return patchsheet.Encode(b, p, naming)
	})
}

func (s *server) dawProject(w http.ResponseWriter, r *http.Request) {
	s.download(w, r, ".dawproject", "application/zip", func(b *bytes.Buffer, p *plan.Project) error {
		return s.app.WriteDAWproject(r.Context(), b, p)
	})
}

// download sends a file named after the project.
func (s *server) download(w http.ResponseWriter, r *http.Request, suffix, kind string, write func(*bytes.Buffer, *plan.Project) error) {
	p, err := s.app.Project(r.Context(), idOf(r))
	var b bytes.Buffer
	if err == nil {
		err = write(&b, p.Plan)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if !strings.HasPrefix(suffix, ".") {
		suffix = " " + suffix
	}
	sendFile(w, p.Plan.Name+suffix, kind, b.Bytes())
}

// levelFrom reads decibels as people type them.
func levelFrom(text string) (audio.Decibels, error) {
	g, err := strconv.ParseFloat(strings.NewReplacer("−", "-", ",", ".", "dB", "", " ", "").Replace(text), 64)
	if err != nil || math.IsNaN(g) {
		return 0, fmt.Errorf("%q is no level; type decibels such as -3.5", text)
	}
	return audio.Decibels(g), nil
}

// sendFrom reads a send: to a bus by its ID or its name, or to a return that is made for
// it. In a lane's row an empty level takes the send away.
func sendFrom(f url.Values) (plan.Edit, error) {
	to, lanes := f.Get("bus"), f["lane"]
	if to != "" && strings.TrimSpace(f.Get("level")) == "" {
		return plan.DropSends(lanes, to), nil
	}
	level, err := levelFrom(f.Get("level"))
	if err != nil {
		return nil, err
	}
	send := plan.Send{To: to, Level: level, Pre: f.Get("tap") == "before"}
	if to != "" {
		return plan.SendLanes(lanes, send), nil
	}
	name := strings.TrimSpace(f.Get("sendto"))
	if name == "" {
		return nil, errors.New("type the name of a bus, or of the return to make")
	}
	return func(p *plan.Project) (string, error) {
		for _, b := range p.Buses() {
			if strings.EqualFold(b.Name, name) {
				send.To = b.ID
				return plan.SendLanes(lanes, send)(p)
			}
		}
		return plan.AddReturn(name, lanes, send)(p)
	}, nil
}
