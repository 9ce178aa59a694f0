package host_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// mixer is a stand-in host with an instrument of four stereo outputs, two lanes and a bus.
func mixer(t *testing.T, profile rig.Profile) *host.Host {
	t.Helper()
	h := host.New((*plan.Patched)(nil).Clone(), profile)
	for _, a := range []host.Action{
		host.Load{Instrument: "i1", Outputs: rig.Lay([]rig.Run{{Count: 4, Width: audio.Stereo}}, 1)},
		host.MakeLane{Lane: "a", Number: 11, Name: "Kick"},
		host.MakeLane{Lane: "b", Number: 12, Name: "Snare", Width: audio.Mono},
		host.MakeLane{Lane: "drums", Number: 20, Name: "Drums", Bus: true},
	} {
		if err := h.Do(a); err != nil {
			t.Fatalf("%T: %v", a, err)
		}
	}
	return h
}

// laneText is how a lane stands, in short.
func laneText(h *host.Host, id string) string {
	l := h.Lane(id)
	if l == nil {
		return "gone"
	}
	var sends []string
	for _, s := range l.Sends {
		sends = append(sends, fmt.Sprintf("%s %t", s.To, s.Pre))
	}
	return fmt.Sprintf("%d %s %s %s %v to %q %t %v", l.Number, l.Name, l.Colour, l.Width, l.Sources, l.To,
		l.AlsoMain, sends)
}

// Every action on a lane does what its name says and nothing else, or is refused with a
// reason that leaves the mixer as it was. What hosts do is common practice, no source.
func TestActionsOnLanesDoOneThing(t *testing.T) {
	byHand := rig.Profile{Name: "By hand", Lanes: rig.Numbered, Limit: 64, Appears: rig.ByHand}
	sides := byHand
	sides.Sides = true
	several := byHand
	several.Several = true
	out := func(n int, side rig.Side) []plan.OutputRef {
		return []plan.OutputRef{{Placed: "i1", Output: n, Side: side}}
	}
	for name, c := range map[string]struct {
		profile rig.Profile
		before  []host.Action
		action  host.Action
		lane    string
		want    string // how the lane stands after it; "": it is refused
		why     string // part of the reason
	}{
		"a name": {byHand, nil, nameLane("a", "BD"), "a",
			`11 BD #808080 stereo [] to "" false []`, ""},
		"a colour": {byHand, nil, host.SetLane{Lane: "a", Attribute: plan.AttrColour, As: &plan.Lane{Colour: "#112233"}}, "a",
			`11 Kick #112233 stereo [] to "" false []`, ""},
		"a number": {byHand, nil, host.NumberLane{Lane: "a", Number: 64}, "a",
			`64 Kick #808080 stereo [] to "" false []`, ""},
		"a number past it":   {byHand, nil, host.NumberLane{Lane: "a", Number: 65}, "a", "", "has no lane 65"},
		"a number below one": {byHand, nil, host.NumberLane{Lane: "a"}, "a", "", "has no lane 0"},
		"an output": {byHand, nil, host.Point{Lane: "b", Sources: out(3, rig.Whole)}, "b",
			`12 Snare #808080 mono [i1:3] to "" false []`, ""},
		"an output and its width": {byHand, nil, host.Point{Lane: "b", Sources: out(3, rig.Whole), Width: audio.Stereo}, "b",
			`12 Snare #808080 stereo [i1:3] to "" false []`, ""},
		"one side": {sides, nil, host.Point{Lane: "b", Sources: out(2, rig.Left)}, "b",
			`12 Snare #808080 mono [i1:2L] to "" false []`, ""},
		"no side of a pair": {byHand, nil, host.Point{Lane: "b", Sources: out(2, rig.Left)}, "b", "",
			"cannot take one side"},
		"an output not there": {byHand, nil, host.Point{Lane: "b", Sources: out(5, rig.Whole)}, "b", "",
			"does not see output 5"},
		"a bus": {byHand, nil, host.Route{Lane: "a", To: "drums"}, "a",
			`11 Kick #808080 stereo [] to "drums" false []`, ""},
		"the main mix left on": {several, nil, host.Route{Lane: "a", To: "drums"}, "a",
			`11 Kick #808080 stereo [] to "drums" true []`, ""},
		"the main mix taken off": {several, []host.Action{host.Route{Lane: "a", To: "drums"}}, host.MainOff{Lane: "a"}, "a",
			`11 Kick #808080 stereo [] to "drums" false []`, ""},
		"a lane as a bus": {byHand, nil, host.Route{Lane: "a", To: "b"}, "a", "", "no such bus"},
		"a send": {byHand, nil, host.OpenSend{Lane: "a", To: "drums", Pre: true}, "a",
			`11 Kick #808080 stereo [] to "" false [drums true]`, ""},
		"a send moved behind the fader": {byHand, []host.Action{host.OpenSend{Lane: "a", To: "drums", Pre: true}},
			host.OpenSend{Lane: "a", To: "drums"}, "a", `11 Kick #808080 stereo [] to "" false [drums false]`, ""},
		"a send to no bus": {byHand, nil, host.OpenSend{Lane: "a", To: "b"}, "a", "", "no such bus"},
		"a send closed": {byHand, []host.Action{host.OpenSend{Lane: "a", To: "drums"}},
			host.CloseSend{Lane: "a", To: "drums"}, "a",
			`11 Kick #808080 stereo [] to "" false []`, ""},
		"a lane removed": {byHand, nil, host.CloseLane{Lane: "a"}, "a", "gone", ""},
		"its bus removed": {byHand, []host.Action{host.Route{Lane: "a", To: "drums"}, host.OpenSend{Lane: "a", To: "drums"}},
			host.CloseLane{Lane: "drums"}, "a", `11 Kick #808080 stereo [] to "" false []`, ""},
		"a lane past the end": {byHand, nil, host.MakeLane{Lane: "c", Number: 65}, "c", "", "ends at 64"},
		"a lane not there":    {byHand, nil, nameLane("z", "x"), "z", "", "no such lane"},
	} {
		t.Run(name, func(t *testing.T) {
			h := mixer(t, c.profile)
			for _, a := range c.before {
				if err := h.Do(a); err != nil {
					t.Fatalf("%T: %v", a, err)
				}
			}
			untouched, was := laneText(h, "b"), laneText(h, c.lane)
			err := h.Do(c.action)
			switch got := strings.ReplaceAll(laneText(h, c.lane), host.Grey, "#808080"); {
			case c.want == "" && (err == nil || !strings.Contains(err.Error(), c.why)):
				t.Errorf("it is not refused with %q, but: %v", c.why, err)
			case c.want == "" && laneText(h, c.lane) != was:
				t.Errorf("it is refused, but the lane is %s, and was %s", got, was)
			case c.want != "" && (err != nil || got != c.want):
				t.Errorf("the lane is\n%s, want\n%s; %v", got, c.want, err)
			}
			if c.lane != "b" && laneText(h, "b") != untouched {
				t.Errorf("another lane is %s, and was %s", laneText(h, "b"), untouched)
			}
		})
	}
}

// What the user reports is written down whatever the host would have made from it; what
// cannot be, for the lane is not there, changes nothing.
func TestReportedOutcomesAreWrittenDown(t *testing.T) {
	h := mixer(t, rig.Profile{Name: "Strict", Lanes: rig.Numbered, Limit: 64, Appears: rig.ByHand, After: rig.Reopen,
		SaveFirst: true})
	two := rig.Lay([]rig.Run{{Count: 2, Width: audio.Mono}}, 1)
	h.Record(host.Setup{Instrument: "i2", Outputs: two})
	if in, ok := h.State.Instruments["i2"]; !ok || len(in.Setup) != 2 {
		t.Errorf("an instrument that was set up counts as loaded: %+v", in)
	}
	h.Record(host.Point{Lane: "new", Number: 30, Sources: []plan.OutputRef{{Placed: "i1", Output: 9}}})
	if got := h.Lane("new"); got == nil || got.Number != 30 ||
		!slices.Equal(got.Sources, []plan.OutputRef{{Placed: "i1", Output: 9}}) {
		t.Errorf("a lane that was reported is %+v", got)
	}
	lanes := len(h.State.Lanes)
	h.Record(host.MakeLane{Lane: "new", Number: 31})
	h.Record(nameLane("not there", "x"))
	if len(h.State.Lanes) != lanes || h.Lane("new").Number != 30 {
		t.Errorf("%d lanes, and the reported one is %+v", len(h.State.Lanes), h.Lane("new"))
	}
}

func nameLane(lane, name string) host.SetLane {
	return host.SetLane{Lane: lane, Attribute: plan.AttrName, As: &plan.Lane{Name: name}}
}
