package dawproject

import (
	"archive/zip"
	"bytes"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/outside"
)

// xpath asks Debian's xmllint, which shares no code with the writer.
func xpath(t *testing.T, file, query string) string {
	t.Helper()
	outside.Program(t, "xmllint", "libxml2-utils")
	out, err := exec.Command("xmllint", "--nonet", "--xpath", query, file).CombinedOutput()
	if err != nil {
		t.Fatalf("xmllint %s: %v\n%s", query, err, out)
	}
	return strings.TrimSpace(string(out))
}

func unzip(t *testing.T, data []byte) (projectFile, metadataFile string) {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, filepath.Base(f.Name)), b, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return filepath.Join(dir, "project.xml"), filepath.Join(dir, "metadata.xml")
}

func TestEveryLaneAndBusIsInTheFile(t *testing.T) {
	p := &plan.Project{Name: `Fog & "Bell" <3>`,
		Placed: []plan.Placed{{ID: "i1", Instrument: rig.Instrument{Name: "Harbour Kit",
			Voices: []rig.Voice{{ID: "k36", Name: "Kick", Role: "kit/kick", Keys: []midi.Key{36}}}}}},
		Lanes: []plan.Lane{
			{ID: "l3", Number: 7, Name: "Drums", Colour: "#112233", Kind: plan.Bus, Width: audio.Stereo, Gain: -6.0206},
			{ID: "l1", Number: 5, Name: "Kick", Colour: "#0072b2", Kind: plan.Regular, Width: audio.Mono, To: "l3", Pan: -0.5,
				Gain: 20, Sends: []plan.Send{{To: "l4", Level: -6.0206}, {To: "l3", Pre: true}}},
			{ID: "l4", Number: 8, Name: "Plate", Colour: "#445566", Kind: plan.Bus, Width: audio.Stereo, To: "l3"},
			{ID: "l2", Number: 6, Name: "Room", Colour: "#cc79a7", Kind: plan.Regular, Width: audio.Surround, To: "l3",
				AlsoMain: true},
		},
		Song: &plan.Song{ID: 1,
			Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10}, Keys: map[midi.Key]int{36: 1}},
				{Address: midi.Address{Port: 1, Channel: 2}, Keys: map[midi.Key]int{60: 1}}}},
	}
	song := &smf.File{Division: 96, Tracks: []smf.Track{{
		{Status: 0xff, Meta: smf.MetaTempo, Data: []byte{0x0f, 0x42, 0x40}},
		{Status: 0xff, Meta: smf.MetaTimeSignature, Data: []byte{6, 3, 24, 8}},
		{Tick: 48, Status: 0x99, Data: []byte{36, 127}}, {Tick: 96, Status: 0x91, Data: []byte{60, 1}},
		{Tick: 144, Status: 0x89, Data: []byte{36, 0}}, {Tick: 192, Status: 0x81, Data: []byte{60, 0}}}}}
	var b bytes.Buffer
	if err := Encode(&b, p, song); err != nil {
		t.Fatal(err)
	}
	doc, meta := unzip(t, b.Bytes())
	for query, want := range map[string]string{
		"string(/Project/@version)":                                                              "1.0",
		"string(/Project/Transport/Tempo/@value)":                                                "60",
		"string(/Project/Transport/TimeSignature/@numerator)":                                    "6",
		"count(/Project/Structure//Track)":                                                       "6",
		"count(//Channel[@role='submix'])":                                                       "1",
		"count(//Channel[@role='master'])":                                                       "1",
		"string(//Track[@name='Kick']/@color)":                                                   "#0072b2",
		"string(//Track[@name='Kick']/Channel/@audioChannels)":                                   "1",
		"string(//Track[@name='Room']/Channel/@audioChannels)":                                   "6",
		"string(//Track[Channel/@id=//Track[@name='Kick']/Channel/@destination]/@name)":          "Drums",
		"string(//Track[Channel/@id=//Track[@name='Drums']/Channel/@destination]/Channel/@role)": "master",
		"string(//Track[@name='Kick']/Channel/Pan/@value)":                                       "0.25",
		// the range ends at 2
		"string(//Track[@name='Kick']/Channel/Volume/@value)":                                           "4",
		"number(//Track[@name='Drums']/Channel/Volume/@value) > 0.4999":                                 "true",
		"string(//Track[@name='Plate']/Channel/@role)":                                                  "effect",
		"concat(//Track[@name='Kick']//Send[1]/@type,' ',//Track[@name='Kick']//Send[2]/@type)":         "post pre",
		"string(//Track[Channel/@id=//Track[@name='Kick']//Send[1]/@destination]/@name)":                "Plate",
		"number(//Track[@name='Kick']//Send[1]/Volume/@value) > 0.4999":                                 "true",
		"number(//Track[@name='Kick']//Send[1]/Volume/@value) < 0.5001":                                 "true", // −6.02 dB
		"count(//Track[@name='Drums']/Channel/Sends)":                                                   "0",
		"string(//Track[Channel/@id=//Track[@name='Room']//Send/@destination]/Channel/@role)":           "master",
		"count(//@destination[not(. = //Channel/@id)])":                                                 "0",
		"count(//@id[. = preceding::*/@id])":                                                            "0",
		"count(//Lanes/@track[not(. = //Track/@id)])":                                                   "0",
		"concat(//Note/@time,' ',//Note/@duration,' ',//Note/@key,' ',//Note/@channel,' ',//Note/@vel)": "0.5 1 36 9 1",
		"count(//Note)": "1", // channel 2 is not the kit's
		"count(//Track[@name='Kick']/preceding-sibling::Track[@name='Room'])": "0",
	} {
		if got := xpath(t, doc, query); got != want {
			t.Errorf("%s is %q, want %q", query, got, want)
		}
	}
	if got := xpath(t, meta, "string(/MetaData/Title)"); got != p.Name {
		t.Errorf("the title is %q", got)
	}
}

// Each part has a track of its own below its instrument's, with the notes of its MIDI
// address on their channel; read back, such tracks are no lanes of the mixer.
func TestPartsHaveTracksWithTheirNotes(t *testing.T) {
	part := func(id, name string, port int, ch midi.Channel) rig.Part {
		return rig.Part{ID: id, Name: name, Role: "woodwind/flute", Width: audio.Stereo, Program: -1,
			Address: midi.Address{Port: port, Channel: ch}}
	}
	p := &plan.Project{Name: "Reeds",
		Placed: []plan.Placed{{ID: "i1", Instrument: rig.Instrument{Name: "Reed Cabinet",
			Parts: []rig.Part{part("p1", "Flute", 1, 2), part("p2", "Oboe", 2, 2)}}}},
		Lanes: []plan.Lane{{ID: "l1", Number: 1, Name: "Flute", Colour: "#0072b2", Kind: plan.Regular, Width: audio.Stereo}},
		Song:  &plan.Song{ID: 1}}
	song := &smf.File{Division: 96, Tracks: []smf.Track{
		{{Status: 0x91, Data: []byte{60, 90}}, {Tick: 96, Status: 0x81, Data: []byte{60, 0}}},
		{{Status: 0xff, Meta: smf.MetaPort, Data: []byte{1}}, {Status: 0x91, Data: []byte{72, 90}},
			{Tick: 96, Status: 0x81, Data: []byte{72, 0}}}}}
	var b bytes.Buffer
	if err := Encode(&b, p, song); err != nil {
		t.Fatal(err)
	}
	doc, _ := unzip(t, b.Bytes())
	for query, want := range map[string]string{
		"count(/Project/Structure/Track[@name='Reed Cabinet']/Track)": "2",
		"string(//Track[@name='Oboe']/@comment)":                      "MIDI port 2, channel 2",
		"concat(//Lanes[@track=//Track[@name='Oboe']/@id]//Note/@key,' " +
			"',//Lanes[@track=//Track[@name='Oboe']/@id]//Note/@channel)": "72 1",
		"string(//Lanes[@track=//Track[@name='Reed Cabinet']/Track[@name='Flute']/@id]//Note/@key)": "60",
		"count(//Note)":                               "2",
		"count(//@id[. = preceding::*/@id])":          "0",
		"count(//Lanes/@track[not(. = //Track/@id)])": "0",
	} {
		if got := xpath(t, doc, query); got != want {
			t.Errorf("%s is %q, want %q", query, got, want)
		}
	}
	s, err := Decode(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil || len(s.Lanes) != 2 { // the instrument's own and the lane
		t.Errorf("got %v %+v; want len(s.Lanes) 2", err, s)
	}
}
