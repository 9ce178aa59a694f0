package app_test

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/midnam"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/outside"
	"hiddenlanes/internal/testkit"
)

// The template song as midicsv, a program of its own for listing MIDI files, reads it.
func TestTheTemplateSongHasATrackForEachPart(t *testing.T) {
	p := testkit.Project(t, plan.Host{Profile: profileOfPorts(4)}, "6x2", sample.ReedCabinet(), sample.BrineworkKit())
	testkit.Edit(t, p, edits.SetAddress(plan.FeedRef{Placed: "i1", Feed: "part3"}, midi.Address{Port: 3, Channel: 12}))
	var b bytes.Buffer
	if err := smf.Encode(&b, smf.Template(p)); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "template.mid")
	if err := os.WriteFile(file, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	outside.Program(t, "midicsv", "midicsv")
	out, err := exec.CommandContext(t.Context(), "midicsv", file).Output()
	if err != nil {
		t.Fatal(err)
	}
	r := csv.NewReader(bytes.NewReader(out))
	r.FieldsPerRecord, r.TrimLeadingSpace, r.LazyQuotes = -1, true, true
	rows, err := r.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	var order []string
	for _, row := range rows {
		switch row[2] {
		case "Title_t":
			got[row[0]] = row[3]
			order = append(order, row[0])
		case "MIDI_port", "Channel_prefix":
			got[row[0]] += " " + row[3]
		}
	}
	var tracks []string
	for _, n := range order[1:] {
		tracks = append(tracks, got[n])
	}
	want := []string{"Piccolo 0 0", "Flute 0 1", "Oboe 2 11", "Clarinet 0 3", "Bass Clarinet 0 4", "Bassoon 0 5",
		"Brinework Kit 0 9"}
	if !slices.Equal(tracks, want) {
		t.Errorf("got %q; want %v", tracks, want)
	}
	// The channels are carried by messages too, for those who pass over the prefix.
	outside := map[string]bool{}
	for _, row := range rows {
		if row[2] == "Control_c" {
			outside[row[0]+" on "+row[3]] = true
		}
	}
	for i, n := range order[1:] {
		channel := want[i][strings.LastIndex(want[i], " ")+1:]
		if !outside[n+" on "+channel] {
			t.Errorf("no message of track %s is on channel %s: %v", n, channel, outside)
		}
	}
	f, err := smf.Decode(&b)
	if err != nil {
		t.Fatal(err)
	}
	var own []string
	for _, c := range f.Channels() {
		own = append(own, c.Address.String())
	}
	if want := []string{"ch 1", "ch 2", "ch 4", "ch 5", "ch 6", "ch 10", "port 3 ch 12"}; !slices.Equal(own, want) {
		t.Errorf("our reader sees %q, not %q", own, want)
	}
}

func profileOfPorts(n int) (out rig.Profile) {
	out = plan.Host{}.Behaviour()
	out.MIDIPorts = n
	return out
}

func TestMIDINamesCarryTheHousesNames(t *testing.T) {
	p := testkit.Project(t, plan.Host{}, "10x2", sample.BrineworkKit())
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "BD"),
		tabular.At("kit/snare/side", "name", "Rim")}, midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	testkit.Edit(t, p, edits.Follow(c))
	var b bytes.Buffer
	if err := app.WriteHouseNames(&b, &p.Placed[0]); err != nil {
		t.Fatal(err)
	}
	ins, _, err := midnam.Decode(strings.NewReader(b.String()))
	if err != nil {
		t.Fatal(err)
	}
	names := map[midi.Key]string{}
	for _, v := range ins[0].Voices {
		for _, k := range v.Keys {
			names[k] = v.Name
		}
	}
	// Three voices are hats: they keep their own names, or nobody could tell them apart.
	for key, want := range map[midi.Key]string{36: "BD", 35: "BD", 37: "Rim", 38: "Snare", 42: "Hat Closed",
		46: "Hat Open", 56: "Cowbell"} {
		if names[key] != want {
			t.Errorf("key %d is %q, want %q", key, names[key], want)
		}
	}
}

func TestANewInstrumentIsSetUpAsTheHouseHasIt(t *testing.T) {
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("woodwind/oboe", "address", "9"),
		tabular.At("mallets/steel-pan", "microphones", "Close, Room")}, midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	p := &plan.Project{Name: "New"}
	testkit.Edit(t, p, edits.Follow(c))
	testkit.Edit(t, p, edits.AddInstrument(sample.ReedCabinet(), nil, 0))
	testkit.Edit(t, p, edits.AddInstrument(sample.SaltpanSection(), nil, 0))
	if a := p.Placed[0].Instrument.Parts[2].Address; a != (midi.Address{Port: 1, Channel: 9}) {
		t.Errorf("the oboe plays on %s", a)
	}
	if f := p.Placed[1].Feeds; f["part1.mid"].State != plan.Off || f["part1.close"].State == plan.Off {
		t.Errorf("got %v; want f[\"part1.mid\"].State %v, f[\"part1.close\"].State not %v", f, plan.Off, plan.Off)
	}
}

// A layer is one answer everywhere: one track on the sheet, in the template song and in the session, with
// its notes once, and the parts say so of each other.
func TestALayerIsOneTrackEverywhere(t *testing.T) {
	for _, scope := range []rig.MIDIScope{rig.WithinInstance, rig.WithinHost} {
		kind := profileOfPorts(4)
		kind.MIDI = scope
		p := testkit.Mapped(t, plan.Host{Profile: kind}, "6x2", sample.ReedCabinet(), sample.ReedCabinet())
		testkit.Edit(t, p, edits.SetProfile(kind))
		testkit.Edit(t, p, edits.SetAddress(plan.FeedRef{Placed: "i1", Feed: "part4"}, midi.Address{Port: 1, Channel: 3}))
		var titles []string
		for _, track := range smf.Template(p).Tracks[1:] {
			titles = append(titles, string(track[0].Data))
		}
		own, all := "Oboe + Clarinet", 11 // five of the first, six of the second
		if scope == rig.WithinHost {
			all = 6 // the second is sent the notes of those there are; its clarinet alone has none there
		}
		if !slices.Contains(titles, own) || len(titles) != all {
			t.Errorf("%q: the template song has the tracks %q; want %d, one of them %s", scope, titles, all, own)
		}
		sheet := 0
		for _, st := range runsheet.Make(p) {
			for _, item := range testkit.ItemTexts(st) {
				if strings.HasPrefix(item, "Oboe and Clarinet, a layer on one track: ch 3") {
					sheet++
				}
			}
		}
		if sheet != 1 {
			t.Errorf("%q: the sheet makes one track of the layer %d times; want once", scope, sheet)
		}
		var b bytes.Buffer
		song := &smf.File{Division: 96, Tracks: []smf.Track{{{Tick: 0, Status: 0x92, Data: []byte{60, 90}},
			{Tick: 96, Status: 0x82, Data: []byte{60, 0}}}}}
		p.Song = &plan.Song{Name: "Song", Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 3},
			Keys: map[midi.Key]int{60: 1}}}}
		if err := dawproject.Encode(&b, p, song); err != nil {
			t.Fatal(err)
		}
		z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
		if err != nil {
			t.Fatal(err)
		}
		f, err := z.Open("project.xml")
		if err != nil {
			t.Fatal(err)
		}
		doc, err := io.ReadAll(f)
		if err != nil {
			t.Fatal(err)
		}
		if n := bytes.Count(doc, []byte(`name="Oboe + Clarinet"`)); n != 1 {
			t.Errorf("%q: the session has %d tracks of the layer; want one", scope, n)
		}
		if n := bytes.Count(doc, []byte("<Note ")); n != 2 { // one for each instrument that hears it
			t.Errorf("%q: the session has the note %d times; want once for each instrument", scope, n)
		}
	}
}
