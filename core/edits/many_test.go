package edits

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
)

// order is the lanes of the plan with their numbers: "5 Kick, 6 Snare".
func order(p *plan.Project) string {
	var out []string
	for _, l := range p.OwnLanes() {
		out = append(out, fmt.Sprintf("%d %s", l.Number, l.Name))
	}
	return strings.Join(out, ", ")
}

func idsOf(p *plan.Project, names ...string) (out []string) {
	for _, name := range names {
		for _, l := range p.Lanes {
			if l.Name == name {
				out = append(out, l.ID)
			}
		}
	}
	return out
}

func TestLanesMoveAsABlockAndTheOthersMakeRoom(t *testing.T) {
	for _, c := range []struct {
		what string
		edit func(p *plan.Project) plan.Edit
		want string
	}{
		{"to free numbers", func(p *plan.Project) plan.Edit { return MoveLanes(idsOf(p, "Snare", "Kick"), 14) },
			"7 Hat, 8 Clap, 9 Drums, 14 Kick, 15 Snare"},
		{"among the others", func(p *plan.Project) plan.Edit { return MoveLanes(idsOf(p, "Kick", "Snare"), 7) },
			"5 Hat, 6 Clap, 7 Kick, 8 Snare, 9 Drums"},
		{"onto itself", func(p *plan.Project) plan.Edit { return MoveLanes(idsOf(p, "Hat", "Clap"), 6) },
			"5 Kick, 6 Hat, 7 Clap, 8 Snare, 9 Drums"},
		{"up by a key", func(p *plan.Project) plan.Edit { return ShiftLanes(idsOf(p, "Hat", "Clap"), true) },
			"5 Kick, 6 Hat, 7 Clap, 8 Snare, 9 Drums"},
		{"down by a key", func(p *plan.Project) plan.Edit { return ShiftLanes(idsOf(p, "Kick"), false) },
			"5 Snare, 6 Kick, 7 Hat, 8 Clap, 9 Drums"},
		{"numbered in the order given, past what is taken",
			func(p *plan.Project) plan.Edit { return NumberLanes(idsOf(p, "Clap", "Kick", "Hat"), 11) },
			"6 Snare, 9 Drums, 11 Clap, 13 Kick, 14 Hat"},
	} {
		p := mixer(t)
		do(t, p, c.edit(p))
		if got := order(p); got != c.want {
			t.Errorf("%s: %s, not %s", c.what, got, c.want)
		}
	}
	p := mixer(t)
	refuse(t, p, MoveLanes(idsOf(p, "Kick", "Snare"), 11), "lane 12 is taken")
	refuse(t, p, MoveLanes(idsOf(p, "Kick", "Snare"), 24), "beyond the host's limit")
	refuse(t, p, ShiftLanes(idsOf(p, "Kick"), true), "no lane of the plan stands above")
	refuse(t, p, MoveLanes(nil, 3), "no lane is selected")
	do(t, p, AddOthers([]plan.OtherLane{{Number: 10, Name: "Horn", Width: audio.Mono, Kind: plan.Regular}}))
	refuse(t, p, MoveLanes(idsOf(p, "Kick", "Snare"), 9), "Horn, which the plan did not make")
	refuse(t, p, MoveLanes(idsOf(p, "Horn"), 20), "not one that the plan made")
}

// Whatever is moved: every lane keeps a number of its own, the block lies where it was asked for,
// and the others keep their order.
func TestMovingABlockKeepsTheOrderOfTheOthers(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 6))
	for range 300 {
		p := &plan.Project{Name: "Wharf", Host: plan.Host{FirstLane: 1, LaneLimit: 60}}
		at := plan.LaneNumber(0)
		for i := range 3 + r.IntN(12) {
			at += plan.LaneNumber(1 + r.IntN(3))
			do(t, p, AddLane(plan.OutputRef{}, at, fmt.Sprint("L", i)))
		}
		var block, rest []string
		for _, l := range p.OwnLanes() {
			if r.IntN(3) == 0 {
				block = append(block, l.Name)
			} else {
				rest = append(rest, l.Name)
			}
		}
		to, before := plan.LaneNumber(1+r.IntN(40)), order(p)
		if len(block) == 0 {
			continue
		}
		if _, err := MoveLanes(idsOf(p, block...), to)(p); err != nil && !strings.Contains(err.Error(), "already") {
			t.Fatalf("%v to %d in %s: %v", block, to, before, err)
		}
		var gotRest []string
		seen := map[plan.LaneNumber]bool{}
		for _, l := range p.OwnLanes() {
			if i := slices.Index(block, l.Name); i >= 0 && l.Number != to+plan.LaneNumber(i) {
				t.Errorf("%v to %d in %s: %s is on %d", block, to, before, l.Name, l.Number)
			} else if i < 0 {
				gotRest = append(gotRest, l.Name)
			}
			if seen[l.Number] {
				t.Errorf("%v to %d in %s: two lanes on %d", block, to, before, l.Number)
			}
			seen[l.Number] = true
		}
		if !slices.Equal(gotRest, rest) {
			t.Errorf("%v to %d in %s: the others came to %v", block, to, before, gotRest)
		}
	}
}

func TestLanesAreNamedByAPattern(t *testing.T) {
	for pattern, want := range map[string]string{
		"{role} {n}":            "Clap 1, Clap 2",
		"{instrument} {output}": "Pads 1, Pads 2",
		"{n} {feed}":            "1 Kick, 2 Snare",
		"Dock":                  "Dock Kick, Dock Snare",
		"{name} in":             "Kick in, Snare in",
	} {
		p := mixer(t)
		do(t, p, RenameLanes(idsOf(p, "Kick", "Snare"), pattern))
		if got := p.OwnLanes()[0].Name + ", " + p.OwnLanes()[1].Name; got != want {
			t.Errorf("%q gives %q, not %q", pattern, got, want)
		}
	}
	p := mixer(t)
	refuse(t, p, RenameLanes(idsOf(p, "Kick"), "{colour}"), "{colour} is not known in a pattern; use {role}")
	refuse(t, p, RenameLanes(idsOf(p, "Kick"), "  "), "type a pattern")
}

func TestLanesAreColouredTogetherAndTheirBusDarker(t *testing.T) {
	p := mixer(t)
	four := idsOf(p, "Kick", "Snare", "Hat", "Clap")
	drums := p.BusNamed("Drums")
	before := drums.Colour
	do(t, p, ColourLanes(four[:2], "#aa3344", OneColour))
	if p.Lane(four[0]).Colour != "#aa3344" || drums.Colour != before {
		t.Errorf("two of four lanes gave %s and their bus %s", p.Lane(four[0]).Colour, drums.Colour)
	}
	do(t, p, ColourLanes(four, "#aa3344", ShadesOf))
	seen := map[string]bool{}
	for _, id := range four {
		seen[p.Lane(id).Colour] = true
	}
	if len(seen) != 4 || drums.Colour != house.BusShade(p.Lane(four[0]).Colour) {
		t.Errorf("four shades are %v, and the bus is %s", seen, drums.Colour)
	}
	do(t, p, ColourLanes(four[:1], "", FamilyShades))
	if got := p.Lane(four[0]).Colour; got != p.Chart.Colour("percussion") {
		t.Errorf("the family's shade is %s, not %s", got, p.Chart.Colour("percussion"))
	}
	refuse(t, p, ColourLanes(four, "teal", OneColour), "#rrggbb")
}

func TestManyLanesAreSetAndSent(t *testing.T) {
	p := mixer(t)
	three := idsOf(p, "Kick", "Snare", "Hat")
	do(t, p, SendLevels("Hall", three, "−12 dB\t-9,5\n−6", true))
	do(t, p, SetPans(three, "40 % left centre 30 % right"))
	do(t, p, SetLaneWidths(three, audio.Mono))
	do(t, p, DivideBefore(three[1:2], true))
	var got []string
	for _, id := range three {
		l := p.Lane(id)
		got = append(got, fmt.Sprintf("%s %.1f %s", p.ByID().SendsText(l), l.Pan, l.Width))
	}
	want := []string{"Hall −12.0 dB before -0.4 mono", "Hall −9.5 dB before 0.0 mono", "Hall −6.0 dB before 0.3 mono"}
	if !slices.Equal(got, want) {
		t.Errorf("sent and set: %q, not %q", got, want)
	}
	if d := p.Divided(p.LaneRoles()); !d[three[1]] || d[three[2]] {
		t.Errorf("dividers stand above %v", d)
	}
	refuse(t, p, SendLevels("Hall", three, "−12 −9", false), "2 values for 3 lanes")
	refuse(t, p, SetPans(three, "sideways"), "sideways")
	// A subgroup of lanes that go to one bus goes to that bus.
	do(t, p, AddBus("Shells", 0, three))
	if shells := p.BusNamed("Shells"); p.Lane(shells.To) == nil || p.Lane(shells.To).Name != "Drums" {
		t.Errorf("the subgroup is routed to %q", shells.To)
	}
	do(t, p, DeleteLanes(three))
	if got := len(p.OwnLanes()); got != 4 { // Clap, Drums, Hall and Shells
		t.Errorf("%d lanes are left: %s", got, order(p))
	}
}
