package plan

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/rig"
)

// SplitMicrophone lets a microphone send groups of what it hears as feeds of their own, by a rule.
func SplitMicrophone(placed, microphone string, by rig.SplitRule) Edit {
	return setSplit(placed, microphone, func([]rig.Picked, rig.Split) rig.Split { return rig.Split{By: by} })
}

// NameGroups splits a microphone by groups that the user names, by the ID of what is heard; what has no
// name stays in the microphone's own feed. Without names it begins with the groups there are, or with
// one for each kind of piece.
func NameGroups(placed, microphone string, names map[string]string) Edit {
	return setSplit(placed, microphone, func(hears []rig.Picked, now rig.Split) rig.Split {
		if !now.Groups() {
			now.By = rig.ByPieces
		}
		of := map[string]string{}
		for _, x := range hears {
			name, typed := names[x.ID]
			if len(names) == 0 {
				name, typed = now.Group(x), true
			}
			if name = strings.TrimSpace(name); typed && name != "" {
				of[x.ID] = name
			}
		}
		return rig.Split{Of: of}
	})
}

// JoinMicrophone sends all that a microphone hears by its own feed again.
func JoinMicrophone(placed, microphone string) Edit {
	return setSplit(placed, microphone, func([]rig.Picked, rig.Split) rig.Split { return rig.Split{} })
}

func setSplit(placed, microphone string, set func([]rig.Picked, rig.Split) rig.Split) Edit {
	return func(p *Project) (string, error) {
		pl := p.Find(placed)
		if pl == nil || pl.Instrument.Microphone(microphone) == nil {
			return "", fmt.Errorf("that microphone does not exist any more; reload the page")
		}
		hears, name := pl.Instrument.Hearing(pl.View)[microphone], pl.Instrument.SourceName(microphone)
		split := set(hears, pl.View.Split[microphone])
		if len(hears) < 2 && split.Groups() {
			return "", fmt.Errorf("%s of %s hears %d voices that are mapped by microphone: there is nothing to split",
				name, pl.Instrument.Name, len(hears))
		}
		if _, err := SetView(placed, func(v *rig.View) {
			if v.Split == nil {
				v.Split = map[string]rig.Split{}
			}
			v.Split[microphone] = split
		})(p); err != nil {
			return "", err
		}
		if !split.Groups() {
			return fmt.Sprintf("join the groups of %s of %s", name, pl.Instrument.Name), nil
		}
		var groups []string
		for _, x := range hears {
			if g := split.Group(x); g != "" && !slices.Contains(groups, g) {
				groups = append(groups, g)
			}
		}
		return fmt.Sprintf("split %s of %s into %d groups", name, pl.Instrument.Name, len(groups)), nil
	}
}
