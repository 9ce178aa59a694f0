package edits

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// What is done to many lanes at once. Each edit takes the lanes in the order in which they are
// given and is one change.

// Tint says how selected lanes are coloured.
type Tint string

// NameMarks are what a pattern of RenameLanes may hold: what stands for each lane.
var NameMarks = []string{"{role}", "{feed}", "{instrument}", "{output}", "{n}", "{name}"}

// The tints.
const (
	OneColour    Tint = ""
	ShadesOf     Tint = "shades" // of one colour, from the lightest to the darkest
	FamilyShades Tint = "family" // of the colour that the house chart has for each lane's family
)

// tints lists them.
var tints = []Tint{OneColour, ShadesOf, FamilyShades}

// ColourLanes colours lanes. A bus whose lanes are all among them, and that is not itself, gets
// their colour in a darker shade.
func ColourLanes(ids []string, colour string, tint Tint) plan.Edit {
	return func(p *plan.Project) (string, error) {
		if !slices.Contains(tints, tint) {
			return "", fmt.Errorf("lanes are coloured with one colour or in shades, not %q", tint)
		}
		hue := colour
		if tint != FamilyShades {
			var err error
			if hue, err = plan.ParseColour(colour); err != nil {
				return "", err
			}
		}
		roles, families := p.LaneRoles(), map[role.Role][]*plan.Lane{}
		names, err := p.EachLane(ids, func(l *plan.Lane) error {
			family := role.Unnamed
			if tint == FamilyShades {
				family = roles[l.ID].Root()
			}
			families[family] = append(families[family], l)
			return nil
		})
		if err != nil {
			return "", err
		}
		for family, lanes := range families {
			of := hue
			if tint == FamilyShades {
				of = p.Chart.Colour(family)
			}
			for i, shade := range house.Shades(of, len(lanes)) {
				if lanes[i].Colour = shade; tint == OneColour {
					lanes[i].Colour = of
				}
			}
		}
		darkenBuses(p, ids)
		return "colour " + plan.JoinNames(names), nil
	}
}

// darkenBuses gives buses of which every lane is among those a darker shade of their colour.
func darkenBuses(p *plan.Project, ids []string) {
	for i := range p.Lanes {
		b := &p.Lanes[i]
		if b.Kind != plan.Bus || b.IsOther() || slices.Contains(ids, b.ID) {
			continue
		}
		colour, all := "", true
		for _, l := range p.ByNumber() {
			if l.To == b.ID {
				colour, all = cmp.Or(colour, l.Colour), all && slices.Contains(ids, l.ID)
			}
		}
		if all && colour != "" {
			b.Colour = house.BusShade(colour)
		}
	}
}

// MoveLanes moves lanes as a block to a number: they take consecutive numbers from it, in the
// order of those they have, and the project's other lanes make room. It refuses where something
// that the plan did not make is in the way.
func MoveLanes(ids []string, to plan.LaneNumber) plan.Edit {
	return func(p *plan.Project) (string, error) {
		block, err := selectedOwn(p, ids)
		if err != nil {
			return "", err
		}
		slices.SortStableFunc(block, func(a, b *plan.Lane) int { return int(a.Number - b.Number) })
		numbers := make([]plan.LaneNumber, len(block))
		for i := range numbers {
			n := to + plan.LaneNumber(i)
			if err := p.CanHold(n); err != nil {
				return "", err
			}
			if by := notOurs(p, n); by != "" {
				return "", fmt.Errorf("lane %d is %s; choose a number with %s free of what the plan did not make", n, by,
					words.Count(len(block), "lane", "lanes"))
			}
			numbers[i] = n
		}
		return renumber(p, block, numbers)
	}
}

// ShiftLanes moves lanes as a block past the lane of the plan that stands above them, up, or below.
func ShiftLanes(ids []string, up bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		block, err := selectedOwn(p, ids)
		if err != nil {
			return "", err
		}
		first, last := block[0].Number, block[0].Number
		for _, l := range block {
			first, last = min(first, l.Number), max(last, l.Number)
		}
		order := p.OwnLanes()
		if !up {
			slices.Reverse(order)
		}
		var past *plan.Lane
		for _, l := range order { // the nearest to the block comes last
			if !slices.Contains(block, l) && (up && l.Number < first || !up && l.Number > last) {
				past = l
			}
		}
		switch {
		case past == nil && up:
			return "", fmt.Errorf("no lane of the plan stands above them")
		case past == nil:
			return "", fmt.Errorf("no lane of the plan stands below them")
		case up:
			return MoveLanes(ids, past.Number)(p)
		}
		return MoveLanes(ids, past.Number-plan.LaneNumber(len(block))+1)(p)
	}
}

// NumberLanes numbers lanes from a number on, in the order in which they are given, past the
// numbers that are not the plan's to give; the project's other lanes make room.
func NumberLanes(ids []string, from plan.LaneNumber) plan.Edit {
	return func(p *plan.Project) (string, error) {
		block, err := selectedOwn(p, ids)
		if err != nil {
			return "", err
		}
		var numbers []plan.LaneNumber
		for n := from; len(numbers) < len(block); n++ {
			if err := p.CanHold(n); err != nil {
				return "", err
			}
			if notOurs(p, n) == "" {
				numbers = append(numbers, n)
			}
		}
		return renumber(p, block, numbers)
	}
}

// selectedOwn gives the lanes with the IDs, all of them lanes of the plan.
func selectedOwn(p *plan.Project, ids []string) (out []*plan.Lane, err error) {
	_, err = p.EachLane(ids, func(l *plan.Lane) error {
		if l.IsOther() {
			return fmt.Errorf("lane %d %s is not one that the plan made; leave it out, or set it as a lane of the plan first",
				l.Number, l.Name)
		}
		out = append(out, l)
		return nil
	})
	return out, err
}

// notOurs says what the plan did not make on a number; "" where there is nothing.
func notOurs(p *plan.Project, n plan.LaneNumber) string {
	if p.Host.Taken.Contains(n) {
		return "taken by something else in the host"
	}
	for _, x := range p.OtherLanes() {
		if x.Number == n {
			return x.Name + ", which the plan did not make"
		}
	}
	return ""
}

// renumber gives the block these numbers; lanes of the plan that stand there move, in their order,
// towards what the block leaves free.
func renumber(p *plan.Project, block []*plan.Lane, numbers []plan.LaneNumber) (string, error) {
	var rest []*plan.Lane
	free := map[plan.LaneNumber]bool{} // what the block leaves
	for _, l := range block {
		free[l.Number] = true
	}
	for _, n := range numbers {
		delete(free, n)
	}
	var pool []plan.LaneNumber // of the rest
	missing := 0
	for _, l := range p.OwnLanes() {
		if slices.Contains(block, l) {
			continue
		}
		rest = append(rest, l)
		if slices.Contains(numbers, l.Number) {
			missing++
		} else {
			pool = append(pool, l.Number)
		}
	}
	left := make([]plan.LaneNumber, 0, len(free))
	for n := range free {
		left = append(left, n)
	}
	far := func(n plan.LaneNumber) plan.LaneNumber { return max(numbers[0]-n, n-numbers[0]) }
	slices.SortFunc(left, func(a, b plan.LaneNumber) int { return cmp.Or(cmp.Compare(far(a), far(b)), cmp.Compare(a, b)) })
	used := append(p.Used(), plan.RangesOf(numbers...)...)
	for n := numbers[len(numbers)-1] + 1; len(left) < missing; n++ { // two lanes had one number
		if !used.Contains(n) {
			left = append(left, n)
		}
	}
	pool = append(pool, left[:missing]...)
	slices.Sort(pool)
	changed := false
	for i, l := range block {
		changed = changed || l.Number != numbers[i]
		l.Number = numbers[i]
	}
	if !changed {
		return "", errSameNumbers
	}
	for i, l := range rest {
		l.Number = pool[i]
	}
	names := make([]string, len(block))
	for i, l := range block {
		names[i] = l.Name
	}
	return fmt.Sprintf("move %s to lanes %s", plan.JoinNames(names), plan.RangesOf(numbers...)), nil
}

var errSameNumbers = errors.New("they have those numbers already")

var nameMark = regexp.MustCompile(`\{[^{}]*\}`)

// RenameLanes names lanes by a pattern with NameMarks: the house chart's name for the role, the
// feeds, the instrument, the output, the lane's place among those given, from 1, and the name it
// has. A pattern without any is put before the names that there are.
func RenameLanes(ids []string, pattern string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pattern = strings.TrimSpace(pattern)
		for _, mark := range nameMark.FindAllString(pattern, -1) {
			if !slices.Contains(NameMarks, mark) {
				return "", fmt.Errorf("%s is not known in a pattern; use %s", mark, strings.Join(NameMarks, ", "))
			}
		}
		if pattern == "" {
			return "", fmt.Errorf("type a pattern, such as “{role} {n}”, or what stands before each name")
		}
		if !nameMark.MatchString(pattern) {
			pattern += " {name}"
		}
		roles, loads, n := p.LaneRoles(), p.LaneLoads(), 0
		names, err := p.EachLane(ids, func(l *plan.Lane) (err error) {
			n++
			l.Name, err = plan.ParseName(byPattern(p, pattern, l, roles[l.ID], n, loads))
			return err
		})
		if err != nil {
			return "", err
		}
		return "rename " + plan.JoinNames(names), nil
	}
}

func byPattern(p *plan.Project, pattern string, l *plan.Lane, r role.Role, n int,
	loads map[plan.OutputRef][]rig.Feed) string {
	var feeds, instruments, outputs []string
	for _, s := range l.Sources {
		for _, f := range loads[s] {
			feeds = append(feeds, f.Name)
		}
		if pl, o, ok := p.Output(s); ok {
			if !slices.Contains(instruments, pl.Instrument.Name) {
				instruments = append(instruments, pl.Instrument.Name)
			}
			outputs = append(outputs, cmp.Or(pl.OutputName(o), o.Label()))
		}
	}
	label := l.Name
	if r != role.Unnamed {
		label = p.Chart.Label(r)
	}
	out := strings.NewReplacer("{role}", label, "{feed}", cmp.Or(plan.JoinNames(feeds), l.Name), "{instrument}",
		plan.JoinNames(instruments),
		"{output}", plan.JoinNames(outputs), "{n}", strconv.Itoa(n), "{name}", l.Name).Replace(pattern)
	return words.Short(rig.MaxName, strings.Join(strings.Fields(out), " "))
}

// SetLaneWidths makes lanes and buses as wide.
func SetLaneWidths(ids []string, w audio.Width) plan.Edit {
	return func(p *plan.Project) (string, error) {
		names, err := p.EachLane(ids, func(l *plan.Lane) error { l.Width = w; return nil })
		return fmt.Sprintf("make %s %s", plan.JoinNames(names), w), err
	}
}

// SetPans pans lanes, all alike or, with a list, one after the other.
func SetPans(ids []string, typed string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pans, err := parseList(typed, panInList, rig.ParsePan)
		if err == nil {
			pans, err = forEach(ids, pans)
		}
		if err != nil {
			return "", err
		}
		n := 0
		names, err := p.EachLane(ids, func(l *plan.Lane) error {
			n++
			_, err := plan.SetPan(l.ID, pans[n-1])(p)
			return err
		})
		return "pan " + plan.JoinNames(names), err
	}
}

// SendLevels lets lanes send to the bus with a name, or to a return that is made for it, all at one
// level or, with a list, each at its own.
func SendLevels(name string, ids []string, typed string, pre bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		levels, err := ParseLevels(typed)
		if err == nil {
			levels, err = forEach(ids, levels)
		}
		if err != nil {
			return "", err
		}
		if !slices.ContainsFunc(levels, func(l audio.Decibels) bool { return l != levels[0] }) {
			return sendByName(name, ids, plan.Send{Level: levels[0], Pre: pre})(p)
		}
		for i, id := range ids {
			if _, err := sendByName(name, []string{id}, plan.Send{Level: levels[i], Pre: pre})(p); err != nil {
				return "", err
			}
		}
		return fmt.Sprintf("send %d lanes to %s, each at its own level", len(ids), name), nil
	}
}

var (
	levelInList = regexp.MustCompile(`(?i)^[-+−]?\d+(?:[.,]\d+)?(?:\s*dB)?`)
	panInList   = regexp.MustCompile(`(?i)^(?:cent(?:re|er)|[-+−]?\d+(?:[.,]\d+)?(?:\s*%)?(?:\s*(?:left|right|l|r)\b)?)`)
)

// ParseLevels reads one level or a list of them, as it comes from a spreadsheet: parted by spaces,
// tabs, semicolons or line breaks.
func ParseLevels(typed string) ([]audio.Decibels, error) {
	return parseList(typed, levelInList, audio.ParseDecibels)
}

func parseList[T any](typed string, one *regexp.Regexp, parse func(string) (T, error)) (out []T, err error) {
	separators := func(s string) string { return strings.TrimLeft(s, " \t\r\n;") }
	for rest := separators(typed); rest != ""; {
		text := one.FindString(rest)
		if text == "" {
			if _, err := parse(rest); err != nil {
				return nil, err
			}
			return nil, fmt.Errorf("%q cannot be read; type one value, or one for each selected lane", rest)
		}
		v, err := parse(text)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
		rest = separators(rest[len(text):])
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("no value is typed; type one, or one for each selected lane")
	}
	return out, nil
}

// forEach gives each lane its value of a list, or all of them the only one.
func forEach[T any](ids []string, values []T) ([]T, error) {
	switch {
	case len(ids) == 0:
		return nil, plan.ErrNoLane
	case len(values) == 1:
		return slices.Repeat(values, len(ids)), nil
	case len(values) != len(ids):
		return nil, fmt.Errorf("%s for %s; type one value, or one for each selected lane",
			words.Count(len(values), "value", "values"), words.Count(len(ids), "lane", "lanes"))
	}
	return values, nil
}

// DivideBefore draws a divider above lanes in lists of lanes, or none, whatever the house chart
// says.
func DivideBefore(ids []string, divider bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		names, err := p.EachLane(ids, func(l *plan.Lane) error { l.Divider = &divider; return nil })
		if divider {
			return "add a divider before " + plan.JoinNames(names), err
		}
		return "remove the divider before " + plan.JoinNames(names), err
	}
}

// FoldBus draws and lists a bus as one with its lanes, or each for itself.
func FoldBus(id string, fold bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		b, err := p.LaneWith(id)
		if err != nil {
			return "", err
		}
		if b.Kind != plan.Bus {
			return "", fmt.Errorf("lane %d %s is not a bus; only a bus folds its lanes", b.Number, b.Name)
		}
		if b.Folded = fold; fold {
			return "fold " + b.Name, nil
		}
		return "unfold " + b.Name, nil
	}
}

// DeleteLanes takes lanes and buses away.
func DeleteLanes(ids []string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		block, err := selectedOwn(p, ids)
		if err != nil {
			return "", err
		}
		names := make([]string, len(block))
		for i, l := range block {
			names[i] = l.Name
		}
		for _, id := range ids {
			if _, err := DeleteLane(id)(p); err != nil {
				return "", err
			}
		}
		return "remove " + plan.JoinNames(names), nil
	}
}
