package plan

import (
	"cmp"
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
