// Package check finds what is wrong with a plan and says how to fix it. Each
// rule is one value in a file of its own; pages, commands and help are made
// from the registry.
package check

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// Severity orders problems by what they cost.
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

// Problem is one thing that is wrong, in one place. What it is told by is the rule's code
// and its subjects; what it says is made from that at the end.
type Problem struct {
	Rule     *Rule
	Subjects []plan.Entity // what it is about, the first thing first
	// Silences is how many feeds are not heard because of it, where that is known.
	Silences int
	Intended string        // why it is intended
	Before   string        // why it was intended, for another cause than it has now
	places   []plan.Entity // others that it is shown at
	values   []any         // of its cause, in the order in which they are told
	say      func() Words
	fixes    string // what the button does, where it is made with the fix
	further  []func() string
	fix      plan.Edit
	others   []other
}

// other is another way to fix a problem, for the user to choose.
type other struct {
	text string
	edit plan.Edit
}

// Words are what a problem says.
type Words struct {
	Title  string // what, in a few words: "Percussion is silent"
	Reason string // why, and what is in the way
	Fix    string // what the button does; "" where only the user can know
}

// Title says what is wrong, in a few words.
func (f Problem) Title() string { return f.say().Title }

// Reason says why, and what is in the way.
func (f Problem) Reason() string {
	text := f.say().Reason
	for _, more := range f.further {
		text += " " + more()
	}
	return text
}

// Mend says what the button does; "" where only the user can know.
func (f Problem) Mend() string { return cmp.Or(f.fixes, f.say().Fix) }

// Key names the problem in its project, whatever it says.
func (f Problem) Key() string {
	key := f.Rule.Code
	for _, e := range f.Subjects {
		key += " " + string(e)
	}
	return key
}

// cause names what the problem comes from: it is another one as soon as a value differs.
// Levels count to 0.1 dB, as far as anybody sees them.
func (f Problem) cause() string {
	h := sha256.New()
	for _, v := range f.values {
		fmt.Fprintf(h, "%s\x00", valueText(v))
	}
	return hex.EncodeToString(h.Sum(nil)[:6])
}

func valueText(v any) string {
	level, ok := v.(float64)
	if db, is := v.(audio.Decibels); is {
		level, ok = float64(db), true
	}
	if ok {
		return fmt.Sprintf("%.1f", math.Round(level*10)/10+0) // and not −0.0
	}
	return fmt.Sprint(v)
}

// offer gives the problem a button; where text is empty there is nothing to offer.
func (f *Problem) offer(text string, fix plan.Edit) { f.fixes, f.fix = text, fix }

// also offers another way to fix the problem, beside the first.
func (f *Problem) also(text string, fix plan.Edit) { f.others = append(f.others, other{text, fix}) }

// Others are what the buttons of further ways do, the second way first.
func (f Problem) Others() (out []string) {
	for _, o := range f.others {
		out = append(out, o.text)
	}
	return out
}

// more says one thing more in its reason, which is no part of the cause.
func (f *Problem) more(say func() string) { f.further = append(f.further, say) }

// Lane, Feed and Output are the first subject of their kind, or nothing; Instrument is
// that of a problem about a whole instrument.
func (f Problem) Lane() string { return f.first("lane") }

func (f Problem) Instrument() string { return f.first("instrument") }

func (f Problem) FeedRef() plan.FeedRef {
	r, _ := plan.ParseFeedRef(f.first("feed"))
	return r
}

func (f Problem) OutputRef() plan.OutputRef {
	r, _ := plan.ParseOutputRef(f.first("output"))
	return r
}

func (f Problem) first(kind string) string {
	for _, e := range f.Subjects {
		if k, ref := e.Parts(); k == kind {
			return ref
		}
	}
	return ""
}

// About reports whether it is about a thing, or shown at it.
func (f Problem) About(e plan.Entity) bool {
	return slices.Contains(f.Subjects, e) || slices.Contains(f.places, e)
}

// Edit is what fixes the problem, or nil.
func (f Problem) Edit() plan.Edit { return f.fix }

// Rule is one kind of mistake.
type Rule struct {
	Code     string // stable, for scripts: "double-path"
	Title    string
	Doc      string // what it means, how it comes about, how to fix it
	Severity Severity
	Step     Step
	Version  int // raised when the rule comes to find something else
	Find     func(*trace.Graph) []Problem
	// Unassigned: a wanted feed has no output. Of many such, a proposal decides at once.
	Unassigned bool
	Mark       Mark // where a map marks it
}

// Mark says where a map marks a problem.
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
	feedNoOutput, closedFeed, playedOff, outputGone, outputNoLane, sideNotTaken, sidePannedAway, outOfRange,
	portsPastEnd, addressesFew,
	notesNoPart,
	collision, outputTwice, doublePath, lanePastBus, busPastParent, busNarrow, partNoAddress, widthFold, laneNarrow,
	parkedWithWanted, lumped, returnMissesBus, sendMeetsDry, returnPastBus,
	portsOverlap, pairStraddles,
	mixBesideParts, insideSendUnheard, partAllChannels, insertTwice,
	pannedTwice, levelWrongEnd, midiLayer, memoryOver,
	deadLane, unfedBus, leaveTogether, instrumentTwice, monoOnStereo, effectsLost, effectTwice, returnNoSenders,
	partNoNotes, playedTwice, laneNoTrack, instanceOver, nameTwice, nameStale,
	nameNotCarried, setupOverridden,
	// What stands in the host.
	separateOff, waitingReload, patchedGone, notSwitchedOn, patchedLoop, patchedNowhere, hostQuiet, blockNotChained,
	notSaved, leftover, sendSilent, patchedDouble, twoExits, undersidePolarity, numbersOffset, allChannels,
}

// All runs every rule over the graph, what silences most first. Problems that the
// user lets stand are left out.
func All(g *trace.Graph) []Problem {
	open, _ := Both(g)
	return open
}

// Both gives the problems that are open and those that are intended. One
// that was marked as intended is open again as soon as its cause is another one.
func Both(g *trace.Graph) (open, accepted []Problem) {
	decisions, others := decisionsOf(g.Project), othersOf(g.Project)
	for _, r := range Rules {
		for _, f := range r.Find(g) {
			if f.aboutAlone(others) {
				continue
			}
			f.Rule = r
			reason, stands := decided(decisions[r.Code], f)
			if stands {
				f.Intended = reason
				accepted = append(accepted, f)
			} else {
				f.Before = reason
				open = append(open, f)
			}
		}
	}
	slices.SortStableFunc(open, func(a, b Problem) int {
		return cmp.Or(int(b.Rule.Severity-a.Rule.Severity), b.Silences-a.Silences)
	})
	return open, accepted
}

// othersOf are the lanes that the plan did not make: how those are set up is not the plan's.
func othersOf(p *plan.Project) map[plan.Entity]bool {
	out := map[plan.Entity]bool{}
	if p.Patched != nil {
		for i := range p.Patched.Lanes {
			out[plan.LaneEntity(p.Patched.Lanes[i].ID)] = p.Patched.Lanes[i].IsOther()
		}
	}
	for i := range p.Lanes {
		out[plan.LaneEntity(p.Lanes[i].ID)] = p.Lanes[i].IsOther()
	}
	return out
}

// aboutAlone reports whether the problem is about these and nothing else.
func (f Problem) aboutAlone(these map[plan.Entity]bool) bool {
	return len(f.Subjects) > 0 && !slices.ContainsFunc(f.Subjects, func(e plan.Entity) bool { return !these[e] })
}

// Project finds everything in a project.
func Project(p *plan.Project) []Problem { return All(trace.New(p)) }

// ByKey gives the problem with the key, if it still stands.
func ByKey(p *plan.Project, key string) (Problem, bool) {
	for _, f := range Project(p) {
		if f.Key() == key {
			return f, true
		}
	}
	return Problem{}, false
}

// Fix is the edit that does what a problem's button says, if the problem is still there: that of
// the first way to fix it, 0, or of one of Others, from 1.
func Fix(key string, way int) plan.Edit {
	return func(p *plan.Project) (string, error) {
		f, ok := ByKey(p, key)
		if !ok {
			return "", fmt.Errorf("that problem is fixed already")
		}
		if f.fix == nil {
			return "", fmt.Errorf("no fix is offered for that; the reason says what is wrong")
		}
		fix := f.fix
		if way > 0 {
			if way > len(f.others) {
				return "", fmt.Errorf("there is no such way to fix it; reload the page")
			}
			fix = f.others[way-1].edit
		}
		label, err := fix(p)
		return "fix: " + label, err
	}
}
