package rig

import (
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/role"
)

// AddSample adds a sample of the user's own: a voice that no microphone hears, so that it leaves on its
// own. with is the ID of the voice that it sounds with, whose keys it takes; "" where it has none yet.
func AddSample(name, with string, width audio.Width) Edit {
	return func(in *Instrument) (string, error) {
		name, err := ParseName("a sample", name)
		if err != nil {
			return "", err
		}
		if len(in.Voices) >= maxTableRows {
			return "", errTableFull
		}
		guess := role.GuessName(name, role.OfVoice)
		v := Voice{ID: in.newID("own"), Name: name, Role: guess.Role, Sure: guess.Sure, Width: width, Added: true}
		if with != "" {
			i := slices.IndexFunc(in.Voices, func(x Voice) bool { return x.ID == with })
			if i < 0 {
				return "", fmt.Errorf("that voice does not exist any more; reload the page")
			}
			v.Keys = slices.Clone(in.Voices[i].Keys)
			if v.Role == role.Unnamed {
				v.Role, v.Sure = in.Voices[i].Role, in.Voices[i].Sure
			}
		}
		in.Voices = append(slices.Clone(in.Voices), v)
		return fmt.Sprintf("add the sample %s to %s", name, in.Name), nil
	}
}

// RemoveSample takes a sample of the user's own out again.
func RemoveSample(id string) Edit {
	return func(in *Instrument) (string, error) {
		i := slices.IndexFunc(in.Voices, func(v Voice) bool { return v.ID == id && v.Added })
		if i < 0 {
			return "", fmt.Errorf("that sample does not exist any more; reload the page")
		}
		name := in.Voices[i].Name
		in.Voices = slices.Delete(slices.Clone(in.Voices), i, i+1)
		return fmt.Sprintf("remove the sample %s from %s", name, in.Name), nil
	}
}
