package draw

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// crossings counts pairs of lines between two columns that cross.
func crossings(lines [][2]int) int {
	n := 0
	for i, a := range lines {
		for _, b := range lines[:i] {
			if (a[0]-b[0])*(a[1]-b[1]) < 0 {
				n++
			}
		}
	}
	return n
}

func TestAProposedMapHasNoCrossingsAndNothingOverlaps(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit(), sample.FlintTwelve())
	g := trace.New(p)
	d := NewMap(g, MapOptions{})
	outY, laneY := map[string]int{}, map[string]int{}
	var outs, lanes []int
	for _, o := range d.Outputs {
		outY[o.Ref] = o.Y
		outs = append(outs, o.Y)
	}
	for _, l := range d.Lanes {
		laneY[l.ID] = l.Y
		lanes = append(lanes, l.Y)
	}
	var first, second [][2]int
	for i, f := range g.Feeds {
		first = append(first, [2]int{d.Feeds[i].Y, outY[f.OutputRef().String()]})
		second = append(second, [2]int{outY[f.OutputRef().String()], laneY[g.LanesOf(f.OutputRef())[0].ID]})
	}
	if n := crossings(first) + crossings(second); n != 0 {
		t.Errorf("%d crossings", n)
	}
	for _, ys := range [][]int{outs, lanes} {
		slices.Sort(ys)
		for i := 1; i < len(ys); i++ {
			if ys[i]-ys[i-1] < 22 {
				t.Errorf("two things stand %d apart, each is 22 high", ys[i]-ys[i-1])
			}
		}
		if last := ys[len(ys)-1]; last+11 > d.Height || ys[0] < top {
			t.Errorf("outside the drawing: %d to %d of %d", ys[0], last, d.Height)
		}
	}
	if len(d.Groups) != 2 || len(d.Buses) != 1 {
		t.Errorf("%d groups, %d buses: both kits belong to one bus", len(d.Groups), len(d.Buses))
	}
}

// The places must be the least-squares ones: no shift of any run improves them.
func TestSettlingMovesThingsAsLittleAsItMust(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for range 200 {
		const gap = 20
		var ns []*node
		for i := range 2 + rng.IntN(12) {
			ns = append(ns, &node{key: fmt.Sprint(i), pull: 200 + float64(rng.IntN(200)), tie: i})
		}
		spread(ns, gap)
		cost := func(shift, from, to int) (sum float64) {
			for i, n := range ns {
				y := float64(n.y)
				if i >= from && i < to {
					y += float64(shift)
				}
				sum += (y - n.pull) * (y - n.pull)
			}
			return sum
		}
		for i := 1; i < len(ns); i++ {
			if ns[i].y-ns[i-1].y < gap {
				t.Fatalf("%d and %d are nearer than %d", ns[i-1].y, ns[i].y, gap)
			}
		}
		for from := range ns {
			for to := from + 1; to <= len(ns); to++ {
				up := from == 0 || ns[from].y-ns[from-1].y > gap+2
				down := to == len(ns) || ns[to].y-ns[to-1].y > gap+2
				// Places are whole pixels, so a shift must win by more than rounding can.
				if up && cost(-2, from, to) < cost(0, 0, 0)-1 || down && cost(2, from, to) < cost(0, 0, 0)-1 {
					t.Fatalf("shifting %d–%d is better", from, to)
				}
			}
		}
	}
}

func TestChoosingLightsOneWholePath(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	d := NewMap(trace.New(p), MapOptions{Feeds: []string{"i1:stop"}})
	var lit []string
	for _, f := range d.Feeds {
		if f.Lit {
			lit = append(lit, f.Name)
		}
	}
	for _, o := range d.Outputs {
		if o.Lit {
			lit = append(lit, "output "+o.Label)
		}
	}
	for _, l := range slices.Concat(d.Lanes, d.Buses) {
		if l.Lit {
			lit = append(lit, l.Name)
		}
	}
	edges := 0
	for _, e := range d.Edges {
		if e.Lit {
			edges++
		}
	}
	if want := []string{"Snare Top", "output 2", "Snare", "Drums"}; !slices.Equal(lit, want) || edges != 4 {
		t.Errorf("lit %q and %d lines", lit, edges)
	}
}

func TestFoldingJoinsFamiliesAndKeepsTheOddOnesInSight(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	if _, err := edits.Decide(plan.FeedRef{Placed: "i1", Feed: "f2"}, plan.Undecided, plan.Jack{})(p); err != nil {
		t.Fatal(err)
	}
	var names []string
	for _, f := range NewMap(trace.New(p), MapOptions{Fold: true, Open: map[string]bool{"i1:kit/room": true}}).Feeds {
		names = append(names, f.Name)
	}
	want := []string{"Kick · 2 feeds", "Snare · 2 feeds", "Hat", "Toms · 2 feeds", "Floor 2", "Cymbals · 3 feeds",
		"Overhead", "Room Near", "Room Far", "Percussion · 4 feeds"}
	if !slices.Equal(names, want) {
		t.Errorf("got %q; want %v", names, want)
	}
}

func TestInkReadsOnAnyColour(t *testing.T) {
	for colour, want := range map[string]string{"#000000": "#ffffff", "#ffffff": "#101418", "#0072b2": "#ffffff",
		"#f0e442": "#101418", "nonsense": "#ffffff"} {
		if got := inkOn(colour); got != want {
			t.Errorf("on %s: %s", colour, got)
		}
	}
}

// A line is drawn as the layer says: planned until it stands, waiting while the
// host has not seen the output.
func TestLinesShowWhatStandsInTheHost(t *testing.T) {
	p := testkit.Wide(t, 1, 3)
	p.Lanes[0].AlsoMain = true
	count := func() map[LineState]int {
		n := map[LineState]int{}
		for _, e := range NewMap(trace.New(p), MapOptions{}).Edges {
			n[e.State]++
		}
		return n
	}
	// Three feeds, three outputs, three ways to the bus, one to the main mix, the bus.
	if n := count(); n[Planned] != 11 {
		t.Errorf("nothing stands: %v", n)
	}
	p.Patched = p.AsPlanned()
	if n := count(); n[Patched] != 11 {
		t.Errorf("all stands: %v", n)
	}
	in := p.Patched.Instruments["i1"]
	in.Seen = in.Seen[:2]
	p.Patched.Instruments["i1"] = in
	if n := count(); n[Waiting] == 0 || n[Waiting]+n[Patched] != 11 {
		t.Errorf("output 3 is not seen: %v", n)
	}
	p.Patched.Lanes[0].To = plan.MainMix
	if n := count(); n[Planned] != 2 {
		t.Errorf("lane 1 does not go to the bus yet: %v", n)
	}
}

// A send is one thin line to its bus, of a folded family one for all; what it brings is
// lit with the feed, however the buses send to each other.
func TestSendsAreDrawnBesideTheirLanes(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	rooms, toms := testkit.Lane(p, "Rooms").ID, []string{testkit.Lane(p, "Rack 1").ID, testkit.Lane(p, "Floor 1").ID}
	testkit.Edit(t, p, edits.AddReturn("Hall", append(toms, rooms), plan.Send{Level: -12}))
	sends := func(o MapOptions) (planned, patched int) {
		for _, e := range NewMap(trace.New(p), o).Edges {
			if e.Send && e.State == Planned {
				planned++
			} else if e.Send {
				patched++
			}
		}
		return planned, patched
	}
	if planned, patched := sends(MapOptions{}); planned != 3 || patched != 0 {
		t.Errorf("%d planned, %d patched", planned, patched)
	}
	p.Patched = p.AsPlanned()
	p.Patched.Lane(rooms).Sends[0].Pre = true // stands, but is taken elsewhere
	if planned, patched := sends(MapOptions{}); planned != 1 || patched != 2 {
		t.Errorf("in the host %d are planned, %d patched", planned, patched)
	}
	if planned, patched := sends(MapOptions{Fold: true}); planned+patched != 2 {
		t.Errorf("folded there are %d", planned+patched)
	}
	// Forty buses, each sending to all after it: ways without number, lit all the same.
	var buses []string
	for i := range 40 {
		testkit.Edit(t, p, edits.AddBus(fmt.Sprintf("Bus %d", i), 0, nil))
		buses = append(buses, p.Lanes[len(p.Lanes)-1].ID)
	}
	for i := range buses {
		for _, to := range buses[i+1:] {
			testkit.Edit(t, p, plan.SendLanes([]string{buses[i]}, plan.Send{To: to}))
		}
	}
	testkit.Edit(t, p, plan.SendLanes([]string{rooms}, plan.Send{To: buses[0]}))
	lit := 0
	for _, b := range NewMap(trace.New(p), MapOptions{Feeds: []string{"i1:near"}}).Buses {
		if b.Lit {
			lit++
		}
	}
	if lit != 1+1+40 { // the kit's, the hall, and the forty
		t.Errorf("%d buses are lit", lit)
	}
}

func BenchmarkDraw500(b *testing.B) {
	in := rig.Instrument{Name: "Wide"}
	for i := range 500 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Voice %d", i),
			Role: "percussion/clap", Keys: []midi.Key{midi.Key(i % 128)}})
	}
	g := trace.New(testkit.Mapped(b, plan.Host{}, "10x2", in))
	for b.Loop() {
		NewMap(g, MapOptions{})
	}
}

// A bus that the project has folded is one line from its feeds to itself; what also goes to the main
// mix stays in sight.
func TestAFoldedBusIsDrawnAsOne(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	bus := p.Buses()[0]
	testkit.Edit(t, p, plan.Route([]string{testkit.Lane(p, "Overheads").ID}, bus.ID, true))
	whole := NewMap(trace.New(p), MapOptions{})
	testkit.Edit(t, p, edits.FoldBus(bus.ID, true))
	m := NewMap(trace.New(p), MapOptions{})
	var folded, apart []string
	for _, l := range m.Lanes {
		if l.Bus == bus.ID {
			folded = append(folded, l.Name)
		} else {
			apart = append(apart, l.Name)
		}
	}
	if len(folded) != 1 || folded[0] != "Drums · 9 lanes" || len(apart) != 1 || apart[0] != "Overheads" {
		t.Errorf("folded are %q, apart %q", folded, apart)
	}
	if len(m.Feeds) != 2 || m.Height >= whole.Height {
		t.Errorf("%d feeds are drawn on a map of %d, before of %d", len(m.Feeds), m.Height, whole.Height)
	}
}
