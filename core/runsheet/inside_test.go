package runsheet_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/internal/testkit"
)

// delivered is an instrument as it comes: six microphones that are panned, a mix, a return.
func delivered() rig.Instrument {
	in := rig.Instrument{Name: "Keel", Pans: true, Returns: []rig.Return{{ID: "plate", Name: "Plate",
		Role: "effects/reverb", Width: audio.Stereo}}}
	var all []string
	for i, name := range []string{"Kick", "Snare Top", "Snare Bottom", "Rack Tom", "Floor Tom 1", "Floor Tom 2"} {
		id := fmt.Sprintf("m%d", i+1)
		all = append(all, id)
		in.Microphones = append(in.Microphones, rig.Microphone{ID: id, Name: name, Width: audio.Mono, Pan: 0.3,
			Role: []role.Role{"kit/kick/in", "kit/snare/top", "kit/snare/bottom", "kit/tom/rack/1", "kit/tom/floor/1",
				"kit/tom/floor/2"}[i]})
	}
	in.Microphones = append(in.Microphones, rig.Microphone{ID: "mix", Name: "Mix", Width: audio.Stereo, Role: "kit/room",
		Sums: all})
	in.Voices = []rig.Voice{{ID: "ride", Name: "Ride", Role: "kit/cymbal/ride", Keys: []midi.Key{51}, Width: audio.Mono,
		Heard: rig.HeardThrough(append(all, "mix")...)}}
	return in
}

// steps are those inside an instrument from what was done to what is planned, with their items.
func insideSteps(p *plan.Project, s *plan.Patched) (out []string) {
	for _, st := range runsheet.From(p, s) {
		if st.Place == runsheet.InInstrument && !strings.HasPrefix(st.Text, "Assign") && !strings.HasPrefix(st.Text, "Add") &&
			!strings.HasPrefix(st.Text, "Switch") {
			text := fmt.Sprintf("%s [%d]", st.Text, st.Count)
			if items := testkit.ItemTexts(st); len(items) > 0 {
				text += " " + strings.Join(items, "; ")
			}
			out = append(out, text)
		}
	}
	return out
}

// Every difference between the instrument as it came and as it is planned is a step.
func TestStepsSetTheInside(t *testing.T) {
	for name, c := range map[string]struct {
		set  func(in *rig.Instrument)
		want []string
	}{
		"pans": {func(in *rig.Instrument) {
			for i := range 6 {
				in.Microphones[i].Pan = 0
			}
		}, []string{"Centre 6 pans in Keel [6] Kick: centre; Snare Top: centre; Snare Bottom: centre; Rack Tom: centre; " +
			"Floor Tom 1: centre; Floor Tom 2: centre"}},
		"lift": {func(in *rig.Instrument) { in.Microphones[3].Gain = 3 }, []string{
			"Lift Rack Tom by 3.0 dB in Keel [1]"}},
		"polarity": {func(in *rig.Instrument) { in.Microphones[2].Inverted = true }, []string{
			"Turn the polarity of Snare Bottom in Keel [1]"}},
		"mix": {func(in *rig.Instrument) { in.Microphones[6].Closed = true }, []string{"Close Mix in Keel [1]"}},
		"bleed": {func(in *rig.Instrument) { in.Bleed = rig.NoBleed }, []string{
			"Set the bleed of all microphones in Keel [1] all microphones: off"}},
		"trim": {func(in *rig.Instrument) { in.Voices[0].Heard[5].Trim = -8 }, []string{
			"Trim the bleed of Ride in Keel [1] Ride in Floor Tom 2: −8.0 dB"}},
		"sends": {func(in *rig.Instrument) {
			for i := range 5 {
				in.Microphones[i].Returns = []rig.InsideSend{{Return: "plate", Level: -12, Pre: i == 0}}
			}
		}, []string{"Set 5 sends to returns in Keel [5] Kick to Plate: −12.0 dB, before the fader; Snare Top to Plate: " +
			"−12.0 dB, " +
			"after the fader; Snare Bottom to Plate: −12.0 dB, after the fader; Rack Tom to Plate: −12.0 dB, after the " +
			"fader; Floor Tom 1 to Plate: −12.0 dB, after the fader"}},
		"exits": {func(in *rig.Instrument) { in.Microphones[1].AlsoMain = true }, []string{
			"Set the exits of Snare Top in Keel [1] Snare Top: by its own output and by the main one"}},
	} {
		p := testkit.Project(t, plan.Host{}, "8x2", delivered())
		testkit.Edit(t, p, edits.Decide(testkit.Feed("m1"), plan.Assigned, plan.Jack{Output: 1}))
		testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
			for i := range in.Voices {
				in.Voices[i].Heard = slices.Clone(in.Voices[i].Heard)
			}
			c.set(in)
			return "set", nil
		}))
		if got := insideSteps(p, nil); !slices.Equal(got, c.want) {
			t.Errorf("%s: the sheet has\n%s\nwant\n%s", name, strings.Join(got, "\n"), strings.Join(c.want, "\n"))
		}
		// From the other end: what is set so in the host and is not planned is set back.
		s := p.AsPlanned()
		testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
			*in = *p.Placed[0].AsItCame
			return "as it came", nil
		}))
		if got := insideSteps(p, s); len(got) != 1 {
			t.Errorf("%s, set back: %q, want one step", name, got)
		}
	}
}

// Two mono feeds that share a stereo output, one to each side, are panned hard.
func TestSidesArePannedHard(t *testing.T) {
	in := delivered()
	for i := range in.Microphones {
		in.Microphones[i].Pan = 0
	}
	p := testkit.Project(t, plan.Host{Profile: rig.Profiles[0], Sides: true}, "8x2", in)
	testkit.Edit(t, p, edits.HalveOutput("i1", 2, true))
	for id, side := range map[string]rig.Side{"m1": rig.Left, "m2": rig.Right} {
		testkit.Edit(t, p, edits.Decide(testkit.Feed(id), plan.Assigned, plan.Jack{Output: 2, Side: side}))
	}
	want := "Set 2 pans in Keel [2] Kick: 100 % left; Snare Top: 100 % right"
	if got := insideSteps(p, nil); !slices.Contains(got, want) {
		t.Errorf("the sheet has %q, want %q among it", got, want)
	}
}

// Parts get tracks: made, pointed and set, three values each. Two parts of one address are a
// layer on one track; a second instrument on an address is sent the notes of the track there is, where
// all instruments share the channels, and has a track of its own where each has its own.
func TestPartsGetTracks(t *testing.T) {
	part := func(id, name string, channel midi.Channel) rig.Part {
		return rig.Part{ID: id, Name: name, Role: "brass/horn", Width: audio.Stereo, Program: -1,
			Address: midi.Address{Port: 1, Channel: channel}}
	}
	one := rig.Instrument{Name: "Reeds", Parts: []rig.Part{part("p1", "Flute", 1), part("p2", "Oboe", 2),
		part("p3", "Shawm", 2)}}
	two := rig.Instrument{Name: "Pans", Parts: []rig.Part{part("q1", "Lead", 2), part("q2", "Bass", 4)}}
	own := rig.Profiles[0]
	shared := own
	shared.MIDI = rig.WithinHost
	p := testkit.Project(t, plan.Host{Profile: own}, "8x2", one, two)
	testkit.Edit(t, p, edits.Decide(testkit.Feed("p1"), plan.Assigned, plan.Jack{Output: 1}))
	tracks := func(s *plan.Patched) (out []string) {
		for _, st := range runsheet.From(p, s) {
			if strings.Contains(st.Text, "track") {
				out = append(out, fmt.Sprintf("%s [%d] %s", st.Text, st.Count, strings.Join(testkit.ItemTexts(st), "; ")))
			}
		}
		return out
	}
	want := []string{"Add 2 tracks, point each at Reeds and set its MIDI channel [6] Flute: ch 1; Oboe and Shawm, a " +
		"layer on " +
		"one track: ch 2", "Add a track, point it at Pans and set its MIDI channel [4] Lead: the notes of the track of " +
		"Oboe, " +
		"sent to Pans as well; Bass: ch 4"}
	if got := tracks(nil); len(got) != 2 || got[0] != want[0] ||
		got[1] != "Add 2 tracks, point each at Pans and set its MIDI channel [6] Lead: ch 2; Bass: ch 4" {
		t.Errorf("where each instrument has its own channels the sheet has\n%s", strings.Join(got, "\n"))
	}
	p.Host.Profile = shared
	if got := tracks(nil); !slices.Equal(got, want) {
		t.Errorf("the sheet has\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	s := p.AsPlanned()
	if got := tracks(s); len(got) > 0 {
		t.Errorf("patched as planned, the sheet has %q", got)
	}
	// Tracks that are there and play something else are set alone.
	s.Tracks[plan.TrackRef("i1", "p1")] = plan.Track{Address: midi.Address{Port: 1, Channel: 9}}
	if got := tracks(s); !slices.Equal(got, []string{"Set the MIDI channel of 1 track [1] Flute: ch 1"}) {
		t.Errorf("of a track on another channel the sheet has %q", got)
	}
}

// What changes in the plan is all that a sheet touches: one thing set inside, one insert.
func TestNothingElseIsTouched(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{Profile: profile}, "8x2", delivered())
		s := p.AsPlanned()
		s.Lanes = append(s.Lanes, plan.Lane{ID: "h1", Number: 90, Name: "Ferry engine", Colour: "#112233",
			Kind: plan.Regular, Owner: plan.Found, Inserts: []rig.Insert{{Kind: rig.Limiter}}})
		lane := p.ByNumber()[0]
		testkit.Edit(t, p, plan.SetInserts(lane.ID, []rig.Insert{{Kind: rig.Compressor, Name: "Brick"}}))
		testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
			in.Microphones[1].Inverted = true
			return "turn", nil
		}))
		want := map[plan.Key]bool{{Entity: plan.LaneEntity(lane.ID), Attribute: plan.AttrInserts}: true,
			{Entity: plan.InsideEntity("i1", "m2:polarity"), Attribute: plan.AttrInside}: true}
		for _, st := range runsheet.From(p, s) {
			if st.Place == runsheet.ByEar {
				continue
			}
			for _, a := range st.Actions {
				for _, set := range a.Sets() {
					if !want[set.Key] {
						t.Errorf("%s: the step %q touches %v", profile.Name, st.Text, set.Key)
					}
					delete(want, set.Key)
				}
			}
		}
		if len(want) > 0 {
			t.Errorf("%s: the sheet does not touch %v", profile.Name, want)
		}
	}
}
