package check_test

import (
	"fmt"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// only gives the one problem with a code.
func only(t *testing.T, p *plan.Project, code string) check.Problem {
	t.Helper()
	var out []check.Problem
	for _, f := range check.Project(p) {
		if f.Rule.Code == code {
			out = append(out, f)
		}
	}
	if len(out) != 1 {
		t.Fatalf("%d problems of the kind %s; want one", len(out), code)
	}
	return out[0]
}

// A layer of three parts is one decision with one reason, shown at all of them.
func TestALayerIsOneDecision(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.SaltpanSection())
	parts := p.Placed[0].Instrument.Parts
	parts[1].Address, parts[2].Address = parts[0].Address, parts[0].Address
	f := only(t, p, "midi-layer")
	for _, part := range parts[:3] {
		if !f.About(plan.FeedEntity(testkit.Feed(part.ID))) || !strings.Contains(f.Title(), part.Name) {
			t.Errorf("%q is not about %s", f.Title(), part.Name)
		}
	}
	testkit.Edit(t, p, check.MarkIntended(f.Key(), "thick pans"))
	if found := check.Project(p); len(found) > 0 {
		t.Errorf("marked as intended once, and %s is left", found[0].Title())
	}
	testkit.Edit(t, p, check.UnmarkIntended(f.Key()))
	testkit.Edit(t, p, f.Edit())
	if found := check.Project(p); len(found) > 0 {
		t.Errorf("after the button %s is left", found[0].Title())
	}
}

// Memory over budget names what to close until it fits, no voice goes silent, and one button
// does it. "Takes most of it" is said only of more than half.
func TestMemoryIsFreedWithoutSilence(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5, LaneLimit: 200}, "16x2", sample.BrineworkKit())
	p.Host.Budget = p.Placed[0].Memory() - 150
	f := only(t, p, "memory-over")
	if !strings.Contains(f.Reason(), "takes most of it") || !strings.HasPrefix(f.Mend(), "Close ") {
		t.Errorf("%s: %s [%s]", f.Title(), f.Reason(), f.Mend())
	}
	testkit.Edit(t, p, f.Edit())
	if m := p.Placed[0].Memory(); m > p.Host.Budget {
		t.Errorf("after the button it takes %.0f MiB of %.0f", m, p.Host.Budget)
	}
	for _, x := range check.Project(p) {
		if x.Rule.Severity == check.Silent {
			t.Errorf("closing microphones left %s", x.Title())
		}
	}
	// a close microphone that a voice is heard through stays open
	for _, id := range []string{"kin", "stop", "hat"} {
		if p.Placed[0].Feeds[id].State == plan.Off {
			t.Errorf("%s is closed before the rooms", id)
		}
	}
	two := testkit.Mapped(t, plan.Host{FirstLane: 5, LaneLimit: 200}, "16x2", sample.BrineworkKit(), sample.BrineworkKit())
	two.Host.Budget = 100
	if f := only(t, two, "memory-over"); strings.Contains(f.Reason(), "most of it") {
		t.Errorf("of two equal instruments it is said: %s", f.Reason())
	}
}

// Nine mono feeds on stereo outputs are one problem with one cause.
func TestManyFeedsOfOneCauseAreOneProblem(t *testing.T) {
	in := rig.Instrument{Name: "Nine", Pans: true}
	for i := range 10 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Voice %d", i),
			Role:  "percussion/clap",
			Width: audio.Width(1 + i/9), Keys: []midi.Key{midi.Key(36 + i)}})
	}
	p := testkit.Project(t, plan.Host{FirstLane: 1}, "9x2+9x1", in)
	for i := range 9 {
		testkit.Edit(t, p, edits.Decide(testkit.Feed(fmt.Sprintf("v%d", i)), plan.Assigned, plan.Jack{Output: i + 1}))
		testkit.Edit(t, p, edits.AddLane(plan.OutputRef{Placed: "i1", Output: i + 1}, 0, ""))
	}
	f := only(t, p, "mono-on-stereo")
	if !strings.HasPrefix(f.Title(), "9 mono feeds") {
		t.Errorf("it says %q", f.Title())
	}
	testkit.Edit(t, p, f.Edit())
	for i := range 9 {
		if o, _ := p.Placed[0].Output(p.Placed[0].Feeds[fmt.Sprintf("v%d", i)].At()); o.Width != audio.Mono {
			t.Errorf("voice %d is still on %s output %d", i, o.Width, o.Number)
		}
	}
}

// A part that the song does not play for a channel that does not match stays, and it is said
// that nobody listens there.
func TestPartsAreNotParkedForAWrongChannel(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 5}, "14x2", sample.SaltpanSection())
	p.Song = &plan.Song{Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 15},
		Keys: map[midi.Key]int{60: 9}}}}
	pr := testkit.Propose(t, p, "i1")
	if len(pr.Unused) != 4 || len(pr.Notes) == 0 || !strings.Contains(pr.Notes[0], "ch 15") {
		t.Errorf("%d feeds are set aside, want the 4 ready-made mixes, and it says %q", len(pr.Unused), pr.Notes)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := only(t, p, "notes-no-part"); !strings.Contains(f.Title(), "ch 15") {
		t.Errorf("the check says %q", f.Title())
	}
}

// Two pads of one family that can only leave together are told of where both want an output
// of their own; strokes that cut each other off are one piece.
func TestPadsOfOneFamilyThatLeaveTogether(t *testing.T) {
	pads := func(choke int) *plan.Project {
		in := rig.Instrument{Name: "Pads"}
		for i, n := range []string{"Tom Low", "Tom High"} {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: n, Role: "kit/tom",
				Width: audio.Mono, Slot: 3,
				Choke: choke, Keys: []midi.Key{midi.Key(45 + i)}})
		}
		return testkit.Mapped(t, plan.Host{FirstLane: 1}, "2x2", in)
	}
	if f := only(t, pads(0), "leave-together"); !strings.Contains(f.Title(), "Tom Low and Tom High") {
		t.Errorf("it says %q", f.Title())
	}
	for _, f := range check.Project(pads(1)) {
		if f.Rule.Code == "leave-together" {
			t.Errorf("of two strokes it says %q", f.Title())
		}
	}
}

// The run sheet never advises silence: it leaves a lane that something wanted needs, and what
// is in the host of a project that has no plan yet.
func TestTheRunSheetNeverAdvisesSilence(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
	testkit.Edit(t, p, runsheet.AllDone())
	hat := testkit.Lane(p, "Hat").ID
	testkit.Edit(t, p, edits.DeleteLane(hat)) // by mistake; the feed is wanted still
	for _, st := range runsheet.Make(p) {
		if strings.HasPrefix(st.Text, "Remove") {
			t.Errorf("the sheet says %q of the only lane of the hat", st.Text)
		}
	}
	bare := testkit.Project(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
	bare.Patched = p.AsPlanned()
	if steps := runsheet.Make(bare); len(steps) > 0 || runsheet.HasPlan(bare) {
		t.Errorf("without a plan the sheet begins with %q", steps[0].Text)
	}
}

// One microphone is closed in all instruments at once, and opened again.
func TestAMicrophoneIsSwitchedInAllInstruments(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5, LaneLimit: 200}, "16x2", sample.BrineworkKit(), sample.BrineworkKit())
	before := p.Placed[0].Memory()
	testkit.Edit(t, p, edits.SwitchMicrophone("room far", false))
	for i := range p.Placed {
		if s := p.Placed[i].Feeds["far"].State; s != plan.Off && p.Placed[i].Instrument.Microphone("far") != nil {
			t.Errorf("in instrument %d it is %q", i+1, s)
		}
		if m := p.Placed[i].Memory(); m >= before {
			t.Errorf("instrument %d still takes %.0f MiB", i+1, m)
		}
	}
	if _, err := edits.SwitchMicrophone("room far", false)(p); err == nil {
		t.Error("it is closed twice")
	}
	lanes := len(p.Lanes)
	testkit.Edit(t, p, edits.SwitchMicrophone("Hat", false)) // alone on its lane
	if len(p.Lanes) != lanes-2 {
		t.Errorf("%d lanes are left of %d; want two fewer, those of the hats", len(p.Lanes), lanes)
	}
	testkit.Edit(t, p, edits.SwitchMicrophone("Room Far", true))
	for _, m := range p.Microphones() {
		if m.Name == "Room Far" && (m.Open != 2 || m.Instruments != 2) {
			t.Errorf("opened again: %+v", m)
		}
	}
}
