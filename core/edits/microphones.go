package edits

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// SplitMicrophone lets a microphone send groups of what it hears as feeds of their own, by a rule.
func SplitMicrophone(placed, microphone string, by rig.SplitRule) plan.Edit {
	return setSplit(placed, microphone, func([]rig.Picked, rig.Split) rig.Split { return rig.Split{By: by} })
}

// NameGroups splits a microphone by groups that the user names, by the ID of what is heard; what has no
// name stays in the microphone's own feed. Without names it begins with the groups there are, or with
// one for each kind of piece.
func NameGroups(placed, microphone string, names map[string]string) plan.Edit {
	return setSplit(placed, microphone, func(hears []rig.Picked, now rig.Split) rig.Split {
		if !now.Groups() {
			now.By = rig.ByPieces
		}
		of := map[string]string{}
		for _, x := range hears {
			name, typed := names[x.ID]
			if len(names) == 0 {
				name, typed = now.GroupOf(x), true
			}
			if name = strings.TrimSpace(name); typed && name != "" {
				of[x.ID] = name
			}
		}
		return rig.Split{Of: of}
	})
}

// JoinMicrophone sends all that a microphone hears by its own feed again.
func JoinMicrophone(placed, microphone string) plan.Edit {
	return setSplit(placed, microphone, func([]rig.Picked, rig.Split) rig.Split { return rig.Split{} })
}

func setSplit(placed, microphone string, set func([]rig.Picked, rig.Split) rig.Split) plan.Edit {
	return func(p *plan.Project) (string, error) {
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
			if g := split.GroupOf(x); g != "" && !slices.Contains(groups, g) {
				groups = append(groups, g)
			}
		}
		return fmt.Sprintf("split %s of %s into %d groups", name, pl.Instrument.Name, len(groups)), nil
	}
}

// SwitchMicrophone closes a microphone, by its name, in all instruments, as one edit: its feeds
// are off, and lanes that nothing else arrives on are removed. Opened again, its feeds wait for
// an output.
func SwitchMicrophone(name string, open bool) plan.Edit {
	return func(p *plan.Project) (string, error) {
		feeds, instruments := 0, 0
		for i := range p.Placed {
			pl := &p.Placed[i]
			before := feeds
			for _, f := range pl.AllFeeds() {
				m := pl.Instrument.Microphone(f.Microphone)
				if m == nil || !strings.EqualFold(m.Name, name) || (pl.Feeds[f.ID].State != plan.Off) == open {
					continue
				}
				feeds++
				edit := Decide(plan.FeedRef{Placed: pl.ID, Feed: f.ID}, plan.Undecided, plan.Jack{})
				if !open {
					edit = SwitchOff(plan.FeedRef{Placed: pl.ID, Feed: f.ID})
				}
				if _, err := edit(p); err != nil {
					return "", err
				}
			}
			if feeds > before {
				instruments++
			}
		}
		if feeds == 0 {
			return "", fmt.Errorf("no instrument has a microphone called %q that is not so already", name)
		}
		verb := "close"
		if open {
			verb = "open"
		}
		return fmt.Sprintf("%s the microphone %s in %s", verb, name, instrumentsIn(instruments)), nil
	}
}

func instrumentsIn(n int) string {
	if n == 1 {
		return "1 instrument"
	}
	return fmt.Sprintf("%d instruments", n)
}

// SwitchOff switches a feed off, and removes the lane that nothing else arrives on.
func SwitchOff(ref plan.FeedRef) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl := p.Find(ref.Placed)
		var was plan.OutputRef
		if pl != nil {
			a := pl.Feeds[ref.Feed]
			was = plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side}
		}
		label, err := Decide(ref, plan.Off, plan.Jack{})(p)
		if err != nil {
			return "", err
		}
		for _, l := range p.LanesOf(was) {
			if len(l.Sources) == 1 && !p.Carries(l.Sources[0]) {
				if _, err := DeleteLane(l.ID)(p); err != nil {
					return "", err
				}
			}
		}
		return label, nil
	}
}

// AddSample adds a sample of the user's own to the project's copy of an instrument: it leaves by an output
// of its own. with is the voice it sounds with, "" for none.
func AddSample(placed, name, with string, width audio.Width) plan.Edit {
	return changeSamples(placed, rig.AddSample(name, with, width))
}

// RemoveSample takes such a sample out again, with what is decided about it.
func RemoveSample(placed, id string) plan.Edit { return changeSamples(placed, rig.RemoveSample(id)) }

func changeSamples(placed string, do rig.Edit) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (label string, err error) {
		err = relabel(p, pl, func() error {
			pl.Instrument.CloneSources()
			if label, err = do(&pl.Instrument); err == nil {
				forgetGone(pl)
			}
			return err
		})
		return label, err
	})
}
