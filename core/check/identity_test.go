package check

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// crowded is a project with many mistakes, some of them alike.
func crowded(t *testing.T) *plan.Project {
	t.Helper()
	kit := rig.Instrument{Name: "Kit", BaseMiB: 500, Pans: true, Effects: []rig.Effect{{ID: "glue", Name: "glue"}},
		Parts: []rig.Part{}}
	for i, r := range []string{"kit/kick/in", "kit/snare/top", "kit/hat", "kit/cymbal/ride"} {
		kit.Voices = append(kit.Voices, rig.Voice{ID: "v" + string(rune('1'+i)), Name: r, Role: "kit/kick/in",
			Width: audio.Stereo, Slot: 1 + i%2, Gain: -9, Pan: 0.5})
		kit.Voices[i].Role = kit.Voices[i].Role.Root()
	}
	kit.Voices[0].Role, kit.Voices[2].Role, kit.Voices[3].Role = "kit/kick/in", "brass/horn", "percussion/shaker"
	p := &plan.Project{Name: "Crowded", Host: plan.Host{LaneLimit: 6, Taken: plan.Ranges{{From: 2, To: 2}}, Budget: 100}}
	do := func(e plan.Edit) {
		t.Helper()
		if _, err := e(p); err != nil {
			t.Fatal(err)
		}
	}
	do(edits.AddInstrument(kit, []rig.Output{{Number: 1, Width: audio.Stereo, First: 2}, {Number: 2, Width: audio.Mono,
		First: 3},
		{Number: 3, Width: audio.Stereo, First: 3}, {Number: 4, Width: audio.Mono, First: 9}}, 0))
	for i, f := range p.Placed[0].AllFeeds() {
		do(edits.Decide(plan.FeedRef{Placed: "i1", Feed: f.ID}, plan.Assigned, plan.Jack{Output: 1 + i%2}))
	}
	do(edits.AddBus("Bus", 5, nil))
	do(edits.AddBus("Other", 6, nil))
	for i := range 4 {
		l := plan.Lane{ID: p.NewLaneID(), Number: plan.LaneNumber(1 + i%3), Name: "Lane", Colour: "#112233",
			Kind: plan.Regular, Width: audio.Mono, To: p.BusNamed("Bus").ID, AlsoMain: i%2 == 0, Gain: 9, Pan: 0.5,
			Sources: []plan.OutputRef{{Placed: "i1", Output: 1 + i}}}
		l.Sends = []plan.Send{{To: p.BusNamed("Bus").ID, Level: -3}, {To: p.BusNamed("Other").ID}}
		p.Lanes = append(p.Lanes, l)
	}
	do(plan.Route([]string{p.BusNamed("Other").ID}, p.BusNamed("Bus").ID, false))
	p.Lanes[2].Sources = append(p.Lanes[2].Sources, plan.OutputRef{Placed: "i1", Output: 3})
	return p
}

// No two problems of a project have one key, and each says something.
func TestEveryFindingHasAKeyOfItsOwn(t *testing.T) {
	found := Project(crowded(t))
	if len(found) < 20 {
		t.Fatalf("only %d mistakes are found", len(found))
	}
	seen := map[string]Problem{}
	for _, f := range found {
		if was, ok := seen[f.Key()]; ok {
			t.Errorf("%q is the key of %q and of %q", f.Key(), was.Title(), f.Title())
		}
		seen[f.Key()] = f
		if f.Title() == "" || f.Reason() == "" {
			t.Errorf("%s says %q and %q", f.Key(), f.Title(), f.Reason())
		}
	}
}

// What was marked as intended stays so, however the problems are worded.
func TestARewordingChangesNothingThatWasDecided(t *testing.T) {
	p := crowded(t)
	for _, f := range Project(p) {
		if _, err := MarkIntended(f.Key(), "as it is")(p); err != nil {
			t.Fatalf("%s: %v", f.Key(), err)
		}
	}
	if open := Project(p); len(open) > 0 {
		t.Fatalf("marked, %s is still open", open[0].Key())
	}
	before := Rules
	defer func() { Rules = before }()
	Rules = nil
	for _, r := range before {
		other := *r
		other.Title, other.Doc = "Otherwise: "+r.Title, "Otherwise"
		other.Find = func(g *trace.Graph) []Problem {
			all := r.Find(g)
			for i := range all {
				all[i].say = func() Words { return Words{"Another title", "Another reason", "Another button"} }
				all[i].further = nil
			}
			return all
		}
		Rules = append(Rules, &other)
	}
	if open := Project(p); len(open) > 0 {
		t.Errorf("reworded, %s is open again", open[0].Key())
	}
}

// A cause is the same while its values are, levels as far as anybody sees them.
func TestCausesGoByValues(t *testing.T) {
	cause := func(v ...any) string { return Problem{values: v}.cause() }
	for _, c := range []struct {
		a, b []any
		same bool
	}{
		{[]any{audio.Decibels(6.0206)}, []any{audio.Decibels(6.0214)}, true},
		{[]any{audio.Decibels(-0.01)}, []any{audio.Decibels(0.01)}, true},
		{[]any{audio.Decibels(6.0)}, []any{audio.Decibels(6.1)}, false},
		{[]any{"Drums", 3}, []any{"Drums", 3}, true},
		{[]any{"Drums", 3}, []any{"Drums 3"}, false},
		{[]any{"a", "b"}, []any{"b", "a"}, false},
		{nil, nil, true},
	} {
		if same := cause(c.a...) == cause(c.b...); same != c.same {
			t.Errorf("the causes %v and %v are the same: %v; want %v", c.a, c.b, same, c.same)
		}
	}
}

// A code that led to another rule keeps what was accepted under it; none is used again.
func TestRetiredCodesLeadOn(t *testing.T) {
	codes := map[string]bool{}
	for _, r := range Rules {
		codes[r.Code] = true
	}
	for old, now := range retired {
		if codes[old] || !codes[now] {
			t.Errorf("the retired code %s leads to %s; want a rule there is, from one there is not", old, now)
		}
	}
	p := crowded(t)
	f := Project(p)[rand.New(rand.NewPCG(1, 2)).IntN(5)]
	retired["was-called-otherwise"] = f.Rule.Code
	defer delete(retired, "was-called-otherwise")
	key := "was-called-otherwise" + strings.TrimPrefix(f.Key(), f.Rule.Code)
	p.Intended = map[string]plan.Intended{key: {Reason: "from before", Cause: f.cause()}}
	if _, accepted := Both(trace.New(p)); len(accepted) != 1 || accepted[0].Intended != "from before" {
		t.Errorf("under the old code %d findings are accepted", len(accepted))
	}
	if _, err := UnmarkIntended(f.Key())(p); err != nil || len(p.Intended) != 0 {
		t.Errorf("it is not brought back: %v, %v", err, p.Intended)
	}
}

// What begins with a letter of two bytes keeps it.
func TestASentenceKeepsItsFirstLetter(t *testing.T) {
	for in, want := range map[string]string{"über Kit has no room": "Über Kit has no room.",
		"no lane is free": "No lane is free."} {
		if got := sentence(errors.New(in)); got != want {
			t.Errorf("%q becomes %q; want %q", in, got, want)
		}
	}
}
