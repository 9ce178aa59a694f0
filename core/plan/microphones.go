package plan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// SharedMicrophone is a microphone of one name in the instruments of a project.
type SharedMicrophone struct {
	Name        string
	Instruments int
	Feeds       int     // it is heard in
	Open        int     // of these, how many are not off
	MiB         float64 // that closing it would free
}

// Microphones lists the microphones by name over all instruments, those that take the most
// memory first.
func (p *Project) Microphones() (out []SharedMicrophone) {
	at := map[string]int{}
	for i := range p.Placed {
		pl := &p.Placed[i]
		counted := map[string]bool{}
		for _, f := range pl.AllFeeds() {
			m := pl.Instrument.Microphone(f.Microphone)
			if m == nil {
				continue
			}
			key := strings.ToLower(m.Name)
			k, ok := at[key]
			if !ok {
				k = len(out)
				at[key] = k
				out = append(out, SharedMicrophone{Name: m.Name})
			}
			out[k].Feeds++
			if pl.Feeds[f.ID].State != Off {
				out[k].Open++
			}
			if !counted[key] {
				counted[key] = true
				out[k].Instruments++
				out[k].MiB += pl.Memory() - pl.MemoryWithout(f.Microphone)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b SharedMicrophone) int { return cmp.Compare(b.MiB, a.MiB) })
	return out
}

// SwitchMicrophone closes a microphone, by its name, in all instruments, as one edit: its feeds
// are off, and lanes that nothing else arrives on are removed. Opened again, its feeds wait for
// an output.
func SwitchMicrophone(name string, open bool) Edit {
	return func(p *Project) (string, error) {
		feeds, instruments := 0, 0
		for i := range p.Placed {
			pl := &p.Placed[i]
			before := feeds
			for _, f := range pl.AllFeeds() {
				m := pl.Instrument.Microphone(f.Microphone)
				if m == nil || !strings.EqualFold(m.Name, name) || (pl.Feeds[f.ID].State != Off) == open {
					continue
				}
				feeds++
				edit := Decide(FeedRef{pl.ID, f.ID}, Undecided, Jack{})
				if !open {
					edit = SwitchOff(FeedRef{pl.ID, f.ID})
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
func SwitchOff(ref FeedRef) Edit {
	return func(p *Project) (string, error) {
		pl := p.Find(ref.Placed)
		var was OutputRef
		if pl != nil {
			a := pl.Feeds[ref.Feed]
			was = OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side}
		}
		label, err := Decide(ref, Off, Jack{})(p)
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
