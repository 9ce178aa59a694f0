package plan_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

func channel(n int, keys ...midi.Key) plan.SongChannel {
	c := plan.SongChannel{Address: midi.Address{Port: 1, Channel: midi.Channel(n)}, Keys: map[midi.Key]int{}}
	for _, k := range keys {
		c.Keys[k]++
	}
	return c
}

// From each address of the song it is told what would sound, and which keys reach nothing.
func TestWhatWouldSoundIsTold(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "20x2", sample.BrineworkKit(), sample.ReedCabinet())
	if p.Sounding() != nil || p.NotesHeardBy(&p.Placed[0]) != 0 {
		t.Error("without a song nothing sounds")
	}
	flute := p.Placed[1].Instrument.Parts[1]
	p.Song = &plan.Song{Name: "Cue", Channels: []plan.SongChannel{
		channel(10, 36, 36, 38, 99), channel(int(flute.Address.Channel), 60, 64), channel(15, 60),
		{Address: midi.Address{Port: 1, Channel: 16}},
	}}
	var got []string
	for _, s := range p.Sounding() {
		got = append(got, fmt.Sprintf("%d: %s, not %v", s.Channel, strings.Join(s.Reach, "+"), s.Unused))
	}
	want := []string{"10: Brinework Kit, not [99]", fmt.Sprintf("%d: %s, not []", flute.Address.Channel, flute.Name),
		"15: , not [60]"}
	if !slices.Equal(got, want) {
		t.Errorf("got %q\nwant %q", got, want)
	}
	if kit, reeds := p.NotesHeardBy(&p.Placed[0]), p.NotesHeardBy(&p.Placed[1]); kit != 4 || reeds != 2 {
		t.Errorf("%d notes reach the kit and %d the reeds, want 4 and 2", kit, reeds)
	}
}

// A lane of the session that the plan does not have by name is offered the planned lane of
// its role, once, and takes its place when the user says so.
func TestLanesOfASessionAreMatched(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "20x2", sample.BrineworkKit())
	if p.Doubts() != nil {
		t.Error("nothing is patched, and still there are doubts")
	}
	hat, ride := testkit.Lane(p, "Hat"), testkit.Lane(p, "Ride")
	testkit.Edit(t, p, edits.SetPatched("read a session", func(p *plan.Project, s *plan.Patched) error {
		lane := func(id string, n plan.LaneNumber, name string) plan.Lane {
			return plan.Lane{ID: id, Number: n, Name: name, Colour: "#808080", Kind: plan.Regular, Width: 2}
		}
		s.Lanes = []plan.Lane{lane("x1", 3, "HH"), lane("x2", 4, "Hihat 2"), lane("x3", 5, "Vocals of Ann"),
			lane(ride.ID, 6, "Ride")}
		s.Lanes[1].Sends = []plan.Send{{To: "x1"}}
		s.Lanes[2].To = "x1"
		return nil
	}))
	doubts := p.Doubts()
	if len(doubts) != 3 || doubts[0].Guess != hat.ID || doubts[1].Guess != "" || doubts[2].Guess != "" {
		t.Errorf("the doubts are %+v; the hat is %s", doubts, hat.ID)
	}
	testkit.Edit(t, p, edits.MatchLane("x1", hat.ID))
	if l := p.Patched.Lane(hat.ID); l == nil || l.Number != hat.Number || l.Name != "HH" {
		t.Errorf("the matched lane is %+v", l)
	}
	if to, send := p.Patched.Lane("x3").To, p.Patched.Lane("x2").Sends[0].To; to != hat.ID || send != hat.ID {
		t.Errorf("what went to the lane goes to %q, its send to %q; it is %q now", to, send, hat.ID)
	}
	for _, c := range [][2]string{{"x1", hat.ID}, {"x2", hat.ID}, {"x2", "not there"}} {
		if _, err := edits.MatchLane(c[0], c[1])(p.Clone()); err == nil || !strings.Contains(err.Error(), "matched already") {
			t.Errorf("got %v: %v; want an error, err.Error() with \"matched already\"", c, err)
		}
	}
}

func TestMIDINamesAreThoseOfTheHouse(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "20x2", sample.BrineworkKit())
	pl := &p.Placed[0]
	in := pl.HouseNames()
	count := map[string]int{}
	for i, v := range in.Voices {
		was := pl.Instrument.Voices[i]
		count[string(was.Role)]++
		if v.Name != was.Name && v.Name != pl.House().Label(v.Role) {
			t.Errorf("%s is called %q, which is neither its own name nor the house's %q", was.Name, v.Name,
				pl.House().Label(v.Role))
		}
	}
	for i, v := range in.Voices {
		if was := pl.Instrument.Voices[i].Name; count[string(v.Role)] > 1 && v.Name != was {
			t.Errorf("%s shares its role with others and is called %q: nobody can tell them apart", was, v.Name)
		}
	}
}

// A lane of the host is left to the mixer where the plan does not have it; one that is matched, or
// that is not there, is not.
func TestALaneIsLeftToTheMixer(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "20x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.SetPatched("read a session", func(p *plan.Project, s *plan.Patched) error {
		s.Lanes = []plan.Lane{{ID: p.Lanes[0].ID, Number: 3, Name: p.Lanes[0].Name, Kind: plan.Regular, Width: 2},
			{ID: "x1", Number: 40, Name: "Ferry horn", Colour: "#808080", Kind: plan.Regular, Width: 1}}
		return nil
	}))
	for _, id := range []string{p.Lanes[0].ID, "x9"} {
		if _, err := edits.LeaveToMixer(id)(p.Clone()); err == nil {
			t.Errorf("%s was left to the mixer; want it refused", id)
		}
	}
	testkit.Edit(t, p, edits.LeaveToMixer("x1"))
	horn := testkit.Lane(p, "Ferry horn")
	if horn == nil || !horn.IsOther() || horn.Number != 40 || p.Patched.Lane(horn.ID) == nil {
		t.Errorf("the horn is %+v; want it among the other lanes, on lane 40, and in the host", horn)
	}
	if p.Lanes[0].IsOther() {
		t.Error("the lane of the plan was left to the mixer too")
	}
}
