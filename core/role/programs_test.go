package role

import "testing"

// The General MIDI level 1 sound set, programs 1–128, as published by the MIDI
// Manufacturers Association (RP-003); the names are from memory, and so is their order. The
// second column is the role of such a sound, or of the family that it is of; "" stands
// for the sound effects of programs 121–128, which are no instrument.
var generalMIDI = [128]struct{ name, role string }{
	{"Acoustic Grand Piano", "keys/piano"}, {"Bright Acoustic Piano", "keys/piano"},
	{"Electric Grand Piano", "keys/piano"},
	{"Honky-tonk Piano", "keys/piano"}, {"Electric Piano 1", "keys/piano"}, {"Electric Piano 2", "keys/piano"},
	{"Harpsichord", "keys"}, {"Clavi", "keys"},
	{"Celesta", "mallets"}, {"Glockenspiel", "mallets"}, {"Music Box", "mallets"}, {"Vibraphone", "mallets"},
	{"Marimba", "mallets"}, {"Xylophone", "mallets"}, {"Tubular Bells", "mallets"}, {"Dulcimer", "mallets"},
	{"Drawbar Organ", "keys/organ"}, {"Percussive Organ", "keys/organ"}, {"Rock Organ", "keys/organ"},
	{"Church Organ", "keys/organ"}, {"Reed Organ", "keys/organ"}, {"Accordion", "keys"}, {"Harmonica", "keys"},
	{"Tango Accordion", "keys"},
	{"Acoustic Guitar (nylon)", "plucked/guitar"}, {"Acoustic Guitar (steel)", "plucked/guitar"},
	{"Electric Guitar (jazz)", "plucked/guitar"}, {"Electric Guitar (clean)", "plucked/guitar"},
	{"Electric Guitar (muted)", "plucked/guitar"}, {"Overdriven Guitar", "plucked/guitar"},
	{"Distortion Guitar", "plucked/guitar"}, {"Guitar Harmonics", "plucked/guitar"},
	{"Acoustic Bass", "plucked/bass"}, {"Electric Bass (finger)", "plucked/bass"},
	{"Electric Bass (pick)", "plucked/bass"},
	{"Fretless Bass", "plucked/bass"}, {"Slap Bass 1", "plucked/bass"}, {"Slap Bass 2", "plucked/bass"},
	{"Synth Bass 1", "synth"}, {"Synth Bass 2", "synth"},
	{"Violin", "strings"}, {"Viola", "strings"}, {"Cello", "strings"}, {"Contrabass", "strings"},
	{"Tremolo Strings", "strings"}, {"Pizzicato Strings", "strings"}, {"Orchestral Harp", "plucked/harp"},
	{"Timpani", "percussion/timpani"},
	{"String Ensemble 1", "strings"}, {"String Ensemble 2", "strings"}, {"SynthStrings 1", "strings"},
	{"SynthStrings 2", "strings"}, {"Choir Aahs", "voices"}, {"Voice Oohs", "voices"}, {"Synth Voice", "voices"},
	{"Orchestra Hit", "strings"},
	{"Trumpet", "brass"}, {"Trombone", "brass"}, {"Tuba", "brass"}, {"Muted Trumpet", "brass"}, {"French Horn", "brass"},
	{"Brass Section", "brass"}, {"SynthBrass 1", "brass"}, {"SynthBrass 2", "brass"},
	{"Soprano Sax", "woodwind"}, {"Alto Sax", "woodwind"}, {"Tenor Sax", "woodwind"}, {"Baritone Sax", "woodwind"},
	{"Oboe", "woodwind"}, {"English Horn", "woodwind"}, {"Bassoon", "woodwind"}, {"Clarinet", "woodwind"},
	{"Piccolo", "woodwind"}, {"Flute", "woodwind"}, {"Recorder", "woodwind"}, {"Pan Flute", "woodwind"},
	{"Blown Bottle", "woodwind"}, {"Shakuhachi", "woodwind"}, {"Whistle", "woodwind"}, {"Ocarina", "woodwind"},
	{"Lead 1 (square)", "synth"}, {"Lead 2 (sawtooth)", "synth"}, {"Lead 3 (calliope)", "synth"},
	{"Lead 4 (chiff)", "synth"}, {"Lead 5 (charang)", "synth"}, {"Lead 6 (voice)", "synth"}, {"Lead 7 (fifths)", "synth"},
	{"Lead 8 (bass + lead)", "synth"},
	{"Pad 1 (new age)", "synth"}, {"Pad 2 (warm)", "synth"}, {"Pad 3 (polysynth)", "synth"}, {"Pad 4 (choir)", "synth"},
	{"Pad 5 (bowed)", "synth"}, {"Pad 6 (metallic)", "synth"}, {"Pad 7 (halo)", "synth"}, {"Pad 8 (sweep)", "synth"},
	{"FX 1 (rain)", "effects"}, {"FX 2 (soundtrack)", "effects"}, {"FX 3 (crystal)", "effects"},
	{"FX 4 (atmosphere)", "effects"},
	{"FX 5 (brightness)", "effects"}, {"FX 6 (goblins)", "effects"}, {"FX 7 (echoes)", "effects"},
	{"FX 8 (sci-fi)", "effects"},
	{"Sitar", "plucked"}, {"Banjo", "plucked"}, {"Shamisen", "plucked"}, {"Koto", "plucked"}, {"Kalimba", "plucked"},
	{"Bag pipe", "woodwind"}, {"Fiddle", "strings/violin"}, {"Shanai", "woodwind"},
	{"Tinkle Bell", "percussion"}, {"Agogo", "percussion"}, {"Steel Drums", "mallets/steel-pan"},
	{"Woodblock", "percussion"},
	{"Taiko Drum", "percussion"}, {"Melodic Tom", "percussion"}, {"Synth Drum", "percussion"},
	{"Reverse Cymbal", "percussion"},
	{"Guitar Fret Noise", ""}, {"Breath Noise", ""}, {"Seashore", ""}, {"Bird Tweet", ""}, {"Telephone Ring", ""},
	{"Helicopter", ""}, {"Applause", ""}, {"Gunshot", ""},
}

func TestEveryGeneralMIDIProgramHasTheRoleOfItsSound(t *testing.T) {
	for n, want := range generalMIDI {
		got := FromProgram(n)
		if want.role == "" && got != Unnamed && got.Root() != "effects" || want.role != "" && !got.Under(Role(want.role)) {
			t.Errorf("program %d, %s, is %q; want %q", n+1, want.name, got, want.role)
		}
	}
	for _, n := range []int{-1, 128, 4000} {
		if got := FromProgram(n); got != Unnamed {
			t.Errorf("program number %d, which there is not, is %q", n, got)
		}
	}
}
