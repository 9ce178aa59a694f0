// Package check finds what is wrong with a plan and says how to mend it. Each
// rule is one value in a file of its own; pages, commands and help are made
// from the registry.
package check

import (
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// Severity orders findings by what they cost.
type Severity int

// From what only puzzles to what keeps a signal from being heard.
const (
	Untidy Severity = iota
	Wrong           // heard, but not as meant
	Silent          // something wanted is not heard
)

func (s Severity) String() string { return [...]string{"untidy", "wrong", "silent"}[s] }

// Step is the step of the job where a mistake is made and mended.
type Step int

// The steps that rules look at.
const (
	AtOutputs Step = iota
	AtLanes
	AtBuses
)

// Finding is one thing that is wrong, in one place.
type Finding struct {
	Rule   *Rule
	Title  string // what, in a few words: "Percussion is silent"
	Reason string // why, and what is in the way
	Mend   string // what the button does; "" where only the user can know
	Feed   plan.FeedRef
	Lane   string // lane ID
	Output plan.OutputRef
	mend   plan.Edit
}

// Key names the finding for as long as its cause stays the same.
func (f Finding) Key() string {
	key := f.Rule.Code
	if f.Feed != (plan.FeedRef{}) {
		key += "/" + f.Feed.String()
	}
	if f.Output != (plan.OutputRef{}) {
		key += "/" + f.Output.String()
	}
	if f.Lane != "" {
		key += "/" + f.Lane
	}
	return key
}

// Edit is what mends the finding, or nil.
func (f Finding) Edit() plan.Edit { return f.mend }

// Rule is one kind of mistake.
type Rule struct {
	Code     string // stable, for scripts: "double-path"
	Title    string
	Doc      string // what it means, how it comes about, how to mend it
	Severity Severity
	Step     Step
	Find     func(*trace.Graph) []Finding
}

// Rules lists every rule, those that silence first.
var Rules = []*Rule{feedNoOutput, outputNoLane, outOfRange, collision, doublePath, widthFold, parkedWithWanted, deadLane, unfedBus}

// All runs every rule over the graph, what silences most first.
func All(g *trace.Graph) []Finding {
	var out []Finding
	for _, r := range Rules {
		for _, f := range r.Find(g) {
			f.Rule = r
			out = append(out, f)
		}
	}
	slices.SortStableFunc(out, func(a, b Finding) int { return int(b.Rule.Severity - a.Rule.Severity) })
	return out
}

// Project finds everything in a project.
func Project(p *plan.Project) []Finding { return All(trace.New(p)) }

// ByKey gives the finding with the key, if it still stands.
func ByKey(p *plan.Project, key string) (Finding, bool) {
	for _, f := range Project(p) {
		if f.Key() == key {
			return f, true
		}
	}
	return Finding{}, false
}
