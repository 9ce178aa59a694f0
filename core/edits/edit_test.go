package edits

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// mixer is four pads on four stereo outputs from lane 5, with a bus on lane 9.
func mixer(t *testing.T) *plan.Project {
	t.Helper()
	p := &plan.Project{Name: "Mixer", Host: plan.Host{LaneLimit: 24, FirstLane: 5, Taken: plan.Ranges{{From: 1, To: 4},
		{From: 12, To: 12}}}}
	in := rig.Instrument{Name: "Pads"}
	for i, n := range []string{"Kick", "Snare", "Hat", "Clap"} {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i+1), Name: n, Role: "percussion/clap",
			Keys: []midi.Key{midi.Key(36 + i)}})
	}
	do(t, p, AddInstrument(in, rig.Lay([]rig.Run{{Count: 4, Width: audio.Stereo}}, 1), 0))
	for i := range 4 {
		do(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: fmt.Sprintf("v%d", i+1)}, plan.Assigned, plan.Jack{Output: i + 1}))
		do(t, p, AddLane(plan.OutputRef{Placed: "i1", Output: i + 1}, 0, in.Voices[i].Name))
	}
	var ids []string
	for _, l := range p.Lanes {
		ids = append(ids, l.ID)
	}
	do(t, p, AddBus("Drums", 0, ids))
	return p
}

func do(t *testing.T, p *plan.Project, e plan.Edit) {
	t.Helper()
	if _, err := e(p); err != nil {
		t.Fatal(err)
	}
	if err := p.Validate(); err != nil {
		t.Fatal(err)
	}
}

func refuse(t *testing.T, p *plan.Project, e plan.Edit, says string) {
	t.Helper()
	doc, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	copied := &plan.Project{} // a refused edit may leave its copy half changed
	if err := json.Unmarshal(doc, copied); err != nil {
		t.Fatal(err)
	}
	if _, err := e(copied); err == nil || !strings.Contains(err.Error(), says) {
		t.Errorf("expected a refusal that says %q, got %v", says, err)
	}
}

func lanes(p *plan.Project) string {
	var out []string
	for _, l := range p.ByNumber() {
		out = append(out, fmt.Sprintf("%d %s", l.Number, l.Name))
	}
	return strings.Join(out, ", ")
}

func id(p *plan.Project, name string) string {
	for _, l := range p.Lanes {
		if l.Name == name {
			return l.ID
		}
	}
	return "no " + name
}

func TestMovingALaneTakesNumbersAndReferencesAlong(t *testing.T) {
	p := mixer(t)
	if got := lanes(p); got != "5 Kick, 6 Snare, 7 Hat, 8 Clap, 9 Drums" {
		t.Fatal(got)
	}
	do(t, p, plan.MoveLane(id(p, "Clap"), 5))
	if got := lanes(p); got != "5 Clap, 6 Kick, 7 Snare, 8 Hat, 9 Drums" {
		t.Errorf("up: %s", got)
	}
	do(t, p, plan.MoveLane(id(p, "Clap"), 7))
	if got := lanes(p); got != "5 Kick, 6 Snare, 7 Clap, 8 Hat, 9 Drums" {
		t.Errorf("down: %s", got)
	}
	do(t, p, plan.MoveLane(id(p, "Drums"), 20)) // free: nobody makes room
	if got := lanes(p); got != "5 Kick, 6 Snare, 7 Clap, 8 Hat, 20 Drums" {
		t.Errorf("to a free lane: %s", got)
	}
	for _, l := range p.Lanes {
		if l.Kind == plan.Regular && l.To != id(p, "Drums") {
			t.Errorf("%s lost its bus", l.Name)
		}
	}
	if ls := p.LanesOf(plan.OutputRef{Placed: "i1", Output: 4}); len(ls) != 1 || ls[0].Name != "Clap" ||
		ls[0].Number != 7 {
		t.Errorf("output 4 arrives on %+v", ls)
	}
	refuse(t, p, plan.MoveLane(id(p, "Hat"), 12), "taken")
	refuse(t, p, plan.MoveLane(id(p, "Hat"), 25), "limit of 24")
	refuse(t, p, plan.MoveLane(id(p, "Hat"), 0), "count from 1")
	refuse(t, p, plan.MoveLane("nothing", 6), "no longer")
}

func TestBusesTakeLanesInsteadOfTheMainMix(t *testing.T) {
	p := mixer(t)
	for _, l := range p.Lanes {
		if l.Kind == plan.Regular && (l.To != id(p, "Drums") || l.AlsoMain) {
			t.Errorf("%s goes to %q, also main %v", l.Name, l.To, l.AlsoMain)
		}
	}
	do(t, p, AddBus("All", 0, []string{id(p, "Drums")}))
	if _, err := plan.Route([]string{id(p, "All")}, id(p, "Drums"), false)(p); err != nil {
		t.Fatal(err)
	}
	if err := p.Validate(); err == nil || !strings.Contains(err.Error(), "feed itself") {
		t.Errorf("a ring of buses was let through: %v", err)
	}
	p = mixer(t)
	do(t, p, plan.Route([]string{id(p, "Kick")}, id(p, "Drums"), true))
	do(t, p, DeleteLane(id(p, "Drums"))) // what went there goes where it went, once
	for _, l := range p.Lanes {
		if l.To != plan.MainMix || l.AlsoMain {
			t.Errorf("%s goes to %q, also main %v", l.Name, l.To, l.AlsoMain)
		}
	}
	refuse(t, p, plan.Route([]string{id(p, "Kick")}, id(p, "Snare"), false), "not a bus")
	refuse(t, p, plan.Route(nil, plan.MainMix, false), "no lane is selected")
}

func TestLandingAnOutputOnALane(t *testing.T) {
	p := mixer(t)
	do(t, p, ArriveOn(plan.OutputRef{Placed: "i1", Output: 2}, 15)) // the lane goes along
	if got := lanes(p); got != "5 Kick, 7 Hat, 8 Clap, 9 Drums, 15 Snare" {
		t.Errorf("got %s; want got \"5 Kick, 7 Hat, 8 Clap, 9 Drums, 15 Snare\"", got)
	}
	do(t, p, ArriveOn(plan.OutputRef{Placed: "i1", Output: 2}, 7)) // now two outputs are on one lane
	if l := p.Lane(id(p, "Hat")); len(l.Sources) != 2 {
		t.Errorf("lane 7 takes %v", l.Sources)
	}
	do(t, p, ArriveOn(plan.OutputRef{Placed: "i1", Output: 2}, 16)) // and off it again: the hat keeps its own
	if l := p.Lane(id(p, "Hat")); len(l.Sources) != 1 || l.Number != 7 ||
		len(p.LanesOf(plan.OutputRef{Placed: "i1", Output: 2})) != 1 {
		t.Errorf("got %s; want len(l.Sources) 1, l.Number 7, len(p.LanesOf(OutputRef{Placed: \"i1\", Output: 2})) 1",
			lanes(p))
	}
	refuse(t, p, ArriveOn(plan.OutputRef{Placed: "i1", Output: 2}, 9), "bus")
	refuse(t, p, ArriveOn(plan.OutputRef{Placed: "i1", Output: 9}, 6), "no output 9")
	refuse(t, p, ArriveOn(plan.OutputRef{Placed: "i1", Output: 1}, 99), "limit")
}

func TestDecidingRefusesWhatDoesNotExist(t *testing.T) {
	p := mixer(t)
	refuse(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: "v1"}, plan.Assigned, plan.Jack{Output: 5}), "no output 5")
	refuse(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: "v9"}, plan.Off, plan.Jack{}), "no longer has that feed")
	refuse(t, p, Decide(plan.FeedRef{Placed: "i2", Feed: "v1"}, plan.Off, plan.Jack{}), "not in this project")
	refuse(t, p, SetOwnOutput(plan.FeedRef{Placed: "i1", Feed: "v1"}, 4), "0 to 3")
	refuse(t, p, plan.NameLane(id(p, "Kick"), "  "), "empty")
	refuse(t, p, plan.NameLane(id(p, "Kick"), strings.Repeat("x", 81)), "longer")
	refuse(t, p, plan.ColourLane(id(p, "Kick"), "red"), "#rrggbb")
	refuse(t, p, plan.SetGain(id(p, "Kick"), 13), "−60 to +12")
}

func TestTakingAnInstrumentOutLeavesNoReference(t *testing.T) {
	p := mixer(t)
	do(t, p, AddInstrument(rig.Instrument{Name: "Other"}, rig.Lay([]rig.Run{{Count: 1, Width: audio.Mono}}, 1), 0))
	second := p.Placed[1].ID
	do(t, p, AddLane(plan.OutputRef{Placed: second, Output: 1, Side: ""}, 0, "Other"))
	lane := p.Lane(id(p, "Kick"))
	lane.Sources = append(lane.Sources, plan.OutputRef{Placed: second, Output: 1, Side: ""})
	do(t, p, Remove("i1"))
	if got := lanes(p); got != "5 Kick, 9 Drums, 10 Other" {
		t.Errorf("got %s; want got \"5 Kick, 9 Drums, 10 Other\"", got)
	}
	if got := p.Lane(id(p, "Kick")).Sources; !slices.Equal(got, []plan.OutputRef{{Placed: second, Output: 1, Side: ""}}) {
		t.Errorf("lane 5 takes %v", got)
	}
}

func TestUsesFollowTheChannels(t *testing.T) {
	kick := rig.Feed{Kind: rig.VoiceFeed, Keys: []midi.Key{35, 36}, Program: -1}
	part := rig.Feed{Kind: rig.PartFeed, Address: midi.Address{Port: 1, Channel: 3}, Program: -1}
	byProgram := rig.Feed{Kind: rig.PartFeed, Program: 68}
	song := func(cs ...plan.SongChannel) *plan.Project { return &plan.Project{Song: &plan.Song{Channels: cs}} }
	ch := func(port int, c midi.Channel, programs []int, keys map[midi.Key]int) plan.SongChannel {
		return plan.SongChannel{Address: midi.Address{Port: port, Channel: c}, Programs: programs, Keys: keys}
	}
	all := song(ch(1, 10, []int{68}, map[midi.Key]int{36: 5, 38: 2}), ch(1, 3, []int{68}, map[midi.Key]int{36: 7}),
		ch(2, 3, nil, map[midi.Key]int{60: 1}))
	for _, c := range []struct {
		p    *plan.Project
		f    rig.Feed
		want int
	}{{all, kick, 5}, {all, part, 7}, {all, byProgram, 7}, {song(ch(1, 1, nil, map[midi.Key]int{36: 4})), kick, 4},
		{song(), kick, 0}} {
		if got, known := c.p.Uses(c.f); got != c.want || !known {
			t.Errorf("got %+v: %d; want got %v, known", c.f, got, c.want)
		}
	}
	if _, known := (&plan.Project{}).Uses(kick); known {
		t.Error("without a song nothing is known")
	}
}

func TestLaneNamesJoinWhatTheyCarry(t *testing.T) {
	in := rig.Instrument{Name: "Pans"}
	for i, n := range []string{"Lead Pan Close", "Lead Pan Mid", "Lead", "Bass Pan"} {
		in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("p%d", i), Name: n, Role: "mallets"})
	}
	f := in.Feeds()
	n := plan.NewNamer(&plan.Placed{Instrument: in})
	for want, feeds := range map[string][]rig.Feed{
		"Lead Pan Close + Mid": f[:2], "Lead Pan Close + Lead Pan Mid + Lead": f[:3],
		"Lead + Bass Pan": f[2:], "Mallets": f, "Bass Pan": f[3:],
	} {
		if got := n.Name(feeds, rig.Output{}); got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
}

func TestTheNextFreeAddressLeavesThePercussionChannelToAKit(t *testing.T) {
	reeds := rig.Instrument{Name: "Reeds"}
	for c := midi.Channel(1); c <= 9; c++ {
		reeds.Parts = append(reeds.Parts, rig.Part{ID: fmt.Sprintf("p%d", c), Name: fmt.Sprintf("Part %d", c),
			Width: audio.Stereo, Program: -1, Address: midi.Address{Channel: c}})
	}
	shared := rig.Profiles[0]
	shared.MIDI = rig.WithinHost
	p := &plan.Project{Name: "x", Host: plan.Host{Profile: shared}}
	if _, err := AddInstrument(reeds, nil, 0)(p); err != nil {
		t.Fatal(err)
	}
	if a, ok := p.FreeAddress("i1"); !ok || a != (midi.Address{Port: 1, Channel: 10}) {
		t.Errorf("got %s; want ok, a (midi.Address{Port: 1, Channel: 10})", a)
	}
	if _, err := AddInstrument(rig.Instrument{Name: "Kit",
		Voices: []rig.Voice{{ID: "v", Name: "Kick", Role: "kit/kick", Keys: []midi.Key{36}, Width: audio.Mono}}}, nil,
		0)(p); err != nil {
		t.Fatal(err)
	}
	if a, ok := p.FreeAddress("i1"); !ok || a != (midi.Address{Port: 1, Channel: 11}) {
		t.Errorf("beside a kit: %s", a)
	}
	p.Host.Profile.MIDI = rig.WithinInstance
	if a, ok := p.FreeAddress("i1"); !ok || a.Channel != 10 {
		t.Errorf("where each instrument has its own channels the next one beside a kit is %s; want ch 10", a)
	}
	if a, ok := p.FreeAddress("i2"); !ok || a.Channel != 1 {
		t.Errorf("the kit of its own begins at %s; want ch 1", a)
	}
	p.Host.Profile = shared
	ref := plan.FeedRef{Placed: p.Placed[0].ID, Feed: "p9"}
	if _, err := SetAddress(ref, midi.Address{Port: 1, Channel: 16})(p); err != nil ||
		p.Placed[0].Instrument.Parts[8].Address.Channel != 16 {
		t.Errorf("got %v; want p.Placed[0].Instrument.Parts[8].Address.Channel 16", err)
	}
	for _, bad := range []plan.Edit{SetAddress(ref, midi.Address{Port: 40, Channel: 1}),
		SetAddress(plan.FeedRef{Placed: "i9", Feed: "p1"}, midi.Address{})} {
		if _, err := bad(p); err == nil {
			t.Error("an address that cannot be was taken")
		}
	}
}

func TestShortNamesAndDividersComeFromTheHouse(t *testing.T) {
	yes := true
	c := &house.Chart{Entries: map[role.Role]house.Entry{"kit/kick": {Short: "BD"}, "kit/hat": {Divider: &yes}}}
	p := &plan.Project{Name: "x", Chart: c, Lanes: []plan.Lane{
		{ID: "a", Number: 1, Name: "Kick", Kind: plan.Regular, Kept: "kit/kick"},
		{ID: "b", Number: 2, Name: "Snare Bottom", Kind: plan.Regular, Kept: "kit/snare/bottom"},
		{ID: "c", Number: 3, Name: "Hats", Kind: plan.Regular, Kept: "kit/hat"},
		{ID: "d", Number: 4, Name: "Shaker", Kind: plan.Regular, Kept: "percussion/shaker"},
		{ID: "e", Number: 5, Name: "Drums", Kind: plan.Bus}}}
	for id, want := range map[string]string{"a": "BD", "b": "Sna Bo", "c": "Hats", "d": "Shaker", "e": "Drums"} {
		if got := p.ShortNames(p.LaneRoles())[id]; got != want {
			t.Errorf("%s is %q in short, want %q", p.Lane(id).Name, got, want)
		}
	}
	if d := p.Divided(p.LaneRoles()); d["a"] || d["b"] || !d["c"] || !d["d"] || d["e"] {
		t.Errorf("got %v; want not d[\"a\"], not d[\"b\"], d[\"c\"], d[\"d\"], not d[\"e\"]", d)
	}
}

// Instances are told apart wherever they are named; what the user has named stays.
func TestInstancesHaveNamesOfTheirOwn(t *testing.T) {
	p := &plan.Project{Name: "Quay"}
	rack := rig.Instrument{Name: "Tern Rack", Parts: []rig.Part{{ID: "a", Name: "Gull", Program: -1},
		{ID: "b", Name: "Heron", Program: -1}}}
	names := func() (out []string) {
		for i := range p.Placed {
			out = append(out, p.Placed[i].Instrument.Name)
		}
		return out
	}
	want := func(when string, want ...string) {
		t.Helper()
		if got := names(); !slices.Equal(got, want) {
			t.Errorf("%s the instances are called %q, not %q", when, got, want)
		}
	}
	do(t, p, AddInstrument(rack, rack.AsLoaded(), 0))
	want("alone", "Tern Rack")
	do(t, p, AddInstrument(rack, rack.AsLoaded(), 0))
	want("beside another", "Tern Rack 1", "Tern Rack 2")
	do(t, p, NameInstrument("i1", "Low birds"))
	do(t, p, AddInstrument(rack, rack.AsLoaded(), 0))
	want("beside one with a name of its own", "Low birds", "Tern Rack 2", "Tern Rack 1")
	p = &plan.Project{Name: "Quay"}
	do(t, p, AddInstrument(rack, rack.AsLoaded(), 0))
	do(t, p, DivideInto("i1", 2))
	want("divided", "Tern Rack 1", "Tern Rack 2")
	do(t, p, Gather("i1"))
	want("gathered", "Tern Rack")
}
