package propose

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/share"
)

// grouped is the input with its wanted feeds on outputs, cheapest first, and the unused
// ones set aside.
type grouped struct {
	*input
	problem  share.Problem
	solution *share.Solution
	rows     []Row
	used     int // outputs that something wanted uses
}

var sideOf = map[rig.Side]share.Side{rig.Whole: share.Whole, rig.Left: share.Left, rig.Right: share.Right}

// group puts the wanted feeds on outputs in chart order, cheapest first.
func (in *input) group() (*grouped, error) {
	q, err := in.sharing(in.outputs)
	if err != nil {
		return nil, err
	}
	best, err := share.Solve(q)
	if err != nil {
		return nil, err
	}
	outputs := in.outputs
	if quiet := in.withoutUnused(); len(quiet) < len(outputs) { // what is not used stays, where that costs nothing
		if on, err := in.sharing(quiet); err == nil {
			if there, err := share.Solve(on); err == nil && there.Cost == best.Cost {
				best, outputs = there, quiet
			}
		}
	}
	g := &grouped{input: in, problem: q, solution: best}
	used := map[int]bool{}
	for _, group := range best.Groups {
		o := outputs[group.At.Output-1]
		used[o.Number] = true
		for side, s := range sideOf {
			if s == group.At.Side && s != share.Whole {
				o = o.Half(side)
			}
		}
		row := Row{Output: o, Cost: group.Cost}
		for _, i := range group.Items {
			row.Feeds = append(row.Feeds, in.wanted[i])
		}
		for i := range row.Feeds {
			row.Feeds[i].Reason = g.reason(row, i)
		}
		g.rows = append(g.rows, row)
	}
	g.used = len(used)
	g.park()
	return g, nil
}

// withoutUnused are the outputs that no unused feed stands on.
func (in *input) withoutUnused() []rig.Output {
	stands := map[int]bool{}
	for _, u := range in.unused {
		if a := in.placed.Feeds[u.ID]; a.State == plan.Assigned || a.State == plan.Parked {
			stands[a.Output] = true
		}
	}
	return slices.DeleteFunc(slices.Clone(in.outputs), func(o rig.Output) bool { return stands[o.Number] })
}

// sharing is the input as a problem of sharing these outputs.
func (in *input) sharing(outputs []rig.Output) (share.Problem, error) {
	pl := in.placed
	q := share.Problem{Pairs: pl.Pairs, Limit: in.most}
	place := map[int]int{} // of outputs by number, from 1
	for i, o := range outputs {
		q.Outputs = append(q.Outputs, share.Output{Name: o.PortNames(0), Width: o.Width})
		place[o.Number] = i + 1
	}
	item := map[string]int{} // of feeds by ID
	for i, f := range in.wanted {
		it := share.Item{Name: f.Name, Role: f.Under(pl.View.Axis), OwnOutput: f.OwnOutput, Width: f.Width}
		if f.At.State == plan.Assigned {
			it.Now = share.Jack{Output: place[f.At.Output], Side: sideOf[f.At.Side]}
		}
		if pin := f.At.Pin; pin != nil {
			if pl.KeptFree(pin.Output) {
				return q, fmt.Errorf("%s is pinned to output %s, which is to stay free; pin it elsewhere", f.Name, pin)
			}
			if place[pin.Output] == 0 {
				return q, fmt.Errorf("%s is pinned to output %s, and there are only %d; pin it elsewhere",
					f.Name, pin, len(in.outputs))
			}
			it.Pin = share.Jack{Output: place[pin.Output], Side: sideOf[pin.Side]}
		}
		q.Items = append(q.Items, it)
		item[f.ID] = i
	}
	wanted := func(ids []string) (out []int) {
		for _, id := range ids {
			if i, ok := item[id]; ok {
				out = append(out, i)
			}
		}
		return out
	}
	for _, group := range pl.Together {
		if items := wanted(group.Feeds); len(items) > 1 {
			if group.OwnOutput != nil {
				if q.GroupWish == nil {
					q.GroupWish = map[int]int{}
				}
				q.GroupWish[len(q.Together)] = *group.OwnOutput
			}
			q.Together = append(q.Together, items)
		}
	}
	for _, pair := range pl.Apart {
		if items := wanted(pair[:]); len(items) == 2 {
			q.Apart = append(q.Apart, [2]int{items[0], items[1]})
		}
	}
	return q, nil
}

// reason says why a feed is where it is.
func (g *grouped) reason(row Row, i int) string {
	f, ports := row.Feeds[i], row.Output.PortNames(0)
	switch row.Output.Side {
	case rig.Left:
		ports += ", the left of its pair"
	case rig.Right:
		ports += ", the right of its pair"
	}
	if len(row.Feeds) == 1 {
		return "alone on " + ports + g.whyAlone(f)
	}
	pinned := ""
	if f.At.Pin != nil {
		pinned = ", pinned there"
	}
	common := f.Role
	var others []string
	for j, o := range row.Feeds {
		if j != i {
			others = append(others, o.Name)
		}
		common = role.Common(common, o.Role)
	}
	return fmt.Sprintf("shares %s%s with %s: %s %s, %s (cost %d)", ports, pinned, someOf(others),
		inWords(len(row.Feeds)), house.Common(common), g.whyShared(row), row.Cost)
}

// available is how many outputs the grouping may use.
func (g *grouped) available() int {
	if g.most > 0 {
		return g.most
	}
	return len(g.outputs)
}

func (g *grouped) whyAlone(f FeedRow) string {
	switch {
	case f.At.Pin != nil:
		return ", pinned there"
	case len(g.wanted) <= g.available() || g.solution.Cost == 0:
		return ": there are enough outputs"
	case f.OwnOutput >= house.Never:
		return ": it always has its own output"
	}
	return ": sharing it would cost more than any sharing here"
}

func (g *grouped) whyShared(row Row) string {
	switch {
	case askedTogether(g.placed, row):
		return "together, as you asked"
	case g.available() == 1:
		return "there is only one output"
	case len(row.Feeds) == 2:
		return "cheapest of the possible pairs"
	}
	return "cheapest of the possible groupings"
}

// someOf lists names as one reads them, of many the first two.
func someOf(names []string) string {
	n := len(names)
	if n > 3 {
		names = append(names[:2], fmt.Sprintf("%d more", n-2))
		n = 3
	}
	if n == 1 {
		return names[0]
	}
	return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
}

// askedTogether reports whether the user asked for all of a row to be together.
func askedTogether(pl *plan.Placed, row Row) bool {
	return slices.ContainsFunc(pl.Together, func(g plan.FeedGroup) bool {
		return !slices.ContainsFunc(row.Feeds, func(f FeedRow) bool { return !g.Holds(f.ID) })
	})
}

func inWords(n int) string {
	if words := []string{"", "", "two", "three", "four", "five", "six"}; n < len(words) {
		return words[n]
	}
	return fmt.Sprint(n)
}

// listens reports whether a lane goes on listening to an output though nothing wanted is on it: one that
// takes something else too, one of another stage, or one that the plan did not make.
func (g *grouped) listens(output int) bool {
	for i := range g.project.Lanes {
		l := &g.project.Lanes[i]
		takes := slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool {
			return s.Placed == g.placed.ID && s.Output == output
		})
		if takes && (len(l.Sources) > 1 || l.IsOther() || g.project.LaneKeptForStage(l) ||
			len(g.project.SecondExits(l.Sources[0])) > 0) {
			return true
		}
	}
	return false
}

// park gives the unused feeds a spare output, the last one unless they are parked
// on another already, or switches them off where every output carries something
// wanted.
func (g *grouped) park() {
	busy := map[int]bool{}
	for _, r := range g.rows {
		busy[r.Output.Number] = true
	}
	spare, free := 0, 0 // number of an output, and how many there are
	for _, o := range g.outputs {
		if busy[o.Number] {
			continue
		}
		free++
		if busy[o.Number] = g.listens(o.Number); !busy[o.Number] {
			spare = o.Number
		}
	}
	if free <= g.placed.Spare { // those are to stay empty
		spare = 0
	}
	for i := range g.unused {
		u := &g.unused[i]
		now := g.placed.Feeds[u.ID]
		u.To = now
		u.To.State, u.To.Output, u.To.Side = plan.Off, 0, ""
		switch {
		case now.ByHand && now.State == plan.Off:
			u.Reason += "; it stays off"
		case u.off:
			u.Reason += "; off"
		case spare != 0:
			u.To.State, u.To.Output = plan.Parked, spare
			there := now.State == plan.Parked || now.State == plan.Assigned // where it harms nothing it stays
			if _, ok := g.placed.Output(now.At()); ok && there && !busy[now.Output] && !g.placed.KeptFree(now.Output) {
				u.To.Output, u.To.Side = now.Output, now.Side
			}
			at := slices.IndexFunc(g.outputs, func(o rig.Output) bool { return o.Number == u.To.Output })
			u.Reason += fmt.Sprintf("; parked on %s, where no lane listens", g.outputs[at].PortNames(0))
		default:
			u.Reason += "; off, since every output carries something wanted or has a lane that stays"
		}
		u.Changed = u.To.State != now.State || u.To.At() != now.At()
	}
}
