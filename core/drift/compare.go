package drift

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Attribute is something that a project can have otherwise than the house.
type Attribute string

// The attributes that drift looks at.
const (
	Name        Attribute = "name"
	Place       Attribute = "place"
	Colour      Attribute = "colour"
	Bus         Attribute = "bus"
	Width       Attribute = "width"
	Inserts     Attribute = "inserts"
	Address     Attribute = "midi"
	Microphones Attribute = "microphones"
	Output      Attribute = "output"
)

// Attributes lists them in the order of the job, seen from the lane.
var Attributes = []Attribute{Name, Place, Colour, Bus, Width, Inserts, Address, Microphones, Output}

// ParseAttribute reads one strictly; "" is all of them.
func ParseAttribute(s string) (Attribute, error) {
	if a := Attribute(s); s == "" || slices.Contains(Attributes, a) {
		return a, nil
	}
	return "", fmt.Errorf("%q is none of %v", s, Attributes)
}

// Difference is one thing that a project has otherwise than the house.
type Difference struct {
	Role      role.Role
	Attribute Attribute
	House     string // as the house has it, for people; where the chart says nothing, as most projects have it
	Here      string
	Lane      string       // its ID, if it is about a lane
	Part      plan.FeedRef // if it is about a part; without a Feed about an instrument's microphones
	Bus       bool         // the lane is a bus
	Most      bool         // the chart says nothing; most projects do
	Exception string       // why the project is meant to differ; "" where it is not
}

// Lens looks at facts through one chart. It remembers what the chart says of a role,
// so one lens serves thousands of projects; it is not for several goroutines at once.
type Lens struct {
	chart *house.Chart
	roles map[role.Role]*said
	order map[[2]role.Role]int // of two roles in the chart
	keys  map[outputKey]string // of points, which are the same in many projects
	seen  map[outputKey]int    // in one project
}

// outputKey is what two projects have alike whose lanes take the same output: n counts those
// that are alike within a project.
type outputKey struct {
	instrument, setup string
	role              role.Role
	position          role.Position
	n                 int
}

type said struct {
	colour, busColour, bus string
	inserts, busInserts    []rig.Insert
	name                   string // of a lane that is named by the role alone
}

// NewLens makes a lens.
func NewLens(c *house.Chart) *Lens {
	return &Lens{chart: c, roles: map[role.Role]*said{}, order: map[[2]role.Role]int{}, keys: map[outputKey]string{},
		seen: map[outputKey]int{}}
}

func (v *Lens) of(r role.Role) *said {
	s := v.roles[r]
	if s == nil {
		s = &said{v.chart.Colour(r), v.chart.BusColour(r), v.chart.Bus(r), v.chart.Inserts(r), v.chart.BusInserts(r),
			plan.NameOf(v.chart, []plan.NamePart{{Role: r}})}
		v.roles[r] = s
	}
	return s
}

// busName is the bus that a lane should go to; house.MainMix for none.
func (v *Lens) busName(l *Lane) string {
	return cmp.Or(v.of(l.Role).bus, l.Usual, house.MainMix)
}

// Compare lists where a project differs from the chart, lane by lane.
func (v *Lens) Compare(f *Facts) []Difference {
	var out []Difference
	add := func(d Difference) {
		d.Exception, _ = plan.ExceptionAt(f.Exceptions, d.Role, string(d.Attribute))
		out = append(out, d)
	}
	buses := f.buses(v)
	names := v.names(f, buses)
	moved := v.moved(f)
	for i := range f.Lanes {
		l := &f.Lanes[i]
		if l.Other {
			continue
		}
		if l.IsBus {
			v.compareBus(l, buses[l.ID], names[i], add)
			continue
		}
		if len(l.Parts) == 0 {
			continue
		}
		if names[i] != l.Name {
			add(Difference{Role: l.Role, Attribute: Name, House: names[i], Here: l.Name, Lane: l.ID})
		}
		if m, ok := moved[i]; ok {
			add(Difference{Role: l.Role, Attribute: Place, House: m.house, Here: m.here, Lane: l.ID})
		}
		if c := v.of(l.Role).colour; house.ColourDifference(l.Colour, c) > house.SameColour {
			add(Difference{Role: l.Role, Attribute: Colour, House: c, Here: l.Colour, Lane: l.ID})
		}
		want, here := v.busName(l), house.MainMix
		if b := buses[l.To]; b != nil {
			if here = b.Name; strings.EqualFold(b.House, want) { // called otherwise, but the same bus
				want, here = b.Name, b.Name
			}
		}
		if l.AlsoMain && l.To != plan.MainMix {
			here += " and " + house.MainMix
		}
		if (l.Instrument != "" || v.of(l.Role).bus != "") && !strings.EqualFold(want, here) &&
			!strings.EqualFold(want+" Bus", here) {
			add(Difference{Role: l.Role, Attribute: Bus, House: want, Here: here, Lane: l.ID})
		}
		if w := v.chart.Width(l.Role); w != 0 && w != l.Width {
			add(Difference{Role: l.Role, Attribute: Width, House: w.String(), Here: l.Width.String(), Lane: l.ID})
		}
		if usual := v.of(l.Role).inserts; lacks(l, usual) {
			add(Difference{Role: l.Role, Attribute: Inserts, House: rig.InsertsText(usual), Here: cmp.Or(l.Inserts, "none"),
				Lane: l.ID})
		}
	}
	v.compareParts(f, add)
	return out
}

// compareBus lists where a bus differs from the chart.
func (v *Lens) compareBus(l *Lane, b *busFact, name string, add func(Difference)) {
	if b.House != "" && name != l.Name {
		add(Difference{Role: l.Role, Attribute: Name, House: name, Here: l.Name, Lane: l.ID, Bus: true})
	}
	if c := v.of(l.Role).busColour; b.members > 0 && house.ColourDifference(l.Colour, c) > house.SameColour {
		add(Difference{Role: l.Role, Attribute: Colour, House: c, Here: l.Colour, Lane: l.ID, Bus: true})
	}
	if usual := v.of(l.Role).busInserts; b.members > 0 && lacks(l, usual) {
		add(Difference{Role: l.Role, Attribute: Inserts, House: rig.InsertsText(usual), Here: cmp.Or(l.Inserts, "none"),
			Lane: l.ID, Bus: true})
	}
}

// compareParts lists where the addresses of parts and the sets of microphones differ from the chart.
func (v *Lens) compareParts(f *Facts, add func(Difference)) {
	given := map[role.Role]bool{}
	for _, p := range f.Parts {
		a := v.chart.At(p.Role).Address.Norm()
		if !a.Known() || given[p.Role] {
			continue
		}
		given[p.Role] = true // a second part of one role cannot have the same address
		if a != p.Address {
			add(Difference{Role: p.Role, Attribute: Address, House: a.String(), Here: p.Address.String(),
				Part: plan.FeedRef{Placed: p.Placed, Feed: p.ID}})
		}
	}
	for _, s := range f.Sets {
		if want := sorted(v.chart.Microphones(s.Role)); len(want) > 0 && !sameNames(want, s.Names) {
			add(Difference{Role: s.Role, Attribute: Microphones, House: strings.Join(want, ", "), Here: orNone(s.Names),
				Part: plan.FeedRef{Placed: s.Placed}})
		}
	}
}

// lacks reports whether a lane does not carry what it usually does. What it carries beside that
// is the song's.
func lacks(l *Lane, usual []rig.Insert) bool {
	if len(usual) == 0 {
		return false
	}
	have, err := rig.ParseInserts(l.Inserts)
	return err != nil || slices.ContainsFunc(usual, func(x rig.Insert) bool { return !slices.Contains(have, x) })
}

func sorted(names []string) []string {
	out := slices.Clone(names)
	slices.Sort(out)
	return out
}

func sameNames(a, b []string) bool { return slices.EqualFunc(a, b, strings.EqualFold) }

func orNone(names []string) string {
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// busFact is a bus of a project with the name that the house has for it: what most of
// its lanes should go to, where no other bus of the project has that name.
type busFact struct {
	Name, House string
	members     int
}

func (f *Facts) buses(v *Lens) map[string]*busFact {
	out := map[string]*busFact{}
	named := map[string]bool{}
	for i := range f.Lanes {
		if l := &f.Lanes[i]; l.IsBus {
			out[l.ID] = &busFact{Name: l.Name}
			named[strings.ToLower(l.Name)] = true
		}
	}
	wants := map[string]map[string]int{}
	for i := range f.Lanes {
		l := &f.Lanes[i]
		b := out[l.To]
		if b == nil || l.IsBus || len(l.Parts) == 0 {
			continue
		}
		b.members++
		if wants[l.To] == nil {
			wants[l.To] = map[string]int{}
		}
		wants[l.To][v.busName(l)]++
	}
	for i := range f.Lanes { // in the order of their numbers: the first of two with one name has it
		b := out[f.Lanes[i].ID]
		if b == nil || f.Lanes[i].Other {
			continue
		}
		best := ""
		for n, k := range wants[f.Lanes[i].ID] {
			if k > wants[f.Lanes[i].ID][best] || k == wants[f.Lanes[i].ID][best] && n < best {
				best = n
			}
		}
		switch low := strings.ToLower(best); {
		case best == "" || best == house.MainMix:
		case strings.EqualFold(best, b.Name), strings.EqualFold(best+" Bus", b.Name):
			b.House = best
		case !named[low] && !named[low+" bus"]:
			b.House = best
			named[low] = true
		}
	}
	return out
}

// names gives the name that the house has for each lane, by its place in f.Lanes. Where
// several have one name all but the first get a number, as a proposal gives them.
func (v *Lens) names(f *Facts, buses map[string]*busFact) []string {
	base := make([]string, len(f.Lanes))
	taken := map[string]bool{}
	for i := range f.Lanes {
		l := &f.Lanes[i]
		switch {
		case l.IsBus:
			if base[i] = buses[l.ID].House; strings.EqualFold(base[i]+" Bus", l.Name) {
				base[i] = l.Name
			}
		case len(l.Parts) == 1 && l.Parts[0].Name == "":
			base[i] = v.of(l.Parts[0].Role).name
		case len(l.Parts) > 0:
			base[i] = plan.NameOf(v.chart, l.Parts)
		}
		if base[i] == "" {
			base[i] = l.Name
		}
	}
	right := make([]bool, len(f.Lanes))
	for i, l := range f.Lanes { // other lanes keep their names, whatever they are
		if l.Other {
			base[i], taken[l.Name], right[i] = l.Name, true, true
		}
	}
	for i, l := range f.Lanes {
		if l.Other {
			continue
		}
		rest, ok := strings.CutPrefix(l.Name, base[i])
		if number, numbered := strings.CutPrefix(rest, " "); ok && numbered {
			n, err := strconv.Atoi(number)
			ok = err == nil && n > 1
		} else {
			ok = ok && rest == ""
		}
		if ok && !taken[l.Name] {
			taken[l.Name], right[i] = true, true
		}
	}
	for i, l := range f.Lanes {
		if right[i] {
			base[i] = l.Name
			continue
		}
		base[i] = plan.Unique(base[i], taken)
		taken[base[i]] = true
	}
	return base
}

type move struct{ house, here string }

// compare compares two lanes as the house lists them.
func (v *Lens) compare(f *Facts, a, b *Lane) int {
	roles := [2]role.Role{cmp.Or(a.First, a.Role), cmp.Or(b.First, b.Role)}
	byRole, known := v.order[roles]
	if !known {
		byRole = v.chart.Compare(roles[0], roles[1])
		v.order[roles] = byRole
	}
	byMic := role.ComparePositions(a.Position, b.Position)
	if f.ByMic {
		return cmp.Or(byMic, byRole)
	}
	return cmp.Or(byRole, byMic)
}

// groups gives the lanes of each instrument by number, as places in f.Lanes; lanes that
// take nothing are a group of their own.
func (f *Facts) groups() [][]int {
	var out [][]int
	at := map[string]int{}
	for i, l := range f.Lanes {
		if l.IsBus || len(l.Parts) == 0 || l.Role == role.Unnamed {
			continue
		}
		g, ok := at[l.Placed]
		if !ok {
			g, at[l.Placed] = len(out), len(out)
			out = append(out, nil)
		}
		out[g] = append(out[g], i)
	}
	return out
}

// moved finds the lanes that do not stand where the house has them: the fewest that
// would have to move for the rest to be in order. The others are a longest run in order
// (patience sorting).
func (v *Lens) moved(f *Facts) map[int]move {
	out := map[int]move{}
	for _, g := range f.groups() {
		inOrder := true
		for k := 1; k < len(g) && inOrder; k++ {
			inOrder = v.compare(f, &f.Lanes[g[k-1]], &f.Lanes[g[k]]) <= 0
		}
		if inOrder {
			continue
		}
		want := slices.Clone(g)
		slices.SortStableFunc(want, func(a, b int) int { return v.compare(f, &f.Lanes[a], &f.Lanes[b]) })
		rank := map[int]int{}
		for k, i := range want {
			rank[i] = k
			if k > 0 && v.compare(f, &f.Lanes[want[k-1]], &f.Lanes[i]) == 0 {
				rank[i] = rank[want[k-1]]
			}
		}
		stays := map[int]bool{}
		for _, k := range longestRun(len(g), func(k int) int { return rank[g[k]] }) {
			stays[g[k]] = true
		}
		after := func(list []int, i int) string {
			if k := slices.Index(list, i); k > 0 {
				return "after " + f.Lanes[list[k-1]].Name
			}
			return "first"
		}
		for _, i := range g {
			if !stays[i] {
				out[i] = move{after(want, i), after(g, i)}
			}
		}
	}
	return out
}

// longestRun gives the places of a longest subsequence that never falls.
func longestRun(n int, at func(int) int) []int {
	var tails []int // place of the lowest last element of a run of each length
	before := make([]int, n)
	for i := range n {
		k := sort.Search(len(tails), func(k int) bool { return at(tails[k]) > at(i) })
		before[i] = -1
		if k > 0 {
			before[i] = tails[k-1]
		}
		if k == len(tails) {
			tails = append(tails, i)
		} else {
			tails[k] = i
		}
	}
	out := make([]int, len(tails))
	for i, k := -1, len(tails)-1; k >= 0; k-- {
		if i < 0 {
			i = tails[k]
		}
		out[k] = i
		i = before[i]
	}
	return out
}

// Most is what most projects do where the chart says nothing: which output a role of an
// instrument leaves by, which address a part plays on, which microphones are open.
type Most struct{ tallies map[string]*tally }

type tally struct {
	values []string
	counts []int
	best   int
	total  int
}

func (t *tally) add(v string) {
	t.total++
	for i, x := range t.values {
		if x == v {
			if t.counts[i]++; t.counts[i] > t.counts[t.best] {
				t.best = i
			}
			return
		}
	}
	t.values, t.counts = append(t.values, v), append(t.counts, 1)
}

// Point is something that projects can agree on where the chart says nothing. Outputs
// are compared where an instrument has the same of them.
type Point struct {
	key, value string
	what       Attribute
	at         int // place among the lanes, parts or sets of the facts
}

// about says what the point is about.
func (x Point) about(f *Facts) Difference {
	d := Difference{Attribute: x.what}
	switch x.what {
	case Output:
		d.Role, d.Lane = f.Lanes[x.at].Role, f.Lanes[x.at].ID
	case Address:
		d.Role, d.Part = f.Parts[x.at].Role, plan.FeedRef{Placed: f.Parts[x.at].Placed, Feed: f.Parts[x.at].ID}
	case Microphones:
		d.Role, d.Part = f.Sets[x.at].Role, plan.FeedRef{Placed: f.Sets[x.at].Placed}
	}
	return d
}

// Points lists those of a project.
func Points(c *house.Chart, f *Facts) []Point { return NewLens(c).Points(f) }

// Points is Points for those who look at many projects.
func (v *Lens) Points(f *Facts) []Point {
	c := v.chart
	out := make([]Point, 0, len(f.Lanes)+len(f.Parts)+len(f.Sets))
	clear(v.seen)
	for i := range f.Lanes {
		l := &f.Lanes[i]
		if l.Output == "" || l.Role == role.Unnamed {
			continue
		}
		k := outputKey{instrument: l.Instrument, setup: l.Setup, role: l.Role, position: l.Position}
		n := v.seen[k]
		v.seen[k] = n + 1
		k.n = n
		out = append(out, Point{v.keyOf(k), l.Output, Output, i})
	}
	for i, p := range f.Parts {
		if !c.At(p.Role).Address.Known() {
			out = append(out, Point{"address\x00" + p.Instrument + "\x00" + p.Name, p.Address.String(), Address, i})
		}
	}
	for i, s := range f.Sets {
		if len(c.Microphones(s.Role)) == 0 {
			out = append(out, Point{"microphones\x00" + s.Instrument + "\x00" + string(s.Role), orNone(s.Names), Microphones, i})
		}
	}
	return out
}

// keyOf is the key of a point, which is made once.
func (v *Lens) keyOf(k outputKey) string {
	key, ok := v.keys[k]
	if !ok {
		key = "output\x00" + k.instrument + "\x00" + k.setup + "\x00" + string(k.role) + "\x00" + string(k.position)
		if k.n > 0 {
			key += "\x00" + strconv.Itoa(k.n)
		}
		k.instrument, k.setup = strings.Clone(k.instrument), strings.Clone(k.setup)
		k.role, k.position = role.Role(strings.Clone(string(k.role))), role.Position(strings.Clone(string(k.position)))
		v.keys[k] = key
	}
	return key
}

// Survey counts what the projects do. Of values used equally often the one met first
// counts, so give the projects in an order that stays.
func Survey(all [][]Point) *Most {
	m := &Most{map[string]*tally{}}
	for _, points := range all {
		for i := range points {
			t := m.tallies[points[i].key]
			if t == nil {
				t = &tally{}
				m.tallies[points[i].key] = t
			}
			t.add(points[i].value)
		}
	}
	return m
}

// Compare lists where a project differs from what most of those that have the same
// thing do. The points are the project's own.
func (m *Most) Compare(f *Facts, points []Point) (out []Difference) {
	for _, x := range points {
		t := m.tallies[x.key]
		if t == nil || t.total < 2 || t.values[t.best] == x.value {
			continue
		}
		d := x.about(f)
		d.House, d.Here, d.Most = t.values[t.best], x.value, true
		d.Exception, _ = plan.ExceptionAt(f.Exceptions, d.Role, string(d.Attribute))
		out = append(out, d)
	}
	return out
}

// Figure counts the differences that are not meant.
func Figure(ds []Difference) (n int) {
	for _, d := range ds {
		if d.Exception == "" {
			n++
		}
	}
	return n
}
