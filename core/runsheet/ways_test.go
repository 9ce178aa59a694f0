package runsheet_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/internal/testkit"
)

// pads is an instrument of pads that begins with all of them on its first output.
func pads(n int, traits rig.Traits) rig.Instrument {
	in := rig.Instrument{Name: "Dock Pads", Delivered: []rig.Run{{Count: n, Width: audio.Stereo}}, Traits: traits}
	for i := range n {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Pad %d", i+1),
			Role: "synth/drum", Keys: []midi.Key{midi.Key(40 + i)}, Width: audio.Stereo})
	}
	return in
}

// texts lists the steps in one line each, without those of lanes.
func inInstrument(steps []runsheet.Step) (out []string) {
	for _, st := range steps {
		if st.Place == runsheet.InInstrument || strings.HasPrefix(st.Text, "Load") {
			out = append(out, fmt.Sprintf("%s [%d]", st.Text, st.Count))
		}
	}
	return out
}

func TestTheShortestWayComesFirst(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "9x2", pads(9, rig.Traits{Spreads: []rig.Spread{rig.InOrder}}))
	got := inInstrument(runsheet.Make(p))
	want := []string{"Load Dock Pads on lane 3 [1]", "Spread the feeds of Dock Pads: all in order [1]"}
	if !slices.Equal(got, want) {
		t.Errorf("the sheet has %q; want %q", got, want)
	}
	ways := runsheet.Ways(p, "i1")
	if len(ways) != 2 || ways[0].Key != "order" || !ways[0].Taken || ways[0].Settings != 1 || ways[1].Settings != 8 ||
		ways[0].Puts[8] != "9: Pad 9" {
		t.Errorf("the ways are %+v; want in order with 1 setting, and 8 by themselves", ways)
	}
	// The user may choose the other; and one feed elsewhere is a setting more.
	testkit.Edit(t, p, edits.SetWay("i1", runsheet.DirectWay))
	if got := inInstrument(runsheet.Make(p)); !slices.Contains(got, "Assign 8 feeds of Dock Pads [8]") {
		t.Errorf("by themselves the sheet has %q", got)
	}
	testkit.Edit(t, p, edits.SetWay("i1", ""))
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v3"), plan.Assigned, plan.Jack{Output: 1}))
	if got := inInstrument(runsheet.Make(p)); len(got) != 3 || got[2] != "Assign 1 feed of Dock Pads [1]" {
		t.Errorf("with one feed elsewhere the sheet has %q", got)
	}
	// Ticked, the spread is not asked for again.
	spread := runsheet.Make(p)[1]
	testkit.Edit(t, p, runsheet.Tick(runsheet.Make(p)[0].Key()))
	testkit.Edit(t, p, runsheet.Tick(spread.Key()))
	if got := inInstrument(runsheet.Make(p)); !slices.Equal(got, []string{"Assign 1 feed of Dock Pads [1]"}) {
		t.Errorf("once it is spread the sheet has %q", got)
	}
}

// A layout that the instrument starts in, or was saved with, needs no step for what it has
// already; a kit that replaces assignments says so.
func TestTheSheetBeginsWhereTheInstrumentDoes(t *testing.T) {
	in := pads(6, rig.Traits{KitReplaces: true})
	in.Layouts = []rig.Layout{{Name: "Quay", Kit: "the kit Quayside", Outputs: rig.Lay(in.Delivered, 1),
		Feeds: map[string]rig.Placing{"v0": {Output: 1}, "v1": {Output: 2}, "v2": {Output: 3}, "v3": {Output: 4}, "v4": {Output: 5},
			"v5": {Output: 6}}}}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "6x2", in)
	if got := inInstrument(runsheet.Make(p)); !slices.Contains(got, "Apply the layout Quay to Dock Pads [1]") {
		t.Errorf("from as delivered the sheet has %q", got)
	}
	if why := runsheet.Make(p)[1].Why; !strings.Contains(why, "the kit Quayside; loading that replaces all assignments") {
		t.Errorf("the step says %q", why)
	}
	for _, kind := range []plan.StartKind{plan.FromLayout, plan.FromSaved} {
		q := p.Clone()
		testkit.Edit(t, q, edits.SetStart("i1", kind, "Quay", in.Layouts))
		if got := inInstrument(runsheet.Make(q)); len(got) != 1 {
			t.Errorf("started %s the sheet has %q; want the instrument loaded and no more", kind, got)
		}
	}
	if _, err := edits.SetStart("i1", plan.FromDefault, "", nil)(p.Clone()); err == nil {
		t.Error("a default that was never saved is a start")
	}
}

// An act of the instrument is taken unasked where it saves three settings or more, before or after the
// outputs are added, whichever leaves fewer; it lists what stays where it puts it.
func TestAnActIsTakenWhereItSavesEnough(t *testing.T) {
	for _, c := range []struct {
		pads  int
		first string // the step inside that comes first
	}{
		{3, "Assign 2 feeds of Dock Pads [2]"}, // the act would be one of two
		{4, "Assign 3 feeds of Dock Pads [3]"},
		{5, "Spread the feeds of Dock Pads: all in order [1]"},
		{14, "Spread the feeds of Dock Pads: all in order [1]"},
	} {
		in := pads(c.pads, rig.Traits{Spreads: []rig.Spread{rig.InOrder}})
		p := testkit.Mapped(t, plan.Host{FirstLane: 1}, fmt.Sprintf("%dx2", c.pads), in)
		p.Placed[0].Start = plan.Start{}
		got := inInstrument(runsheet.Make(p))
		if len(got) < 2 || got[1] != c.first {
			t.Errorf("%d feeds on as many outputs: inside it begins with %q; want %q", c.pads, got, c.first)
		}
	}
	// Delivered with one output, its outputs are added first: before that all would go to the one.
	in := pads(14, rig.Traits{Spreads: []rig.Spread{rig.InOrder}})
	in.Delivered = []rig.Run{{Count: 1, Width: audio.Stereo}}
	p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "14x2", in)
	steps := runsheet.Make(p)
	inside := 0
	for _, st := range steps {
		if st.Place == runsheet.InInstrument {
			inside += st.Count
		}
	}
	if inside != 14 {
		t.Errorf("from one output to 14 in order it takes %d settings inside; want 14: 13 outputs and one act\n%s", inside,
			sheet(steps))
	}
	// One feed elsewhere: the act lists the 13 that stay.
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v3"), plan.Assigned, plan.Jack{Output: 1}))
	for _, st := range runsheet.Make(p) {
		if strings.HasPrefix(st.Text, "Spread") && (len(st.Items) != 13 || !strings.Contains(st.Why, "1 feed is moved again")) {
			t.Errorf("the act lists %d outputs and says %q; want 13, and that one feed is moved again", len(st.Items), st.Why)
		}
	}
	testkit.RunSheetEndsInThePlan(t, p)
}

// A layout may be called anything, a bar in its name too.
func TestALayoutMayHaveABarInItsName(t *testing.T) {
	in := pads(6, rig.Traits{})
	in.Layouts = []rig.Layout{{Name: "Wide|all", Outputs: rig.Lay(in.Delivered, 1), Feeds: map[string]rig.Placing{
		"v0": {Output: 1}, "v1": {Output: 2}, "v2": {Output: 3}, "v3": {Output: 4}, "v4": {Output: 5}, "v5": {Output: 6}}}}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "6x2", in)
	if got := inInstrument(runsheet.Make(p)); !slices.Contains(got, "Apply the layout Wide|all to Dock Pads [1]") {
		t.Errorf("the sheet has %q; want the layout applied", got)
	}
}

// A default that was saved on this machine needs no set-up steps in the next project; the step that
// saves it comes last, when it is asked for.
func TestADefaultIsSavedOnceAndBegunWith(t *testing.T) {
	in := pads(5, rig.Traits{Defaults: rig.DefaultAll})
	in.Variants = []rig.Variant{{Name: "small", Ports: 10}, {Name: "large", Ports: 30}}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "5x2", in, in)
	testkit.Edit(t, p, edits.AskToSave("i1", true))
	testkit.Edit(t, p, edits.AskForTemplate(true, ""))
	steps := runsheet.Make(p)
	last := steps[len(steps)-2:]
	if last[0].Text != "Save the set-up of Dock Pads 1 as its default, for every version at once" ||
		len(last[0].Items) != 1 || last[1].Text != "Keep the session as the template “Test” of the host" {
		t.Errorf("the sheet ends with %q (%v) and %q", last[0].Text, last[0].Items, last[1].Text)
	}
	testkit.RunSheetEndsInThePlan(t, p)
	in.SavedDefaults = []rig.SavedDefault{{Since: "2026-11-20", Layout: p.Placed[0].Layout("default")}}
	next := testkit.Mapped(t, plan.Host{FirstLane: 3}, "5x2", in)
	got := runsheet.Make(next)
	if lines := inInstrument(got); len(lines) != 1 || !strings.Contains(got[0].Why, "kept since 2026-11-20") {
		t.Errorf("the next project has the steps %q, the first because %q", lines, got[0].Why)
	}
}

func TestTheSmallestVersionThatFitsIsLoaded(t *testing.T) {
	in := pads(6, rig.Traits{VersionFixed: true})
	in.Variants = []rig.Variant{{Name: "30 ports", Ports: 30}, {Name: "12 ports", Ports: 12}}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "6x2", in)
	if got := runsheet.Make(p)[0].Text; got != "Load Dock Pads in the version 12 ports on lane 3" {
		t.Errorf("it is loaded as %q", got)
	}
	testkit.Edit(t, p, runsheet.AllDone())
	testkit.Edit(t, p, edits.SetOutputs("i1", rig.Lay([]rig.Run{{Count: 8, Width: audio.Stereo}}, 1), 0))
	steps := runsheet.Make(p)
	if steps[0].Text != "Load Dock Pads again in the version 30 ports" || steps[0].Count != 3 ||
		!strings.Contains(steps[0].Why, "need 16 ports") {
		t.Errorf("with more outputs it begins with %q [%d], because %q", steps[0].Text, steps[0].Count, steps[0].Why)
	}
	if !slices.ContainsFunc(steps, func(st runsheet.Step) bool { return strings.HasPrefix(st.Text, "Assign 5 feeds") }) {
		t.Errorf("loaded anew, the assignments are not made again: %q", inInstrument(steps))
	}
	if cost := runsheet.VersionCost(p, "i1", "12 ports"); cost >= 0 {
		t.Errorf("staying in the small version costs %d settings more; want fewer", cost)
	}
	testkit.RunSheetEndsInThePlan(t, p)
	p.Placed[0].Instrument.Traits.VersionFixed = false
	if got := runsheet.Make(p)[0]; got.Text != "Switch Dock Pads to the version 30 ports" || got.Count != 1 {
		t.Errorf("where it is not fixed it begins with %q [%d]", got.Text, got.Count)
	}
}

func TestSeparateOutputsAreSwitchedOn(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "3x2", pads(3, rig.Traits{SeparateSwitch: true}))
	if got := inInstrument(runsheet.Make(p)); !slices.Contains(got, "Switch the separate outputs of Dock Pads on [1]") {
		t.Errorf("the sheet has %q", got)
	}
	testkit.RunSheetEndsInThePlan(t, p)
	p.Patched = p.AsPlanned()
	in := p.Patched.Instruments["i1"]
	in.Inside = map[string]string{}
	p.Patched.Instruments["i1"] = in
	f := check.Project(p)
	if len(f) != 1 || !strings.Contains(f[0].Title(), "separate outputs of Dock Pads are not switched on") {
		t.Fatalf("the check finds %+v", f)
	}
	testkit.Edit(t, p, check.Fix(f[0].Key(), 0))
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("marked as on, it still finds %s", f[0].Title())
	}
}

// The user's own notes stand at the steps of their kind.
func TestStepsCarryTheUsersNotes(t *testing.T) {
	in := pads(3, rig.Traits{})
	in.StepNotes = map[rig.StepKind]string{rig.StepAssign: "the third tab, right-click a pad"}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "3x2", in)
	for _, st := range runsheet.Make(p) {
		if noted := slices.Contains(st.Notes, in.StepNotes[rig.StepAssign]); noted != strings.HasPrefix(st.Text, "Assign") {
			t.Errorf("%s carries the notes %q", st.Text, st.Notes)
		}
	}
}

// A new send is silent in some hosts until its level is set, and stands at 0 dB in others.
func TestSendsStartAsTheHostHasThem(t *testing.T) {
	for _, silent := range []bool{false, true} {
		p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "3x2", pads(3, rig.Traits{}))
		p.Host.Profile = rig.Profiles[0]
		p.Host.Profile.SendsSilent = silent
		testkit.Edit(t, p, runsheet.AllDone())
		ids := []string{p.ByNumber()[0].ID, p.ByNumber()[1].ID}
		testkit.Edit(t, p, edits.AddReturn("Hall", ids[:1], plan.Send{Level: -6}))
		hall := testkit.Lane(p, "Hall").ID
		testkit.Edit(t, p, plan.SendLanes(ids[1:], plan.Send{To: hall, Level: 0}))
		var send runsheet.Step
		for _, st := range runsheet.Make(p) {
			if strings.HasPrefix(st.Text, "Add a send") {
				send = st
			}
		}
		want := 3 // two sends, and one level that is not 0 dB
		if silent {
			want = 4
		}
		if send.Count != want || len(send.Items) != 2 {
			t.Errorf("silent %v: %q takes %d settings in %d items; want %d in 2", silent, send.Text, send.Count, len(send.Items),
				want)
		}
		testkit.RunSheetEndsInThePlan(t, p)
	}
}

// Lanes that are to be automated get tracks where the host makes them on request.
func TestTracksAreMadeWhereTheyAreAskedFor(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "3x2", pads(3, rig.Traits{}))
	p.Host.Profile = rig.Profiles[0]
	testkit.Edit(t, p, plan.SetTrack([]string{p.ByNumber()[1].ID}, true))
	has := func() bool {
		return slices.ContainsFunc(runsheet.Make(p),
			func(st runsheet.Step) bool { return st.Text == "Make a track for lane 4" })
	}
	if has() {
		t.Error("a track is to be made where every lane has one")
	}
	p.Host.Profile.Tracks = rig.TracksOnRequest
	if !has() {
		t.Errorf("no track is to be made: %v", sheet(runsheet.Make(p)))
	}
	testkit.RunSheetEndsInThePlan(t, p)
}
