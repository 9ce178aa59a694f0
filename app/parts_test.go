package app_test

import (
	"bytes"
	"encoding/csv"
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
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
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
