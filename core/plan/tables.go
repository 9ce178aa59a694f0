package plan

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tabular"
)

// A project is edited as tables, cell by cell, as an instrument is: what a cell shows is
// what is typed, copied and pasted. The registry below says what each cell holds and which
// edit typing into it is.

type (
	// Column is one column of a table of a project.
	Column = tabular.Column[*Project, *Row]
	// Table is one of its tables.
	Table = tabular.Table[*Project, *Row]
)

// Row is a row of a table as it is shown or typed into: what its ID names.
type Row struct {
	id     string
	lane   *Lane
	lanes  ByID
	ref    FeedRef
	placed *Placed
	feeds  map[string]map[string]rig.Feed // of instruments, where they have been looked for
}

// feed is the feed that the row names.
func (r *Row) feed() (rig.Feed, error) {
	if r.feeds[r.placed.ID] == nil {
		known := map[string]rig.Feed{}
		for _, f := range r.placed.AllFeeds() {
			known[f.ID] = f
		}
		r.feeds[r.placed.ID] = known
	}
	f, ok := r.feeds[r.placed.ID][r.ref.Feed]
	if !ok {
		return f, noFeed(r.placed)
	}
	return f, nil
}

// Tables lists the tables of a project.
var Tables = []*Table{
	tableOf("lanes", "lanes", laneRows, laneColumns), tableOf("feeds", "feeds", feedRows, feedColumns),
	tableOf("parts", "parts", feedRows, partColumns), tableOf("inside", "settings inside", feedRows, insideColumns),
	tableOf("trims", "bleeds", feedRows, trimColumns),
}

func tableOf(key, many string, rows func(*Project) func(string) (*Row, error), columns []Column) *Table {
	return &Table{Key: key, Many: many, Rows: rows, Columns: func(*Project) []Column { return columns },
		Where: func(_ *Project, _ *Row, title, typed string, among int) string {
			if among == 1 {
				return ""
			}
			return fmt.Sprintf("%s, %q", title, typed)
		}}
}

// laneColumns are the cells of lanes.
var laneColumns = func() (out []Column) {
	for _, a := range LaneAttributes {
		if c := a.Cell; c != nil {
			out = append(out, Column{Key: c.Key, Title: c.Title,
				Get: func(p *Project, r *Row) string { return c.Text(p, r.lanes, r.lane) },
				Set: func(p *Project, r *Row, typed string) (string, error) {
					return carriedOut(p)(c.Type(p, r.id, typed))
				}})
		}
	}
	return out
}()

func laneRows(p *Project) func(string) (*Row, error) {
	var lanes ByID
	var of []Lane // when they were listed
	return func(id string) (*Row, error) {
		if len(of) != len(p.Lanes) || len(of) > 0 && &of[0] != &p.Lanes[0] {
			lanes, of = p.ByID(), p.Lanes
		}
		if lanes[id] == nil {
			return nil, errLaneGone
		}
		return &Row{id: id, lane: lanes[id], lanes: lanes}, nil
	}
}

// feedRows are rows of what instruments have: feeds, voices, microphones and parts.
func feedRows(p *Project) func(string) (*Row, error) {
	feeds := map[string]map[string]rig.Feed{}
	return func(id string) (*Row, error) {
		ref, err := ParseFeedRef(id)
		if err != nil {
			return nil, err
		}
		pl, err := p.placed(ref.Placed)
		return &Row{id: id, ref: ref, placed: pl, feeds: feeds}, err
	}
}

// TableNamed finds a table by its key, or gives nil.
func TableNamed(key string) *Table {
	if i := slices.IndexFunc(Tables, func(t *Table) bool { return t.Key == key }); i >= 0 {
		return Tables[i]
	}
	return nil
}

// SetCells types texts into cells of a table, all or none; a *tabular.Error names the one
// that was refused. What the cells hold already is no change.
func SetCells(key string, cells []tabular.Cell) Edit {
	return func(p *Project) (string, error) {
		t := TableNamed(key)
		if t == nil {
			return "", fmt.Errorf("there is no table %q", key)
		}
		return t.Type(p, cells)
	}
}

// carriedOut carries an edit out that was made without an error.
func carriedOut(p *Project) func(Edit, error) (string, error) {
	return func(edit Edit, err error) (string, error) {
		if err != nil {
			return "", err
		}
		return edit(p)
	}
}

// feedCell is a column of feeds, which stay what they are when it is typed into.
func feedCell(key, title string, text func(*Placed, rig.Feed) string,
	set func(*Placed, rig.Feed, string) (string, error)) Column {
	return Column{Key: key, Title: title,
		Get: func(_ *Project, r *Row) string {
			f, err := r.feed()
			if err != nil {
				return ""
			}
			return text(r.placed, f)
		},
		Set: func(_ *Project, r *Row, typed string) (string, error) {
			f, err := r.feed()
			if err != nil {
				return "", err
			}
			return set(r.placed, f, typed)
		}}
}

func sourcesText(p *Project, l *Lane) string {
	switch {
	case l.Kind == Bus:
		return ""
	case len(l.Sources) == 0:
		return nothing
	case len(l.Sources) > 1:
		return fmt.Sprintf("%d outputs", len(l.Sources))
	}
	return p.OutputText(l.Sources[0])
}

// Nothing is what stands in a cell that leads nowhere.
const nothing = "nothing"

// OutputText is what an output of the project is called where it is chosen: "output 3", or
// with the instrument's name where there are several.
func (p *Project) OutputText(ref OutputRef) string {
	pl := p.Find(ref.Placed)
	if pl == nil {
		return nothing
	}
	if len(p.Placed) > 1 {
		return pl.Instrument.Name + " " + ref.Jack().String()
	}
	return "output " + ref.Jack().String()
}

// OutputLabelled finds the output that a text names, as OutputText writes it, by its label
// alone where there is one instrument, or as a reference; "" and "nothing" are none.
func (p *Project) OutputLabelled(typed string) (OutputRef, error) {
	if typed == "" || strings.EqualFold(typed, nothing) {
		return OutputRef{}, nil
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		for _, o := range pl.Jacks() {
			ref := pl.Ref(o)
			if strings.EqualFold(typed, p.OutputText(ref)) || len(p.Placed) == 1 && strings.EqualFold(typed, o.Label()) {
				return ref, nil
			}
		}
	}
	if ref, err := ParseOutputRef(typed); err == nil && p.Find(ref.Placed) != nil {
		return ref, nil
	}
	return OutputRef{}, fmt.Errorf("no output is called %q; choose one from the list, or type %q", typed, nothing)
}

const (
	mainMixText = "main mix"
	andMain     = " and " + mainMixText
)

// ByID are lanes by their IDs, for those who look for many.
type ByID map[string]*Lane

// ByID lists the lanes by their IDs.
func (p *Project) ByID() ByID {
	out := make(ByID, len(p.Lanes))
	for i := range p.Lanes {
		out[p.Lanes[i].ID] = &p.Lanes[i]
	}
	return out
}

// DestinationText is where a lane is routed to: "main mix", "Drums", "Drums and main mix".
func (lanes ByID) DestinationText(l *Lane) string {
	b := lanes[l.To]
	switch {
	case b == nil:
		return mainMixText
	case l.AlsoMain:
		return b.Name + andMain
	}
	return b.Name
}

// Destination reads what DestinationText writes; "" is the main mix.
func (p *Project) Destination(typed string) (bus string, alsoMain bool, err error) {
	if typed == "" || strings.EqualFold(typed, mainMixText) {
		return MainMix, false, nil
	}
	if b := p.BusNamed(typed); b != nil {
		return b.ID, false, nil
	}
	if n := len(typed) - len(andMain); n > 0 && strings.EqualFold(typed[n:], andMain) {
		if b := p.BusNamed(strings.TrimSpace(typed[:n])); b != nil {
			return b.ID, true, nil
		}
	}
	return MainMix, false, fmt.Errorf("no bus is called %q; choose one from the list, or add it below", typed)
}

// SendsText lists a lane's sends: "Room −12 dB, Plate −6 dB before".
func (lanes ByID) SendsText(l *Lane) string {
	var out []string
	for _, s := range l.Sends {
		text := s.Level.String()
		if b := lanes[s.To]; b != nil {
			text = b.Name + " " + text
		}
		if s.Pre {
			text += " " + string(BeforeFader)
		}
		out = append(out, text)
	}
	return strings.Join(out, ", ")
}

// ParseSends reads what SendsText writes. A send without a level is at −12 dB, after the
// fader.
func (p *Project) ParseSends(typed string) (out []Send, err error) {
	for _, one := range rig.SplitSends(typed) {
		words := strings.Fields(one)
		if len(words) == 0 {
			continue
		}
		s := Send{Level: usualSend}
		if tap, err := ParseTap(strings.ToLower(words[len(words)-1])); err == nil && len(words) > 1 {
			s.Pre, words = tap == BeforeFader, words[:len(words)-1]
		}
		level := words
		if strings.EqualFold(words[len(words)-1], "dB") && len(words) > 2 {
			level = words[:len(words)-1]
		}
		if d, err := audio.ParseDecibels(level[len(level)-1]); err == nil && len(level) > 1 {
			s.Level, words = d, level[:len(level)-1]
		}
		name := strings.Join(words, " ")
		b := p.BusNamed(name)
		if b == nil {
			return nil, fmt.Errorf("no bus is called %q; add it below, or write sends as “Room −12 dB, Plate −6 dB before”",
				name)
		}
		s.To = b.ID
		out = append(out, s)
	}
	return out, nil
}

// usualSend is the level of a send that is typed without one, in decibels.
const usualSend audio.Decibels = -12

var feedColumns = []Column{
	feedCell("wish", "Own output", wishText, func(pl *Placed, f rig.Feed, typed string) (string, error) {
		wish, err := parseWish(typed)
		if err != nil {
			return "", err
		}
		return pl.setWish(f, wish)
	}),
	feedCell("output", "Output", decisionText, func(pl *Placed, f rig.Feed, typed string) (string, error) {
		state, at, err := parseDecision(typed)
		if err != nil {
			return "", err
		}
		return pl.decide(f, state, at)
	}),
	{Key: "mode", Title: "Mapped",
		Get: func(_ *Project, r *Row) string { return ModeTexts[r.placed.View.Of[r.ref.Feed]] },
		Set: func(p *Project, r *Row, typed string) (string, error) {
			m, err := parseMode(typed)
			delete(r.feeds, r.placed.ID)
			return carriedOut(p)(MapVoice(r.ref, m), err)
		}},
}

// FeedTexts are what the cells of a feed show: how much it wants its own output, and where
// it goes. For those who have the feed at hand.
func FeedTexts(pl *Placed, f rig.Feed) (wish, output string) {
	return wishText(pl, f), decisionText(pl, f)
}

// HouseText stands where the house chart decides.
const HouseText = "house"

// parseWish reads a wish; where the house decides, it is −1.
func parseWish(typed string) (int, error) {
	if typed == "" || strings.EqualFold(typed, HouseText) || strings.HasSuffix(typed, " · "+HouseText) {
		return -1, nil
	}
	return house.ParseWish(typed)
}

// wishText is how much a feed wants an output of its own, and whether the house says so.
func wishText(pl *Placed, f rig.Feed) string {
	text := house.WishTexts[pl.Wish(f)]
	if pl.Feeds[f.ID].Wish == nil {
		text += " · " + HouseText
	}
	return text
}

// decisionText is where a feed goes, as parseDecision reads it.
func decisionText(pl *Placed, f rig.Feed) string {
	a := pl.Feeds[f.ID]
	switch a.State {
	case Off:
		return "off"
	case Undecided:
		return ""
	}
	text := a.At().String()
	if o, ok := pl.Output(a.At()); ok {
		text += " (" + pl.PortText(o) + ")"
	}
	if a.State == Parked {
		return "parked on " + text
	}
	return text
}

// parseDecision reads where a feed goes: "3", "3L", "park 3", "off"; "" is nowhere yet.
func parseDecision(typed string) (State, Jack, error) {
	low := strings.ToLower(typed)
	switch low {
	case "", "none", "nowhere yet":
		return Undecided, Jack{}, nil
	case "off":
		return Off, Jack{}, nil
	}
	state := Assigned
	for _, verb := range []string{"parked on ", "parked ", "park on ", "park "} {
		if rest, ok := strings.CutPrefix(low, verb); ok {
			state, low = Parked, rest
			break
		}
	}
	low = strings.TrimPrefix(low, "output ")
	label, _, _ := strings.Cut(low, " ") // "3 (5–6)" is what a cell shows
	at, err := ParseJack(label)
	if err != nil {
		return "", Jack{}, fmt.Errorf("%q is not where a feed can go; type an output such as 3, “park 3” or “off”", typed)
	}
	return state, at, nil
}

// ModeTexts are how a voice is mapped, by the mode; the usual one is as the others.
var ModeTexts = map[rig.Mode]string{rig.Usual: "as the others", rig.ByMic: "by microphone", rig.Own: "on its own",
	rig.Each: "through each microphone"}

func parseMode(typed string) (rig.Mode, error) {
	for _, m := range rig.Modes {
		if strings.EqualFold(typed, ModeTexts[m]) {
			return m, nil
		}
	}
	if typed == "" {
		return rig.Usual, nil
	}
	return "", fmt.Errorf("%q is not how a voice can be mapped; choose from the list", typed)
}

// MapVoice says how one voice is mapped.
func MapVoice(ref FeedRef, m rig.Mode) Edit {
	return SetView(ref.Placed, func(v *rig.View) {
		if v.Of == nil {
			v.Of = map[string]rig.Mode{}
		}
		v.Of[ref.Feed] = m
		if m == rig.Usual {
			delete(v.Of, ref.Feed)
		}
	})
}

var partColumns = []Column{{Key: "address", Title: "MIDI",
	Get: func(p *Project, r *Row) string {
		pl, i, err := p.part(r.ref)
		if err != nil || !pl.Instrument.Parts[i].Address.Known() {
			return ""
		}
		return pl.Instrument.Parts[i].Address.String()
	},
	Set: func(p *Project, r *Row, typed string) (string, error) {
		a, err := midi.ParseAddress(typed)
		return carriedOut(p)(SetAddress(r.ref, a), err)
	}}}
