package sfz

import (
	"cmp"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// A kit that was recorded with several microphones has the same keys on several outputs, and samples
// that are called alike but for a word: "Kick Close 3", "Kick Room 3". Those outputs are microphones
// that hear one voice, and no voices.

// heardThrough is one voice with the gathered regions of each microphone that hears it, by output.
type heardThrough struct {
	name   string // what the samples have in common
	groups map[int]gathered
}

// microphones joins what is gathered for one key set on several outputs where the samples say that it
// is one sound. It gives the voices, the names of the microphones by output, and what is left.
func (f *File) microphones(groups []gathered, sounds []sound) (voices []heardThrough, mics map[int]string,
	rest []gathered) {
	byKeys := map[string][]gathered{}
	var order []string
	for _, g := range groups {
		s := sounds[g.regions[0]]
		k := fmt.Sprint(g.keys, s.loch, s.hich)
		if byKeys[k] == nil {
			order = append(order, k)
		}
		byKeys[k] = append(byKeys[k], g)
	}
	said := map[int]map[string]int{} // how often a word stands for an output
	for _, k := range order {
		v, words, ok := f.oneSound(byKeys[k], sounds)
		if !ok {
			rest = append(rest, byKeys[k]...)
			continue
		}
		voices = append(voices, v)
		for output, w := range words {
			if said[output] == nil {
				said[output] = map[string]int{}
			}
			said[output][w]++
		}
	}
	mics = map[int]string{}
	for output, words := range said {
		best := slices.MaxFunc(slices.Sorted(maps.Keys(words)), func(a, b string) int {
			return cmp.Compare(words[a],
				words[b])
		})
		mics[output] = cmp.Or(title(best), fmt.Sprintf("Output %d", output+1))
	}
	return voices, mics, rest
}

// oneSound reports whether groups on one key set are one sound through several microphones: on different
// outputs, with samples whose names have words in common and differ in others.
func (f *File) oneSound(groups []gathered, sounds []sound) (v heardThrough, words map[int]string, ok bool) {
	if len(groups) < 2 {
		return v, nil, false
	}
	v.groups, words = map[int]gathered{}, map[int]string{}
	names := map[int][]string{}
	var common []string
	for i, g := range groups {
		s := sounds[g.regions[0]]
		if _, twice := v.groups[s.output]; twice {
			return v, nil, false
		}
		v.groups[s.output] = g
		base := path.Base(slash(s.sample))
		name := role.Tokens(tidy(strings.TrimSuffix(base, path.Ext(base))))
		names[s.output] = name
		if i == 0 {
			common = name
			continue
		}
		common = slices.DeleteFunc(slices.Clone(common), func(w string) bool { return !slices.Contains(name, w) })
	}
	if !slices.ContainsFunc(common, func(w string) bool { return strings.Trim(w, "0123456789") != "" }) {
		return v, nil, false
	}
	empty, seen := 0, map[string]bool{}
	for output, name := range names {
		rest := slices.DeleteFunc(slices.Clone(name), func(w string) bool {
			return slices.Contains(common, w) || strings.Trim(w, "0123456789") == ""
		})
		w := strings.Join(rest, " ")
		if seen[w] { // nothing tells the two apart
			return v, nil, false
		}
		if seen[w], words[output] = true, w; w == "" {
			empty++
		}
	}
	v.name = title(strings.Join(common, " "))
	return v, words, empty <= 1
}

func title(s string) string {
	words := strings.Fields(s)
	for i, w := range words {
		words[i] = strings.ToUpper(w[:1]) + w[1:]
	}
	return strings.Join(words, " ")
}

// miked makes the microphones and the voices that are heard through them.
func (f *File) miked(in *rig.Instrument, voices []heardThrough, mics map[int]string, regions map[string][]int) {
	ids := map[int]string{}
	for _, output := range slices.Sorted(maps.Keys(mics)) {
		id := fmt.Sprintf("mic%d", output+1)
		ids[output] = id
		m := rig.Microphone{ID: id, Name: mics[output], Role: role.ForMicrophone(mics[output]).Role, Width: audio.Mono}
		in.Microphones = append(in.Microphones, m)
	}
	for i, v := range voices {
		outputs := slices.Sorted(maps.Keys(v.groups))
		first := v.groups[outputs[0]]
		name := v.name
		if l := first.label; l != "" {
			name = l
		}
		guess := role.ForPercussion(name, first.keys)
		voice := rig.Voice{ID: fmt.Sprintf("h%d", i+1), Name: name, Role: guess.Role, Sure: guess.Sure, Keys: first.keys,
			Width: f.width(f.regions[first.regions[0]])}
		for _, output := range outputs {
			voice.Heard = append(voice.Heard, rig.Heard{Microphone: ids[output]})
			regions[ids[output]] = append(regions[ids[output]], v.groups[output].regions...)
			m := in.Microphone(ids[output])
			m.Width = max(m.Width, f.width(f.regions[v.groups[output].regions[0]]))
		}
		in.Voices = append(in.Voices, voice)
	}
}
