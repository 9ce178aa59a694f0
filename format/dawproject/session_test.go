package dawproject_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/internal/testkit"
)

func session(t testing.TB, xml string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"project.xml": xml,
		"metadata.xml": "<MetaData><Title>Cue  99</Title></MetaData>", "audio/x.wav": "RIFF"} {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A session with nested tracks, a bus, a lane that goes two ways and things no
// reader knows (DAWproject 1.0, from memory).
const made = `<?xml version="1.0" encoding="UTF-8"?>
<Project version="1.0"><Application name="Some Host" version="9"/><Unknown thing="1"/>
<Structure>
 <Track id="t0" name="Drums" color="#112233" contentType="tracks"><Channel id="c0" role="submix" audioChannels="2" destination="m"/>
  <Track id="t1" name=" Kick  In " color="#AABBCCFF"><Channel id="c1" role="regular" audioChannels="1" destination="c0"/></Track>
  <Track id="t2" name="Snare"><Channel id="c2" role="regular" audioChannels="2" destination="m"><Sends><Send destination="c0" type="post"/></Sends></Channel></Track>
 </Track>
 <Track id="t3" name="Folder without a channel"/>
 <Track id="t4" name="Master"><Channel id="m" role="master" audioChannels="2"/></Track>
</Structure></Project>`

func TestASessionsMixerIsRead(t *testing.T) {
	data := session(t, made)
	s, err := dawproject.Decode(bytes.NewReader(data), int64(len(data)))
	if err != nil || s.Title != "Cue 99" || len(s.Lanes) != 3 {
		t.Fatal(s, err)
	}
	bus, kick, snare := s.Lanes[0], s.Lanes[1], s.Lanes[2]
	if !bus.Bus || bus.To != "" || kick.Name != "Kick In" || kick.Colour != "#aabbcc" || kick.To != "c0" ||
		kick.Channels != 1 || kick.AlsoMain {
		t.Errorf("got %+v; want bus.Bus, bus.To \"\", kick.Name \"Kick In\", kick.Colour \"#aabbcc\", kick.To \"c0\", "+
			"kick.Channels 1, not kick.AlsoMain", s.Lanes)
	}
	if snare.To != "c0" || !snare.AlsoMain || snare.Colour != "" {
		t.Errorf("a lane with a send into a bus beside the main mix goes two ways: %+v", snare)
	}
}

// What is written is read again: names, colours, buses and ways.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.AddBus("Plate", 0, nil))
	plate := testkit.Lane(p, "Plate").ID
	testkit.Edit(t, p, plan.SendLanes([]string{testkit.Lane(p, "Snare").ID}, plan.Send{To: plate, Level: -14, Pre: true}))
	testkit.Edit(t, p, plan.SendLanes([]string{testkit.Lane(p, "Rooms").ID}, plan.Send{To: plate}))
	overheads := testkit.Lane(p, "Overheads")
	testkit.Edit(t, p, plan.Route([]string{overheads.ID}, overheads.To, true))
	s := testkit.Session(t, p)
	buses := map[string]string{}
	for _, l := range s.Lanes {
		if l.Bus {
			buses[l.ID] = l.Name
		}
	}
	for _, want := range p.Lanes {
		found := false
		for _, l := range s.Lanes {
			if l.Name != want.Name || l.Bus != (want.Kind == plan.Bus) {
				continue
			}
			found = true
			to := ""
			if b := p.Lane(want.To); b != nil {
				to = b.Name
			}
			if l.Colour != want.Colour || buses[l.To] != to || l.AlsoMain != want.AlsoMain || len(l.Sends) != len(want.Sends) {
				t.Errorf("%+v was %+v", l, want)
			}
			for i, s := range want.Sends {
				if got := l.Sends[i]; buses[got.To] != "Plate" || got.Pre != s.Pre ||
					max(got.Level-s.Level, s.Level-got.Level) > 0.01 {
					t.Errorf("%s sends %+v, planned is %+v", l.Name, got, s)
				}
			}
		}
		if !found {
			t.Errorf("%s is not in the session", want.Name)
		}
	}
}

func TestBadSessionsAreRefused(t *testing.T) {
	for says, data := range map[string][]byte{
		"cannot be opened":        []byte("no zip"),
		"line 1":                  session(t, "<Project><Structure>"),
		"there is no track":       session(t, "<Project version=\"1.0\"/>"),
		"laid out in another way": session(t, "<Other/>"),
	} {
		_, err := dawproject.Decode(bytes.NewReader(data), int64(len(data)))
		var bad *format.Error
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), says) || bad.Do == "" {
			t.Errorf("got %q: %v; want errors.As(err, &bad), err.Error() with %v, bad.Do not \"\"", says, err, says)
		}
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	if _, err := dawproject.Decode(bytes.NewReader(b.Bytes()), int64(b.Len())); err == nil ||
		!strings.Contains(err.Error(), "no project.xml") {
		t.Errorf("got %v; want an error, err.Error() with \"no project.xml\"", err)
	}
}

// Devices of other programs: an instrument is no insert, an effect that the schema has no
// element for is one by its name, and what names of inserts cannot hold is left out.
func TestDevicesOfOtherProgramsAreRead(t *testing.T) {
	data := session(t, `<Project><Structure><Track name="Bass"><Channel id="c" role="regular"><Devices>
		<ClapPlugin deviceName="Tern" deviceRole="instrument"/>
		<Vst3Plugin deviceName="Slope (mono), two" deviceRole="audioFX"/>
		<Device deviceRole="audioFX"/>
		<Compressor deviceName="Compressor" deviceRole="audioFX"/>
		<Note deviceName="Arp" deviceRole="noteFX"/>
	</Devices></Channel></Track></Structure></Project>`)
	s, err := dawproject.Decode(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	want := []rig.Insert{{Kind: rig.OtherEffect, Name: "Slope mono two"}, {Kind: rig.OtherEffect, Name: "Device"},
		{Kind: rig.Compressor}}
	if got := s.Lanes[0].Inserts; !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(made))
	f.Add([]byte("<Project><Structure><Track><Track><Channel role='regular'/></Track></Track></Structure></Project>"))
	f.Add([]byte("<Project><Structure><Track><Channel role='regular'><Devices><Device deviceRole='audioFX' " +
		"comment='delay: x'/>" +
		"</Devices></Channel></Track></Structure></Project>"))
	f.Fuzz(func(t *testing.T, xml []byte) {
		data := session(t, string(xml))
		s, err := dawproject.Decode(bytes.NewReader(data), int64(len(data)))
		var bad *format.Error
		if err != nil && !errors.As(err, &bad) || err == nil && len(s.Lanes) == 0 {
			t.Fatal(err)
		}
		if err != nil {
			return
		}
		for _, l := range s.Lanes {
			if err := rig.ValidInserts(l.Inserts); err != nil {
				t.Fatalf("%s: %v", l.Name, err)
			}
			if back, err := rig.ParseInserts(rig.InsertsText(l.Inserts)); err != nil || !slices.Equal(back, l.Inserts) {
				t.Fatalf("%q is typed as %q, %v", l.Inserts, back, err)
			}
		}
	})
}

// Tracks stand in the order of the lanes: an instrument does not push the lanes before it behind.
func TestTracksStandInTheOrderOfTheLanes(t *testing.T) {
	for _, kind := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{FirstLane: 4}, "10x2", sample.BrineworkKit(), sample.SaltpanSection())
		testkit.Edit(t, p, edits.SetProfile(kind))
		others, err := plan.ParseOthers("1-3 Dialogue")
		if err != nil {
			t.Fatal(err)
		}
		testkit.Edit(t, p, edits.AddOthers(others))
		var want, got []string
		for _, l := range p.ByNumber() {
			want = append(want, l.Name)
		}
		for _, l := range testkit.Session(t, p).Lanes {
			if slices.Contains(want, l.Name) {
				got = append(got, l.Name)
			}
		}
		if !slices.Equal(got, want) {
			t.Errorf("%s: the tracks are %q; want the lanes in their order, %q", kind.Name, got, want)
		}
	}
}
