package share

import (
	"cmp"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/glpk"
)

// The product's worked example: eighteen feeds of a kit in chart order.
var kit = []Item{
	{Role: "kit/kick/in", OwnOutput: 2}, {Role: "kit/kick/out", OwnOutput: 2},
	{Role: "kit/snare/top", OwnOutput: 2}, {Role: "kit/snare/bottom", OwnOutput: 1}, {Role: "kit/hat", OwnOutput: 2},
	{Role: "kit/tom/rack/1", OwnOutput: 2}, {Role: "kit/tom/floor/1", OwnOutput: 2}, {Role: "kit/tom/floor/2",
		OwnOutput: 2},
	{Role: "kit/cymbal/ride"}, {Role: "kit/cymbal/crash"}, {Role: "kit/cymbal/crash"}, {Role: "kit/overhead",
		OwnOutput: 1},
	{Role: "kit/room/near"}, {Role: "kit/room/far"},
	{Role: "percussion/shaker"}, {Role: "percussion/cowbell"}, {Role: "percussion/woodblock"}, {Role: "percussion/bells"},
}

var kitCosts = []int64{0, 1, 5, 9, 13, 21, 37, 61, 97, 241, 433, 1009, 2033, 32753, 155633, 315377, 1859569,
	7604209} // on 18, 17, … 1 outputs

func outputs(widths ...audio.Width) (out []Output) {
	for i, w := range widths {
		out = append(out, Output{strconv.Itoa(i + 1), w})
	}
	return out
}

func stereo(n int) []Output { return outputs(slices.Repeat([]audio.Width{audio.Stereo}, n)...) }

func shared(groups [][]int) string {
	var out []string
	for _, g := range groups {
		if len(g) > 1 {
			out = append(out, fmt.Sprintf("%d-%d", g[0], g[len(g)-1]))
		}
	}
	return strings.Join(out, " ")
}

func items(s *Solution) (out [][]int) {
	for _, g := range s.Groups {
		out = append(out, g.Items)
	}
	return out
}

func TestTheWorkedExampleCostsWhatTheRuleSays(t *testing.T) {
	for i, want := range kitCosts {
		r, err := Solve(Problem{Items: kit, Outputs: stereo(18 - i)})
		if err != nil || r.Cost != want {
			t.Errorf("on %d outputs: %+v, %v, want %d", 18-i, r, err, want)
		}
	}
	for n, want := range map[int]string{
		10: "0-1 2-3 8-10 12-13 14-17",     // the sides of kick and snare, ride with crashes, rooms, percussion
		9:  "0-1 2-3 6-7 8-10 12-13 14-17", // the floor toms join
		8:  "0-1 2-3 6-7 8-11 12-13 14-17", // the overheads join the cymbals
		7:  "0-1 2-3 5-7 8-11 12-13 14-17", // all toms are one
	} {
		r, err := Solve(Problem{Items: kit, Outputs: stereo(n)})
		if err != nil || shared(items(r)) != want {
			t.Errorf("on %d outputs share %s, %v; want %s", n, shared(items(r)), err, want)
		}
	}
	for n := 1; n <= 18; n++ {
		r, _ := Solve(Problem{Items: kit, Outputs: stereo(n)})
		withHat := strings.Contains(shared(items(r)), "-4")
		for _, g := range r.Groups {
			withHat = withHat || slices.Contains(g.Items, 4) && len(g.Items) > 1
		}
		if withHat != (n <= 5) {
			t.Errorf("on %d outputs the hat shares: %v; only on 5 and fewer it does", n, withHat)
		}
	}
}

// A drum machine's pads on 5 outputs: kick, snare, hats, toms, all cymbals (common practice,
// no source).
func TestPadsOnFiveOutputs(t *testing.T) {
	r, err := Solve(Problem{Outputs: stereo(5), Items: []Item{{Role: "kit/kick", OwnOutput: 2}, {Role: "kit/snare",
		OwnOutput: 2},
		{Role: "kit/hat", OwnOutput: 2}, {Role: "kit/hat", OwnOutput: 2}, {Role: "kit/tom/rack/1", OwnOutput: 2},
		{Role: "kit/tom/rack/4", OwnOutput: 2}, {Role: "kit/tom/floor/1", OwnOutput: 2}, {Role: "kit/cymbal/ride"},
		{Role: "kit/cymbal/crash"}, {Role: "kit/cymbal/china"}}})
	if got := shared(items(r)); err != nil || len(r.Groups) != 5 || got != "2-3 4-6 7-9" {
		t.Errorf("share %s, %v; want kick, snare, hats, toms and cymbals", got, err)
	}
}

// A group that has a wish stands as one thing towards all others: toms that are one lane and
// never share leave the overheads to share with the rooms.
func TestAGroupHasAWishOfItsOwn(t *testing.T) {
	p := Problem{Items: kit[:14], Outputs: stereo(3), Together: [][]int{{5, 6, 7}}, GroupWish: map[int]int{0: 3}}
	r, err := Solve(p)
	if got := shared(items(r)); err != nil || got != "0-4 5-7 8-13" {
		t.Errorf("toms that never share with others: %s, %v", got, err)
	}
	p.GroupWish = map[int]int{0: 0}
	free, err := Solve(p)
	if err != nil || free.Cost >= r.Cost {
		t.Errorf("toms that are fine to share cost %+v, %v; with toms alone %d", free, err, r.Cost)
	}
}

func TestTheLadderTellsEveryNumberOfOutputs(t *testing.T) {
	for _, have := range []int{1, 6, 12, 18, 30} {
		p := Problem{Items: kit, Outputs: stereo(have)}
		here, err := Solve(p)
		if err != nil {
			t.Fatal(err)
		}
		steps, err := Ladder(p, here)
		if err != nil || len(steps) != 18 {
			t.Fatal(len(steps), err)
		}
		for i, want := range kitCosts {
			if s := steps[17-i]; s.Outputs != 18-i || !s.Possible || s.Cost != want || len(s.Groups) != 18-i {
				t.Errorf("have %d: step %+v, want cost %d", have, s, want)
			}
		}
		if k := len(here.Groups); !slices.EqualFunc(steps[k-1].Groups, items(here), slices.Equal) {
			t.Errorf("have %d: the ladder says %v where the proposal is %v", have, steps[k-1].Groups, items(here))
		}
	}
}

// plain is the problem said again in the simplest terms, for the searches below.
type plain struct {
	Problem
	order [][]int // blocks of items in chart order, pulled together
}

func plainly(p Problem) (out plain, ok bool) {
	out.Problem = p
	group := make([]int, len(p.Items))
	for i := range group {
		group[i] = i
	}
	same := func(a, b int) {
		from, to := group[b], group[a]
		for i := range group {
			if group[i] == from {
				group[i] = to
			}
		}
	}
	for _, g := range p.Together {
		for _, i := range g {
			same(g[0], i)
		}
	}
	for i := range p.Items {
		for j := range i {
			if p.Items[i].Pin != (Jack{}) && p.Items[i].Pin == p.Items[j].Pin {
				same(j, i)
			}
		}
	}
	for i := range p.Items {
		if slices.Index(group, group[i]) != i {
			continue
		}
		var b []int
		for j := range p.Items {
			if group[j] == group[i] {
				b = append(b, j)
			}
		}
		out.order = append(out.order, b)
	}
	return out, true
}

// cost is the rule applied word for word; ok is false where the group is not allowed.
func (p plain) cost(g []int) (sum int64, ok bool) {
	for i, a := range g {
		for _, b := range g[i+1:] {
			x, y := p.Items[a], p.Items[b]
			if p.wish(a, b) == 3 || p.wish(b, a) == 3 {
				return 0, false
			}
			for _, ap := range p.Apart {
				if ap == [2]int{a, b} || ap == [2]int{b, a} {
					return 0, false
				}
			}
			sum += int64((1+p.wish(a, b))*(1+p.wish(b, a))) << stepsApart(string(x.Role), string(y.Role))
		}
	}
	return sum, true
}

// wish is an item's own towards those it must be together with, else its group's.
func (p plain) wish(i, towards int) int {
	at := slices.IndexFunc(p.order, func(b []int) bool { return slices.Contains(b, i) })
	if slices.Contains(p.order[at], towards) {
		return p.Items[i].OwnOutput
	}
	most, has := 0, false
	for g, w := range p.GroupWish {
		if slices.Contains(p.order[at], p.Together[g][0]) {
			most, has = max(most, w), true
		}
	}
	if has {
		return most
	}
	return p.Items[i].OwnOutput
}

// stepsApart is the rule of steps said again from its words alone.
func stepsApart(a, b string) (e int) {
	x, y := strings.Split(a, "/"), strings.Split(b, "/")
	same := 0
	for same < len(x) && same < len(y) && x[same] == y[same] {
		same++
	}
	for _, path := range [][]string{x, y} {
		for n := same + 1; n <= len(path); n++ {
			e += stepInWords(path[:n])
		}
	}
	return e
}

func stepInWords(path []string) int {
	at := strings.Join(path, "/")
	last := path[len(path)-1]
	switch {
	case len(path) == 1:
		return 4
	case slices.Contains([]string{"kit/kick", "kit/snare", "kit/hat", "kit/tom"}, at):
		return 5
	case at == "kit/room":
		return 3
	case at == "kit/tom/rack":
		return 0
	case len(path) == 2 && path[0] == "percussion":
		return 1
	case len(path) == 2:
		return 2
	case strings.HasPrefix(at, "kit/tom/") && strings.Trim(last, "0123456789") == "":
		return 2
	}
	return 1
}

type score struct {
	cost        int64
	moved, port int
}

func (a score) compare(b score) int {
	return cmp.Or(cmp.Compare(a.cost, b.cost), cmp.Compare(a.moved, b.moved), cmp.Compare(a.port, b.port))
}

// exhaustive tries every way to cut the chart and every way to place the groups.
func (p plain) exhaustive() (best score, ok bool) {
	type unit struct {
		Jack
		width audio.Width
	}
	var places []unit
	for i, o := range p.Outputs {
		places = append(places, unit{Jack{i + 1, Whole}, o.Width})
		if p.Pairs && o.Width == audio.Stereo {
			places = append(places, unit{Jack{i + 1, Left}, audio.Mono}, unit{Jack{i + 1, Right}, audio.Mono})
		}
	}
	var place func(at int, busy map[Jack]bool, sc score)
	place = func(at int, busy map[Jack]bool, sc score) {
		if ok && sc.cost > best.cost {
			return
		}
		if at == len(p.order) {
			outs := map[int]bool{}
			for b := range busy {
				outs[b.Output] = true
			}
			if p.Limit > 0 && len(outs) > p.Limit {
				return
			}
			if !ok || sc.compare(best) < 0 {
				best, ok = sc, true
			}
			return
		}
		var g []int
		for end := at + 1; end <= len(p.order); end++ {
			g = append(g, p.order[end-1]...)
			c, allowed := p.cost(g)
			if !allowed {
				continue
			}
			for _, u := range places {
				if busy[u.Jack] || u.Side == Whole && (busy[Jack{u.Output, Left}] || busy[Jack{u.Output, Right}]) ||
					busy[Jack{u.Output, Whole}] {
					continue
				}
				n, fits := sc, true
				n.cost += c
				n.port += u.width.Ports()
				widest := audio.Mono
				for _, i := range g {
					it := p.Items[i]
					widest = max(widest, it.Width)
					if it.Pin != (Jack{}) && it.Pin != u.Jack {
						fits = false
					}
					if it.Now != u.Jack {
						n.moved++
					}
				}
				if !fits || widest > u.width {
					continue
				}
				busy[u.Jack] = true
				place(end, busy, n)
				delete(busy, u.Jack)
			}
		}
	}
	place(0, map[Jack]bool{}, score{})
	return best, ok
}

func generated(rng *rand.Rand, n int) []Item {
	all := role.All()
	items := make([]Item, n)
	at := rng.IntN(len(all))
	for i := range items {
		if rng.IntN(3) > 0 {
			at = (at + rng.IntN(4)) % len(all)
		}
		items[i] = Item{Name: fmt.Sprintf("feed %d", i), Role: all[at], OwnOutput: rng.IntN(4), Width: audio.Mono}
	}
	return items
}

// problem makes up a kit with everything a user can ask for.
func problem(rng *rand.Rand, n, outs int) Problem {
	p := Problem{Items: generated(rng, n), Pairs: rng.IntN(3) == 0}
	for range outs {
		p.Outputs = append(p.Outputs, Output{Width: []audio.Width{1, 2, 2, 2, 6}[rng.IntN(4+rng.IntN(2))]})
	}
	if rng.IntN(2) == 0 { // many set-ups are all of one width
		for i := range p.Outputs {
			p.Outputs[i].Width = audio.Stereo
		}
	}
	for i := range p.Items {
		p.Items[i].Width = []audio.Width{1, 1, 1, 2, 2, 6}[rng.IntN(3+rng.IntN(4))]
		if rng.IntN(3) > 0 {
			p.Items[i].Now = Jack{1 + rng.IntN(outs), Whole}
			if p.Pairs {
				p.Items[i].Now.Side = Side(rng.IntN(3))
			}
		}
		if rng.IntN(8) == 0 {
			p.Items[i].Pin.Output = 1 + rng.IntN(outs)
			if p.Pairs {
				p.Items[i].Pin.Side = Side(1 + rng.IntN(2))
			}
		}
	}
	if n > 2 && rng.IntN(3) == 0 {
		p.Together = append(p.Together, rng.Perm(n)[:2])
		if rng.IntN(2) == 0 {
			p.GroupWish = map[int]int{0: rng.IntN(4)}
		}
	}
	wholePins(p)
	if n > 2 && rng.IntN(3) == 0 {
		x := rng.Perm(n)
		p.Apart = append(p.Apart, [2]int{x[0], x[1]})
	}
	if rng.IntN(4) == 0 {
		p.Limit = 1 + rng.IntN(outs)
	}
	return p
}

// wholePins says every pin in full: only a stereo output of which no wide feed
// takes both sides has sides, and a bare pin means the left one.
func wholePins(p Problem) {
	wide := map[int]bool{}
	for i, it := range p.Items {
		for _, g := range p.Together {
			for _, j := range g {
				if slices.Contains(g, i) {
					it.Width = max(it.Width, p.Items[j].Width)
				}
			}
		}
		wide[it.Pin.Output] = wide[it.Pin.Output] || it.Width > audio.Mono
	}
	for i, it := range p.Items {
		switch o := it.Pin.Output; {
		case o == 0:
		case !p.Pairs || p.Outputs[o-1].Width != audio.Stereo || wide[o]:
			p.Items[i].Pin.Side = Whole
		case it.Pin.Side == Whole:
			p.Items[i].Pin.Side = Left
		}
	}
}

// scored checks that a solution keeps to the rules and sums it up again.
func (p plain) scored(t *testing.T, s *Solution) score {
	t.Helper()
	var sc score
	busy, outs, seen := map[Jack]bool{}, map[int]bool{}, 0
	var chart []int
	for _, b := range p.order {
		chart = append(chart, b...)
	}
	for _, g := range s.Groups {
		c, ok := p.cost(g.Items)
		if !ok || c != g.Cost {
			t.Fatalf("group %v costs %d, allowed %v, not %d", g.Items, c, ok, g.Cost)
		}
		if !slices.Equal(g.Items, chart[seen:seen+len(g.Items)]) {
			t.Fatalf("group %v are not neighbours in chart order %v", g.Items, chart)
		}
		seen += len(g.Items)
		o := p.Outputs[g.At.Output-1]
		width := o.Width
		if g.At.Side != Whole {
			width = audio.Mono
		}
		for _, i := range g.Items {
			if p.Items[i].Width > width {
				t.Fatalf("%+v is wider than its output", p.Items[i])
			}
			if pin := p.Items[i].Pin; pin.Output != 0 && pin.Output != g.At.Output {
				t.Fatalf("%+v is not where it is pinned: %+v", p.Items[i], g.At)
			}
			if p.Items[i].Now != g.At {
				sc.moved++
			}
		}
		if busy[g.At] || busy[Jack{g.At.Output, Whole}] || g.At.Side == Whole && outs[g.At.Output] {
			t.Fatalf("two groups on %+v", g.At)
		}
		busy[g.At], outs[g.At.Output] = true, true
		sc.cost += c
		sc.port += width.Ports()
	}
	if seen != len(p.Items) || p.Limit > 0 && len(outs) > p.Limit || sc.cost != s.Cost || sc.port != s.Ports ||
		sc.moved != len(p.Items)-s.Kept {
		t.Fatalf("the solution says %+v, counted %+v on %d outputs, %d of %d items", s, sc, len(outs), seen, len(p.Items))
	}
	return sc
}

// Exactness against exhaustive search: cost first, then fewest moved, then
// fewest ports, with pins, groups, widths, pairs and limits.
func TestNoGroupingIsBetter(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 12))
	solved, refused := 0, 0
	for range 1500 {
		outs := 1 + rng.IntN(5)
		p := problem(rng, 1+rng.IntN(9), outs)
		if p.Pairs {
			p.Outputs = p.Outputs[:min(len(p.Outputs), 3)]
			for i := range p.Items {
				p.Items[i].Now.Output = min(p.Items[i].Now.Output, len(p.Outputs))
				p.Items[i].Pin.Output = min(p.Items[i].Pin.Output, len(p.Outputs))
			}
			wholePins(p)
		}
		pl, _ := plainly(p)
		want, possible := pl.exhaustive()
		s, err := Solve(p)
		if possible != (err == nil) {
			t.Fatalf("%+v: %v; exhaustive search: %+v, possible %v", p, err, want, possible)
		}
		if err != nil {
			refused++
			continue
		}
		solved++
		if got := pl.scored(t, s); got != want {
			t.Fatalf("%+v: %+v\n%+v; exhaustive search: %+v", p, s, got, want)
		}
	}
	if solved < 500 || refused < 100 {
		t.Errorf("%d solved, %d refused: too few to prove anything", solved, refused)
	}
}

func TestTheLadderIsExactOnEveryStep(t *testing.T) {
	rng := rand.New(rand.NewPCG(4, 4))
	for range 300 {
		p := problem(rng, 1+rng.IntN(7), 1+rng.IntN(4))
		p.Limit = 0
		for i := range p.Items {
			p.Items[i].Now = Jack{}
		}
		here, _ := Solve(p)
		steps, err := Ladder(p, here)
		if err != nil {
			continue
		}
		added := p.Outputs[len(p.Outputs)-1].Width
		for _, it := range p.Items {
			added = max(added, it.Width)
		}
		if p.Pairs {
			added = max(added, audio.Stereo)
		}
		for _, st := range steps {
			q := p
			if st.Outputs <= len(p.Outputs) {
				q.Limit = st.Outputs
			} else {
				q.Outputs = slices.Concat(p.Outputs, outputs(slices.Repeat([]audio.Width{added}, st.Outputs-len(p.Outputs))...))
			}
			s, err := Solve(q)
			if st.Possible != (err == nil) || err == nil && s.Cost != st.Cost {
				t.Fatalf("%+v\nstep %+v, solved alone %+v, %v", p, st, s, err)
			}
		}
	}
}

func TestTiesStayWhereTheyAre(t *testing.T) {
	// Three equal feeds on two outputs: the pair may be the first or the last two.
	clap := func(now int) Item { return Item{Role: "percussion/clap", Now: Jack{Output: now}} }
	for _, c := range []struct{ a, b, c, starts int }{{1, 2, 2, 1}, {1, 1, 2, 2}, {2, 2, 1, 2}, {2, 1, 1, 1}} {
		s, err := Solve(Problem{Items: []Item{clap(c.a), clap(c.b), clap(c.c)}, Outputs: stereo(2)})
		if err != nil || s.Groups[1].Items[0] != c.starts || s.Kept != 3 {
			t.Errorf("moved a feed without need: %+v %v", s, err)
		}
	}
}

// Hard-panned, n stereo outputs carry 2n mono feeds (common practice, no source);
// odd goes left, even right.
func TestTwoMonosInAPair(t *testing.T) {
	var in []Item
	for range 6 {
		in = append(in, Item{Role: "kit/tom/rack", OwnOutput: 3, Width: audio.Mono})
	}
	s, err := Solve(Problem{Items: in, Outputs: stereo(3), Pairs: true})
	if err != nil || s.Cost != 0 || s.Ports != 6 {
		t.Fatal(s, err)
	}
	for i, g := range s.Groups {
		if want := (Jack{1 + i/2, Left + Side(i%2)}); g.At != want {
			t.Errorf("feed %d is on %+v, want %+v", i+1, g.At, want)
		}
	}
	if _, err := Solve(Problem{Items: append(in, in[0]), Outputs: stereo(3), Pairs: true}); err == nil {
		t.Error("seven on three pairs")
	}
}

func TestRefusalsSayWhatCannotHold(t *testing.T) {
	it := func(name string, wish int, w audio.Width, pin int) Item {
		return Item{Name: name, Role: "kit", OwnOutput: wish, Width: w, Pin: Jack{Output: pin}}
	}
	for says, p := range map[string]Problem{
		"A and B must share an output, but B never shares": {Items: []Item{it("A", 0, 1, 0),
			it("B", 3, 1, 0)}, Together: [][]int{{0, 1}}},
		"A and B are to be together, but are pinned to different outputs": {Items: []Item{it("A", 0, 1, 1),
			it("B", 0, 1, 2)}, Together: [][]int{{0, 1}}},
		"A and B are to be kept apart, but must share": {Items: []Item{it("A", 0, 1, 1), it("B", 0, 1, 1)},
			Apart: [][2]int{{0, 1}}},
		"A is pinned to output 9, and there are only 2":  {Items: []Item{it("A", 0, 1, 9)}},
		"A does not fit output 2, to which it is pinned": {Items: []Item{it("A", 0, 2, 2)}},
		"1 more stereo outputs are needed":               {Items: []Item{it("A", 3, 2, 0), it("B", 3, 2, 0)}},
		"leave no grouping below 3": {Items: []Item{it("A", 3, 1, 0), it("B", 3, 1, 0),
			it("C", 1, 1, 0)}},
	} {
		p.Outputs = outputs(audio.Stereo, audio.Mono)
		_, err := Solve(p)
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("got %v, want %q", err, says)
		}
	}
	never := []Item{{OwnOutput: 3}, {OwnOutput: 0}, {OwnOutput: 1}, {OwnOutput: 3}, {OwnOutput: 0}}
	_, err := Solve(Problem{Items: never, Outputs: stereo(3)})
	var few *TooFewError
	if !errors.As(err, &few) || few.Need != 4 || few.Wide {
		t.Fatalf("got %v", err)
	}
	if _, err := Solve(Problem{Items: never, Outputs: stereo(few.Need)}); err != nil {
		t.Errorf("the number it named does not do: %v", err)
	}
}

// The optimum of twenty larger kits against an integer linear program solved by
// glpsol of Debian's glpk-utils: one 0/1 variable for each run of neighbours and
// each width of output, each feed covered once, no more runs than outputs of a
// width, and one run for each pin.
func TestOptimumAgreesWithAnILPSolver(t *testing.T) {
	rng := rand.New(rand.NewPCG(24, 1))
	for i := range 20 {
		n := 14 + rng.IntN(22)
		p := Problem{Items: generated(rng, n)}
		widths := []audio.Width{audio.Stereo, audio.Stereo, audio.Mono}
		for range 6 + rng.IntN(12) {
			p.Outputs = append(p.Outputs, Output{Width: widths[rng.IntN(2+i%2)]})
		}
		for j := range p.Items {
			p.Items[j].OwnOutput = min(p.Items[j].OwnOutput, 2)
			p.Items[j].Width = audio.Width(1 + rng.IntN(2)*(i%2))
		}
		p.Outputs[0].Width = audio.Stereo
		pins := map[int]int{} // item by output
		if i%4 > 1 {
			j := rng.IntN(n)
			p.Items[j].Pin, pins[1] = Jack{Output: 1}, j
		}
		if want, got := linear(t, p, pins), int64(0); want >= 0 {
			if s, err := Solve(p); err == nil {
				got = s.Cost
			} else {
				got = -2
			}
			if got != want {
				t.Errorf("kit %d: cost %d; the solver says %d", i, got, want)
			}
		}
	}
}

func linear(t *testing.T, p Problem, pins map[int]int) int64 {
	t.Helper()
	var objective, all []string
	cover := make([][]string, len(p.Items))
	on := map[string][]string{} // runs by the class of output they use
	pinnedAt := map[int]int{}
	for o, j := range pins {
		pinnedAt[j] = o
	}
	for s := range p.Items {
		sum, wide, pin := int64(0), audio.Mono, 0
		for e := s; e < len(p.Items); e++ {
			for a := s; a < e; a++ {
				c, _ := Pair(p.Items[a], p.Items[e])
				sum += c
			}
			wide, pin = max(wide, p.Items[e].Width), max(pin, pinnedAt[e])
			kinds := []string{"m", "s"}
			switch {
			case pin > 0:
				kinds = []string{"p"}
			case wide == audio.Stereo:
				kinds = []string{"s"}
			}
			for _, k := range kinds {
				name := fmt.Sprintf("x%s_%d_%d", k, s, e)
				objective, all, on[k] = append(objective, fmt.Sprintf("%d %s", sum, name)), append(all, name), append(on[k], name)
				for i := s; i <= e; i++ {
					cover[i] = append(cover[i], name)
				}
			}
		}
	}
	have := map[string]int{}
	for i, o := range p.Outputs {
		switch {
		case pins[i+1] > 0 || i == 0 && len(pins) > 0:
		case o.Width == audio.Stereo:
			have["s"]++
		default:
			have["m"]++
		}
	}
	var lp strings.Builder
	fmt.Fprintf(&lp, "Minimize\n cost: %s\nSubject To\n", strings.Join(objective, "\n + "))
	for i, c := range cover {
		fmt.Fprintf(&lp, " f%d: %s = 1\n", i, strings.Join(c, "\n + "))
	}
	for _, k := range []string{"m", "s"} {
		if len(on[k]) > 0 {
			fmt.Fprintf(&lp, " k%s: %s <= %d\n", k, strings.Join(on[k], "\n + "), have[k])
		}
	}
	fmt.Fprintf(&lp, "Binary\n %s\nEnd\n", strings.Join(all, "\n "))
	want, ok := glpk.Optimum(t, lp.String())
	if !ok {
		return -2 // no grouping fits
	}
	return want
}

// No better neighbour: no feed at the edge of a group may join the group beside
// it at less cost.
func FuzzNoBetterNeighbour(f *testing.F) {
	f.Add(uint64(1), uint64(2), uint8(12), uint8(5))
	f.Add(uint64(9), uint64(9), uint8(40), uint8(16))
	f.Fuzz(func(t *testing.T, a, b uint64, n, outs uint8) {
		p := problem(rand.New(rand.NewPCG(a, b)), 1+int(n)%48, 1+int(outs)%20)
		s, err := Solve(p)
		if err != nil {
			return
		}
		pl, _ := plainly(p)
		pl.scored(t, s)
		block := func(i int) []int {
			return pl.order[slices.IndexFunc(pl.order, func(b []int) bool { return slices.Contains(b, i) })]
		}
		fits := func(g Load) bool {
			w := p.Outputs[g.At.Output-1].Width
			if g.At.Side != Whole {
				w = audio.Mono
			}
			return !slices.ContainsFunc(g.Items, func(i int) bool {
				pin := p.Items[i].Pin
				return p.Items[i].Width > w || pin != (Jack{}) && pin != g.At
			})
		}
		for i := range s.Groups[:len(s.Groups)-1] {
			x, y := s.Groups[i], s.Groups[i+1]
			for _, back := range []bool{false, true} {
				gx, gy := x, y
				if back {
					m := block(y.Items[0])
					gx.Items, gy.Items = slices.Concat(x.Items, m), y.Items[len(m):]
				} else {
					m := block(x.Items[len(x.Items)-1])
					gx.Items, gy.Items = x.Items[:len(x.Items)-len(m)], slices.Concat(m, y.Items)
				}
				cx, okx := pl.cost(gx.Items)
				cy, oky := pl.cost(gy.Items)
				if okx && oky && fits(gx) && fits(gy) && cx+cy < x.Cost+y.Cost {
					t.Fatalf("%v %v would be better than %v %v", gx.Items, gy.Items, x.Items, y.Items)
				}
			}
		}
	})
}

func BenchmarkLadder(b *testing.B) {
	for _, n := range []int{16, 32, 64, 128, 256, 512} {
		b.Run(strconv.Itoa(n), func(b *testing.B) {
			p := Problem{Outputs: stereo(n / 2)}
			for i := range n {
				it := kit[i%len(kit)]
				it.Width = audio.Mono
				p.Items = append(p.Items, it)
			}
			slices.SortStableFunc(p.Items, func(a, b Item) int { return role.Compare(a.Role, b.Role) })
			for b.Loop() {
				s, err := Solve(p)
				if err != nil {
					b.Fatal(err)
				}
				if steps, err := Ladder(p, s); err != nil || len(steps) != n {
					b.Fatal(err)
				}
			}
		})
	}
}

// A pin without a side takes the side, or the whole, that costs least.
func TestAPinWithoutASideForcesNone(t *testing.T) {
	mono := func(name string, at Jack) Item {
		return Item{Name: name, Role: "kit/kick", OwnOutput: 2, Width: audio.Mono, Pin: at}
	}
	stereo := Output{Width: audio.Stereo}
	// Two on one pair stand on its two sides.
	s, err := Solve(Problem{Items: []Item{mono("a", Jack{Output: 1}), mono("b", Jack{Output: 1})},
		Outputs: []Output{stereo}, Pairs: true})
	if err != nil || s.Cost != 0 || len(s.Groups) != 2 {
		t.Errorf("two pinned to one pair: %+v, %v; want both sides at no cost", s, err)
	}
	// Beside one that is pinned to the left, it stands on the right.
	s, err = Solve(Problem{Items: []Item{mono("a", Jack{Output: 1, Side: Left}), mono("b", Jack{Output: 1})},
		Outputs: []Output{stereo},
		Pairs:   true})
	if err != nil || s.Cost != 0 {
		t.Errorf("one pinned left and one to the pair: %+v, %v", s, err)
	}
	// A stereo feed that has no other output shares the whole of it.
	room := Item{Name: "room", Role: "kit/room", Width: audio.Stereo}
	s, err = Solve(Problem{Items: []Item{mono("a", Jack{Output: 1}), room}, Outputs: []Output{stereo}, Pairs: true})
	if err != nil || len(s.Groups) != 1 || s.Groups[0].At.Side != Whole {
		t.Errorf("a mono feed pinned to the only pair, and a stereo one: %+v, %v; want one group on the whole", s, err)
	}
	steps, err := Ladder(Problem{Items: []Item{mono("a", Jack{Output: 1}), room}, Outputs: []Output{stereo}, Pairs: true},
		s)
	if err != nil || !steps[0].Possible {
		t.Errorf("the ladder of it: %+v, %v", steps, err)
	}
	// More pins than can be tried together are tried one by one.
	many := Problem{Pairs: true}
	for i := range 12 {
		many.Items = append(many.Items, mono(string(rune('a'+i)), Jack{Output: i/2 + 1}))
	}
	for range 6 {
		many.Outputs = append(many.Outputs, stereo)
	}
	if s, err = Solve(many); err != nil || s.Cost != 0 {
		t.Errorf("twelve pinned to six pairs: %+v, %v; want no cost", s, err)
	}
}
