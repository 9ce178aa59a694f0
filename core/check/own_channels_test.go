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
