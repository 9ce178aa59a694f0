package rig

import (
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// Common practice, no source: sixteen stereo outputs end on ports 31–32; mono,
// stereo and 5.1 take 1, 2 and 6 ports; sixteen ports are six stereo and four mono.
func TestOutputsLieOnConsecutivePorts(t *testing.T) {
	sixteen := Lay([]Run{{Count: 16, Width: audio.Stereo}}, 1)
	if got := sixteen[15].PortNames(0); got != "31–32" {
		t.Errorf("output 16 is on %s", got)
	}
	if got := sixteen[6].PortNames(10); got != "23–24" {
		t.Errorf("the host's number of ports 13–14 with offset 10 is %s", got)
	}
	mixed := Lay([]Run{{Count: 6, Width: audio.Stereo}, {Count: 4, Width: audio.Mono}}, 1)
	if last := mixed[len(mixed)-1]; last.Last() != 16 || last.PortNames(0) != "16" || len(mixed) != 10 {
		t.Errorf("six stereo and four mono end with %+v", last)
	}
	surround := Lay([]Run{{Count: 2, Width: audio.Surround}}, 3)
	if got := surround[1].PortNames(0); got != "9–14" || len(surround[1].Ports()) != 6 {
		t.Errorf("second 5.1 output from port 3 is on %s", got)
	}
}

func TestRunsReadAndWrite(t *testing.T) {
	for in, want := range map[string]string{"16x2": "16x2", " 8X2 + 16x1": "8x2+16x1", "1x6": "1x6", "4×mono": "4x1"} {
		runs, err := ParseRuns(in)
		if err != nil || FormatRuns(runs) != want {
			t.Errorf("got %q: %q, %v; want FormatRuns(runs) %v", in, FormatRuns(runs), err, want)
		}
		if back := Runs(Lay(runs, 1)); !slices.Equal(back, runs) {
			t.Errorf("%q does not survive being laid out: %v", in, back)
		}
	}
	for _, bad := range []string{"", "16", "x2", "0x2", "-1x2", "16x3", "2x2+", "999999999x2", "4000x2"} {
		if runs, err := ParseRuns(bad); err == nil {
			t.Errorf("%q was taken as %v", bad, runs)
		}
	}
}

func TestFeedsFollowFromVoicesMicrophonesAndParts(t *testing.T) {
	in := Instrument{Name: "Mixed",
		Voices: []Voice{
			{ID: "v1", Name: "Shaker", Role: "percussion/shaker", Keys: []midi.Key{70}},
			{ID: "v2", Name: "Kick", Role: "kit/kick", Keys: []midi.Key{36, 35}, Heard: HeardThrough("m1", "m2")},
			{ID: "v3", Name: "Snare", Role: "kit/snare", Keys: []midi.Key{38}, Heard: HeardThrough("m2")},
			{ID: "v4", Name: "Clap", Role: "percussion/clap", Keys: []midi.Key{39}, Slot: 5},
			{ID: "v5", Name: "Snap", Role: "percussion/snap", Keys: []midi.Key{40}, Slot: 5},
		},
		Microphones: []Microphone{{ID: "m2", Name: "Room", Role: "kit/room", Width: audio.Stereo},
			{ID: "m1", Name: "Kick In", Role: "kit/kick/in"},
			{ID: "m3", Name: "Close", Role: ""}, {ID: "m4", Name: "Hall", Role: "", Width: audio.Stereo}},
		Parts: []Part{{ID: "p1", Name: "Cello", Role: "strings/cello", Microphones: []string{"m3", "m4"}},
			{ID: "p2", Name: "Oboe", Role: "woodwind/oboe"}},
	}
	var names []string
	for _, f := range in.Feeds() {
		names = append(names, f.Name)
		if f.Name == "Room" && !slices.Equal(f.Keys, []midi.Key{35, 36, 38}) {
			t.Errorf("the room hears keys %v", f.Keys)
		}
	}
	// Two voices in one slot of the instrument can only leave together, as what both are: percussion.
	want := []string{"Kick In", "Room", "Clap + Snap", "Shaker", "Cello Close", "Cello Hall", "Oboe"}
	if !slices.Equal(names, want) {
		t.Errorf("feeds %q, want %q", names, want)
	}
	if err := in.Validate(); err != nil {
		t.Error(err)
	}
	in.Parts[1].ID = "v1"
	if in.Validate() == nil {
		t.Error("one ID for a voice and a part was let through")
	}
	if (Instrument{Name: "x", Voices: []Voice{{ID: "a", Role: "drums/kick"}}}).Validate() == nil {
		t.Error("a role outside the tree was let through")
	}
}

func TestSetupsMayBeginAnywhereAndMixWidths(t *testing.T) {
	runs, err := ParseRuns("1x6+4x2@9+2x1")
	if err != nil {
		t.Fatal(err)
	}
	out := Lay(runs, 1)
	if out[1].PortNames(0) != "9–10" || out[5].PortNames(0) != "17" || FormatRuns(Runs(out)) != "1x6+4x2@9+2x1" {
		t.Errorf("got %+v, %s; want out[1].PortNames(0) \"9–10\", out[5].PortNames(0) \"17\", FormatRuns(Runs(out)) "+
			"\"1x6+4x2@9+2x1\"", out, FormatRuns(Runs(out)))
	}
	if _, err := ParseRuns("2x2@0"); err == nil {
		t.Error("port 0 was let through")
	}
}

func TestWhatIsWrongWithPortsIsShownWhereItIs(t *testing.T) {
	faults := func(outputs []Output, ports, offset int) string {
		var out []string
		for _, f := range PortFaults(outputs, ports, offset) {
			out = append(out, f.Why)
		}
		return strings.Join(out, "; ")
	}
	for want, got := range map[string]string{
		"": faults(Lay([]Run{{Count: 8, Width: audio.Stereo}}, 1), 16, 0),
		"outputs 1 and 2 are both on port 2": faults([]Output{{Number: 1, Width: audio.Stereo, First: 1},
			{Number: 2, Width: audio.Mono, First: 2}}, 0, 0),
		"output 1 straddles the pairs 1–2 and 3–4": faults(
			[]Output{{Number: 1, Width: audio.Stereo, First: 2}}, 0, 0),
		"output 1 straddles two of the host's pairs: it is the host's 4–5": faults(
			[]Output{{Number: 1, Width: audio.Stereo, First: 1}}, 0, 3),
		"output 2 ends on port 4, and there are only 3": faults(Lay([]Run{{Count: 2, Width: audio.Stereo}}, 1),
			3, 0),
		"output 1 would be the host's port 0, and ports count from 1": faults(
			[]Output{{Number: 1, Width: audio.Mono, First: 1}}, 0, -1),
	} {
		if got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
}

// Common practice, no source: fourteen microphones on an instrument with one
// stereo output need thirteen more; sixteen ports are six stereo and four mono.
func TestAddingWhatIsMissingAddsTheFewest(t *testing.T) {
	one := Lay([]Run{{Count: 1, Width: audio.Stereo}}, 1)
	added, err := AddMissing(one, slices.Repeat([]audio.Width{audio.Stereo}, 14), 0)
	if err != nil || len(added) != 13 || added[0].PortNames(0) != "3–4" || added[12].Number != 14 {
		t.Errorf("got %+v %v; want len(added) 13, added[0].PortNames(0) \"3–4\", added[12].Number 14", added, err)
	}
	need := append(slices.Repeat([]audio.Width{audio.Stereo}, 6), slices.Repeat([]audio.Width{audio.Mono}, 4)...)
	if added, err = AddMissing(nil, need, 16); err != nil || len(added) != 10 || added[9].Last() != 16 {
		t.Errorf("got %+v %v; want len(added) 10, added[9].Last() 16", added, err)
	}
	if _, err = AddMissing(nil, append(need, audio.Mono), 16); err == nil {
		t.Error("seventeen ports' worth on sixteen")
	}
	// What is there stays, a gap is filled, and a pair does not straddle.
	there := []Output{{Number: 4, Width: audio.Mono, First: 2}, {Number: 7, Width: audio.Stereo, First: 5}}
	added, err = AddMissing(there, []audio.Width{audio.Stereo, audio.Stereo, audio.Mono, audio.Mono}, 0)
	if err != nil || len(added) != 2 || added[0].PortNames(0) != "3–4" || added[1].PortNames(0) != "1" ||
		added[0].Number != 8 {
		t.Errorf("got %+v %v; want len(added) 2, added[0].PortNames(0) \"3–4\", added[1].PortNames(0) \"1\", "+
			"added[0].Number 8", added, err)
	}
}

func names(feeds []Feed) (out []string) {
	for _, f := range feeds {
		out = append(out, f.Name)
	}
	return out
}

func TestAProjectChoosesWhichFeedsItMaps(t *testing.T) {
	in := Instrument{Name: "Mixed",
		Voices: []Voice{{ID: "k", Name: "Kick", Role: "kit/kick", Keys: []midi.Key{36},
			Heard: []Heard{{Microphone: "ki", Level: 0}, {Microphone: "oh", Level: -6}}},
			{ID: "c", Name: "Crash", Role: "kit/cymbal/crash", Keys: []midi.Key{49}, Heard: []Heard{{Microphone: "oh", Level: 0},
				{Microphone: "ki", Level: -30}}},
			{ID: "p1", Name: "Pad", Role: "percussion/clap", Keys: []midi.Key{60}}},
		Microphones: []Microphone{{ID: "ki", Name: "In", Role: "kit/kick/in", Position: "close", BleedOff: true},
			{ID: "oh", Name: "Over", Role: "kit/overhead", Position: "overhead", Width: audio.Stereo, Splits: true}},
		Parts: []Part{{ID: "rack", Name: "Rack", Address: midi.Address{Port: 1, Channel: 3}, Voices: []string{"p1"},
			Program: -1}},
		Returns: []Return{{ID: "rv", Name: "Plate", Role: "effects/reverb", Width: audio.Stereo}},
		Effects: []Effect{{ID: "e", Name: "glue", Covers: []string{"ki"}}},
	}
	if err := in.Validate(); err != nil {
		t.Fatal(err)
	}
	for want, view := range map[string]View{
		"In, Over, Pad, Plate":                       {},
		"Kick, Crash, Pad, Plate":                    {Voices: OnItsOwn},
		"Kick In, Kick Over, Crash Over, Pad, Plate": {Voices: Each},
		"Crash, In, Over, Pad, Plate":                {Of: map[string]Mode{"c": OnItsOwn}},
		"In, Over shells, Over cymbals, Pad, Plate":  {Split: map[string]Split{"oh": {By: ByShells}}},
		"In, Over kick, Over cymbals, Pad, Plate":    {Split: map[string]Split{"oh": {By: ByPieces}}},
		"In, Over Kick, Over Crash, Pad, Plate":      {Split: map[string]Split{"oh": {By: ByVoices}}},
		"In, Over, Over Metal & co, Pad, Plate":      {Split: map[string]Split{"oh": {Of: map[string]string{"c": "Metal & co"}}}},
		"In, Over, Plate, Rack":                      {Parts: OnItsOwn},
		"Pad, Plate, Kick In, Kick Over, Crash Over": {Voices: Each, Axis: ByMicrophone},
	} {
		got := names(in.FeedsIn(view))
		w := strings.Split(want, ", ")
		slices.Sort(got)
		slices.Sort(w)
		if !slices.Equal(got, w) {
			t.Errorf("%+v maps %q, want %q", view, got, w)
		}
	}
	for _, f := range in.FeedsIn(View{Split: map[string]Split{"oh": {By: ByShells}}}) {
		switch f.Name {
		case "In": // told to hear its own piece alone, it leaves the crash's bleed out
			if !slices.Equal(f.Keys, []midi.Key{36}) || !slices.Equal(f.Loses, []string{"glue"}) {
				t.Errorf("got %+v; want %v, %v", f, []midi.Key{36}, []string{"glue"})
			}
		case "Over cymbals":
			if !slices.Equal(f.Keys, []midi.Key{49}) {
				t.Errorf("got %+v; want %v", f, []midi.Key{49})
			}
		case "Pad":
			if f.Address.Channel != 3 {
				t.Errorf("a voice of a part plays on the part's channel: %+v", f)
			}
		}
	}
	// By microphone first, what is at one distance is nearer than two distances of one part.
	feeds := in.FeedsIn(View{Voices: Each})
	at := func(name string, a Axis) role.Role {
		return feeds[slices.IndexFunc(feeds, func(f Feed) bool { return f.Name == name })].Under(a)
	}
	for a, nearer := range map[Axis]string{ByInstrument: "Kick In", ByMicrophone: "Crash Over"} {
		near, far := "Crash Over", "Kick In"
		if nearer == "Kick In" {
			near, far = far, near
		}
		if role.Distance(at("Kick Over", a), at(near, a)) >= role.Distance(at("Kick Over", a), at(far, a)) {
			t.Errorf("%s: %s is not nearer to Kick Over than %s", a, near, far)
		}
	}
}

func TestMemoryIsPartsTimesOpenMicrophones(t *testing.T) {
	in := Instrument{BaseMiB: 100, Microphones: []Microphone{{ID: "a", MiB: 10}, {ID: "b", MiB: 5}},
		Parts: []Part{{Microphones: []string{"a", "b"}}, {Microphones: []string{"a"}}}}
	if got := in.Memory(nil); got != 100+2*10+5 {
		t.Errorf("%g MiB", got)
	}
	if got := in.Memory(func(m string) bool { return m == "b" }); got != 105 {
		t.Errorf("%g MiB", got)
	}
}

func TestCellsAreTypedAllOrNone(t *testing.T) {
	in := Instrument{Name: "Kit", Microphones: []Microphone{{ID: "m1", Name: "Room Far"}, {ID: "m2", Name: "Top"}},
		Voices: []Voice{{ID: "a", Name: "One"}, {ID: "b", Name: "Two"}}, Effects: []Effect{{ID: "e1", Name: "Glue"}}}
	do := func(e Edit) error {
		c := in
		c.Voices = slices.Clone(in.Voices)
		if _, err := e(&c); err != nil {
			return err
		}
		in = c
		return in.Validate()
	}
	ok := []tabular.Cell{tabular.At("a", "name", " Kick  In "), tabular.At("a", "role", "Kit/Kick/In"),
		tabular.At("a", "keys", "C1, 38-40"),
		tabular.At("b", "gain", "−3,5 dB"), tabular.At("b", "pan", "-20"), tabular.At("b", "heard", "Top, room far -12")}
	if err := do(SetCells("voices", ok, midi.MiddleC3)); err != nil {
		t.Fatal(err)
	}
	a, b := in.Voices[0], in.Voices[1]
	if a.Name != "Kick In" || a.Role != "kit/kick/in" || a.Sure != role.Told ||
		!slices.Equal(a.Keys, []midi.Key{36, 38, 39, 40}) || b.Gain != -3.5 || b.Pan != -0.2 ||
		in.heardText(b) != "Top, Room Far -12" {
		t.Errorf("got %+v; want a.Name \"Kick In\", a.Role \"kit/kick/in\", a.Sure %v, %v, b.Gain -3.5, b.Pan -0.2, "+
			"in.HeardText(b) \"Top, Room Far -12\"", in.Voices, role.Told, []midi.Key{36, 38, 39, 40})
	}
	if err := do(SetCells("pickup", []tabular.Cell{tabular.At("a", "m1", "-9"),
		tabular.At("b", "m2", "")}, midi.MiddleC3)); err != nil ||
		in.heardText(in.Voices[0]) != "Room Far -9" || in.heardText(in.Voices[1]) != "Room Far -12" {
		t.Errorf("got %v %+v; want in.HeardText(in.Voices[0]) \"Room Far -9\", in.HeardText(in.Voices[1]) \"Room Far -12\"",
			err, in.Voices)
	}
	for says, c := range map[string][]tabular.Cell{
		"row 2, width":            {tabular.At("a", "name", "Changed"), tabular.At("b", "width", "wide")},
		"does not begin with":     {tabular.At("a", "role", "drum")},
		"is not a key":            {tabular.At("a", "keys", "H1")},
		"no microphone \"Hall\"":  {tabular.At("a", "heard", "Hall")},
		"is not between":          {tabular.At("a", "pan", "101")},
		"does not exist any more": {tabular.At("z", "name", "x")},
		"1 to 80 characters":      {tabular.At("a", "name", " ")},
		"is not a number from 0":  {tabular.At("a", "slot", "-1")},
	} {
		if err := do(SetCells("voices", c, midi.MiddleC3)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("got %q: %v; want an error, err.Error() with %v", says, err, says)
		}
	}
	if in.Voices[0].Name != "Kick In" {
		t.Error("a refused paste changed a cell")
	}
	if err := do(AddRow("parts")); err != nil {
		t.Fatal(err)
	}
	if err := do(SetCells("parts", []tabular.Cell{tabular.At(in.Parts[0].ID, "voices", "two"),
		tabular.At(in.Parts[0].ID, "channel", "7"),
		tabular.At(in.Parts[0].ID, "microphones", "Top")}, midi.MiddleC3)); err != nil ||
		in.Parts[0].Address != (midi.Address{Port: 1, Channel: 7}) {
		t.Errorf("got %v %+v; want in.Parts[0].Address (midi.Address{Port: 1, Channel: 7})", err, in.Parts)
	}
	if err := do(RemoveRows("voices", []string{"b"})); err != nil || len(in.Parts[0].Voices) != 0 {
		t.Errorf("a part still names a voice that is gone: %v %+v", err, in.Parts)
	}
	if err := do(RemoveRows("microphones", []string{"m1", "m2"})); err != nil || len(in.Voices[0].Heard)+
		len(in.Parts[0].Microphones) != 0 {
		t.Errorf("got %v %+v; want len(in.Voices[0].Heard)+ len(in.Parts[0].Microphones) 0", err, in)
	}
}

func TestTheFactorysLayoutsStay(t *testing.T) {
	in := &Instrument{Name: "x", Layouts: []Layout{{Name: "Stock", Factory: true}}}
	for _, e := range []Edit{SetLayout(Layout{Name: "stock"}), RemoveLayout("Stock"), RemoveLayout("Mine")} {
		if label, err := e(in); err == nil {
			t.Error(label)
		}
	}
	for range 2 {
		if _, err := SetLayout(Layout{Name: "Mine"})(in); err != nil || len(in.Layouts) != 2 {
			t.Errorf("got %v %v; want len(in.Layouts) 2", in.Layouts, err)
		}
	}
	if _, err := RemoveLayout("mine")(in); err != nil || len(in.Layouts) != 1 {
		t.Errorf("got %v %v; want len(in.Layouts) 1", in.Layouts, err)
	}
}

// A name that is typed is guessed like an imported one; a role that somebody has said stays.
func TestTypedNamesAreGuessed(t *testing.T) {
	in := &Instrument{Name: "Kit"}
	edit := func(table, row, column, value string) {
		t.Helper()
		if _, err := SetCells(table, []tabular.Cell{tabular.At(row, column, value)}, midi.MiddleC3)(in); err != nil {
			t.Fatal(err)
		}
	}
	for _, table := range []string{"voices", "microphones", "parts", "returns"} {
		if _, err := AddRow(table)(in); err != nil {
			t.Fatal(err)
		}
	}
	mic, part, voice := in.Microphones[0].ID, in.Parts[0].ID, in.Voices[0].ID
	edit("microphones", mic, "name", "Sn Btm")
	edit("parts", part, "name", "B. Cl")
	edit("voices", voice, "name", "HHC")
	edit("returns", in.Returns[0].ID, "name", "Slap")
	if m, p, v, r := in.Microphones[0].Role, in.Parts[0].Role, in.Voices[0].Role,
		in.Returns[0].Role; m != "kit/snare/bottom" ||
		p != "woodwind/bass-clarinet" || v != "kit/hat" || r != "effects/delay" {
		t.Errorf("typed names are read as %s, %s, %s and %s", m, p, v, r)
	}
	edit("microphones", mic, "role", "kit/room")
	edit("microphones", mic, "name", "Kick In")
	edit("voices", voice, "role", "kit/tom")
	edit("voices", voice, "name", "Clap")
	if m, v := in.Microphones[0].Role, in.Voices[0].Role; m != "kit/room" || v != "kit/tom" {
		t.Errorf("roles that were said became %s and %s", m, v)
	}
}
