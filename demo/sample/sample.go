// Package sample holds the instruments and songs of the sample world: a small scoring room
// that makes the music of an animated series about a river ferry. All of it is invented.
// It knows the core and songs alone, so that every test can use it.
package sample

import (
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format/smf"
)

const origin = "sample world"

// brineworkVoices are what is struck of the kit, with the microphones that hear it.
func brineworkVoices(ambience []string) (out []rig.Voice) {
	for _, v := range []struct {
		name  string
		role  role.Role
		keys  []midi.Key
		close []string
	}{
		{"Kick", "kit/kick", []midi.Key{35, 36}, []string{"kin", "kout"}},
		{"Snare", "kit/snare", []midi.Key{38, 40}, []string{"stop", "sbot"}},
		{"Side Stick", "kit/snare/side", []midi.Key{37}, []string{"stop", "sbot"}},
		{"Hat Closed", "kit/hat", []midi.Key{42}, []string{"hat"}},
		{"Hat Pedal", "kit/hat", []midi.Key{44}, []string{"hat"}}, {"Hat Open", "kit/hat", []midi.Key{46}, []string{"hat"}},
		{"Rack Tom", "kit/tom/rack/1", []midi.Key{48, 50}, []string{"r1"}},
		{"Floor Tom 1", "kit/tom/floor/1", []midi.Key{43}, []string{"f1"}},
		{"Floor Tom 2", "kit/tom/floor/2", []midi.Key{41}, []string{"f2"}},
		{"Ride Cymbal", "kit/cymbal/ride", []midi.Key{51, 53, 59}, []string{"ride"}},
		{"Left Crash", "kit/cymbal/crash", []midi.Key{49}, []string{"cl"}},
		{"Right Crash", "kit/cymbal/crash", []midi.Key{57}, []string{"cr"}},
	} {
		out = append(out, rig.Voice{ID: fmt.Sprintf("v%d", v.keys[0]), Name: v.name, Role: v.role,
			Sure: role.Sure, Keys: v.keys, Width: audio.Mono,
			Heard: pickup(v.close, ambience)})
	}
	return out
}

// BrineworkKit is an acoustic kit: fourteen microphones, four small percussion voices with
// outputs of their own, ten stereo outputs in the smaller of its two versions.
func BrineworkKit() rig.Instrument {
	in := rig.Instrument{Name: "Brinework Kit", Origin: origin, Bank: 128,
		Delivered: []rig.Run{{Count: 10, Width: audio.Stereo}},
		Ports:     20, Variants: []rig.Variant{{Name: "20 ports", Ports: 20}, {Name: "44 ports", Ports: 44}},
		Pans: true, BaseMiB: 180, Traits: rig.Traits{VersionFixed: true, Defaults: rig.DefaultOne,
			Spreads: []rig.Spread{rig.InOrder}, Names: rig.OutputRows{{From: 1, To: 1, Name: "Deck"},
				{Width: audio.Stereo, Name: "Hold {n}"}, {Width: audio.Mono, Name: "Rope {n}"}}}}
	ambience := []string{"oh", "near", "far"}
	for _, m := range []struct {
		id, name string
		role     role.Role
		width    audio.Width
	}{
		{"kin", "Kick In", "kit/kick/in", audio.Mono}, {"kout", "Kick Out", "kit/kick/out", audio.Mono},
		{"stop", "Snare Top", "kit/snare/top", audio.Mono}, {"sbot", "Snare Bottom", "kit/snare/bottom", audio.Mono},
		{"hat", "Hat", "kit/hat", audio.Mono},
		{"r1", "Rack 1", "kit/tom/rack/1", audio.Mono},
		{"f1", "Floor 1", "kit/tom/floor/1", audio.Mono}, {"f2", "Floor 2", "kit/tom/floor/2", audio.Mono},
		{"ride", "Ride", "kit/cymbal/ride", audio.Mono}, {"oh", "Overhead", "kit/overhead", audio.Stereo},
		{"cl", "Crash Left", "kit/cymbal/crash", audio.Mono}, {"cr", "Crash Right", "kit/cymbal/crash", audio.Mono},
		{"near", "Room Near", "kit/room/near", audio.Stereo}, {"far", "Room Far", "kit/room/far", audio.Stereo},
	} {
		in.Microphones = append(in.Microphones, rig.Microphone{ID: m.id, Name: m.name, Role: m.role, Width: m.width,
			Position: position(m.role), MiB: 60 * float64(m.width), MiBRooms: 41 * float64(m.width),
			MiBNone: 27 * float64(m.width),
			Splits:  m.id == "oh"})
	}
	in.Voices = brineworkVoices(ambience)
	// the snare bleeds into the hat
	in.Voices[1].Heard = append(in.Voices[1].Heard, rig.Heard{Microphone: "hat", Level: -26})
	in.Microphones[4].BleedOff = true
	for _, v := range []struct {
		name string
		role role.Role
		key  midi.Key
	}{{"Shaker", "percussion/shaker", 70}, {"Cowbell", "percussion/cowbell", 56},
		{"Woodblock", "percussion/woodblock", 76}, {"Bell Tree", "percussion/bells", 84}} {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v.key), Name: v.name, Role: v.role, Sure: role.Sure,
			Keys: []midi.Key{v.key}, Width: audio.Mono})
	}
	return in
}

// pickup is a voice heard by its own microphones and, softer, by the ambience.
func pickup(own, ambience []string) []rig.Heard {
	out := rig.HeardThrough(own...)
	for i, m := range ambience {
		out = append(out, rig.Heard{Microphone: m, Level: audio.Decibels(-3 * (i + 1))})
	}
	return out
}

// position is how far from the source a microphone of the role stands.
func position(r role.Role) role.Position {
	switch {
	case r.Under("kit/overhead"):
		return "overhead"
	case r.Under("kit/room"):
		return role.Position("room/" + r.Segments()[2])
	}
	return "close"
}

// FlintTwelve is a drum machine: twelve pads on seven stereo outputs, two of the
// pads in one slot as delivered.
func FlintTwelve() rig.Instrument {
	in := rig.Instrument{Name: "Flint Twelve", Origin: origin, Bank: 128, Program: 25,
		Delivered: []rig.Run{{Count: 7, Width: audio.Stereo}}, Fixed: true, Pans: true, BaseMiB: 24,
		Traits: rig.Traits{OwnPlaces: true, KitReplaces: true, Player: rig.PlayerOff, Spreads: []rig.Spread{rig.InOrder}}}
	for i, v := range []struct {
		name string
		key  midi.Key
		slot int
	}{{"Kick", 36, 0}, {"Snare", 38, 0}, {"Clap", 39, 0}, {"Rim", 37, 0}, {"Hat Closed", 42, 7}, {"Hat Open", 46, 7},
		{"Tom Low", 45, 0}, {"Tom High", 50, 0}, {"Crash", 49, 0}, {"Ride", 51, 0}, {"Cowbell", 56, 0}, {"Shaker", 70, 0}} {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("pad%d", i+1), Name: v.name,
			Role: role.ForPercussion(v.name, []midi.Key{v.key}).Role, Sure: role.Sure,
			Keys: []midi.Key{v.key}, Width: audio.Mono, Slot: v.slot})
	}
	in.Voices[4].Choke, in.Voices[5].Choke = 1, 1
	in.Layouts = []rig.Layout{
		layout(in, "All on the first", func(f rig.Feed) int { return 1 }),
		layout(in, "Kick, snare, hats, toms lumped", func(f rig.Feed) int {
			for n, r := range []role.Role{"kit/kick", "kit/snare", "kit/hat", "kit/tom", "kit/cymbal"} {
				if f.Role.Under(r) {
					return n + 1
				}
			}
			return 6
		}),
	}
	return in
}

// layout is one of the factory's own, on the outputs as delivered.
func layout(in rig.Instrument, name string, on func(f rig.Feed) int) rig.Layout {
	l := rig.Layout{Name: name, Factory: true, Kit: kitOf[name], Outputs: rig.Lay(in.Delivered, 1),
		Feeds: map[string]rig.Placing{}}
	for _, f := range in.Feeds() {
		l.Feeds[f.ID] = rig.Placing{Output: on(f)}
	}
	return l
}

// kitOf are the kits that layouts come with.
var kitOf = map[string]string{"Kick, snare, hats, toms lumped": "the kit Gravel"}

// SaltpanSection is steel pans: four parts through three microphone positions each and a
// ready-made mix of those; its outputs are made freely from 44 ports.
func SaltpanSection() rig.Instrument {
	in := rig.Instrument{Name: "Saltpan Section", Origin: origin, Delivered: []rig.Run{{Count: 6, Width: audio.Stereo}},
		Ports: 44, BaseMiB: 96, Traits: rig.Traits{Spreads: []rig.Spread{rig.OneEach}, Load: 3.5, MaxParts: 7,
			Channels: 7}}
	var all []string
	for _, m := range []struct {
		id, name string
		position role.Position
	}{{"close", "Close", "close"}, {"mid", "Mid", "mid"}, {"room", "Room", "room"}} {
		in.Microphones = append(in.Microphones, rig.Microphone{ID: m.id, Name: m.name, Width: audio.Stereo,
			Position: m.position, MiB: 40})
		all = append(all, m.id)
	}
	in.Microphones = append(in.Microphones, rig.Microphone{ID: "mix", Name: "Mix", Width: audio.Stereo, Position: "mix",
		MiB:  40,
		Sums: all})
	all = append(all, "mix")
	for i, p := range []struct {
		name string
		role role.Role
	}{{"Lead Pan", "mallets/steel-pan/lead"}, {"Double Pan", "mallets/steel-pan/double"},
		{"Cello Pan", "mallets/steel-pan/cello"}, {"Bass Pan", "mallets/steel-pan/bass"}} {
		in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("part%d", i+1), Name: p.name, Role: p.role,
			Width: audio.Stereo, Program: -1,
			Address: midi.Address{Port: 1, Channel: midi.Channel(i + 1)}, Microphones: all})
	}
	in.Layouts = []rig.Layout{
		layout(in, "One output a part", func(f rig.Feed) int {
			if f.Microphone == "mix" {
				return 0
			}
			return slices.IndexFunc(in.Parts, func(p rig.Part) bool { return p.ID == f.Part }) + 1
		}),
		layout(in, "One output a microphone", func(f rig.Feed) int {
			return (slices.Index(all, f.Microphone) + 1) % len(all)
		}),
	}
	return in
}

// ReedCabinet is six woodwind parts on MIDI channels 1 to 6, on one stereo
// output as delivered.
func ReedCabinet() rig.Instrument {
	in := rig.Instrument{Name: "Reed Cabinet", Origin: origin, Delivered: []rig.Run{{Count: 1, Width: audio.Stereo}},
		Effects: []rig.Effect{{ID: "room", Name: "cabinet reverb", Kind: rig.Reverberation}},
		Traits:  rig.Traits{SeparateSwitch: true, Defaults: rig.DefaultAll, Load: 6, MaxParts: 9, Channels: 9}}
	for i, name := range []string{"Piccolo", "Flute", "Oboe", "Clarinet", "Bass Clarinet", "Bassoon"} {
		in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("part%d", i+1), Name: name, Role: role.FromName(name).Role,
			Width: audio.Stereo, Program: -1,
			Address: midi.Address{Port: 1, Channel: midi.Channel(i + 1)}})
	}
	return in
}

// tempo is the event for so many beats a minute.
func tempo(bpm int) smf.Event {
	us := 60_000_000 / bpm
	return smf.Event{Status: 0xff, Meta: smf.MetaTempo, Data: []byte{byte(us >> 16), byte(us >> 8), byte(us)}}
}

// Song is the drum track of "Cue 03 Fog Bell": sixteen bars at 92 that play
// every voice of the Brinework Kit.
func Song() *smf.File {
	const division, bars = 480, 16
	var t smf.Track
	t = append(t, smf.Event{Status: 0xff, Meta: smf.MetaTrackName, Data: []byte("Fog Bell drums")},
		tempo(92),
		smf.Event{Status: 0xff, Meta: smf.MetaTimeSignature, Data: []byte{4, 2, 24, 8}})
	fill := []byte{50, 48, 43, 41}
	for step := range bars * 16 { // sixteenths
		var hits []byte
		bar, at := step/16, step%16
		switch at {
		case 0, 10:
			hits = append(hits, 36)
		case 4, 12:
			hits = append(hits, 38)
		case 7:
			hits = append(hits, 37)
		}
		if at%2 == 0 && bar%8 < 4 {
			hits = append(hits, 42)
		} else if at%4 == 0 {
			hits = append(hits, 51)
		}
		if at%4 == 2 {
			hits = append(hits, 70)
		}
		if at == 8 {
			hits = append(hits, 56)
		}
		if bar%4 == 3 && at >= 12 {
			hits = append(hits, fill[at-12], 76)
		}
		if bar%4 == 0 && at == 0 {
			hits = append(hits, []byte{49, 57}[bar/4%2])
		}
		if bar%8 == 7 && at == 8 {
			hits = append(hits, 84)
		}
		tick := int64(step * division / 4)
		for _, k := range hits {
			t = append(t, smf.Event{Tick: tick, Status: 0x99, Data: []byte{k, byte(84 + step*7%32)}})
		}
		for _, k := range hits {
			t = append(t, smf.Event{Tick: tick + division/8, Status: 0x89, Data: []byte{k, 64}})
		}
	}
	return &smf.File{Type: 0, Division: division, Tracks: []smf.Track{t}}
}

// PanSong is the music of "Cue 11 Market Day": eight bars at 104, a track for each of the
// four steel pan parts on its channel.
func PanSong() *smf.File {
	const division = 480
	f := &smf.File{Type: 1, Division: division, Tracks: []smf.Track{{
		{Status: 0xff, Meta: smf.MetaTrackName, Data: []byte("Market Day")},
		tempo(104),
	}}}
	roots := []byte{48, 45, 53, 55, 48, 52, 50, 55} // of the bars
	for i, part := range []struct {
		name  string
		every int64 // ticks
		above []byte
	}{
		{"Lead", division / 2, []byte{24, 28, 31, 28, 24, 31, 36, 31}},
		{"Double", division, []byte{16, 19}},
		{"Cello", 2 * division, []byte{7, 4}},
		{"Bass", division, []byte{0, 0, 7, 0}},
	} {
		t := smf.Track{{Status: 0xff, Meta: smf.MetaTrackName, Data: []byte(part.name)}}
		for n, tick := 0, int64(0); tick < int64(len(roots))*4*division; n, tick = n+1, tick+part.every {
			key := roots[tick/(4*division)] + part.above[n%len(part.above)]
			if part.name == "Bass" {
				key -= 12
			}
			t = append(t, smf.Event{Tick: tick, Status: 0x90 | byte(i), Data: []byte{key, byte(76 + n*5%24)}},
				smf.Event{Tick: tick + part.every*3/4, Status: 0x80 | byte(i), Data: []byte{key, 64}})
		}
		f.Tracks = append(f.Tracks, t)
	}
	return f
}
