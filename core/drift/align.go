package drift

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Of gives every difference of a project: from the chart and from what most do.
func Of(p *plan.Project, c *house.Chart, m *Most) []Difference {
	f := Gather(p)
	out := NewLens(c).Compare(f)
	if m != nil {
		out = append(out, m.Compare(f, Points(c, f))...)
	}
	return out
}

// Align is the edit that brings a project into line with the chart, and where that says
// nothing with what most do: those differences that are chosen and not meant. The
// project follows the chart from then on. What was patched stays as it stands in the
// host, so the run sheet has what is to be done there.
func Align(c *house.Chart, m *Most, choose func(Difference) bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		chosen := func() []Difference {
			return slices.DeleteFunc(Of(p, c, m),
				func(d Difference) bool { return d.Exception != "" || choose != nil && !choose(d) })
		}
		all := chosen()
		if len(all) == 0 && p.Chart.VersionNumber() == c.VersionNumber() {
			return "", ErrInLine
		}
		if _, err := edits.Follow(c)(p); err != nil {
			return "", err
		}
		label := fmt.Sprintf("follow version %d of the house chart", c.VersionNumber())
		if len(all) > 0 {
			label = "apply the chart: " + InWords(all)
		}
		// Sending lanes elsewhere can change what a bus is the bus of, so we look again.
		was := len(all)
		var left error
		for range 4 {
			if len(all) == 0 {
				break
			}
			left = resolve(p, c, all)
			all = chosen()
		}
		if left != nil && len(all) == was {
			return "", left
		}
		if left != nil {
			label += fmt.Sprintf("; %d cannot be: %v", len(all), left)
		}
		return label, nil
	}
}

// resolve does away with differences. What cannot be done is left, with the first reason
// why: no lane is free for a bus, or the host has no such MIDI port.
func resolve(p *plan.Project, c *house.Chart, all []Difference) (left error) {
	of := map[Attribute][]Difference{}
	for _, d := range all {
		of[d.Attribute] = append(of[d.Attribute], d)
	}
	for _, d := range of[Name] { // buses too, before lanes are sent to them by name
		p.Lane(d.Lane).Name = d.House
	}
	for _, d := range of[Bus] {
		left = cmp.Or(left, edits.SendTo(p, []string{d.Lane}, d.House))
	}
	for _, d := range of[Colour] {
		p.Lane(d.Lane).Colour = d.House
	}
	for _, d := range of[Width] {
		p.Lane(d.Lane).Width = c.Width(d.Role)
	}
	for _, d := range of[Inserts] {
		l, usual := p.Lane(d.Lane), c.Inserts(d.Role)
		if d.Bus {
			usual = c.BusInserts(d.Role)
		}
		for _, x := range usual {
			if !slices.Contains(l.Inserts, x) {
				l.Inserts = rig.WithInsert(l.Inserts, x)
			}
		}
	}
	if len(of[Place]) > 0 {
		reorder(p, c, of[Place])
	}
	for _, d := range of[Address] {
		a, err := midi.ParseAddress(d.House)
		if err == nil {
			_, err = edits.SetAddress(d.Part, a)(p)
		}
		left = cmp.Or(left, err)
	}
	for _, d := range of[Microphones] {
		if pl := p.Find(d.Part.Placed); pl != nil {
			pl.OpenOnly(d.Role, strings.Split(d.House, ", "))
		}
	}
	for _, d := range of[Output] {
		swapOutputs(p, d)
	}
	return left
}

// ErrInLine says that there is nothing to bring into line.
var ErrInLine = fmt.Errorf("it has no differences from the chart")

// InWords sums differences up as what mending them would do: "rename 9 lanes, move 4".
func InWords(ds []Difference) string {
	n := map[Attribute]int{}
	for _, d := range ds {
		n[d.Attribute]++
	}
	var out []string
	for _, a := range Attributes {
		if n[a] == 0 {
			continue
		}
		one, many := "change the "+string(a)+" of %d lane", "change the "+string(a)+" of %d lanes"
		switch a {
		case Name:
			one, many = "rename %d lane", "rename %d lanes"
		case Place:
			one, many = "move %d", "move %d"
		case Colour:
			one, many = "recolour %d", "recolour %d"
		case Bus:
			one, many = "route %d to another bus", "route %d to another bus"
		case Address:
			one, many = "change the MIDI address of %d part", "change the MIDI address of %d parts"
		case Microphones:
			one, many = "change the microphones of %d role", "change the microphones of %d roles"
		}
		if n[a] != 1 {
			one = many
		}
		out = append(out, fmt.Sprintf(one, n[a]))
	}
	if len(out) == 0 {
		return "change nothing"
	}
	return strings.Join(out, ", ")
}

// reorder puts lanes where the house has them. The lanes of each instrument keep their
// numbers among them; where all the differences of a group are chosen it is in order
// afterwards.
func reorder(p *plan.Project, c *house.Chart, ds []Difference) {
	f := Gather(p)
	v := NewLens(c)
	chosen := map[string]bool{}
	for _, d := range ds {
		chosen[d.Lane] = true
	}
	for _, g := range f.groups() {
		if !slices.ContainsFunc(g, func(i int) bool { return chosen[f.Lanes[i].ID] }) {
			continue
		}
		numbers := make([]plan.LaneNumber, len(g))
		var order, moving []int
		for k, i := range g {
			numbers[k] = f.Lanes[i].Number
			if chosen[f.Lanes[i].ID] {
				moving = append(moving, i)
			} else {
				order = append(order, i)
			}
		}
		slices.SortStableFunc(moving, func(a, b int) int { return v.compare(f, &f.Lanes[a], &f.Lanes[b]) })
		for _, i := range moving { // before the first that belongs after it
			at := slices.IndexFunc(order, func(j int) bool { return v.compare(f, &f.Lanes[j], &f.Lanes[i]) > 0 })
			if at < 0 {
				at = len(order)
			}
			order = slices.Insert(order, at, i)
		}
		for k, i := range order {
			p.Lane(f.Lanes[i].ID).Number = numbers[k]
		}
	}
}

// swapOutputs lets what leaves by a lane's output leave by the house's instead; what
// was on that one takes the other. The lanes go along with their feeds.
func swapOutputs(p *plan.Project, d Difference) {
	l := p.Lane(d.Lane)
	if l == nil || len(l.Sources) != 1 {
		return
	}
	pl := p.Find(l.Sources[0].Placed)
	number, side, err := rig.ParseLabel(d.House)
	if pl == nil || err != nil {
		return
	}
	from, to := l.Sources[0].Jack(), plan.Jack{Output: number, Side: side}
	a, okA := pl.Output(from)
	b, okB := pl.Output(to)
	if !okA || !okB || a.Width != b.Width {
		return
	}
	other := func(j plan.Jack) plan.Jack {
		switch j {
		case from:
			return to
		case to:
			return from
		}
		return j
	}
	for id, x := range pl.Feeds {
		if x.State == plan.Assigned || x.State == plan.Parked {
			j := other(x.At())
			x.Output, x.Side = j.Output, j.Side
			pl.Feeds[id] = x
		}
	}
	for i := range p.Lanes {
		for k, s := range p.Lanes[i].Sources {
			if s.Placed == pl.ID {
				j := other(s.Jack())
				p.Lanes[i].Sources[k].Output, p.Lanes[i].Sources[k].Side = j.Output, j.Side
			}
		}
	}
}
