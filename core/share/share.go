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

// Place is an output, by its index from 1, or one side of it. The zero value is
// no place.
type Place struct {
	Output int
	Side   Side
}

// Item is one feed in chart order.
type Item struct {
	Name  string    // for messages
	Role  role.Role // where it stands in the tree that distances are counted in
	Wish  int       // 0 fine to share, 1, 2 alone, 3 never shares
	Width audio.Width
	Now   Place // where it is patched; breaks ties only
	Pin   Place // the output it must leave by; zero: any
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
	Apart    [][2]int
	Outputs  []Output
	Pairs    bool // a stereo output may carry two mono feeds, panned hard
	Limit    int  // use at most so many outputs; 0: all there are
}

// Group is what one place carries.
type Group struct {
	Items []int // in chart order, as pulled together
	At    Place
	Cost  int64
}

// Solution is a grouping in chart order.
type Solution struct {
	Groups []Group
	Cost   int64
	Kept   int // items that stay where they are
	Ports  int // ports that carry something
}

// Pair is the cost of two items on one output: (1+sₐ)(1+s_b)·d(a,b). ok is
// false where one of them never shares.
func Pair(a, b Item) (cost int64, ok bool) {
	if a.Wish >= Never || b.Wish >= Never {
		return 0, false
	}
	return int64(1+a.Wish) * int64(1+b.Wish) * role.Distance(a.Role, b.Role), true
}

// TooFewError says that there are too few outputs for what may not share.
type TooFewError struct {
	Have, Need int
	Width      audio.Width // of the outputs that are missing
	Wide       bool        // the missing ones must be of that width: narrower ones there are enough
}

func (e *TooFewError) Error() string {
	if e.Wide {
		return fmt.Sprintf("the %s feeds do not fit: %d more %s outputs are needed, or feeds folded to mono", e.Width, e.Need-e.Have, e.Width)
	}
	return fmt.Sprintf("%d outputs are too few: the feeds that never share and those kept apart leave no grouping below %d", e.Have, e.Need)
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
	pin    Place
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

// prepare pulls groups to their first member and refuses wishes that cannot
// hold at once.
func prepare(p Problem) (*prepared, error) {
	n := len(p.Items)
	if n > MaxItems {
		return nil, fmt.Errorf("%d feeds are more than the %d that can be shared out at once; park some", n, MaxItems)
	}
	// Items that must share: joined by the user, or pinned to one place.
	lead := make([]int, n)
	for i := range lead {
		lead[i] = i
	}
	find := func(i int) int {
		for lead[i] != i {
			i = lead[i]
		}
		return i
	}
	join := func(a, b int) {
		if a, b = find(a), find(b); a != b {
			lead[max(a, b)] = min(a, b)
		}
	}
	for _, g := range p.Together {
		for _, i := range g[min(1, len(g)):] {
			join(g[0], i)
		}
	}
	q := &prepared{Problem: p, pinned: map[int]map[Side]bool{}}
	at := map[Place]int{}
	p.Items = slices.Clone(p.Items)
	q.Items = p.Items
	widest := map[int]audio.Width{} // by leader, of what must share
	for i, it := range p.Items {
		widest[find(i)] = max(widest[find(i)], it.Width)
	}
	wide := map[int]bool{} // outputs that a pinned feed takes both sides of
	for i, it := range p.Items {
		wide[it.Pin.Output] = wide[it.Pin.Output] || widest[find(i)] > audio.Mono
	}
	for i, it := range p.Items {
		if !p.Pairs {
			p.Items[i].Now.Side = Whole
		}
		if it.Pin == (Place{}) {
			continue
		}
		if it.Pin.Output < 1 || it.Pin.Output > len(p.Outputs) {
			return nil, &ConflictError{[]int{i}, fmt.Sprintf("%s is pinned to output %d, and there are only %d", it.Name, it.Pin.Output, len(p.Outputs))}
		}
		switch {
		case !p.Pairs || p.Outputs[it.Pin.Output-1].Width != audio.Stereo || wide[it.Pin.Output]:
			p.Items[i].Pin.Side = Whole
		case it.Pin.Side == Whole: // in a split pair a mono feed stands on the left unless told otherwise
			p.Items[i].Pin.Side = Left
		}
		pin := p.Items[i].Pin
		if j, ok := at[pin]; ok {
			join(i, j)
		} else {
			at[pin] = i
		}
	}
	of := map[int]int{}
	for i, it := range q.Items {
		l := find(i)
		b, ok := of[l]
		if !ok {
			b = len(q.blocks)
			of[l] = b
			q.blocks = append(q.blocks, block{})
		}
		bl := &q.blocks[b]
		if it.Pin != (Place{}) {
			if bl.pin != (Place{}) && bl.pin != it.Pin {
				return nil, &ConflictError{append(bl.items, i), fmt.Sprintf("%s are to be together, but are pinned to different outputs", q.names(append(bl.items, i)))}
			}
			bl.pin = it.Pin
		}
		for _, j := range bl.items {
			if _, ok := Pair(it, p.Items[j]); !ok {
				never := it
				if p.Items[j].Wish >= Never {
					never = p.Items[j]
				}
				return nil, &ConflictError{[]int{j, i}, fmt.Sprintf("%s must share an output, but %s never shares (wish 3)", q.names([]int{j, i}), never.Name)}
			}
		}
		bl.items = append(bl.items, i)
		bl.width = max(bl.width, it.Width, audio.Mono)
		q.widest = max(q.widest, bl.width)
	}
	for _, a := range p.Apart {
		if of[find(a[0])] == of[find(a[1])] {
			return nil, &ConflictError{a[:], fmt.Sprintf("%s are to be kept apart, but must share an output too: they are together or pinned to one output", q.names(a[:]))}
		}
	}
	for i := range q.blocks {
		b := &q.blocks[i]
		if b.pin == (Place{}) {
			continue
		}
		o := p.Outputs[b.pin.Output-1]
		if o.Width < b.width {
			return nil, &ConflictError{b.items, fmt.Sprintf("%s does not fit output %d, to which it is pinned: it is %s, and that is %s. Fold it to mono or pin it elsewhere",
				q.names(b.items), b.pin.Output, b.width, o.Width)}
		}
		sides := q.pinned[b.pin.Output]
		if sides == nil {
			sides = map[Side]bool{}
			q.pinned[b.pin.Output] = sides
		}
		if sides[Whole] || sides[b.pin.Side] || b.pin.Side == Whole && len(sides) > 0 {
			return nil, &ConflictError{b.items, fmt.Sprintf("%s is pinned to output %d, whose place another feed is pinned to", q.names(b.items), b.pin.Output)}
		}
		sides[b.pin.Side] = true
	}
	q.costs(of, find)
	return q, nil
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
func (q *prepared) costs(of map[int]int, find func(int) int) {
	n := len(q.blocks)
	// Distances between the few different roles are looked up, not counted anew.
	number := map[role.Role]int{}
	var roles []role.Role
	roleOf := make([]int, len(q.Items))
	for i, it := range q.Items {
		k, ok := number[it.Role]
		if !ok {
			k = len(roles)
			number[it.Role] = k
			roles = append(roles, it.Role)
		}
		roleOf[i] = k
	}
	far := make([][]int64, len(roles))
	for a := range far {
		far[a] = make([]int64, len(roles))
		for b := range far[a] {
			far[a][b] = role.Distance(roles[a], roles[b])
		}
	}
	between := func(x, y []int) (sum int64) {
		for _, i := range x {
			for _, j := range y {
				if q.Items[i].Wish >= Never || q.Items[j].Wish >= Never {
					return infinite
				}
				sum += int64(1+q.Items[i].Wish) * int64(1+q.Items[j].Wish) * far[roleOf[i]][roleOf[j]]
			}
		}
		return sum
	}
	apart := map[[2]int]bool{}
	for _, a := range q.Apart {
		x, y := of[find(a[0])], of[find(a[1])]
		apart[[2]int{min(x, y), max(x, y)}] = true
	}
	for i := range q.blocks {
		items := q.blocks[i].items
		for k := range items {
			q.blocks[i].inside += between(items[k:k+1], items[k+1:])
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
			forbidden = forbidden || q.cost[s+1][e-s-1] >= infinite || apart[[2]int{s, e - 1}] || a.pin != (Place{}) && b.pin != (Place{})
			if !forbidden {
				pair := between(a.items, b.items)
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
