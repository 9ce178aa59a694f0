// Package check finds what is wrong with a plan and says how to mend it. Each
// rule is one value in a file of its own; pages, commands and help are made
// from the registry.
package check

import (
	"cmp"
	"fmt"
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
	AtParts
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
	// Silences is how many feeds are not heard because of it, where that is known.
	Silences int
	Accepted string // why the user lets it stand
	mend     plan.Edit
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
	// Unassigned: a wanted feed has no output. Of many such, a proposal decides at once.
	Unassigned bool
	Mark       Mark // where a map marks it
}

// Mark says where a map marks a finding.
type Mark int

// The marks: at the thing that it is about, at the fork of its path, or at the bus.
const (
	AtThing Mark = iota
	AtFork
	AtBus
)

// Rules lists every rule, those that silence first.
var Rules = []*Rule{
	// What is planned.
	feedNoOutput, outputGone, outputNoLane, outOfRange, portsPastEnd, addressesFew, notesNoPart,
	collision, doublePath, widthFold, laneNarrow, parkedWithWanted, lumped, returnMissesBus, sendMeetsDry, returnPastBus,
	portsOverlap, pairStraddles,
	pannedTwice, levelWrongEnd, midiLayer, memoryOver,
	deadLane, unfedBus, sharedSlot, monoOnStereo, effectsLost, partNoNotes, nameTwice, nameStale, setupOverridden,
	// What stands in the host.
	waitingReload, patchedGone, notSwitchedOn, patchedLoop, patchedNowhere,
	notSaved, leftover, patchedDouble, numbersOffset, allChannels,
}

// All runs every rule over the graph, what silences most first. Findings that the
// user lets stand are left out.
func All(g *trace.Graph) []Finding {
	open, _ := Both(g)
	return open
}

// Both gives the findings that are open and those that the user lets stand. One
// that was let stand is open again as soon as its cause reads differently.
func Both(g *trace.Graph) (open, accepted []Finding) {
	for _, r := range Rules {
		for _, f := range r.Find(g) {
			f.Rule = r
			if a, ok := g.Project.Accepted[f.Key()]; ok && a.Cause == f.Reason {
				f.Accepted = a.Reason
				accepted = append(accepted, f)
			} else {
				open = append(open, f)
			}
		}
	}
	slices.SortStableFunc(open, func(a, b Finding) int {
		return cmp.Or(int(b.Rule.Severity-a.Rule.Severity), b.Silences-a.Silences)
	})
	return open, accepted
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

// Fix is the edit that does what a finding's button says, if the finding is still there.
func Fix(key string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		f, ok := ByKey(p, key)
		if !ok {
			return "", fmt.Errorf("that is mended already")
		}
		if f.mend == nil {
			return "", fmt.Errorf("only you can know how to mend that; the reason says what is in the way")
		}
		label, err := f.mend(p)
		return "mend: " + label, err
	}
}

// MarkIntended is the edit that lets a finding stand, with the user's reason.
func MarkIntended(key, reason string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		f, ok := ByKey(p, key)
		if !ok {
			return "", fmt.Errorf("that is mended already")
		}
		return plan.MarkIntended(key, reason, f.Reason)(p)
	}
}
