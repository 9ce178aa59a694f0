package dawproject

import (
	"bytes"
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Inserts are devices of their channel, in their order, before its mute as the schema has it
// (element names from memory of the schema; xmllint reads the file), and are read again as they
// were.
func TestInsertsAreDevices(t *testing.T) {
	inserts := []rig.Insert{{Kind: rig.Equaliser}, {Kind: rig.Compressor, Name: "Brick", Note: "slow, 3 dB"},
		{Kind: rig.NoiseGate, Name: "Lock"}, {Kind: rig.Reverberation, Name: "Hall", Note: "dark: 2 s"},
		{Kind: rig.Delay}, {Kind: rig.OtherEffect, Name: "Tape"}, {Kind: rig.Limiter}}
	p := &plan.Project{Name: "Inserts", Lanes: []plan.Lane{
		{ID: "l1", Number: 1, Name: "Kick", Colour: "#112233", Kind: plan.Regular, Width: audio.Mono, Inserts: inserts},
		{ID: "l2", Number: 2, Name: "Bus", Colour: "#112233", Kind: plan.Bus, Width: audio.Stereo}}}
	var b bytes.Buffer
	if err := Encode(&b, p, nil); err != nil {
		t.Fatal(err)
	}
	file, _ := unzip(t, b.Bytes())
	for query, want := range map[string]string{
		`name(//Track[@name="Kick"]/Channel/*[1])`:                                    "Devices",
		`name(//Track[@name="Kick"]/Channel/*[2])`:                                    "Mute",
		`count(//Devices)`:                                                            "1",
		`count(//Devices/*[@deviceRole="audioFX"])`:                                   "7",
		`name(//Devices/*[1])`:                                                        "Equalizer",
		`name(//Devices/*[2])`:                                                        "Compressor",
		`name(//Devices/*[3])`:                                                        "NoiseGate",
		`name(//Devices/*[4])`:                                                        "Device",
		`name(//Devices/*[7])`:                                                        "Limiter",
		`string(//Compressor/@deviceName)`:                                            "Brick",
		`string(//Device[1]/@deviceName)`:                                             "Hall",
		`string(//Equalizer/Enabled/@value)`:                                          "true",
		`count(//@id[. = following::*/@id])`:                                          "0",
		`count(//Devices/*[not(@deviceName) or not(@loaded) or not(@id)])`:            "0",
		`count(//Track[@name="Bus" or @name="Main mix"]/Channel/Devices)`:             "0",
		`string(//Devices/*[@deviceName="Tape"]/@comment)`:                            "other",
		`count(//Devices/Device[@deviceName="delay" and @comment="delay"])`:           "1",
		`string-length(//Devices/*[@deviceName="equaliser"]/@comment)`:                "0",
		`count(//Devices/*/*[name() != "Enabled"])`:                                   "0",
		`count(//Channel/Devices[preceding-sibling::Volume or preceding-sibling::*])`: "0",
	} {
		if got := xpath(t, file, query); got != want {
			t.Errorf("%s is %q, want %q", query, got, want)
		}
	}
	s, err := Decode(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	if got := s.Lanes[0].Inserts; !s.Inserts || !slices.Equal(got, inserts) {
		t.Errorf("read again the inserts are %v, were %v", got, inserts)
	}
}
