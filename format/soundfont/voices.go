package soundfont

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// PercussionBank is the bank that holds percussion.
const PercussionBank = 128

// Rig turns the bank into instruments: each percussion preset into one with a
// voice for every key or range of keys that sounds alike, and all melodic
// presets together into one with a part for each.
func (b *Bank) Rig() []rig.Instrument {
	var out []rig.Instrument
	parts := rig.Instrument{Name: b.Name}
	if parts.Name == "" {
		parts.Name = "Parts"
	}
	for i, p := range b.Presets {
		if p.Bank == PercussionBank {
			in := rig.Instrument{Name: p.Name, Bank: p.Bank, Program: p.Program, Voices: b.voices(p)}
			if in.Name == "" {
				in.Name = fmt.Sprintf("Percussion %d", p.Program)
			}
			if len(in.Voices) == 0 {
				b.warn("preset %q plays no sample and is left out", p.Name)
				continue
			}
			out = append(out, in)
			continue
		}
		parts.Parts = append(parts.Parts, b.part(i, p))
	}
	slices.SortStableFunc(out, func(a, c rig.Instrument) int { return a.Program - c.Program })
	if len(parts.Parts) > 0 {
		slices.SortStableFunc(parts.Parts, func(a, c rig.Part) int { return a.Program - c.Program })
		out = append(out, parts)
	}
	return out
}

// layer is one sample on a range of keys, with what the zones say about it.
type layer struct {
	low, top   int
	sample     Sample
	pan        int
	exclusive  int
	instrument int
}

func (b *Bank) layers(p Preset) []layer {
	var out []layer
	for _, pz := range p.Zones {
		for _, iz := range b.Instruments[pz.Target].Zones {
			l := layer{max(pz.KeyLow, iz.KeyLow), min(pz.KeyTop, iz.KeyTop), b.Samples[iz.Target], pz.Pan + iz.Pan,
				iz.Exclusive, pz.Target}
			if l.low <= l.top {
				out = append(out, l)
			}
		}
	}
	return out
}

func (b *Bank) part(i int, p Preset) rig.Part {
	g := role.GuessName(p.Name, role.OfPart)
	if g.Role == role.Unnamed {
		g.Role = role.FromProgram(p.Program)
	}
	name := p.Name
	if name == "" {
		name = fmt.Sprintf("Program %d", p.Program+1)
	}
	if p.Bank != 0 {
		name = fmt.Sprintf("%s (bank %d)", name, p.Bank)
	}
	// A player pans each note of a melodic preset: a part is stereo.
	return rig.Part{ID: fmt.Sprintf("p%d", i+1), Name: name, Role: g.Role, Width: audio.Stereo, Program: p.Program}
}

// voices groups the keys of a preset by the layers they sound.
func (b *Bank) voices(p Preset) []rig.Voice {
	layers := b.layers(p)
	bySound := map[string]int{}
	var voices []rig.Voice
	var sounding [][]layer
	for key := range 128 {
		var here []layer
		var sound strings.Builder
		for i, l := range layers {
			if l.low <= key && key <= l.top {
				here = append(here, l)
				fmt.Fprintf(&sound, "%d,", i)
			}
		}
		if len(here) == 0 {
			continue
		}
		at, known := bySound[sound.String()]
		if !known {
			at = len(voices)
			bySound[sound.String()] = at
			voices = append(voices, rig.Voice{ID: fmt.Sprintf("k%d", key), Width: width(here), Choke: here[0].exclusive})
			sounding = append(sounding, here)
		}
		voices[at].Keys = append(voices[at].Keys, midi.Key(key))
	}
	names := map[string]int{}
	for i := range voices {
		b.name(&voices[i], sounding[i], layers)
		if p.Program == role.EffectSet {
			g := role.ForEffect(voices[i].Name, voices[i].Keys)
			voices[i].Role, voices[i].Sure = g.Role, g.Sure
		}
		names[voices[i].Name]++
	}
	for i := range voices {
		if names[voices[i].Name] > 1 {
			voices[i].Name = fmt.Sprintf("%s %d", voices[i].Name, voices[i].Keys[0])
		}
	}
	return voices
}

// name calls a voice by the first of its samples whose name says what it is;
// by its instrument, where that plays these keys alone and says more; or by its
// first sample.
func (b *Bank) name(v *rig.Voice, sounding, all []layer) {
	for _, l := range sounding {
		n := tidy(l.sample)
		if g := role.ForPercussion(n, nil); g.Role != role.Unnamed {
			v.Name = n
			break
		}
	}
	if v.Name == "" {
		own := sounding[0].instrument
		alone := !slices.ContainsFunc(all, func(l layer) bool {
			return l.instrument == own && (l.low < int(v.Keys[0]) || l.top > int(v.Keys[len(v.Keys)-1]))
		})
		if n := strings.TrimSpace(b.Instruments[own].Name); alone && role.ForPercussion(n, nil).Role != role.Unnamed {
			v.Name = n
		} else {
			v.Name = tidy(sounding[0].sample)
		}
	}
	if v.Name == "" {
		v.Name = fmt.Sprintf("Key %d", v.Keys[0])
		if gm := midi.PercussionName(v.Keys[0]); gm != "" {
			v.Name = gm
		}
	}
	g := role.ForPercussion(v.Name, v.Keys)
	v.Role, v.Sure = g.Role, g.Sure
}

// width is stereo where the layers hold the two halves of a stereo sample: a
// left and a right one by their headers, or two panned hard apart.
func width(ls []layer) audio.Width {
	left := slices.ContainsFunc(ls, func(l layer) bool { return l.sample.Kind == LeftSample || l.pan <= -450 })
	right := slices.ContainsFunc(ls, func(l layer) bool { return l.sample.Kind == RightSample || l.pan >= 450 })
	if left && right {
		return audio.Stereo
	}
	return audio.Mono
}

// tidy is a sample's name for people: underscores become spaces, and the mark
// of a stereo half at the end is taken off.
func tidy(s Sample) string {
	n := strings.Join(strings.Fields(strings.ReplaceAll(s.Name, "_", " ")), " ")
	half := s.Kind == LeftSample || s.Kind == RightSample
	for _, mark := range []string{"(L)", "(R)", "-L", "-R", ".L", ".R", " L", " R", " Left", " Right", " left", " right",
		" l", " r", "[L]", "[R]"} {
		if cut, ok := strings.CutSuffix(n, mark); ok && strings.TrimSpace(cut) != "" {
			return strings.TrimRight(cut, " -._")
		}
	}
	if half && len(n) > 1 && strings.ContainsAny(n[len(n)-1:], "LR") {
		return strings.TrimRight(n[:len(n)-1], " -._(")
	}
	return n
}
