package check

import (
	"fmt"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Six instruments of sixteen parts each: where every instrument has its own channels nothing is a layer
// and nothing is short of an address; where they share those of the host, it is.
func TestAddressesCountWithinWhatTheyAreSentTo(t *testing.T) {
	p := &plan.Project{Name: "Orchestra", Host: plan.Host{FirstLane: 1}}
	for i := range 6 {
		in := rig.Instrument{Name: fmt.Sprintf("Section %d", i+1)}
		for c := range 16 {
			in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("p%d", c+1), Name: fmt.Sprintf("Part %d.%d", i+1, c+1),
				Role: "brass/horn", Width: audio.Stereo, Program: -1,
				Address: midi.Address{Port: 1, Channel: midi.Channel(c + 1)}})
		}
		if _, err := edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: 16, Width: audio.Stereo}}, 1), 0)(p); err != nil {
			t.Fatal(err)
		}
	}
	layers := func() (n int) {
		for _, f := range Project(p) {
			if f.Rule.Code == "midi-layer" {
				n++
			}
		}
		return n
	}
	kind := rig.Profiles[0]
	if _, err := edits.SetProfile(kind)(p); err != nil {
		t.Fatal(err)
	}
	if n := layers(); n != 0 {
		t.Errorf("each instrument has its own channels, and %d layers are found; want none", n)
	}
	kind.MIDI = rig.WithinHost
	if _, err := edits.SetProfile(kind)(p); err != nil {
		t.Fatal(err)
	}
	if n := layers(); n != 16 {
		t.Errorf("all share the channels of the host, and %d layers are found; want 16", n)
	}
	// A layer within one instrument is one in both.
	kind.MIDI = rig.WithinInstance
	p.Host.Profile = kind
	p.Placed[2].Instrument.Parts[4].Address.Channel = 1
	if n := layers(); n != 1 {
		t.Errorf("two parts of one instrument on ch 1 are %d layers; want 1", n)
	}
}

// A kit has an address like a part: a part there is a layer, and so is a second kit on the same keys, but
// not one on others. The next free address leaves it alone, and a song is heard there.
func TestAKitHasAnAddress(t *testing.T) {
	kit := func(name string, from int) rig.Instrument {
		in := rig.Instrument{Name: name}
		for i := range 4 {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("%s %d", name, i+1),
				Role: "kit/tom", Keys: []midi.Key{midi.Key(from + i)}, Width: audio.Stereo})
		}
		return in
	}
	kind := rig.Profiles[0]
	kind.MIDI = rig.WithinHost
	p := &plan.Project{Name: "Kits", Host: plan.Host{FirstLane: 1, Profile: kind}}
	reeds := rig.Instrument{Name: "Reeds", Parts: []rig.Part{{ID: "p1", Name: "Oboe", Role: "woodwind/oboe",
		Width: audio.Stereo, Program: -1, Address: midi.Address{Port: 1, Channel: 10}}}}
	for _, in := range []rig.Instrument{kit("Marl", 36), kit("Flint", 60), kit("Slate", 38), reeds} {
		if _, err := edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: 4, Width: audio.Stereo}}, 1), 0)(p); err != nil {
			t.Fatal(err)
		}
	}
	layer := func() string {
		for _, f := range Project(p) {
			if f.Rule.Code == "midi-layer" {
				return f.Title()
			}
		}
		return ""
	}
	if got := layer(); got != "Oboe and 3 more have ch 10" {
		t.Errorf("found is %q; want the part and the three kits", got)
	}
	do := func(e plan.Edit) {
		t.Helper()
		if _, err := e(p); err != nil {
			t.Fatal(err)
		}
	}
	do(edits.SetAddress(plan.FeedRef{Placed: "i4", Feed: "p1"}, midi.Address{Port: 1, Channel: 2}))
	if got := layer(); got != "Marl and Slate have ch 10" {
		t.Errorf("found is %q; want the two kits on the same keys", got)
	}
	do(edits.SetKitAddress("i3", midi.Address{Port: 1, Channel: 11}))
	if got := layer(); got != "" {
		t.Errorf("found is %q; want nothing", got)
	}
	if a, ok := p.FreeAddress("i4"); !ok || a.Channel != 1 {
		t.Errorf("the next free address is %s; want ch 1", a)
	}
	do(edits.SetKitAddress("i1", midi.Address{Port: 1, Channel: 1}))
	if a, ok := p.FreeAddress("i4"); !ok || a.Channel != 3 {
		t.Errorf("a kit is on ch 1, and the next free address is %s; want ch 3", a)
	}
	p.Song = &plan.Song{Name: "Song", Channels: []plan.SongChannel{
		{Address: midi.Address{Port: 1, Channel: 1}, Keys: map[midi.Key]int{36: 5}},
		{Address: midi.Address{Port: 1, Channel: 10}, Keys: map[midi.Key]int{36: 7}}}}
	if n := p.NotesHeardBy(p.Find("i1")); n != 5 {
		t.Errorf("the kit on ch 1 hears %d notes; want the 5 there", n)
	}
	if _, err := edits.SetKitAddress("i4", midi.Address{Port: 1, Channel: 1})(p); err == nil {
		t.Error("what has parts is given an address of its own")
	}
}
