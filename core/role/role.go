// Package role is the spine of the product: one tree that says what a signal
// is, whatever it is called. What may share an output, the order of lanes and
// the family a lane belongs to all hang from it. The package turns names and
// keys into roles; it knows nothing of instruments or projects.
package role

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Role is a path in the role tree, such as "kit/tom/floor/2". The zero value
// is the root and means that nobody has named the role yet.
type Role string

// Unnamed is the role of a signal nobody has named yet.
const Unnamed Role = ""

// Parse reads a role as files and forms write it. It refuses paths outside the
// fixed roots, empty segments, and characters other than a–z, 0–9 and "-".
func Parse(s string) (Role, error) {
	if s == "" {
		return Unnamed, nil
	}
	parts := strings.Split(s, "/")
	if _, known := siblings[""][parts[0]]; !known {
		return Unnamed, fmt.Errorf("role %q does not begin with one of %s", s, strings.Join(Roots(), ", "))
	}
	for _, p := range parts {
		if p == "" || strings.Trim(p, "abcdefghijklmnopqrstuvwxyz0123456789-") != "" {
			return Unnamed, fmt.Errorf("role %q: each step between slashes holds small letters, digits and hyphens", s)
		}
	}
	return Role(s), nil
}

// Segments are the steps of the path from the root; none for Unnamed.
func (r Role) Segments() []string {
	if r == Unnamed {
		return nil
	}
	return strings.Split(string(r), "/")
}

// Parent is the role one step nearer the root; the root is its own parent.
func (r Role) Parent() Role {
	i := strings.LastIndexByte(string(r), '/')
	return r[:max(i, 0)]
}

// Root is the first step, such as "kit".
func (r Role) Root() Role {
	head, _, _ := strings.Cut(string(r), "/")
	return Role(head)
}

// Family is the branch whose members share a hue and are folded together: the
// piece where the root has pieces ("kit/tom"), else the root.
func (r Role) Family() Role {
	root := r.Root()
	if r != root && root.HasPieces() {
		return r.Toward(root)
	}
	return root
}

// Under reports whether r is a or stands below it.
func (r Role) Under(a Role) bool {
	return a == Unnamed || r == a || len(r) > len(a) && r[len(a)] == '/' && r[:len(a)] == a
}

// Common is the deepest role that both stand under.
func Common(a, b Role) Role {
	for !b.Under(a) {
		a = a.Parent()
	}
	return a
}

// depth is the number of steps from the root.
func (r Role) depth() int {
	if r == Unnamed {
		return 0
	}
	return 1 + strings.Count(string(r), "/")
}

// Close reports whether two roles are the same, or one stands right below the other.
func Close(a, b Role) bool { return a == b || a.Parent() == b || b.Parent() == a }

// stepsOf is the sum of the steps on the way from one role to the other; 0 for the same role.
func stepsOf(a, b Role) (e int) {
	common := Common(a, b)
	return a.stepsBelow(common) + b.stepsBelow(common)
}

// farthest bounds the steps that count, so that the costs of 1,024 feeds stay within 64 bits.
const farthest = 36

// Distance is 2^e for e steps apart: the sides of one drum meet first, then cymbals and
// overheads, toms and toms; kick, snare and hat last. Microphone positions that stand alone are as far
// from every other as can be, so they share with one only where nothing else is left.
func Distance(a, b Role) int64 {
	if !mayShare(a, b) {
		return 1 << farthest
	}
	return 1 << min(stepsOf(a, b), farthest)
}

// mayShare reports whether people let two places in the tree of roles and microphone positions share an
// output: in front of a section close microphones and a ready-made mix stand with no other position;
// the microphones of a kit are told apart by their roles (common practice, no source).
func mayShare(a, b Role) bool {
	x, y := a.positionIn(), b.positionIn()
	return x == y || !x.alone() && !y.alone()
}

// positionIn is the microphone position that is part of a place, or "".
func (r Role) positionIn() Position {
	before, after, ok := strings.Cut(string(r), "~")
	if !ok || Role(strings.TrimSuffix(before, "/")).Root().HasPieces() {
		return ""
	}
	for i, seg := range strings.Split(after, "/") {
		if _, root := siblings[""][seg]; root && i > 0 {
			if Role(seg).HasPieces() {
				return ""
			}
			return Position(strings.Join(strings.Split(after, "/")[:i], "/"))
		}
	}
	return Position(after)
}

func (p Position) alone() bool { return p == "close" || p == "mix" }

// stepsBelow is the sum of the steps from r up to an ancestor.
func (r Role) stepsBelow(ancestor Role) (e int) {
	for ; r != ancestor; r = r.Parent() {
		e += r.step()
	}
	return e
}

// The steps of what no row says otherwise.
const (
	rootStep   = 4
	branchStep = 2
	deepStep   = 1
)

// step is how far the role stands from the one right above it. Below a microphone position
// that comes first, roles count as they do without it.
func (r Role) step() int {
	if i := strings.LastIndex(string(r), "~"); i >= 0 {
		below := strings.Split(string(r[i:]), "/")
		at := slices.IndexFunc(below, func(s string) bool { _, root := siblings[""][s]; return root })
		if at < 0 {
			return deepStep // a microphone position
		}
		return Role(strings.Join(below[at:], "/")).step()
	}
	if row := rows[r]; row != nil && row.Step != nil {
		return *row.Step
	}
	if above := rows[r.Parent()]; r.Parent() != Unnamed && above != nil && above.Steps > 0 {
		return above.Steps
	}
	switch r.depth() {
	case 1:
		return rootStep
	case 2:
		return branchStep
	}
	return deepStep
}

// Step is how far the role stands from the one right above it.
func (r Role) Step() int {
	if r == Unnamed {
		return 0
	}
	return r.step()
}

// Compare orders roles as a chart lists them: as the tree lists the branches,
// with numbers by value, and branches the tree does not know after the known
// ones, by name. Unnamed comes last.
func Compare(a, b Role) int {
	if a == b {
		return 0
	}
	if a == Unnamed || b == Unnamed {
		return cmp.Compare(len(b), len(a))
	}
	common := Common(a, b)
	if common == a || common == b {
		return cmp.Compare(len(a), len(b))
	}
	x, y := a.below(common), b.below(common)
	return cmp.Or(comparePlaces(siblings[string(common)], x, y),
		comparePlaces(siblings[string(common.Root())], x, y), // pieces that a microphone sends apart
		compareNumbers(x, y))
}

// CompareScore orders roles as the staves of a score: woodwind, brass, percussion, what is plucked,
// keys, voices, strings (common practice, no source); where that says nothing, as Compare does.
func CompareScore(a, b Role) int {
	common := Common(a, b)
	if a == Unnamed || b == Unnamed || common == a || common == b {
		return Compare(a, b)
	}
	place := func(r Role) int {
		if row := r.Toward(common).Row(); row != nil && row.Score > 0 {
			return row.Score
		}
		return len(Table)
	}
	return cmp.Or(cmp.Compare(place(a), place(b)), Compare(a, b))
}

// Collective reports whether the role stands for different things, or for several that numbers tell
// apart, more than for one: a root, cymbals, toms.
func (r Role) Collective() bool {
	row := r.Row()
	return r == r.Root() || row != nil && (row.Kinds || row.NumberLabel != "" || row.NumbersFrom != "")
}

// Counted reports whether the role is one of several that numbers tell apart.
func (r Role) Counted() bool {
	row := r.Parent().Row()
	return row != nil && row.NumberLabel != ""
}

// InOrchestra reports whether the role is of those whose instruments together are an orchestra.
func (r Role) InOrchestra() bool {
	row := r.Root().Row()
	return row != nil && row.Orchestra
}

// Toward is the role one step below an ancestor on the way to r; r itself where it
// is the ancestor.
func (r Role) Toward(ancestor Role) Role {
	if r == ancestor {
		return r
	}
	if ancestor == Unnamed {
		return r.Root()
	}
	return ancestor + Role("/"+r.below(ancestor))
}

// below is the step that r takes next after an ancestor.
func (r Role) below(ancestor Role) string {
	rest := string(r)
	if ancestor != Unnamed {
		rest = rest[len(ancestor)+1:]
	}
	step, _, _ := strings.Cut(rest, "/")
	return step
}

// comparePlaces orders steps by their place among siblings; unknown ones stand last.
func comparePlaces(known map[string]int, a, b string) int {
	place := func(s string) int {
		if i, ok := known[s]; ok {
			return i
		}
		return len(known)
	}
	return cmp.Compare(place(a), place(b))
}

// compareNumbers orders numbers as such, and other steps as text.
func compareNumbers(a, b string) int {
	na, errA := strconv.Atoi(a)
	nb, errB := strconv.Atoi(b)
	if errA == nil && errB == nil {
		return cmp.Compare(na, nb)
	}
	return strings.Compare(a, b)
}

// Roots lists the first branches in chart order.
func Roots() []string {
	out := make([]string, len(siblings[""]))
	for name, i := range siblings[""] {
		out[i] = name
	}
	return out
}

// All lists every role the tree knows by name, in chart order.
func All() []Role {
	out := make([]Role, len(Table))
	for i := range Table {
		out[i] = Table[i].Role
	}
	return out
}
