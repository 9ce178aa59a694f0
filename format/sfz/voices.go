package sfz

import (
	"encoding/binary"
	"fmt"
	"io"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// sound is what a region says that matters for voices.
type sound struct {
	lo, hi     int
	loch, hich int
	output     int
	label      string // of its own, or of a group or master
	own        bool   // the label is the region's own
	sample     string
}

// Rig makes the instrument: voices of a kit, or a part for each channel of a
// melodic one. regions gives the regions of each voice or part by its ID, as
// indexes for Route.
func (f *File) Rig(instrument string) (in rig.Instrument, regions map[string][]int) {
	in = rig.Instrument{Name: instrument}
	regions = map[string][]int{}
	sounds := make([]sound, len(f.regions))
	silent := 0
	offsets := map[int]int{} // by how many <control> headers there are
	var heard []int
	for i, r := range f.regions {
		offset, known := offsets[r.controls]
		if !known {
			offset = f.offset(r)
			offsets[r.controls] = offset
		}
		s, ok := f.sound(r, offset)
		sounds[i] = s
		if !ok {
			silent++
			continue
		}
		heard = append(heard, i)
	}
	if silent > 0 {
		f.Warnings = append(f.Warnings, fmt.Sprintf("%d regions are not played by keys and belong to no voice", silent))
	}
	groups := f.gather(heard, sounds)
	outputs := 0
	for _, s := range sounds {
		outputs = max(outputs, s.output+1)
	}
	in.Delivered = []rig.Run{{Count: max(outputs, 1), Width: audio.Stereo}}
	if f.melodic(groups, sounds) {
		f.parts(&in, heard, sounds, regions)
	} else {
		voices, mics, rest := f.microphones(groups, sounds)
		f.miked(&in, voices, mics, regions)
		f.kit(&in, rest, sounds, regions)
	}
	if outputs > 1 {
		at := map[string]rig.Placing{}
		for id, of := range regions {
			if len(of) > 0 {
				at[id] = rig.Placing{Output: sounds[of[0]].output + 1}
			}
		}
		in.Layouts = []rig.Layout{in.FactoryLayout("As in the file", "", at)}
	}
	return in, regions
}

// offset is what <control> shifts the keys of a region by, in semitones.
func (f *File) offset(r region) int {
	n := 0
	for name, k := range map[string]int{"note_offset": 1, "octave_offset": 12} {
		if v, ok := f.controlled(r, name); ok {
			x, _ := strconv.Atoi(v)
			n += k * min(max(x, -127), 127)
		}
	}
	return n
}

// sound reads a region; ok is false where no key plays it, or where it plays nothing.
func (f *File) sound(r region, offset int) (s sound, ok bool) {
	if r.get("end") == "-1" {
		return s, false
	}
	s = sound{lo: 0, hi: 127, loch: 1, hich: 16, sample: r.get("sample")}
	// A nearer header's key sets the range again, and so do its lokey and hikey.
	for _, h := range [...]*header{r.global, r.master, r.group, r.own} {
		if h == nil {
			continue
		}
		for _, op := range h.opcodes {
			switch op.name {
			case "key", "lokey", "hikey":
				k, known := opcodeKey(op.value)
				if !known {
					continue
				}
				if op.name != "hikey" {
					s.lo = k
				}
				if op.name != "lokey" {
					s.hi = k
				}
			case "lochan":
				s.loch = number(op.value, 1)
			case "hichan":
				s.hich = number(op.value, 16)
			case "output":
				s.output = min(max(number(op.value, 0), 0), 255)
			}
		}
	}
	if v, has := r.own.get("region_label"); has && v != "" {
		s.label, s.own = v, true
	} else {
		for _, l := range []string{"group_label", "master_label"} {
			if s.label == "" {
				s.label = r.get(l)
			}
		}
	}
	if s.lo < 0 || s.hi < 0 { // -1: by controllers alone
		return s, false
	}
	s.lo, s.hi = s.lo+offset, s.hi+offset
	if s.hi < 0 || s.lo > 127 || s.hi < s.lo {
		return s, false
	}
	s.lo, s.hi = max(s.lo, 0), min(s.hi, 127)
	return s, true
}

func number(s string, fallback int) int {
	if n, err := strconv.Atoi(s); err == nil {
		return n
	}
	return fallback
}

// opcodeKey reads a key as SFZ writes it: a number from -1, or a note name in which
// middle C, key 60, is c4.
func opcodeKey(s string) (int, bool) {
	if n, err := strconv.Atoi(s); err == nil {
		return n, n >= -1 && n <= 127
	}
	s = strings.ToLower(s)
	if s == "" {
		return 0, false
	}
	step := strings.IndexByte("c d ef g a b", s[0])
	if step < 0 || s[0] == ' ' {
		return 0, false
	}
	rest := s[1:]
	switch {
	case strings.HasPrefix(rest, "#"), strings.HasPrefix(rest, "♯"):
		step++
	case strings.HasPrefix(rest, "b"), strings.HasPrefix(rest, "♭"):
		step--
	}
	rest = strings.TrimLeft(rest, "#♯b♭")
	octave, err := strconv.Atoi(rest)
	n := (octave+1)*12 + step
	return n, err == nil && n >= 0 && n <= 127
}

// gathered is the regions of one voice.
type gathered struct {
	regions []int
	keys    []midi.Key
	label   string
}

// gather puts regions together that sound as one: those with one label where
// they also have their keys in common, and of the rest those on keys that sound
// the same regions, apart by output and channel.
func (f *File) gather(heard []int, sounds []sound) (out []gathered) {
	type kind struct {
		label      string
		loch, hich int
		output     int
	}
	of := map[kind][]int{}
	var order []kind
	for _, i := range heard {
		s := sounds[i]
		k := kind{s.label, s.loch, s.hich, s.output}
		if of[k] == nil {
			order = append(order, k)
		}
		of[k] = append(of[k], i)
	}
	for _, k := range order {
		mine := byKeys(k.label, of[k], sounds)
		giveEachRegionOnce(mine)
		for _, g := range mine {
			if len(g.regions) > 0 {
				out = append(out, g)
			}
		}
	}
	dropSharedLabels(out, sounds)
	slices.SortStableFunc(out, func(a, b gathered) int { return int(a.keys[0]) - int(b.keys[0]) })
	return out
}

// byKeys makes a voice of the keys that sound the same regions of those listed; one label
// of their own makes all of them one.
func byKeys(label string, regions []int, sounds []sound) (out []gathered) {
	var at [128][]int
	for _, i := range regions {
		for key := sounds[i].lo; key <= sounds[i].hi; key++ {
			at[key] = append(at[key], i)
		}
	}
	whole := label != "" && slices.ContainsFunc(regions, func(i int) bool { return sounds[i].own })
	bySet := map[uint64][]int{} // voices by a sum of their regions
	for key, list := range at {
		if len(list) == 0 {
			continue
		}
		sum := uint64(0)
		if !whole {
			sum = sumOf(list)
		}
		j := -1
		for _, k := range bySet[sum] {
			if whole || slices.Equal(out[k].regions, list) {
				j = k
			}
		}
		if j < 0 {
			j = len(out)
			bySet[sum] = append(bySet[sum], j)
			g := gathered{label: label, regions: list}
			if whole {
				g.regions = regions
			}
			out = append(out, g)
		}
		out[j].keys = append(out[j].keys, midi.Key(key))
	}
	return out
}

// sumOf is the FNV-1a hash of a list of regions.
func sumOf(regions []int) (sum uint64) {
	for _, i := range regions {
		sum = (sum ^ uint64(i+1)) * 1099511628211
	}
	return sum
}

// giveEachRegionOnce leaves a region to the voice with its lowest key, for ranges that
// overlap cut keys apart. Keys that sound what other voices have are keys of the first of those.
func giveEachRegionOnce(voices []gathered) {
	owner := map[int]int{}
	for j := range voices {
		all := voices[j].regions
		voices[j].regions = slices.DeleteFunc(slices.Clone(all), func(i int) bool {
			_, was := owner[i]
			if !was {
				owner[i] = j
			}
			return was
		})
		if len(voices[j].regions) == 0 {
			at := &voices[owner[all[0]]]
			at.keys = append(at.keys, voices[j].keys...)
			slices.Sort(at.keys)
		}
	}
}

// dropSharedLabels takes a group's label off where several voices have it, for it names
// none of them.
func dropSharedLabels(voices []gathered, sounds []sound) {
	named := map[string]int{}
	for _, g := range voices {
		named[g.label]++
	}
	for i, g := range voices {
		if named[g.label] > 1 && !sounds[g.regions[0]].own {
			voices[i].label = ""
		}
	}
}

// guess finds a voice's name and role.
func (f *File) guess(g gathered, sounds []sound) (string, role.Guess) {
	names := []string{g.label}
	for _, c := range f.control {
		if v, ok := c.get(fmt.Sprintf("label_key%d", g.keys[0])); ok {
			names = append(names, v)
		}
	}
	s := sounds[g.regions[0]]
	base := path.Base(slash(s.sample))
	names = append(names, tidy(strings.TrimSuffix(base, path.Ext(base))))
	for _, n := range names {
		if n = strings.TrimSpace(n); n != "" && n != "." && n != "/" {
			return n, role.ForPercussion(n, g.keys)
		}
	}
	n := midi.PercussionName(g.keys[0])
	if n == "" {
		n = fmt.Sprintf("Key %d", g.keys[0])
	}
	return n, role.ForPercussion("", g.keys)
}

// tidy makes a sample's file name readable: layers, takes and velocities at its
// end go.
func tidy(s string) string {
	words := strings.FieldsFunc(s, func(r rune) bool { return r == '_' || r == '-' || r == ' ' || r == '.' })
	for len(words) > 1 {
		w := strings.ToLower(words[len(words)-1])
		if strings.Trim(w, "0123456789") == "" || strings.Trim(strings.TrimLeft(w, "vlr"), "0123456789") == "" &&
			len(w) < 5 ||
			slices.Contains([]string{"rr", "vl", "vel", "hard", "soft", "med", "take", "layer", "loud", "l", "r"},
				strings.Trim(w, "0123456789")) {
			words = words[:len(words)-1]
			continue
		}
		break
	}
	return strings.Join(words, " ")
}

// melodic tells a pitched instrument from a kit: few of its names are pieces of
// a kit, few of its voices have labels or play as one-shots, and its regions cover
// two octaves without a gap.
func (f *File) melodic(groups []gathered, sounds []sound) bool {
	pieces := 0
	covered := [128]bool{}
	for _, g := range groups {
		name, _ := f.guess(g, sounds)
		if role.FromName(name).Role.IsStruck() {
			pieces++
		} else if g.label != "" || f.regions[g.regions[0]].get("loop_mode") == "one_shot" ||
			f.regions[g.regions[0]].get("pitch_keytrack") == "0" {
			pieces++
		}
		for _, k := range g.keys {
			covered[k] = true
		}
	}
	run, longest := 0, 0
	for _, c := range covered {
		if run++; !c {
			run = 0
		}
		longest = max(longest, run)
	}
	return pieces*3 < len(groups) && longest >= 24
}

func (f *File) kit(in *rig.Instrument, groups []gathered, sounds []sound, regions map[string][]int) {
	in.Bank = 128
	names := map[string]int{}
	byChannel := map[int][]string{}
	for i, g := range groups {
		name, guess := f.guess(g, sounds)
		first := f.regions[g.regions[0]]
		v := rig.Voice{ID: fmt.Sprintf("s%d", i+1), Name: name, Role: guess.Role, Sure: guess.Sure, Keys: g.keys,
			Width: f.width(first),
			Gain:  audio.Decibels(decimal(first.get("volume"), -144, 6)), Pan: decimal(first.get("pan"), -100, 100) / 100}
		if off := number(first.get("off_by"), 0); off > 0 && off <= 1<<30 {
			v.Choke = off
		}
		names[name]++
		in.Voices = append(in.Voices, v)
		regions[v.ID] = g.regions
		if s := sounds[g.regions[0]]; s.loch == s.hich && s.loch >= 1 && s.loch <= 16 {
			byChannel[s.loch] = append(byChannel[s.loch], v.ID)
		}
	}
	for i, v := range in.Voices {
		if names[v.Name] > 1 {
			in.Voices[i].Name = fmt.Sprintf("%s %d", v.Name, v.Keys[0])
		}
	}
	again := map[string]int{}
	for i, v := range in.Voices {
		if again[v.Name]++; again[v.Name] > 1 {
			in.Voices[i].Name = fmt.Sprintf("%s (%d)", v.Name, again[v.Name])
		}
	}
	for c := 1; c <= 16; c++ {
		if v := byChannel[c]; len(v) > 0 && (len(byChannel) > 1 || len(v) < len(in.Voices)) {
			in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("c%d", c), Name: fmt.Sprintf("Channel %d", c), Program: -1,
				Width:   audio.Stereo,
				Address: midi.Address{Port: 1, Channel: midi.Channel(c)}, Voices: v})
		}
	}
}

func (f *File) parts(in *rig.Instrument, heard []int, sounds []sound, regions map[string][]int) {
	type channels struct{ lo, hi int }
	of := map[channels]string{}
	for _, i := range heard {
		s := sounds[i]
		c := channels{s.loch, s.hich}
		id, ok := of[c]
		if !ok {
			id = fmt.Sprintf("p%d", len(of)+1)
			of[c] = id
			p := rig.Part{ID: id, Name: in.Name, Width: f.width(f.regions[i]), Program: -1}
			if len(of) > 1 || s.loch == s.hich {
				p.Name = fmt.Sprintf("%s ch %d", in.Name, s.loch)
			}
			if l := s.label; l != "" && !s.own && s.loch == s.hich {
				p.Name = l
			}
			if s.loch == s.hich && s.loch >= 1 && s.loch <= 16 {
				p.Address = midi.Address{Port: 1, Channel: midi.Channel(s.loch)}
			}
			p.Role = role.GuessName(p.Name, role.OfPart).Role
			in.Parts = append(in.Parts, p)
		}
		regions[id] = append(regions[id], i)
	}
}

func decimal(s string, lo, hi float64) float64 {
	x, err := strconv.ParseFloat(s, 64)
	if err != nil || !(x >= lo && x <= hi) {
		return 0
	}
	return x
}

// width looks at the head of a region's sample, if it was brought along; a
// sample that is not there may be stereo.
func (f *File) width(r region) audio.Width {
	sample := slash(r.get("sample"))
	if v, ok := f.controlled(r, "default_path"); ok {
		sample = slash(v) + sample
	}
	p := path.Join(path.Dir(f.Texts[0].Path), sample)
	if !fs.ValidPath(p) {
		return audio.Stereo
	}
	file, err := f.fsys.Open(p)
	if err != nil {
		return audio.Stereo
	}
	defer file.Close()
	var head [64]byte
	n, _ := io.ReadFull(file, head[:])
	if channels(head[:n]) == 1 {
		return audio.Mono
	}
	return audio.Stereo
}

// channels reads the count from the head of a WAV (fmt chunk) or FLAC (stream
// info) file; 0 where it does not stand there.
func channels(b []byte) int {
	switch {
	case len(b) >= 24 && string(b[:4]) == "RIFF" && string(b[8:16]) == "WAVEfmt ":
		return int(binary.LittleEndian.Uint16(b[22:]))
	case len(b) >= 26 && string(b[:4]) == "fLaC":
		return int(b[20]>>1&7) + 1
	}
	return 0
}
