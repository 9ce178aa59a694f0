package plan_test

import (
	"fmt"
	"maps"
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

// Voices that leave together share a side of a pair only as long as each of them is panned there: the
// sheet sets them all, a pan against the side is refused, and one that is patched so is found.
func TestVoicesThatLeaveTogetherArePannedTogether(t *testing.T) {
	in := rig.Instrument{Name: "Dock Pads", Pans: true, Delivered: []rig.Run{{Count: 3, Width: audio.Stereo}}}
	for i := range 5 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i+1), Name: fmt.Sprintf("Pad %d", i+1),
			Role: "synth/drum", Keys: []midi.Key{midi.Key(40 + i)}, Width: audio.Mono})
	}
	for _, i := range []int{1, 2, 4} { // Pads 2, 3 and 5 are one hit group
		in.Voices[i].Slot = 7
	}
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "3x2", in)
	pl := &p.Placed[0]
	p.Halve(pl, 2)
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v1"), plan.Assigned, plan.Jack{Output: 1}))
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v2"), plan.Assigned, plan.Jack{Output: 2, Side: rig.Left}))
	testkit.Edit(t, p, edits.Decide(testkit.Feed("v4"), plan.Assigned, plan.Jack{Output: 2, Side: rig.Right}))
	for i, j := range []plan.Jack{{Output: 1}, {Output: 2, Side: rig.Left}, {Output: 2, Side: rig.Right}} {
		testkit.Edit(t, p, edits.AddLane(plan.OutputRef{Placed: "i1", Output: j.Output, Side: j.Side},
			plan.LaneNumber(i+1), ""))
	}
	var pans []string
	for _, st := range runsheet.Make(p) {
		if strings.Contains(st.Text, "pans in Dock Pads") {
			for _, item := range st.Items {
				pans = append(pans, item.String())
			}
		}
	}
	const want = "Pad 2: 100 % left|Pad 3: 100 % left|Pad 4: 100 % right|Pad 5: 100 % left"
	if got := strings.Join(pans, "|"); got != want {
		t.Errorf("the sheet pans %q; want %q", got, want)
	}
	testkit.RunSheetEndsInThePlan(t, p)

	right := func(id string) plan.Edit {
		return edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
			x, _ := in.Source(id)
			*x.Pan = 0.5
			return "pan it", nil
		})
	}
	if _, err := right("v3")(p.Clone()); err == nil ||
		!strings.Contains(err.Error(), "Pad 3 leaves on side L of output 2 together with Pad 2") {
		t.Errorf("a pan against the side is answered %v; want it refused, with Pad 2", err)
	}
	if _, err := right("v1")(p.Clone()); err != nil {
		t.Errorf("a pan of what has its output to itself is refused: %v", err)
	}

	testkit.Edit(t, p, edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error {
		*s = *p.AsPlanned()
		s.Instruments["i1"].Inside[rig.InsideKey("v3", rig.InsidePan, "")] = "100"
		return nil
	}))
	var found []string
	for _, f := range check.Project(p) {
		if f.Rule.Code == "side-panned-away" {
			found = append(found, f.Title()+": "+f.Reason())
		}
	}
	if len(found) != 1 || !strings.Contains(found[0], "Pad 3 is 100 % right in Dock Pads") {
		t.Errorf("patched with Pad 3 to the right, the check finds %q; want that, once", found)
	}

	// A default that was saved so is begun with: none of the pans is the instrument's own from then on.
	d := rig.SavedDefault{Since: "2026-12-02", Layout: pl.Layout("default"), Inside: pl.InsideWanted()}
	next := in
	next.SavedDefaults = []rig.SavedDefault{d}
	q := &plan.Project{Name: "Next", Host: plan.Host{FirstLane: 1}}
	testkit.Edit(t, q, edits.AddFromShelf(plan.Shelved{}, next, d.Layout.Outputs, 0))
	for _, v := range q.Placed[0].Instrument.Voices {
		if v.Pan != 0 {
			t.Errorf("begun with the default, %s is panned %v by itself; want its side alone to do that", v.Name, v.Pan)
		}
	}
	if got := q.Placed[0].InsideWanted(); !maps.Equal(got, d.Inside) {
		t.Errorf("begun with the default, wanted inside is %v; want %v", got, d.Inside)
	}
}
