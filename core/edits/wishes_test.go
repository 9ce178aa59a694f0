package edits

import (
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

func TestGroupsThatMeetBecomeOne(t *testing.T) {
	p := mixer(t)
	for _, e := range []plan.Edit{KeepTogether("i1", []string{"v1", "v2"}), KeepTogether("i1", []string{"v3", "v4"}),
		KeepTogether("i1", []string{"v2", "v3"}), KeepApart("i1", []string{"v1", "v4"}),
		KeepApart("i1", []string{"v4", "v1"})} {
		do(t, p, e)
	}
	pl := &p.Placed[0]
	if len(pl.Together) != 1 || len(pl.Together[0].Feeds) != 4 || len(pl.Apart) != 1 {
		t.Errorf("got %v %v; want one group of 4, len(pl.Apart) 1", pl.Together, pl.Apart)
	}
	do(t, p, ClearConstraints("i1", []string{"v1", "v2", "v3"}))
	if len(pl.Together)+len(pl.Apart) != 0 {
		t.Errorf("a group of one is left: %v %v", pl.Together, pl.Apart)
	}
}

func TestAsksAreRefusedWithTheReason(t *testing.T) {
	p := mixer(t)
	for says, e := range map[string]plan.Edit{
		"at least two":        KeepTogether("i1", []string{"v1"}),
		"select some feeds":   SetFold("i1", nil, true),
		"no feed \"v9\"":      KeepApart("i1", []string{"v1", "v9"}),
		"no output 7":         PinTo("i1", []string{"v1"}, plan.Jack{Output: 7}),
		"not in this":         SetPairs("i7", true),
		"no version":          SetVariant("i1", "Huge"),
		"not a stereo output": HalveOutput("i1", 9, true),
		"cannot be set":       SetAside("i1", []string{"v1"}, plan.Assigned),
		"has an output":       AddOutputs("i1"),
	} {
		refuse(t, p, e, says)
	}
}

func TestPinnedIsWantedAndSetAsideIsNotPinned(t *testing.T) {
	p := mixer(t)
	do(t, p, SetAside("i1", []string{"v4"}, plan.Off))
	do(t, p, PinTo("i1", []string{"v4"}, plan.Jack{Output: 2}))
	if a := p.Placed[0].Feeds["v4"]; a.ByHand || a.State != plan.Undecided || a.Pin.Output != 2 {
		t.Errorf("got %+v; want not a.ByHand, a.State %v, a.Pin.Output 2", a, plan.Undecided)
	}
	do(t, p, SetAside("i1", []string{"v4"}, plan.Parked))
	if a := p.Placed[0].Feeds["v4"]; a.Pin != nil || a.State != plan.Off {
		t.Errorf("%+v: a lane listens to every output that is left, so it is off", a)
	}
	p.Lanes = slices.DeleteFunc(p.Lanes, func(l plan.Lane) bool {
		return slices.Contains(l.Sources, plan.OutputRef{Placed: "i1", Output: 4})
	})
	do(t, p, SetAside("i1", []string{"v4"}, plan.Parked))
	if a := p.Placed[0].Feeds["v4"]; a.State != plan.Parked || a.Output != 4 {
		t.Errorf("%+v: nothing listens to output 4, so it is parked there", a)
	}
	do(t, p, PinTo("i1", []string{"v1"}, plan.Jack{Output: 1}))
	do(t, p, PinTo("i1", []string{"v1"}, plan.Jack{}))
	if p.Placed[0].Feeds["v1"].Pin != nil {
		t.Error("the pin is still in")
	}
}

// Splitting an output takes its feeds and lanes to the left side; joining it takes
// both sides together again.
func TestHalvesAndWholes(t *testing.T) {
	p := mixer(t)
	do(t, p, HalveOutput("i1", 2, true))
	pl := &p.Placed[0]
	if a := pl.Feeds["v2"]; a.At() != (plan.Jack{Output: 2, Side: rig.Left}) {
		t.Errorf("got %+v; want a.At() (Jack{2, rig.Left})", a)
	}
	l := p.Lane(id(p, "Snare"))
	if l.Sources[0] != (plan.OutputRef{Placed: "i1", Output: 2, Side: rig.Left}) || l.Width != audio.Mono {
		t.Errorf("got %+v; want l.Sources[0] (OutputRef{\"i1\", 2, rig.Left}), l.Width %v", l, audio.Mono)
	}
	if o, ok := pl.Output(plan.Jack{Output: 2, Side: rig.Right}); !ok || o.PortNames(0) != "4" || pl.PortText(o) != "4" ||
		len(pl.Jacks()) != 5 {
		t.Errorf("got %+v %v; want ok, o.PortNames(0) \"4\", pl.PortText(o) \"4\", len(pl.Jacks()) 5", o, ok)
	}
	if _, ok := pl.Output(plan.Jack{Output: 2}); ok {
		t.Error("a halved output is there whole as well")
	}
	do(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: "v3"}, plan.Assigned, plan.Jack{Output: 2, Side: rig.Right}))
	do(t, p, HalveOutput("i1", 2, false))
	if got := p.FeedsOn(plan.OutputRef{Placed: "i1", Output: 2, Side: ""}); len(got) != 2 {
		t.Errorf("got %+v; want len(got) 2", got)
	}
	do(t, p, HalveOutput("i1", 2, true))
	do(t, p, SetOutputs("i1", rig.Lay([]rig.Run{{Count: 4, Width: audio.Mono}}, 1), 10))
	if len(pl.Halved) != 0 || pl.PortText(pl.Outputs[1]) != "2 · host 12" {
		t.Errorf("a mono output has no halves: %v", pl.Halved)
	}
}

// A feed that is no longer mapped is forgotten, with what was asked of it.
func TestAViewForgetsWhatItNoLongerMaps(t *testing.T) {
	p := mixer(t)
	in := &p.Placed[0].Instrument
	in.Microphones = []rig.Microphone{{ID: "m", Name: "Over", Width: audio.Stereo}}
	in.Voices[0].Heard, in.Voices[1].Heard = rig.HeardThrough("m"), rig.HeardThrough("m")
	do(t, p, SetView("i1", func(v *rig.View) { v.Voices = rig.OnItsOwn }))
	do(t, p, KeepTogether("i1", []string{"v1", "v2"}))
	do(t, p, KeepApart("i1", []string{"v1", "v3"}))
	do(t, p, SetView("i1", func(v *rig.View) { v.Voices = rig.Usual }))
	pl := &p.Placed[0]
	if _, ok := pl.Feeds["v1"]; ok || len(pl.Together)+len(pl.Apart) != 0 || len(pl.AllFeeds()) != 3 {
		t.Errorf("got %+v %v %v; want not ok, len(pl.Together)+len(pl.Apart) 0, len(pl.AllFeeds()) 3", pl.Feeds,
			pl.Together, pl.Apart)
	}
}

func TestMissingOutputsFollowTheVariant(t *testing.T) {
	p := mixer(t)
	in := &p.Placed[0].Instrument
	in.Variants = []rig.Variant{{Name: "small", Ports: 8}, {Name: "large", Ports: 32}}
	do(t, p, SetOutputs("i1", rig.Lay([]rig.Run{{Count: 1, Width: audio.Surround}}, 1), 0))
	for i := range in.Voices {
		in.Voices[i].Width = audio.Stereo
	}
	do(t, p, SetVariant("i1", "small"))
	refuse(t, p, AddOutputs("i1"), "8 ports hold only 1")
	do(t, p, SetVariant("i1", "large"))
	do(t, p, AddOutputs("i1"))
	if o := p.Placed[0].Outputs; len(o) != 4 || o[1].PortNames(0) != "7–8" {
		t.Errorf("got %+v; want len(o) 4, o[1].PortNames(0) \"7–8\"", o)
	}
	in.Fixed = true
	refuse(t, p, AddOutputs("i1"), "none can be added")
}
