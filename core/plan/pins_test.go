package plan_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// The last lane that a kind of host has is the plan's as soon as the kind is chosen, and
// goes with it; one that the user set stays.
func TestTheLastLaneHoldsWhereverItIsSet(t *testing.T) {
	limited, free := rig.Profiles[0], rig.Profiles[0]
	limited.Name, limited.Limit, free.Name = "Forty lanes", 40, "As many as there are"
	p := testkit.Project(t, plan.Host{}, "4x2", sample.FlintTwelve())
	testkit.Edit(t, p, edits.SetProfile(limited))
	if p.Host.LaneLimit != 40 {
		t.Fatalf("the last lane is %d; want the kind's, 40", p.Host.LaneLimit)
	}
	bus := "Bus"
	for what, edit := range map[string]plan.Edit{
		"add":      edits.AddLane(plan.OutputRef{}, 41, "Spare"),
		"bus":      edits.AddBus(bus, 41, nil),
		"point at": edits.ArriveOn(plan.OutputRef{Placed: "i1", Output: 1}, 41),
	} {
		if _, err := edit(p.Clone()); err == nil || !strings.Contains(err.Error(), "40") {
			t.Errorf("to %s lane 41 of 40 gives %v", what, err)
		}
	}
	testkit.Edit(t, p, edits.AddLane(plan.OutputRef{}, 40, "Last"))
	if _, err := plan.MoveLane(testkit.Lane(p, "Last").ID, 41)(p.Clone()); err == nil {
		t.Error("a lane is moved past the last")
	}
	if n, err := p.Free(1, 40); err == nil && n > 40 {
		t.Errorf("lane %d is free; there are 40", n)
	}
	testkit.Edit(t, p, edits.SetProfile(free))
	if p.Host.LaneLimit != 0 {
		t.Errorf("without a kind that ends the last lane is %d", p.Host.LaneLimit)
	}
	h := p.Host
	h.LaneLimit = 64
	testkit.Edit(t, p, edits.SetHost(h))
	testkit.Edit(t, p, edits.SetProfile(free))
	if p.Host.LaneLimit != 64 {
		t.Errorf("the user's own last lane became %d", p.Host.LaneLimit)
	}
	many := &plan.Project{Name: "Many"}
	for i := range 4001 {
		many.Lanes = append(many.Lanes, plan.Lane{ID: many.NewLaneID(), Number: plan.LaneNumber(i + 1), Name: "x",
			Colour: "#112233", Kind: plan.Regular, Width: audio.Mono})
	}
	if err := many.Validate(); err == nil || !strings.Contains(err.Error(), "at most 4000") {
		t.Errorf("4001 lanes give %v", err)
	}
	many.Lanes = many.Lanes[:4000]
	if err := many.Validate(); err != nil {
		t.Errorf("4000 lanes give %v", err)
	}
}

// A microphone takes memory while a feed of it is wanted or may be; one whose feeds are
// all off is closed.
func TestAMicrophoneThatIsNotUsedTakesNoMemory(t *testing.T) {
	in := rig.Instrument{Name: "Kit", BaseMiB: 50, Delivered: []rig.Run{{Count: 3, Width: audio.Stereo}},
		Microphones: []rig.Microphone{{ID: "in", Name: "Kick In", Role: "kit/kick/in", Width: audio.Mono, MiB: 300},
			{ID: "room", Name: "Room", Role: "kit/room", Width: audio.Stereo, MiB: 700}},
		Voices: []rig.Voice{{ID: "v1", Name: "Kick", Role: "kit/kick", Width: audio.Mono,
			Heard: rig.HeardThrough("in", "room")}}}
	p := testkit.Project(t, plan.Host{}, "3x2", in)
	pl := &p.Placed[0]
	var room plan.FeedRef
	for _, f := range pl.AllFeeds() {
		if f.Microphone == "room" {
			room = plan.FeedRef{Placed: pl.ID, Feed: f.ID}
		}
	}
	for _, c := range []struct {
		state plan.State
		want  float64
	}{{plan.Undecided, 1050}, {plan.Assigned, 1050}, {plan.Parked, 1050}, {plan.Off, 350}} {
		at := plan.Jack{}
		if c.state == plan.Assigned || c.state == plan.Parked {
			at.Output = 2
		}
		testkit.Edit(t, p, edits.Decide(room, c.state, at))
		if got := pl.Memory(); got != c.want {
			t.Errorf("with the room %q it takes %.0f MiB; want %.0f", c.state, got, c.want)
		}
	}
}

// A lane opened for an instrument goes to the bus that all others of it which go to one
// agree on; where they go to several nobody can know, and it goes to the main mix.
func TestANewLaneGoesWhereTheOthersAgree(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "20x2", sample.BrineworkKit())
	drums, hat := testkit.Lane(p, "Hat").To, testkit.Lane(p, "Hat")
	source := hat.Sources[0]
	testkit.Edit(t, p, edits.DeleteLane(hat.ID))
	opened := func(p *plan.Project) string {
		t.Helper()
		p = p.Clone()
		testkit.Edit(t, p, edits.AddLane(source, 0, "New"))
		return testkit.Lane(p, "New").To
	}
	if got := opened(p); got != drums || drums == plan.MainMix {
		t.Errorf("all go to %q, and the new lane to %q", drums, got)
	}
	testkit.Edit(t, p, plan.Route([]string{testkit.Lane(p, "Ride").ID}, plan.MainMix, false))
	if got := opened(p); got != drums {
		t.Errorf("all that go to a bus go to %q, and the new lane to %q", drums, got)
	}
	testkit.Edit(t, p, edits.AddBus("Air", 0, []string{testkit.Lane(p, "Rack 1").ID}))
	if got := opened(p); got != plan.MainMix {
		t.Errorf("of a mixed set the new lane goes to %q; want the main mix", got)
	}
}
