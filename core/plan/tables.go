package plan

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

// A project is edited as tables, cell by cell, as an instrument is: what a cell shows is
// what is typed, copied and pasted. The registry below says what each cell holds and which
// edit typing into it is.

// Column is one column of a table that is typed into.
type Column struct {
	Key, Title string
	get        func(p *Project, id string) string                        // what the cell of a row shows
	set        func(p *Project, id, typed string) (edit Edit, err error) // what typing a text is
}

// Table is one table of a project.
type Table struct {
	Key     string
	Many    string // what its rows are
	Columns []Column
}

// Tables lists the tables of a project.
var Tables = []*Table{lanesTable, feedsTable, partsTable, insideTable, trimsTable}

// Cell is a text for one cell: the row by its ID, the column by its key.
type Cell struct{ Row, Column, Value string }

// TableNamed finds a table by its key, or gives nil.
func TableNamed(key string) *Table {
	if i := slices.IndexFunc(Tables, func(t *Table) bool { return t.Key == key }); i >= 0 {
		return Tables[i]
	}
	return nil
}

// Texts are what the cells of a row show, by column.
func (t *Table) Texts(p *Project, id string) []string {
	out := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		out[i] = c.get(p, id)
	}
	return out
}

// has tells whether a table has a row.
func (t *Table) has(p *Project, id string) bool {
	if t == lanesTable {
		return p.Lane(id) != nil
	}
	ref, err := ParseFeedRef(id)
	return err == nil && p.Find(ref.Placed) != nil
}

// SetCells types texts into cells of a table, all or none; a *rig.CellError names the one
// that was refused. What the cells hold already is no change.
func SetCells(table string, cells []Cell) Edit {
	edit := setCells(table, cells)
	if table == feedsTable.Key && !slices.ContainsFunc(cells, func(c Cell) bool { return c.Column != "wish" && c.Column != "output" }) {
		return sameFeeds(edit)
	}
	return edit
}

func setCells(table string, cells []Cell) Edit {
	return func(p *Project) (string, error) {
		t := TableNamed(table)
		if t == nil {
			return "", fmt.Errorf("there is no table %q", table)
		}
		if len(cells) == 0 {
			return "", fmt.Errorf("no cell is selected")
		}
		label, changed := "", 0
		for _, c := range cells {
			col := slices.IndexFunc(t.Columns, func(x Column) bool { return x.Key == c.Column })
			if col < 0 {
				return "", fmt.Errorf("the %s have no column %q to type into", t.Many, c.Column)
			}
			typed := strings.TrimSpace(c.Value)
			if typed == t.Columns[col].get(p, c.Row) && t.has(p, c.Row) {
				continue // a row that is saved whole has changed in some cells only
			}
			changed++
			edit, err := t.Columns[col].set(p, c.Row, typed)
			if err == nil {
				label, err = edit(p)
			}
			if err != nil {
				at := err
				if len(cells) > 1 {
					at = fmt.Errorf("%s, %q: %w", strings.ToLower(t.Columns[col].Title), c.Value, err)
				}
				return "", &rig.CellError{Row: c.Row, Column: c.Column, Err: at, Why: err}
			}
		}
		if changed > 1 {
			label = fmt.Sprintf("change %d cells of the %s", changed, t.Many)
		}
		return label, nil
	}
}

var lanesTable = &Table{Key: "lanes", Many: "lanes", Columns: laneColumns}

// ofLane is what a cell shows of a lane, and ofFeed of a feed; rows that are gone show nothing.
func ofLane(text func(*Project, *Lane) string) func(*Project, string) string {
	return func(p *Project, id string) string {
		if l := p.Lane(id); l != nil {
			return text(p, l)
		}
		return ""
	}
}

func ofFeed(text func(*Placed, rig.Feed) string) func(*Project, string) string {
	return func(p *Project, id string) string {
		ref, err := ParseFeedRef(id)
		if err != nil {
			return ""
		}
		pl, f, err := p.feed(ref)
		if err != nil {
			return ""
		}
		return text(pl, f)
	}
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

// DestinationText is where a lane is routed to: "main mix", "Drums", "Drums and main mix".
func (p *Project) DestinationText(l *Lane) string {
	b := p.Lane(l.To)
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
func (p *Project) SendsText(l *Lane) string {
	var out []string
	for _, s := range l.Sends {
		text := s.Level.String()
		if b := p.Lane(s.To); b != nil {
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

var feedsTable = &Table{Key: "feeds", Many: "feeds", Columns: []Column{
	{"wish", "Own output", ofFeed(wishText), func(_ *Project, id, typed string) (Edit, error) {
		ref, err := ParseFeedRef(id)
		if err != nil {
			return nil, err
		}
		wish, err := parseWish(typed)
		return SetWish(ref, wish), err
	}},
	{"output", "Output", ofFeed(decisionText), func(_ *Project, id, typed string) (Edit, error) {
		ref, err := ParseFeedRef(id)
		if err != nil {
			return nil, err
		}
		state, at, err := parseDecision(typed)
		return Decide(ref, state, at), err
	}},
	{"mode", "Mapped", modeText, func(p *Project, id, typed string) (Edit, error) {
		ref, err := ParseFeedRef(id)
		if err != nil {
			return nil, err
		}
		m, err := parseMode(typed)
		return MapVoice(ref, m), err
	}},
}}

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

func modeText(p *Project, id string) string {
	ref, err := ParseFeedRef(id)
	if pl := p.Find(ref.Placed); err == nil && pl != nil {
		return ModeTexts[pl.View.Of[ref.Feed]]
	}
	return ""
}

func addressText(p *Project, id string) string {
	ref, err := ParseFeedRef(id)
	if err != nil {
		return ""
	}
	pl, i, err := p.part(ref)
	if err != nil || !pl.Instrument.Parts[i].Address.Known() {
		return ""
	}
	return pl.Instrument.Parts[i].Address.String()
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

var partsTable = &Table{Key: "parts", Many: "parts", Columns: []Column{
	{"address", "MIDI", addressText, func(_ *Project, id, typed string) (Edit, error) {
		ref, err := ParseFeedRef(id)
		if err != nil {
			return nil, err
		}
		a, err := midi.ParseAddress(typed)
		return SetAddress(ref, a), err
	}},
}}
