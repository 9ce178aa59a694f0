package drift

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rank"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// Learned is the chart that projects follow already.
type Learned struct {
	Projects int
	Lines    []Line
	Orders   []Order
}

// Line is one thing that most projects do with a role.
type Line struct {
	Role     role.Role
	Field    string // of the house chart
	Value    string
	Agree    int // projects that do so
	Of       int // projects that have the role
	Outliers []Outlier
	Chart    string // what the chart says now, with all it inherits
}

// Same reports whether the chart says so already.
func (l Line) Same() bool {
	if l.Field == "colour" {
		return house.ColourDifference(l.Value, l.Chart) <= house.SameColour
	}
	return strings.EqualFold(l.Value, l.Chart)
}

// Key names the line for accepting it.
func (l Line) Key() string { return l.Field + ":" + string(l.Role) }

// Outlier is what some projects do instead.
type Outlier struct {
	Value    string
	Projects []string
}

// Order is the order of the roles right below one that contradicts the fewest of the
// projects' own, by Kemeny's rule.
type Order struct {
	Parent   role.Role
	Roles    []role.Role
	Voters   int // projects with at least two of the roles
	Agree    int // of those, the ones it contradicts in nothing
	Cost     int // pairs of roles that some project has the other way round
	Bound    int // no order has fewer
	Outliers []string
	Same     bool // the chart has it so already
}

// Key names the order for accepting it.
func (o Order) Key() string { return "order:" + string(o.Parent) }

// seen collects for one role and field what each project does.
type seen struct {
	of     []int            // projects, in their order; two may have one name
	values map[int][]string // by project; several where it does not do one thing
}

// Learn works out the chart that the projects follow, role by role, beside a chart that
// is there already. With few projects it tells what these few do.
func Learn(c *house.Chart, all []*Facts, n midi.Naming) *Learned {
	out := &Learned{Projects: len(all)}
	collected := collect(all)
	for _, field := range []string{"name", "colour", "bus", "address"} {
		column, err := house.FieldNamed(field)
		if err != nil {
			panic(err) // the names above are the chart's own
		}
		roles := collected[field]
		var order []role.Role
		for r := range roles {
			order = append(order, r)
		}
		slices.SortFunc(order, c.Compare)
		said := map[role.Role]string{} // of buses: what is learned for the role above
		for _, r := range order {
			chart := column.Effective(c, r, n)
			l := roles[r].most(all, chart, field == "colour")
			if field == "bus" {
				above := said[r.Parent()]
				said[r] = l.Value
				if above == l.Value { // inherited
					continue
				}
			}
			l.Role, l.Field, l.Chart = r, field, chart
			out.Lines = append(out.Lines, l)
		}
	}
	slices.SortStableFunc(out.Lines, func(a, b Line) int { return c.Compare(a.Role, b.Role) })
	out.Orders = orders(c, all)
	return out
}

// collect lists what projects have for each role, by field.
func collect(all []*Facts) map[string]map[role.Role]*seen {
	collected := map[string]map[role.Role]*seen{"name": {}, "colour": {}, "bus": {}, "address": {}}
	note := func(field string, r role.Role, project int, value string) {
		s := collected[field][r]
		if s == nil {
			s = &seen{values: map[int][]string{}}
			collected[field][r] = s
		}
		if s.values[project] == nil {
			s.of = append(s.of, project)
		}
		if !slices.Contains(s.values[project], value) {
			s.values[project] = append(s.values[project], value)
		}
	}
	for project, f := range all {
		buses := map[string]string{}
		for _, l := range f.Lanes {
			if l.IsBus {
				buses[l.ID] = l.Name
			}
		}
		for _, l := range f.Lanes {
			if l.IsBus || l.Role == role.Unnamed || len(l.Parts) == 0 {
				continue
			}
			if len(l.Parts) == 1 && l.Parts[0].Role == l.Role {
				note("name", l.Role, project, l.Name)
			}
			note("colour", l.Role, project, l.Colour)
			to := house.MainMix
			if b := buses[l.To]; b != "" {
				to = b
			}
			for r := l.Role; r != role.Unnamed; r = r.Parent() {
				note("bus", r, project, to)
			}
		}
		for _, p := range f.Parts {
			if p.Role != role.Unnamed && p.Address.Known() {
				note("address", p.Role, project, p.Address.String())
			}
		}
	}
	return collected
}

// most finds the value that most projects have; colours that look alike are one. Of
// values that equally many have the chart's own counts, then the one met first.
func (s *seen) most(all []*Facts, chart string, colours bool) Line {
	type group struct {
		value    string
		projects []int
	}
	same := func(a, b string) bool {
		return a == b || colours && house.ColourDifference(a, b) <= house.SameColour
	}
	var groups []*group
	for _, project := range s.of {
		for _, v := range s.values[project] {
			i := slices.IndexFunc(groups, func(g *group) bool { return same(g.value, v) })
			if i < 0 {
				groups = append(groups, &group{value: v})
				i = len(groups) - 1
			}
			if !slices.Contains(groups[i].projects, project) {
				groups[i].projects = append(groups[i].projects, project)
			}
		}
	}
	slices.SortStableFunc(groups, func(a, b *group) int {
		switch n := len(b.projects) - len(a.projects); {
		case n != 0:
			return n
		case same(a.value, chart):
			return -1
		case same(b.value, chart):
			return 1
		}
		return 0
	})
	l := Line{Value: groups[0].value, Of: len(s.of)}
	for _, p := range s.of {
		if len(s.values[p]) == 1 && slices.Contains(groups[0].projects, p) {
			l.Agree++
		}
	}
	for _, g := range groups[1:] {
		o := Outlier{Value: g.value}
		for _, p := range g.projects {
			o.Projects = append(o.Projects, all[p].Name)
		}
		l.Outliers = append(l.Outliers, o)
	}
	return l
}

// orders ranks the branches of every role that has several. A branch stands where its
// first lane does.
func orders(c *house.Chart, all []*Facts) (out []Order) {
	for parent, bs := range ballotsOf(all) {
		out = append(out, rankBallots(c, parent, bs))
	}
	slices.SortFunc(out, func(a, b Order) int {
		if a.Parent == role.Unnamed || b.Parent == role.Unnamed {
			return cmp.Compare(len(a.Parent), len(b.Parent))
		}
		return c.Compare(a.Parent, b.Parent)
	})
	return out
}

// ballot is the order in which a project has the branches of a role.
type ballot struct {
	project string
	order   []role.Role
}

// ballotsOf are the orders that projects have, by the role above.
func ballotsOf(all []*Facts) map[role.Role][]ballot {
	ballots := map[role.Role][]ballot{}
	for _, f := range all {
		order := map[role.Role][]role.Role{}
		var parents []role.Role
		for _, l := range f.Lanes {
			if l.IsBus || l.Role == role.Unnamed {
				continue
			}
			for r := l.Role; r != role.Unnamed; r = r.Parent() {
				p := r.Parent()
				if order[p] == nil {
					parents = append(parents, p)
				}
				if !slices.Contains(order[p], r) {
					order[p] = append(order[p], r)
				}
			}
		}
		for _, p := range parents {
			if len(order[p]) > 1 {
				ballots[p] = append(ballots[p], ballot{f.Name, order[p]})
			}
		}
	}
	return ballots
}

// rankBallots is the order that the fewest ballots speak against.
func rankBallots(c *house.Chart, parent role.Role, bs []ballot) Order {
	var roles []role.Role
	for _, b := range bs {
		for _, r := range b.order {
			if !slices.Contains(roles, r) {
				roles = append(roles, r)
			}
		}
	}
	slices.SortFunc(roles, c.Compare)
	votes := rank.NewVotes(len(roles))
	for _, b := range bs {
		var groups [][]int
		for _, r := range b.order {
			groups = append(groups, []int{slices.Index(roles, r)})
		}
		votes.Add(groups...)
	}
	r := rank.Kemeny(votes)
	o := Order{Parent: parent, Voters: len(bs), Cost: r.Cost, Bound: r.Bound}
	for _, i := range r.Order {
		o.Roles = append(o.Roles, roles[i])
	}
	o.Same = slices.Equal(o.Roles, roles)
	for _, b := range bs {
		if slices.IsSortedFunc(b.order, func(x, y role.Role) int {
			return cmp.Compare(slices.Index(o.Roles, x), slices.Index(o.Roles, y))
		}) {
			o.Agree++
		} else {
			o.Outliers = append(o.Outliers, b.project)
		}
	}
	return o
}

// Accept is the edit that takes the chosen lines and orders into the chart, by Key.
func (l *Learned) Accept(keys map[string]bool, n midi.Naming) house.Edit {
	return func(c *house.Chart) (string, error) {
		var cells []tabular.Cell
		for _, x := range l.Lines {
			if keys[x.Key()] {
				cells = append(cells, tabular.At(string(x.Role), x.Field, x.Value))
			}
		}
		taken := len(cells)
		if taken > 0 {
			if _, err := house.SetCells(cells, n)(c); err != nil {
				return "", err
			}
		}
		for _, o := range l.Orders {
			if keys[o.Key()] {
				rest := slices.DeleteFunc(c.Below(o.Parent, o.Roles...),
					func(r role.Role) bool { return slices.Contains(o.Roles, r) })
				c.SetOrder(o.Parent, merge(c, o.Roles, rest))
				taken++
			}
		}
		if taken == 0 {
			return "", fmt.Errorf("no line is selected; select what to add to the chart")
		}
		return fmt.Sprintf("add %d lines of what projects do", taken), nil
	}
}

// merge puts the roles that nobody has ranked where they stood: before the first ranked
// one that followed them.
func merge(c *house.Chart, ranked, rest []role.Role) []role.Role {
	out := slices.Clone(ranked)
	for _, r := range rest {
		at := slices.IndexFunc(out, func(x role.Role) bool { return slices.Contains(ranked, x) && c.Compare(x, r) > 0 })
		if at < 0 {
			at = len(out)
		}
		out = slices.Insert(out, at, r)
	}
	return out
}
