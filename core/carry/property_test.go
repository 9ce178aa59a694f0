package carry_test

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/testkit"
)

// made is an instrument of voices and parts of some roles, with outputs for all of them
// or for some.
func made(rng *rand.Rand, name string) rig.Instrument {
	roles := role.All()
	in := rig.Instrument{Name: name, Ports: 64, Delivered: []rig.Run{{Count: 1 + rng.IntN(20), Width: audio.Stereo}},
		Fixed: rng.IntN(3) == 0}
	for v := range 2 + rng.IntN(14) {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d", v),
			Role: roles[rng.IntN(60)], Keys: []midi.Key{midi.Key(20 + v)}, Width: audio.Width(1 + rng.IntN(2))})
	}
	for k := range rng.IntN(4) {
		in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("p%d", k), Name: fmt.Sprintf("Part %d", k),
			Role: roles[rng.IntN(len(roles))], Width: audio.Stereo, Program: -1,
			Address: midi.Address{Port: 1, Channel: midi.Channel(1 + k)}})
	}
	return in
}

// Whatever takes the place of whatever: no lane is lost or renamed while there are
// outputs for every pair, each pair arrives on the lane of its partner, nothing is left
// undecided unless it is said, and the run sheet from what stood ends in the plan.
func TestAReplacementKeepsWhatItSaysItKeeps(t *testing.T) {
	for seed := range uint64(80) {
		rng := rand.New(rand.NewPCG(seed, 3))
		p := testkit.Mapped(t, plan.Host{}, "20x2", made(rng, "Old"), made(rng, "Other"))
		testkit.Edit(t, p,
			edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
		if seed%2 == 1 { // the song plays the old ones, on keys that mean nothing to the new one yet
			song := &plan.Song{Name: "Song", Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10},
				Keys: map[midi.Key]int{}}}}
			for k := range 14 {
				song.Channels[0].Keys[midi.Key(20+k)] = 3
			}
			p.Song = song
		}
		before := p.Clone()
		in := made(rng, "New")
		for v := range in.Voices {
			in.Voices[v].Keys[0] += midi.Key(20 * rng.IntN(2))
		}
		s, err := carry.Match(p, "i1", in, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		testkit.Edit(t, p, s.Edit())
		pl := &p.Placed[len(p.Placed)-1]
		if pl.Instrument.Name != "New" || p.Find("i1") != nil {
			t.Fatalf("seed %d: %v", seed, pl.Instrument.Name)
		}
		for _, l := range before.Lanes {
			now := p.Lane(l.ID)
			if now == nil || now.Number != l.Number || l.Kind == plan.Bus && now.Name != l.Name {
				t.Fatalf("seed %d: lane %d %s became %+v", seed, l.Number, l.Name, now)
			}
		}
		jacks := map[plan.Jack]bool{} // of the old one, that pairs need
		for _, pair := range s.Pairs {
			if pair.New != nil {
				jacks[before.Placed[0].Feeds[pair.Old.ID].At()] = true
			}
		}
		roomy := len(jacks) <= 1+len(in.Delivered) && !in.Fixed || len(jacks) <= in.Delivered[0].Count
		for _, pair := range s.Pairs {
			if pair.New == nil || pair.Lane == nil || !roomy {
				continue
			}
			now := p.Lane(pair.Lane.ID)
			a := pl.Feeds[pair.New.ID]
			arrives := false
			for _, l := range p.LanesOf(plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side}) {
				arrives = arrives || l.ID == now.ID
			}
			if a.State != plan.Assigned || !arrives || now.Name != pair.Lane.Name || now.Colour != pair.Lane.Colour ||
				now.To != pair.Lane.To {
				t.Fatalf("seed %d: %s takes the place of %s on %s, but is %+v, the lane %+v", seed, pair.New.Name, pair.Old.Name,
					pair.Lane.Name, a, now)
			}
		}
		testkit.RunSheetEndsInThePlan(t, p)
	}
}
