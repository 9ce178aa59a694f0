package patchsheet

import (
	"bytes"
	"encoding/csv"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

func TestTheSheetSaysEverythingThatMustBePatched(t *testing.T) {
	voice := func(id, name string, k midi.Key) rig.Voice {
		return rig.Voice{ID: id, Name: name, Role: "percussion/clap", Keys: []midi.Key{k}, Width: audio.Mono}
	}
	p := &plan.Project{Name: "x",
		Placed: []plan.Placed{{ID: "i1", Offset: 10, Outputs: rig.Lay([]rig.Run{{Count: 4, Width: audio.Stereo}}, 1),
			Instrument: rig.Instrument{Name: "=SUM(A1)",
				Traits: rig.Traits{Names: rig.OutputRows{{Width: audio.Stereo, Name: "St {n}"}}},
				Parts: []rig.Part{{ID: "g", Name: "Horn", Program: -1, Address: midi.Address{Port: 1, Channel: 3},
					Width: audio.Stereo,
					Gain:  -3, Inside: rig.Inside{AlsoMain: true}},
					{ID: "h", Name: "Bell", Program: -1, AllChannels: true, Width: audio.Stereo}},
				Microphones: []rig.Microphone{{ID: "m", Name: "Under", Width: audio.Mono, Note: "-20 dB pad", BleedOff: true,
					Inside: rig.Inside{Inverted: true}}},
				Voices: []rig.Voice{{ID: "x", Name: "Skin", Heard: rig.HeardThrough("m"), Width: audio.Mono}, voice("a", "Kick",
					36), voice("b", "+1", 38),
					voice("c", "Lost", 39), voice("d", "Spare", 40), voice("e", "Quiet", 41), voice("f", "Gone", 42)}},
			Feeds: map[string]plan.Assignment{"a": {State: plan.Assigned, Output: 1}, "b": {State: plan.Assigned, Output: 2},
				"d": {State: plan.Parked, Output: 4}, "e": {State: plan.Off}, "f": {State: plan.Assigned, Output: 9},
				"g": {State: plan.Assigned, Output: 3}, "h": {State: plan.Assigned, Output: 3}, "m": {State: plan.Assigned,
					Output: 3}}}},
		Lanes: []plan.Lane{{ID: "l4", Number: 6, Name: "Brass", Inverted: true, Kind: plan.Regular, Colour: "#0072b2",
			Width:   audio.Stereo,
			Sources: []plan.OutputRef{{Placed: "i1", Output: 3}}, To: "l2",
			Inserts: []rig.Insert{{Kind: rig.Equaliser}, {Kind: rig.Compressor, Name: "Brick", Note: "slow"}}}, {ID: "l2",
			Number: 9, Name: "@Drums", Kind: plan.Bus, Colour: "#112233"},
			{ID: "l1", Number: 5, Name: "-Kick", Colour: "#0072b2", Kind: plan.Regular, Width: audio.Stereo,
				Sources: []plan.OutputRef{{Placed: "i1", Output: 1}}, To: "l2", AlsoMain: true,
				Sends: []plan.Send{{To: "l3", Level: -12.5, Pre: true}}},
			{ID: "l3", Number: 10, Name: "Plate", Kind: plan.Bus, Colour: "#223344", Width: audio.Stereo, To: "l2"}}}
	var b bytes.Buffer
	if err := Encode(&b, p, midi.MiddleC4); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&b).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range rows[1:] {
		got = append(got, strings.Join(r, "|"))
	}
	// Cells that a spreadsheet would take for a formula begin with an apostrophe.
	want := []string{
		"5|'-Kick|lane|stereo|'=SUM(A1)|1|1–2|11–12|Kick|36 C2|@Drums (lane 9) and Main mix|#0072b2|'-Kick|Plate (lane " +
			"10) at −12.5 dB, before the fader|||||St 1|the folded group of =SUM(A1), lanes 5–6",
		"6|Brass|lane|stereo|'=SUM(A1)|3|5–6|15–16|Horn, Bell, Under||'@Drums (lane 9)|#0072b2|Brass||Horn: ch 3; Bell: all " +
			"" +
			"channels|Horn: −3.0 dB, own and main output; Under: inverted, bleed off|Under: -20 dB pad|equaliser, compressor " +
			"Brick (slow)|St 3|the folded group of =SUM(A1), lanes 5–6",
		"9|'@Drums|bus|mono|||||lanes 5–6, 10||Main mix|#112233|'@Drums|||||||",
		"10|Plate|bus|stereo|||||sends of 5||'@Drums (lane 9)|#223344|Plate|||||||",
		"||no lane|stereo|'=SUM(A1)|2|3–4|13–14|'+1|38 D2|||||||||St 2|the folded group of =SUM(A1), lanes 5–6",
		"|Lost|unassigned|mono|'=SUM(A1)||||Lost|39 D#2||||||||||",
		"|Spare|parked|mono|'=SUM(A1)|4|7–8|17–18|Spare|40 E2||||||||||",
		"|Quiet|off|mono|'=SUM(A1)||||Quiet|41 F2||||||||||",
		"|Gone|no such output|mono|'=SUM(A1)|9|||Gone|42 F#2||||||||||",
	}
	for i := range max(len(got), len(want)) {
		g, w := "", ""
		if i < len(got) {
			g = got[i]
		}
		if i < len(want) {
			w = want[i]
		}
		if w += "|"; strings.HasPrefix(w, "6|") {
			w += "polarity inverted"
		}
		if i == 0 {
			w = strings.Replace(w, "|@Drums (", "|'@Drums (", 1)
		}
		if g != w {
			t.Errorf("row %d\n got %s\nwant %s", i, g, w)
		}
	}
}
