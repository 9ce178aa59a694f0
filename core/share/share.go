// Package share finds the cheapest way to put feeds on outputs where feeds may
// have to share. It is exact: no other grouping of neighbours that keeps to the
// user's pins, groups and widths costs less, and of the cheapest ones it takes
// one that moves the fewest feeds. It knows nothing of instruments or lanes.
package share

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/role"
)

// Never is the wish of a feed that shares with nothing.
const Never = 3

// MaxItems bounds how many feeds one problem may hold, so that costs stay
// within 64 bits.
const MaxItems = 1024

// Side is the half of a stereo output that two mono feeds are panned to.
type Side int8

// An output used whole, or one side of a pair: odd ports left, even ones right.
const (
	Whole Side = iota
	Left
	Right
)

func (s Side) String() string { return [...]string{"", "L", "R"}[s] }

// Jack is an output, by its index from 1, or one side of it. The zero value is
// no place.
type Jack struct {
	Output int
	Side   Side
}

// Item is one feed in chart order.
type Item struct {
	Name      string    // for messages
	Role      role.Role // where it stands in the tree that distances are counted in
	OwnOutput int       // 0 fine to share, 1, 2 alone, 3 never shares
	Width     audio.Width
	Now       Jack // where it is patched; breaks ties only
	Pin       Jack // the output it must leave by; zero: any
	whole     bool // pinned to the whole of a stereo output, whose sides others cannot take
}

// Output is one output that there is, or could be.
type Output struct {
	Name  string // its ports, for messages
	Width audio.Width
}

// Problem is what there is to share out.
type Problem struct {
	Items    []Item  // in chart order
	Together [][]int // items, by index, that must share one output
	// GroupWish is what a group has for a wish towards all others, by its place in Together;
	// missing: each of its items has its own. Of groups that are joined the highest counts.
	GroupWish map[int]int
	Apart     [][2]int
	Outputs   []Output
	Pairs     bool // a stereo output may carry two mono feeds, panned hard
	Limit     int  // use at most so many outputs; 0: all there are
}

// Load is what one place carries.
type Load struct {
	Items []int // in chart order, as pulled together
	At    Jack
	Cost  int64
}

// Solution is a grouping in chart order.
type Solution struct {
	Groups []Load
	Cost   int64
	Kept   int // items that stay where they are
	Ports  int // ports that carry something
}

// Pair is the cost of two items on one output: (1+sₐ)(1+s_b)·d(a,b). ok is
// false where one of them never shares.
func Pair(a, b Item) (cost int64, ok bool) {
	if a.OwnOutput >= Never || b.OwnOutput >= Never {
		return 0, false
	}
	return int64(1+a.OwnOutput) * int64(1+b.OwnOutput) * role.Distance(a.Role, b.Role), true
}

// TooFewError says that there are too few outputs for what may not share.
type TooFewError struct {
	Have, Need int
	Width      audio.Width // of the outputs that are missing
	Wide       bool        // the missing ones must be of that width: narrower ones there are enough
}

func (e *TooFewError) Error() string {
	if e.Wide {
		return fmt.Sprintf("the %s feeds do not fit: %d more %s outputs are needed, or feeds folded to mono", e.Width,
			e.Need-e.Have, e.Width)
	}
	return fmt.Sprintf(
		"%d outputs are too few: the feeds that never share and those kept apart leave no grouping below %d", e.Have, e.Need)
}

// ConflictError says which of the user's wishes cannot hold at once, and why.
type ConflictError struct {
	Items []int // those it is about
	Why   string
}

func (e *ConflictError) Error() string { return e.Why }

// block is a run of items that one output must carry; most hold one item.
type block struct {
	items  []int
	width  audio.Width
	pin    Jack
	wish   *int  // towards other blocks; nil: each item's own
	inside int64 // the cost of its own pairs
}

// prepared is a problem with its items pulled together into blocks.
type prepared struct {
	Problem
	blocks []block
	cost   [][]int64 // cost[s][l]: blocks s … s+l-1 on one output; infinite: forbidden
	// taken by pins, by output index: 0 nothing, else the sides that are pinned
	pinned map[int]map[Side]bool
	widest audio.Width // of all blocks
}

const infinite = int64(1) << 60

// unions are items that must share, each set known by its first member.
type unions []int

func newUnions(n int) unions {
	u := make(unions, n)
	for i := range u {
		u[i] = i
	}
	return u
}

// first is the first member of the set that an item is in.
func (u unions) first(i int) int {
	for u[i] != i {
		i = u[i]
	}
	return i
}

func (u unions) join(a, b int) {
	if a, b = u.first(a), u.first(b); a != b {
		u[max(a, b)] = min(a, b)
	}
}

// prepare pulls groups to their first member and refuses wishes that cannot
// hold at once.
func prepare(p Problem) (*prepared, error) {
	if n := len(p.Items); n > MaxItems {
		return nil, fmt.Errorf("%d feeds are more than the %d that can be shared out at once; park some", n, MaxItems)
	}
	p.Items = slices.Clone(p.Items)
	q := &prepared{Problem: p, pinned: map[int]map[Side]bool{}}
	sets := newUnions(len(p.Items))
	for _, g := range p.Together {
		for _, i := range g[min(1, len(g)):] {
			sets.join(g[0], i)
		}
	}
	if err := q.joinPinned(sets); err != nil {
		return nil, err
	}
	blockOf, err := q.makeBlocks(sets)
	if err != nil {
		return nil, err
	}
	for g, wish := range p.GroupWish {
		if items := p.Together[g]; len(items) > 0 {
			b := &q.blocks[blockOf[items[0]]]
			if b.wish == nil || *b.wish < wish {
				b.wish = &wish
			}
		}
	}
	for _, a := range p.Apart {
		if blockOf[a[0]] == blockOf[a[1]] {
			return nil, &ConflictError{a[:], fmt.Sprintf("%s are to be kept apart, but must share an output too: "+
				"they are together or pinned to one output", q.names(a[:]))}
		}
	}
	if err := q.reservePins(); err != nil {
		return nil, err
	}
	q.costs(blockOf)
	return q, nil
}

// joinPinned says of every pin which side of its output it takes, and joins what is
// pinned to one place.
func (q *prepared) joinPinned(sets unions) error {
	wide := q.widePins(sets)
	pinnedTo := map[Jack]int{}
	for i := range q.Items {
		it := &q.Items[i]
		if !q.Pairs {
			it.Now.Side = Whole
		}
		if it.Pin == (Jack{}) {
			continue
		}
		if it.Pin.Output < 1 || it.Pin.Output > len(q.Outputs) {
			return &ConflictError{[]int{i}, fmt.Sprintf("%s is pinned to output %d, and there are only %d",
				it.Name, it.Pin.Output, len(q.Outputs))}
		}
		switch {
		case !q.Pairs || q.Outputs[it.Pin.Output-1].Width != audio.Stereo || wide[it.Pin.Output]:
			it.Pin.Side = Whole
		case it.Pin.Side == Whole && !it.whole:
			it.Pin.Side = Left
		}
		if first, ok := pinnedTo[it.Pin]; ok {
			sets.join(i, first)
		} else {
			pinnedTo[it.Pin] = i
		}
	}
	return nil
}

// widePins tells of which outputs a pinned feed, or one that must share with it, takes
// both sides.
func (q *prepared) widePins(sets unions) map[int]bool {
	widest := map[int]audio.Width{} // by the first of a set
	for i, it := range q.Items {
		first := sets.first(i)
		widest[first] = max(widest[first], it.Width)
	}
	wide := map[int]bool{}
	for i, it := range q.Items {
		if widest[sets.first(i)] > audio.Mono {
			wide[it.Pin.Output] = true
		}
	}
	return wide
}

// makeBlocks pulls what must share into blocks, in the order of their first items, and
// gives the block of each item.
func (q *prepared) makeBlocks(sets unions) (blockOf []int, err error) {
	blockOf = make([]int, len(q.Items))
	at := map[int]int{} // block of a set, by its first item
	for i := range q.Items {
		first := sets.first(i)
		b, ok := at[first]
		if !ok {
			b = len(q.blocks)
			at[first] = b
			q.blocks = append(q.blocks, block{})
		}
		blockOf[i] = b
		if err := q.addToBlock(&q.blocks[b], i); err != nil {
			return nil, err
		}
	}
	return blockOf, nil
}

// addToBlock adds an item to a block, or says why it cannot share with what is there.
func (q *prepared) addToBlock(b *block, i int) error {
	it := q.Items[i]
	if it.Pin != (Jack{}) {
		if b.pin != (Jack{}) && b.pin != it.Pin {
			items := append(b.items, i)
			return &ConflictError{items, fmt.Sprintf("%s are to be together, but are pinned to different outputs",
				q.names(items))}
		}
		b.pin = it.Pin
	}
	for _, j := range b.items {
		if _, ok := Pair(it, q.Items[j]); ok {
			continue
		}
		never := it
		if q.Items[j].OwnOutput >= Never {
			never = q.Items[j]
		}
		return &ConflictError{[]int{j, i}, fmt.Sprintf("%s must share an output, but %s never shares",
			q.names([]int{j, i}), never.Name)}
	}
	b.items = append(b.items, i)
	b.width = max(b.width, it.Width, audio.Mono)
	q.widest = max(q.widest, b.width)
	return nil
}

// reservePins takes the places of pinned blocks, and refuses two on one place.
func (q *prepared) reservePins() error {
	for i := range q.blocks {
		b := &q.blocks[i]
		if b.pin == (Jack{}) {
			continue
		}
		o := q.Outputs[b.pin.Output-1]
		if o.Width < b.width {
			return &ConflictError{b.items, fmt.Sprintf("%s does not fit output %d, to which it is pinned: it is %s, "+
				"and that is %s. Fold it to mono or pin it elsewhere", q.names(b.items), b.pin.Output, b.width, o.Width)}
		}
		sides := q.pinned[b.pin.Output]
		if sides == nil {
			sides = map[Side]bool{}
			q.pinned[b.pin.Output] = sides
		}
		if sides[Whole] || sides[b.pin.Side] || b.pin.Side == Whole && len(sides) > 0 {
			return &ConflictError{b.items, fmt.Sprintf("%s is pinned to output %d, whose place another feed is pinned to",
				q.names(b.items), b.pin.Output)}
		}
		sides[b.pin.Side] = true
	}
	return nil
}

// names lists items by name, as one reads them.
func (q *prepared) names(items []int) string {
	var out []string
	for _, i := range items {
		out = append(out, q.Items[i].Name)
	}
	if n := len(out); n > 1 {
		return strings.Join(out[:n-1], ", ") + " and " + out[n-1]
	}
	return strings.Join(out, "")
}

// costs works out what every run of blocks would cost on one output. Runs that
// hold a forbidden pair, or two pins, are infinite.
func (q *prepared) costs(blockOf []int) {
	n := len(q.blocks)
	pairs := q.newPairCosts()
	apart := map[[2]int]bool{}
	for _, a := range q.Apart {
		x, y := blockOf[a[0]], blockOf[a[1]]
		apart[[2]int{min(x, y), max(x, y)}] = true
	}
	for i := range q.blocks {
		items := q.blocks[i].items
		for k := range items {
			q.blocks[i].inside += pairs.between(items[k:k+1], items[k+1:])
		}
	}
	for i := range q.blocks {
		if wish := q.blocks[i].wish; wish != nil {
			for _, k := range q.blocks[i].items {
				pairs.wish[k] = *wish
			}
		}
	}
	q.cost = make([][]int64, n)
	flat := make([]int64, (n+1)*(n+2)/2)
	for s := range n {
		q.cost[s], flat = flat[:n-s+1], flat[n-s+1:]
	}
	// Adding block s in front of s+1…i adds its pairs with each of them.
	for s := n - 1; s >= 0; s-- {
		sum := q.blocks[s].inside
		q.cost[s][1] = sum
		forbidden := false
		for e := s + 2; e <= n; e++ {
			a, b := &q.blocks[s], &q.blocks[e-1]
			forbidden = forbidden || q.cost[s+1][e-s-1] >= infinite || apart[[2]int{s, e - 1}] ||
				a.pin != (Jack{}) && b.pin != (Jack{})
			if !forbidden {
				pair := pairs.between(a.items, b.items)
				forbidden = pair >= infinite
				sum += pair
			}
			if forbidden {
				q.cost[s][e-s] = infinite
				continue
			}
			q.cost[s][e-s] = sum + q.cost[s+1][e-s-1]
		}
	}
}

// pairCosts looks distances between the few different roles up instead of counting them
// again for each pair.
type pairCosts struct {
	wish     []int     // of each item
	roleOf   []int     // number of each item's role
	distance [][]int64 // between roles, by number
}

func (q *prepared) newPairCosts() *pairCosts {
	c := &pairCosts{wish: make([]int, len(q.Items)), roleOf: make([]int, len(q.Items))}
	number := map[role.Role]int{}
	var roles []role.Role
	for i, it := range q.Items {
		k, ok := number[it.Role]
		if !ok {
			k = len(roles)
			number[it.Role] = k
			roles = append(roles, it.Role)
		}
		c.roleOf[i], c.wish[i] = k, it.OwnOutput
	}
	c.distance = make([][]int64, len(roles))
	for a := range roles {
		c.distance[a] = make([]int64, len(roles))
		for b := range roles {
			c.distance[a][b] = role.Distance(roles[a], roles[b])
		}
	}
	return c
}

// between is the cost of all pairs of an item of x and one of y; infinite where one of
// them never shares.
func (c *pairCosts) between(x, y []int) (sum int64) {
	for _, i := range x {
		for _, j := range y {
			a, b := c.wish[i], c.wish[j]
			if a >= Never || b >= Never {
				return infinite
			}
			sum += int64(1+a) * int64(1+b) * c.distance[c.roleOf[i]][c.roleOf[j]]
		}
	}
	return sum
}
