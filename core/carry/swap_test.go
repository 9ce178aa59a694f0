package carry_test

import (
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

func replace(t *testing.T, p *plan.Project, in rig.Instrument, hand map[string]string) *carry.Replacement {
	t.Helper()
	s, err := carry.Match(p, p.Placed[0].ID, in, 7, hand)
	if err != nil {
		t.Fatal(err)
	}
	testkit.Edit(t, p, s.Edit())
	return s
}

// onLane lists the names of the feeds that arrive on a lane.
func onLane(p *plan.Project, name string) (out []string) {
	l := testkit.Lane(p, name)
	if l == nil {
		return []string{"no such lane"}
	}
	for _, s := range l.Sources {
		for _, f := range p.FeedsOn(s) {
			out = append(out, f.Name)
		}
	}
	return out
}

func TestTheNewKitsKickTakesTheOldKicksLane(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "19x2", sample.BrineworkKit())
	kick := testkit.Lane(p, "Kick In")
	testkit.Edit(t, p, plan.ColourLane(kick.ID, "#123456"))
	testkit.Edit(t, p, plan.NameLane(kick.ID, "BD"))
	testkit.Edit(t, p,
		edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
	before, buses := *testkit.Lane(p, "BD"), len(p.Buses())
	lanes := len(p.Lanes)
	replace(t, p, sample.FlintTwelve(), nil)
	after := testkit.Lane(p, "BD")
	if after == nil || after.ID != before.ID || after.Number != before.Number || after.Colour != "#123456" ||
		after.To != before.To || !slices.Equal(onLane(p, "BD"), []string{"Kick"}) {
		t.Errorf("%+v carries %v", after, onLane(p, "BD"))
	}
	// Flint has no second kick microphone: the lane stays, empty, kept for its role.
	if l := testkit.Lane(p, "Kick Out"); l == nil || len(l.Sources) != 0 || l.Kept != "kit/kick/out" {
		t.Errorf("got %+v; want l not nil, len(l.Sources) 0, l.Kept \"kit/kick/out\"", l)
	}
	if len(p.Buses()) != buses || len(p.Lanes) < lanes || len(p.Placed) != 1 ||
		p.Placed[0].Instrument.Name != "Flint Twelve" || p.Placed[0].Shelf != 7 {
		t.Errorf("%d buses, %d lanes", len(p.Buses()), len(p.Lanes))
	}
	// Nothing that is there now is left without an output.
	pl := &p.Placed[0]
	for _, f := range pl.AllFeeds() {
		if a := pl.Feeds[f.ID]; a.State == plan.Undecided || a.Pin != nil {
			t.Errorf("got %s: %+v; want a.State not %v, a.Pin nil", f.Name, a, plan.Undecided)
		}
	}
	if steps := runsheet.Make(p); len(steps) == 0 {
		t.Error("the host still has the old kit, but there is nothing to do")
	}
}

// pads is the drum machine with an output for each pad.
func pads() rig.Instrument {
	in := sample.FlintTwelve()
	in.Fixed, in.Ports, in.Delivered = false, 64, []rig.Run{{Count: 12, Width: audio.Stereo}}
	for i := range in.Voices {
		in.Voices[i].Slot = 0
	}
	return in
}

func TestBackAndForthEveryLaneFindsItsFeedAgain(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "19x2", sample.BrineworkKit())
	want := map[string][]string{}
	for _, l := range p.Lanes {
		want[l.Name] = onLane(p, l.Name)
	}
	replace(t, p, pads(), nil)
	back := sample.BrineworkKit()
	back.Delivered = []rig.Run{{Count: 19, Width: audio.Stereo}}
	replace(t, p, back, nil)
	for name, feeds := range want {
		if got := onLane(p, name); !slices.Equal(got, feeds) {
			t.Errorf("%s carries %v, before it was %v", name, got, feeds)
		}
	}
}

func TestByHandWhereTheUserKnowsBetter(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "19x2", sample.BrineworkKit())
	s := replace(t, p, pads(), map[string]string{"kin": "pad3", "kout": "pad1", "hat": ""})
	if got := onLane(p, "Kick Out"); !slices.Equal(got, []string{"Kick"}) {
		t.Errorf("got %v; want %v", got, []string{"Kick"})
	}
	if got := onLane(p, "Kick In"); !slices.Equal(got, []string{"Clap"}) {
		t.Errorf("got %v; want %v", got, []string{"Clap"})
	}
	if got := testkit.Lane(p, "Hat"); len(got.Sources) != 0 || got.Kept != "kit/hat" {
		t.Errorf("got %+v; want len(got.Sources) 0, got.Kept \"kit/hat\"", got)
	}
	if !s.Pairs[0].ByHand {
		t.Errorf("got %+v; want s.Pairs[0].ByHand", s.Pairs[0])
	}
	if _, err := carry.Match(testkit.Mapped(t, plan.Host{}, "19x2", sample.BrineworkKit()), "i1", sample.FlintTwelve(), 0,
		map[string]string{"kin": "pad1", "kout": "pad1"}); err == nil {
		t.Error("one feed took the place of two")
	}
}

func TestPartsKeepTheirAddresses(t *testing.T) {
	in := sample.ReedCabinet()
	for i := range in.Parts {
		in.Parts[i].Address.Channel = midi.Channel(11 + i)
	}
	in.Delivered = []rig.Run{{Count: 6, Width: audio.Stereo}}
	p := testkit.Mapped(t, plan.Host{}, "6x2", in)
	other := sample.ReedCabinet()
	other.Name, other.Parts[0].Name, other.Parts[0].Role = "Driftwood Reeds", "Alto Saxophone", "woodwind/saxophone/alto"
	slices.Reverse(other.Parts)
	replace(t, p, other, nil)
	at := map[role.Role]midi.Address{}
	used := map[midi.Address]bool{}
	for _, part := range p.Placed[0].Instrument.Parts {
		at[part.Role] = part.Address
		if used[part.Address] {
			t.Errorf("%s is used twice", part.Address)
		}
		used[part.Address] = true
	}
	if at["woodwind/flute"].Channel != 12 || at["woodwind/bassoon"].Channel != 16 {
		t.Errorf("got %v; want at[\"woodwind/flute\"].Channel 12, at[\"woodwind/bassoon\"].Channel 16", at)
	}
}
