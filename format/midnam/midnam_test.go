package midnam

import (
	"bytes"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/internal/outside"
)

// A made-up device, as the document type has it (DTD 1.0, from memory).
const device = `<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE MIDINameDocument PUBLIC "-//MIDI Manufacturers Association//DTD MIDINameDocument 1.0//EN" "x.dtd">
<MIDINameDocument>
  <Author/>
  <MasterDeviceNames>
    <Manufacturer>Slipway</Manufacturer>
    <Model>Bilge Box</Model>
    <CustomDeviceMode Name="Default"><ChannelNameSetAssignments><ChannelNameSetAssign Channel="10" NameSet="Drums"/></ChannelNameSetAssignments></CustomDeviceMode>
    <ChannelNameSet Name="Drums">
      <AvailableForChannels><AvailableChannel Channel="10" Available="true"/></AvailableForChannels>
      <UsesNoteNameList Name="Pumps"/>
      <PatchBank Name="A"><PatchNameList><Patch Number="1" Name="Low Oboe" ProgramChange="68"/></PatchNameList></PatchBank>
    </ChannelNameSet>
    <NoteNameList Name="Pumps">
      <Note Number="36" Name="Kick &amp; Thump"/>
      <NoteGroup Name="Tin"><Note Number="38" Name="Snr Top"/><Note Number="200" Name="No"/><Note Number="36" Name="Again"/></NoteGroup>
    </NoteNameList>
  </MasterDeviceNames>
</MIDINameDocument>`

func TestNotesAreVoicesAndPatchesAreParts(t *testing.T) {
	ins, warnings, err := Decode(strings.NewReader(device))
	if err != nil || len(ins) != 2 || len(warnings) != 2 {
		t.Fatal(ins, warnings, err)
	}
	if v := ins[0].Voices; ins[0].Name != "Bilge Box Pumps" || len(v) != 2 || v[0].Name != "Kick & Thump" ||
		v[1].Role != "kit/snare/top" || v[1].Keys[0] != 38 {
		t.Errorf("got %+v; want ins[0].Name \"Bilge Box Pumps\", len(v) 2, v[0].Name \"Kick & Thump\", v[1].Role "+
			"\"kit/snare/top\", v[1].Keys[0] 38", ins[0])
	}
	if p := ins[1].Parts; len(p) != 1 || p[0].Program != 68 || p[0].Role != "woodwind/oboe" {
		t.Errorf("got %+v; want len(p) 1, p[0].Program 68, p[0].Role \"woodwind/oboe\"", ins[1])
	}
}

// What is written is read by Debian's xmllint, an independent reader, and again
// by this package.
func TestWhatIsWrittenIsReadByAnotherProgram(t *testing.T) {
	in := rig.Instrument{Name: `Keel "Kit" <2>`, Voices: []rig.Voice{{ID: "a", Name: "Kick", Keys: []midi.Key{35, 36}},
		{ID: "b", Name: "Bell & Rope", Keys: []midi.Key{53}}},
		Parts: []rig.Part{{ID: "p", Name: "Horn", Program: 60, Address: midi.Address{Port: 1, Channel: 3}}}}
	var b bytes.Buffer
	if err := Encode(&b, in); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "x.midnam")
	if err := os.WriteFile(file, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	for query, want := range map[string]string{
		`string(//NoteNameList/Note[@Number="53"]/@Name)`: "Bell & Rope",
		`string(//Model)`: in.Name,
		`count(//Note)`:   "3",
		`string(//AvailableChannel[@Available="true"]/@Channel)`:                                 "3",
		`string(//Patch/@ProgramChange)`:                                                         "60",
		`string(//ChannelNameSet[@Name=//ChannelNameSetAssign/@NameSet]/UsesNoteNameList/@Name)`: "Notes",
	} {
		outside.Program(t, "xmllint", "libxml2-utils")
		out, err := exec.Command("xmllint", "--nonet", "--xpath", query, file).CombinedOutput()
		if got := strings.TrimSpace(string(out)); err != nil || got != want {
			t.Errorf("xmllint says %s is %q, want %q (%v)", query, got, want, err)
		}
	}
	ins, _, err := Decode(&b)
	if err != nil || len(ins) != 2 || len(ins[0].Voices) != 2 || ins[1].Parts[0].Name != "Horn" {
		t.Errorf("got %+v %v; want len(ins) 2, len(ins[0].Voices) 2, ins[1].Parts[0].Name \"Horn\"", ins, err)
	}
}

func TestBadDocumentsAreRefused(t *testing.T) {
	for says, text := range map[string]string{
		"line 2":                 "<MIDINameDocument>\n<MasterDeviceNames></MIDINameDocument>",
		"it names no note":       "<MIDINameDocument><MasterDeviceNames/></MIDINameDocument>",
		"whose root is MIDIName": "<?xml version=\"1.0\"?><html></html>",
		"it ends too early":      "",
		"not XML there (line 1)": "<MIDINameDocument><MasterDeviceNames>",
		"not XML there (line 3)": "<MIDINameDocument>\n\n&x;</MIDINameDocument>",
	} {
		_, _, err := Decode(strings.NewReader(text))
		var bad *format.Error
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), says) || bad.Do == "" {
			t.Errorf("got %q: %v; want errors.As(err, &bad), err.Error() with %v, bad.Do not \"\"", says, err, says)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte(device))
	f.Fuzz(func(t *testing.T, data []byte) {
		ins, _, err := Decode(bytes.NewReader(data))
		var bad *format.Error
		if err != nil && !errors.As(err, &bad) {
			t.Fatal(err)
		}
		for _, in := range ins {
			if err := in.Validate(); err != nil {
				t.Fatal(err)
			}
		}
	})
}

// What stands outside a device's own sets is read too: names that extend a device, lists that no bank
// uses, a program that is said by a command.
func TestExtendingNamesAndLooseListsAreRead(t *testing.T) {
	ins, _, err := Decode(strings.NewReader(`<MIDINameDocument><Author/>
<ExtendingDeviceNames><Manufacturer>Slipway</Manufacturer><Model>Hull Board</Model><Device Name="Board" UniqueID="1"/>
 <PatchNameList Name="Extra"><Patch Number="1" Name="Low Oboe"><PatchMIDICommands><ProgramChange Channel="1" Number="68"/></PatchMIDICommands></Patch></PatchNameList>
 <NoteNameList Name="Pumps"><Note Number="36" Name="Kick"/></NoteNameList></ExtendingDeviceNames>
<PatchNameList Name="Loose"><Patch Number="1" Name="Tuba" ProgramChange="58"/></PatchNameList></MIDINameDocument>`))
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, in := range ins {
		got = append(got, in.Name)
	}
	if strings.Join(got, ", ") != "Hull Board Pumps, Hull Board Extra, MIDI device Loose" ||
		ins[1].Parts[0].Program != 68 {
		t.Errorf("read are %q, %+v", got, ins)
	}
}

func TestTwoListsOfOneNameAreBothRead(t *testing.T) {
	list := func(name string) string {
		return `<NoteNameList Name="Drums"><Note Number="36" Name="` + name + `"/></NoteNameList>`
	}
	ins, _, err := Decode(strings.NewReader(`<MIDINameDocument><MasterDeviceNames><Manufacturer>Slipway</Manufacturer><Model>Box</Model>
<ChannelNameSet Name="A">` + list("Kick") + `</ChannelNameSet><ChannelNameSet Name="B">` + list("Boom") +
		`</ChannelNameSet><ChannelNameSet Name="C">` +
		list("Kick") + `</ChannelNameSet></MasterDeviceNames></MIDINameDocument>`))
	if err != nil || len(ins) != 2 || ins[0].Voices[0].Name == ins[1].Voices[0].Name || ins[0].Name == ins[1].Name {
		t.Errorf("two lists called Drums and one like the first are read as %+v, %v", ins, err)
	}
}

func TestVoicesOnSeveralKeysComeBackAsTheyWere(t *testing.T) {
	in := rig.Instrument{Name: "Keel", Voices: []rig.Voice{{ID: "a", Name: "Kick", Keys: []midi.Key{35, 36}},
		{ID: "b", Name: "Tom", Keys: []midi.Key{41}}, {ID: "c", Name: "Tom", Keys: []midi.Key{43}},
		{ID: "d", Name: "Shaker", Keys: []midi.Key{70, 82, 90}}}}
	var b bytes.Buffer
	if err := Encode(&b, in); err != nil {
		t.Fatal(err)
	}
	back, _, err := Decode(&b)
	if err != nil || len(back) != 1 || len(back[0].Voices) != 4 {
		t.Fatalf("%+v, %v", back, err)
	}
	for i, v := range back[0].Voices {
		if v.Name != in.Voices[i].Name || !slices.Equal(v.Keys, in.Voices[i].Keys) {
			t.Errorf("%s on %v came back as %s on %v", in.Voices[i].Name, in.Voices[i].Keys, v.Name, v.Keys)
		}
	}
}
