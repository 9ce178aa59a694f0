package propose_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// lumped is a kit whose layout has three floor toms and a gong on output 5, and ambience behind.
func lumped() rig.Instrument {
	in := rig.Instrument{Name: "Quarry Kit", Delivered: []rig.Run{{Count: 12, Width: audio.Stereo}}}
	at := map[string]rig.Placing{}
	for i, v := range []struct {
		name, role string
		out        int
	}{{"Kick", "kit/kick", 1}, {"Snare", "kit/snare", 2}, {"Hat", "kit/hat", 3}, {"Rack Tom", "kit/tom/rack/1", 4},
		{"Floor 1", "kit/tom/floor/1", 5}, {"Floor 2", "kit/tom/floor/2", 5}, {"Floor 3", "kit/tom/floor/3", 5},
		{"Gong", "percussion/gong", 5}, {"Overheads", "kit/overhead", 6}, {"Rooms", "kit/room", 7}, {"Clap",
			"percussion/clap", 8}} {
		id := fmt.Sprint("v", i+1)
		in.Voices = append(in.Voices, rig.Voice{ID: id, Name: v.name, Role: role.Role(v.role), Width: audio.Stereo,
			Keys: []midi.Key{midi.Key(35 + i)}})
		at[id] = rig.Placing{Output: v.out}
	}
	in.Layouts = []rig.Layout{in.FactoryLayout("As in the file", "", at)}
	return in
}

// A lumped group that is spread moves what is in its way behind it, and what the song never
// plays stays where it is (common practice, no source).
func TestAProposalSaysWhatMovesAndWhatMakesRoom(t *testing.T) {
	in := lumped()
	p := &plan.Project{Name: "Fog", Host: plan.Host{FirstLane: 1}}
	testkit.Edit(t, p, edits.AddFromShelf(plan.Shelved{}, in, rig.Lay(in.Delivered, 1), 0))
	if got := p.Placed[0].Start; got.Kind != plan.FromLayout || got.Name != "As in the file" {
		t.Errorf("the instrument starts %s, not in its only layout", got.Text())
	}
	keys := map[midi.Key]int{}
	for i := range 10 { // all but the clap
		keys[midi.Key(35+i)] = 4
	}
	testkit.Edit(t, p, edits.SetSong(&plan.Song{Name: "fog", Channels: []plan.SongChannel{{
		Address: midi.Address{Port: 1, Channel: 10}, Keys: keys}}}))
	testkit.Edit(t, p, edits.PinInOrder([]plan.FeedRef{{Placed: "i1", Feed: "v5"}, {Placed: "i1", Feed: "v6"},
		{Placed: "i1", Feed: "v7"}}, edits.InOrder{Output: 5}))
	pr, err := propose.Make(p, propose.Options{Placed: "i1"})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, c := range pr.Chains() {
		var steps []string
		for _, m := range c {
			steps = append(steps, fmt.Sprintf("%s %s to %s", strings.Join(m.Feeds, "+"), m.From, m.To))
		}
		got = append(got, strings.Join(steps, ", "))
	}
	want := func(has string) {
		if !slices.ContainsFunc(got, func(c string) bool { return strings.HasPrefix(c, has) }) {
			t.Errorf("no chain begins with %q: %q", has, got)
		}
	}
	want("Floor 2 5 to 6, Overheads 6 to ")
	want("Floor 3 5 to 7, Rooms 7 to ")
	want("Gong 5 to ")
	for _, u := range pr.Unused {
		if u.Name != "Clap" || u.To.At() != (plan.Jack{Output: 8}) {
			t.Errorf("unused %s goes to %s; it stays on 8", u.Name, u.To.At())
		}
	}
	if len(pr.Unused) != 1 {
		t.Errorf("%d feeds are unused, want the clap", len(pr.Unused))
	}
}

// What the user has routed stays routed so: a proposal sends only lanes to its bus that are new or
// go to the main mix.
func TestAProposalLeavesRoutesOfTheUsersAlone(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "20x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.AddBus("Crush", 0, nil))
	crush := testkit.Lane(p, "Crush").ID
	mine, main := testkit.Lane(p, "Hat").ID, testkit.Lane(p, "Ride").ID
	testkit.Edit(t, p, plan.Route([]string{mine}, crush, false))
	testkit.Edit(t, p, plan.Route([]string{main}, plan.MainMix, false))
	pr := testkit.Propose(t, p, "i1")
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if l := p.Lane(mine); l.To != crush {
		t.Errorf("lane %s, which the user had routed to Crush, is routed to %q", l.Name, l.To)
	}
	if l := p.Lane(main); l.To == plan.MainMix {
		t.Errorf("lane %s, which went to the main mix, still does; want it routed to a bus", l.Name)
	}
}
