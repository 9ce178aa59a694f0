package edits

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// pads is twelve mono pads on six stereo outputs, with lanes for none of them.
func pads(t *testing.T) *plan.Project {
	t.Helper()
	p := &plan.Project{Name: "Dock", Host: plan.Host{FirstLane: 3, Sides: true}}
	in := rig.Instrument{Name: "Dock Pads", Pans: true}
	for i := range 12 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprint("pad", i+1), Name: fmt.Sprint("Pad ", i+1),
			Keys: []midi.Key{midi.Key(36 + i)}, Width: audio.Mono})
	}
	do(t, p, AddInstrument(in, rig.Lay([]rig.Run{{Count: 6, Width: audio.Stereo}}, 1), 0))
	return p
}

func refs(pl *plan.Placed) (out []plan.FeedRef) {
	for _, f := range pl.AllFeeds() {
		out = append(out, plan.FeedRef{Placed: pl.ID, Feed: f.ID})
	}
	return out
}

// Hard-panned, n stereo outputs carry 2n mono feeds (common practice, no source).
func TestTwelvePadsAreSidesOfSixOutputsInPadOrder(t *testing.T) {
	p := pads(t)
	do(t, p, AssignInOrder(refs(&p.Placed[0]), InOrder{Output: 1, Halves: true, Lane: 3}))
	var got []string
	for _, l := range p.OwnLanes() {
		got = append(got, fmt.Sprintf("%d %s %s %s", l.Number, l.Name, l.Sources[0].Jack(), l.Width))
	}
	if len(got) != 12 || got[0] != "3 Pad 1 1L mono" || got[1] != "4 Pad 2 1R mono" || got[11] != "14 Pad 12 6R mono" {
		t.Errorf("twelve pads arrive as %q", got)
	}
	refuse(t, p, AssignInOrder(refs(&p.Placed[0]), InOrder{Output: 2, Halves: true}),
		"10 places from output 2 on, and 12 are needed")
	refuse(t, p, AssignInOrder(nil, InOrder{Output: 1}), "select some feeds first")
	// Joined again, an output has one lane, named by what it carries now.
	do(t, p, HalveOutput("i1", 6, false))
	last := p.OwnLanes()[len(p.OwnLanes())-1]
	if len(p.OwnLanes()) != 11 || last.Name != "Pad 11 + 12" || last.Width != audio.Stereo {
		t.Errorf("joined, output 6 arrives on %d %s, %s, of %d lanes", last.Number, last.Name, last.Width, len(p.OwnLanes()))
	}
}

func TestFeedsArePinnedAssignedAgainAndGivenLanes(t *testing.T) {
	p := pads(t)
	all := refs(&p.Placed[0])
	do(t, p, PinInOrder(all[:3], InOrder{Output: 4}))
	if pin := p.Placed[0].Feeds["pad3"].Pin; pin == nil || pin.Output != 6 {
		t.Errorf("the third of three pins from output 4 on is %v", pin)
	}
	do(t, p, SetAside("i1", []string{"pad2"}, plan.Off))
	do(t, p, AssignAgain("i1", 5))
	got := map[int]int{}
	for _, a := range p.Placed[0].Feeds {
		got[a.Output]++
	}
	if got[1]+got[2] != 0 || got[3] != 1 || got[5] != 1 || got[6] != 8 || p.Placed[0].Feeds["pad2"].State != plan.Off {
		t.Errorf("assigned again from port 5: %v feeds by output", got)
	}
	before := p.Placed[0].Feeds["pad5"].At()
	do(t, p, LanesAsTheyAre("i1"))
	if n := p.OwnLanes(); len(n) != 4 || n[0].Number != 3 || p.Placed[0].Feeds["pad5"].At() != before {
		t.Errorf("lanes for the outputs as they are: %s", order(p))
	}
	refuse(t, p, LanesAsTheyAre("i1"), "has a lane")
	// What is kept as a layout keeps its pins.
	do(t, p, PinTo("i1", []string{"pad4"}, p.Placed[0].Feeds["pad4"].At()))
	l := p.Placed[0].Layout("as now")
	do(t, p, ClearConstraints("i1", []string{"pad4"}))
	do(t, p, ApplyLayout("i1", l))
	if pin := p.Placed[0].Feeds["pad4"].Pin; pin == nil || *pin != p.Placed[0].Feeds["pad4"].At() {
		t.Errorf("after the layout the pin is %v", pin)
	}
}

func TestPartsGetChannelsInOrder(t *testing.T) {
	p := &plan.Project{Name: "Dock"}
	in := rig.Instrument{Name: "Reeds"}
	for i := range 18 {
		in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprint("p", i), Name: fmt.Sprint("Part ", i), Width: audio.Stereo,
			Program: -1})
	}
	p.Host.Profile = plan.Host{}.Behaviour()
	p.Host.Profile.MIDIPorts = 4
	do(t, p, AddInstrument(in, in.AsLoaded(), 0))
	do(t, p, AddressInOrder(refs(&p.Placed[0]), midi.Address{}))
	for i, want := range map[int]string{0: "ch 1", 15: "ch 16", 16: "port 2 ch 1"} {
		if got := p.Placed[0].Instrument.Parts[i].Address.String(); got != want {
			t.Errorf("part %d is on %s, not %s", i, got, want)
		}
	}
	q := pads(t)
	refuse(t, q, AddressInOrder(refs(&q.Placed[0])[:1], midi.Address{}), "Pad 1 is not a part")
}

// Woodwind, brass, percussion, strings from top to bottom (common practice, no source).
func TestInstrumentsStandInScoreOrder(t *testing.T) {
	section := func(name, r string) rig.Instrument {
		return rig.Instrument{Name: name, Parts: []rig.Part{{ID: "a", Name: name, Role: role.Role(r), Program: -1}}}
	}
	p := &plan.Project{Name: "Cue"}
	names := func() string {
		var out []string
		for i := range p.Placed {
			out = append(out, p.Placed[i].Instrument.Name)
		}
		return strings.Join(out, ", ")
	}
	for _, in := range []rig.Instrument{section("Low Strings", "strings/cello"), section("Trumpets", "brass/trumpet"),
		section("Horns", "brass/horn"), section("Drums", "percussion/snare"), section("Flutes", "woodwind/flute")} {
		do(t, p, InScoreOrder(AddInstrument(in, in.AsLoaded(), 0)))
	}
	if got := names(); got != "Flutes, Horns, Trumpets, Drums, Low Strings" {
		t.Errorf("an orchestra stands as %s", got)
	}
	do(t, p, MoveInstrument(p.Placed[4].ID, true))
	do(t, p, InScoreOrder(AddInstrument(section("Oboes", "woodwind/oboe"), nil, 0)))
	if got := names(); got != "Flutes, Horns, Trumpets, Low Strings, Drums, Oboes" {
		t.Errorf("in an order of the user's own another is added as %s", got)
	}
	do(t, p, ScoreOrder())
	if got := names(); got != "Flutes, Oboes, Horns, Trumpets, Drums, Low Strings" {
		t.Errorf("put in score order they stand as %s", got)
	}
	refuse(t, p, ScoreOrder(), "already")
	refuse(t, p, MoveInstrument(p.Placed[0].ID, true), "at the end of the list")
	band := &plan.Project{Name: "Band"}
	for _, in := range []rig.Instrument{section("Bass", "plucked/bass"), section("Piano", "keys/piano")} {
		do(t, band, InScoreOrder(AddInstrument(in, in.AsLoaded(), 0)))
	}
	if band.Placed[0].Instrument.Name != "Bass" {
		t.Errorf("a band is not an orchestra, and stands as %s first", band.Placed[0].Instrument.Name)
	}
}

// A copy takes up what changed on the shelf and keeps what the project made from it.
func TestAnInstrumentIsUpdatedFromTheShelf(t *testing.T) {
	p := pads(t)
	do(t, p, AssignInOrder(refs(&p.Placed[0])[:6], InOrder{Output: 1, Lane: 3}))
	do(t, p, NameInstrument("i1", "Left Pads"))
	do(t, p, SetInside("i1", func(in *rig.Instrument) (string, error) {
		in.CloneSources()
		in.Voices[0].Gain = -4
		return "set", nil
	}))
	shelf := *p.Placed[0].AsDelivered()
	shelf.Voices = slices.Clone(shelf.Voices)
	shelf.Voices[0].Name, shelf.Voices[0].Keys = "Thud", []midi.Key{35, 36}
	shelf.Voices = slices.Delete(shelf.Voices, 5, 6) // pad 6
	shelf.Voices = append(shelf.Voices, rig.Voice{ID: "pad13", Name: "Bell", Keys: []midi.Key{60}, Width: audio.Mono})
	shelf.Returns = []rig.Return{{ID: "r1", Name: "Plate", Width: audio.Stereo}}
	do(t, p, AddSample("i1", "Deck layer", "pad2", audio.Stereo)) // the shelf knows nothing of it
	news, err := p.Placed[0].NewsOf(shelf, midi.MiddleC3)
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"Pad 1 is called Thud", "Thud is played by 35 B0, 36 C1", "Bell is new", "Plate is new",
		"Pad 6 is gone"} {
		if !slices.Contains(news, want) {
			t.Errorf("the news do not say %q: %q", want, news)
		}
	}
	do(t, p, TakeUp("i1", shelf))
	pl := &p.Placed[0]
	lane := p.OwnLanes()[0]
	if pl.Instrument.Name != "Left Pads" || pl.Instrument.Voices[0].Gain != -4 || pl.Instrument.Voices[0].Name != "Thud" ||
		pl.Feeds["pad1"].Output != 1 || lane.Name != "Thud" || lane.Number != 3 {
		t.Errorf("updated it is %s with %+v, feed on %s, lane %d %s", pl.Instrument.Name, pl.Instrument.Voices[0],
			pl.Feeds["pad1"].At(), lane.Number, lane.Name)
	}
	if own := pl.Instrument.Voices; !slices.ContainsFunc(own, func(v rig.Voice) bool {
		return v.Added &&
			v.Name == "Deck layer"
	}) {
		t.Errorf("the user's own sample is gone: %+v", own)
	}
	if _, left := pl.Feeds["pad6"]; left || pl.Differs(shelf) {
		t.Errorf("pad 6 is gone, but decided still: %v; it differs from the shelf still: %v", left, pl.Differs(shelf))
	}
	refuse(t, p, TakeUp("i1", shelf), "already")
}

// Feeds that a split makes go where the whole went, and its lane says what it carries.
func TestASplitMicrophoneKeepsItsOutputAndItsLaneSaysSo(t *testing.T) {
	p := &plan.Project{Name: "Dock", Host: plan.Host{FirstLane: 1}}
	in := rig.Instrument{Name: "Kit", Microphones: []rig.Microphone{{ID: "oh", Name: "Overhead", Role: "kit/overhead",
		Width: audio.Stereo, Splits: true}}}
	for i, r := range []role.Role{"kit/snare", "kit/cymbal/ride"} {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprint("v", i), Name: fmt.Sprint("V", i), Role: r,
			Keys: []midi.Key{midi.Key(38 + i)}, Heard: rig.HeardThrough("oh")})
	}
	do(t, p, AddInstrument(in, rig.Lay([]rig.Run{{Count: 3, Width: audio.Stereo}}, 1), 0))
	do(t, p, AssignInOrder([]plan.FeedRef{{Placed: "i1", Feed: "oh"}}, InOrder{Output: 2, Lane: 5}))
	name := p.OwnLanes()[0].Name
	split := func(on bool) plan.Edit {
		return SetView("i1", func(v *rig.View) {
			v.Split = nil
			if on {
				v.Split = map[string]rig.Split{"oh": {By: rig.ByShells}}
			}
		})
	}
	do(t, p, split(true))
	for _, id := range []string{"oh.shells", "oh.cymbals"} {
		if a := p.Placed[0].Feeds[id]; a.State != plan.Assigned || a.Output != 2 {
			t.Errorf("split, %s is %s on %s", id, a.State, a.At())
		}
	}
	if got := p.OwnLanes()[0].Name; !strings.Contains(strings.ToLower(got), "overhead") {
		t.Errorf("split, the lane is called %q", got)
	}
	do(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: "oh.cymbals"}, plan.Assigned, plan.Jack{Output: 3}))
	do(t, p, split(false))
	if a := p.Placed[0].Feeds["oh"]; a.Output != 2 && a.Output != 3 || p.OwnLanes()[0].Name != name {
		t.Errorf("joined, the microphone is on %s and its lane called %q, was %q", a.At(), p.OwnLanes()[0].Name, name)
	}
}
