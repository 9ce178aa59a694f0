package plan

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
)

// Other lanes are those of the mixer that the plan did not make: recorded tracks, single
// instruments, their buses and returns. The document holds them as they are, so that their
// numbers, names and buses count; nothing that the product does or advises closes, renames,
// moves or renumbers one.

// IsOther reports whether the plan did not make the lane.
func (l *Lane) IsOther() bool { return l.Owner == Found }

// OwnLanes lists the lanes that the plan made, in the order of their numbers.
func (p *Project) OwnLanes() []*Lane {
	return slices.DeleteFunc(p.ByNumber(), (*Lane).IsOther)
}

// OtherLanes lists the other lanes, in the order of their numbers.
func (p *Project) OtherLanes() []*Lane {
	return slices.DeleteFunc(p.ByNumber(), func(l *Lane) bool { return !l.IsOther() })
}

// NumberRange prints the numbers of lanes as ranges: "1–4, 9".
func NumberRange(lanes []*Lane) string {
	numbers := make([]LaneNumber, len(lanes))
	for i, l := range lanes {
		numbers[i] = l.Number
	}
	return RangesOf(numbers...).String()
}

// planBus reports whether the ID is that of a bus that the plan made.
func (p *Project) planBus(id string) bool {
	b := p.Lane(id)
	return b != nil && b.Kind == Bus && !b.IsOther()
}

// WithOthers is a copy of a state in which the other lanes of the document stand as they are
// written there. What is patched of them is only whether they reach buses that the plan made.
func (p *Project) WithOthers(s *Patched) *Patched {
	out := s.Clone()
	out.adopt(p)
	return out
}

// adopt gives the state the other lanes of a document; see WithOthers.
func (s *Patched) adopt(p *Project) {
	there := map[string]int{}
	for i := range s.Lanes {
		there[s.Lanes[i].ID] = i
	}
	for _, l := range p.OtherLanes() {
		stands := CloneLanes([]Lane{*l})[0]
		stands.Gain, stands.Pan = 0, 0
		i, known := there[l.ID]
		if !known {
			if p.planBus(l.To) {
				stands.To, stands.AlsoMain = MainMix, false
			}
			stands.Sends = slices.DeleteFunc(stands.Sends, func(x Send) bool { return p.planBus(x.To) })
			s.Lanes = append(s.Lanes, stands)
			continue
		}
		have := &s.Lanes[i]
		if p.planBus(l.To) || p.planBus(have.To) {
			stands.To, stands.AlsoMain = have.To, have.AlsoMain
		}
		stands.Sends = slices.DeleteFunc(stands.Sends, func(x Send) bool { return p.planBus(x.To) })
		for _, x := range have.Sends {
			if p.planBus(x.To) {
				stands.Sends = append(stands.Sends, x)
			}
		}
		*have = stands
		for k := range s.Unknown {
			if k.Entity == LaneEntity(l.ID) {
				delete(s.Unknown, k)
			}
		}
	}
}

// OtherLane is one other lane as somebody types it.
type OtherLane struct {
	Number LaneNumber
	Name   string
	Width  audio.Width
	Kind   LaneKind
	To     string // the name of a bus; "": the main mix
}

// MostOthers bounds how many lanes one text may say.
const MostOthers = 1000

// ParseOthers reads other lanes, one or a range a line: a number or a range of them, a name,
// and, in any order after commas or tabs, "mono", "stereo" or "5.1", "bus", and "> " with the
// name of the bus that it goes to. Of a range each is called by the name and a number.
//
//	1 Dialogue, mono > Speech
//	2-7 Ferry Engine
//	8 Speech, bus
func ParseOthers(text string) (out []OtherLane, err error) {
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r", "\n"), "\n") {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		lanes, err := parseOther(line)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", i+1, err)
		}
		if out = append(out, lanes...); len(out) > MostOthers {
			return nil, fmt.Errorf("line %d: that is more than %d lanes; add them in several goes", i+1, MostOthers)
		}
	}
	if len(out) == 0 {
		return nil, errors.New("type the lanes that are there, one or a range a line, for example “1-3 Dialogue”")
	}
	return out, nil
}

func parseOther(line string) ([]OtherLane, error) {
	fields := strings.FieldsFunc(line, func(r rune) bool { return r == ',' || r == '\t' || r == ';' })
	first, to, _ := strings.Cut(fields[0], ">")
	number, name, _ := strings.Cut(strings.TrimSpace(first), " ")
	if len(fields) > 1 && name == "" && to == "" { // a table: the name is in a column of its own
		name, to, _ = strings.Cut(fields[1], ">")
		fields = fields[1:]
	}
	ranges, err := ParseRanges(number)
	if err != nil || len(ranges) != 1 {
		return nil, fmt.Errorf("%q does not begin with a lane number, such as “3 Accordion” or “4-9 Strings”", line)
	}
	lane := OtherLane{Kind: Regular, Width: audio.Stereo, To: strings.TrimSpace(to)}
	for _, field := range fields[1:] {
		word, to, routed := strings.Cut(field, ">")
		if word = strings.ToLower(strings.TrimSpace(word)); routed {
			lane.To = strings.TrimSpace(to)
		}
		w, errWidth := audio.ParseWidth(word)
		switch {
		case word == "":
		case word == "bus" || word == "return":
			lane.Kind = Bus
		case errWidth == nil:
			lane.Width = w
		default:
			return nil, fmt.Errorf("%q is not one of mono, stereo, 5.1, bus and “> ” with a bus", strings.TrimSpace(field))
		}
	}
	if strings.EqualFold(lane.To, house.MainMix) {
		lane.To = ""
	}
	r := ranges[0]
	if r.To-r.From >= MostOthers {
		return nil, fmt.Errorf("%s are more than %d lanes; add them in several goes", ranges, MostOthers)
	}
	var out []OtherLane
	for n := r.From; n <= r.To; n++ {
		lane.Number, lane.Name = n, strings.TrimSpace(name)
		switch {
		case lane.Name == "":
			lane.Name = fmt.Sprintf("Lane %d", n)
		case r.From < r.To:
			lane.Name = fmt.Sprintf("%s %d", lane.Name, n-r.From+1)
		}
		out = append(out, lane)
	}
	return out, nil
}

// numberFor is the number, or the next one that no lane of the document has.
func (p *Project) numberFor(n LaneNumber) LaneNumber {
	used := p.Used()
	for used.Contains(n) {
		n++
	}
	return n
}

// keepOthers writes lanes of a session down that the plan does not have. They come with the
// IDs of a state; what they go to is looked up there. One that is called like an other lane
// there is, is that one. With all, those that are in the session no more, and that nothing of
// the plan goes to, are gone. It gives the IDs that they have in the document.
func (p *Project) keepOthers(lanes []Lane, all bool) map[string]string {
	ids, kept := map[string]string{}, map[string]bool{}
	for _, l := range lanes {
		for _, have := range p.OtherLanes() {
			if !kept[have.ID] && have.Kind == l.Kind && strings.EqualFold(have.Name, l.Name) {
				ids[l.ID], kept[have.ID] = have.ID, true
				break
			}
		}
	}
	used := p.goneTo()
	p.Lanes = slices.DeleteFunc(p.Lanes, func(l Lane) bool {
		return all && l.IsOther() && !kept[l.ID] && !used[l.ID]
	})
	for i := range p.Lanes { // what went to those that are gone
		if l := &p.Lanes[i]; l.IsOther() {
			if l.To != MainMix && p.Lane(l.To) == nil {
				l.To, l.AlsoMain = MainMix, false
			}
			l.Sends = slices.DeleteFunc(l.Sends, func(s Send) bool { return p.Lane(s.To) == nil })
		}
	}
	for _, l := range lanes {
		if ids[l.ID] == "" {
			ids[l.ID] = p.NewID("l")
			n := Lane{ID: ids[l.ID], Number: p.numberFor(l.Number), Name: l.Name, Kind: l.Kind, Owner: Found}
			p.Lanes = append(p.Lanes, n)
		}
	}
	for _, l := range lanes {
		have := p.Lane(ids[l.ID])
		for _, a := range LaneAttributes {
			if a.taken {
				a.take(have, &l)
			}
		}
		if to := p.throughIDs(l.To, ids); to != have.ID {
			have.To, have.AlsoMain = to, l.AlsoMain && to != MainMix
		}
		have.Sends = nil
		for _, s := range l.Sends {
			if to := p.throughIDs(s.To, ids); to != MainMix && to != have.ID && have.SendInto(to) == nil {
				have.Sends = append(have.Sends, Send{To: to, Level: s.Level, Pre: s.Pre})
			}
		}
	}
	p.breakRings(ids)
	return ids
}

// throughIDs is the bus of the document that a lane of a session goes to, or the main mix.
func (p *Project) throughIDs(to string, ids map[string]string) string {
	if id := ids[to]; id != "" {
		to = id
	}
	if b := p.Lane(to); b == nil || b.Kind != Bus {
		return MainMix
	}
	return to
}

// breakRings lets lanes of a session that would feed themselves go to the main mix.
func (p *Project) breakRings(ids map[string]string) {
	lanes := map[string]*Lane{}
	for i := range p.Lanes {
		lanes[p.Lanes[i].ID] = &p.Lanes[i]
	}
	for range ids {
		l := feedsItself(p.Lanes, lanes)
		if l == nil {
			return
		}
		l = lanes[l.ID]
		l.To, l.AlsoMain, l.Sends = MainMix, false, nil
	}
}

// goneTo are the lanes that lanes of the plan go or send to.
func (p *Project) goneTo() map[string]bool {
	out := map[string]bool{}
	for _, l := range p.OwnLanes() {
		out[l.To] = true
		for _, s := range l.Sends {
			out[s.To] = true
		}
	}
	return out
}

// OtherRoute is the other lane as the document has it, where it is to reach, or reach no more,
// a bus that the plan made, and does not as it stands; nil where there is nothing to do.
func (p *Project) OtherRoute(stands *Lane) *Lane {
	if stands == nil {
		return nil
	}
	l := p.Lane(stands.ID)
	if l == nil || !l.IsOther() {
		return nil
	}
	if (p.planBus(l.To) || p.planBus(stands.To)) && (l.To != stands.To || l.AlsoMain != stands.AlsoMain) {
		return l
	}
	return nil
}
