// Package rig describes what exists: instruments with their voices,
// microphones and parts, the feeds that follow from them, and the outputs an
// instrument sends them by. It knows nothing of projects, lanes or files.
package rig

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
)

// Port is one numbered jack of an instrument or a host, from 1.
type Port int

// Output is a group of consecutive ports that carry one signal together.
type Output struct {
	Number int         `json:"number"` // from 1, as the instrument counts them
	Width  audio.Width `json:"width"`
	First  Port        `json:"first"`
}

// Last is the output's last port.
func (o Output) Last() Port { return o.First + Port(o.Width.Ports()) - 1 }

// Ports lists the output's ports.
func (o Output) Ports() []Port {
	out := make([]Port, o.Width.Ports())
	for i := range out {
		out[i] = o.First + Port(i)
	}
	return out
}

// PortNames prints the ports moved by an offset: "7", or "23–24" for a pair.
func (o Output) PortNames(offset int) string {
	first, last := int(o.First)+offset, int(o.Last())+offset
	if first == last {
		return strconv.Itoa(first)
	}
	return fmt.Sprintf("%d–%d", first, last)
}

// Run is a number of outputs of one width, side by side.
type Run struct {
	Count int         `json:"count"`
	Width audio.Width `json:"width"`
}

// MaxPorts bounds what a set-up may ask for; no instrument comes near it.
const MaxPorts = 4096

// ParseRuns reads "16x2" or "8x2+16x1": count × width in ports, joined by "+".
func ParseRuns(s string) ([]Run, error) {
	var runs []Run
	ports := 0
	for part := range strings.SplitSeq(strings.ReplaceAll(s, "×", "x"), "+") {
		count, width, ok := strings.Cut(strings.ToLower(strings.TrimSpace(part)), "x")
		n, err := strconv.Atoi(strings.TrimSpace(count))
		w, errW := audio.ParseWidth(strings.TrimSpace(width))
		if !ok || err != nil || errW != nil || n < 1 {
			return nil, fmt.Errorf("outputs %q: write count x width, such as 16x2 for sixteen stereo or 8x1 for eight mono", s)
		}
		if ports += n * w.Ports(); n > MaxPorts || ports > MaxPorts {
			return nil, fmt.Errorf("outputs %q take more than %d ports", s, MaxPorts)
		}
		runs = append(runs, Run{n, w})
	}
	return runs, nil
}

// Lay places the runs on consecutive ports: output k begins at first plus the
// sum of the widths before it.
func Lay(runs []Run, first Port) []Output {
	var out []Output
	at := max(first, 1)
	for _, r := range runs {
		for range r.Count {
			o := Output{Number: len(out) + 1, Width: r.Width, First: at}
			out = append(out, o)
			at = o.Last() + 1
		}
	}
	return out
}

// Runs sums outputs up again: the inverse of Lay on consecutive outputs.
func Runs(outputs []Output) []Run {
	var runs []Run
	for _, o := range outputs {
		if n := len(runs); n > 0 && runs[n-1].Width == o.Width {
			runs[n-1].Count++
		} else {
			runs = append(runs, Run{1, o.Width})
		}
	}
	return runs
}

// FormatRuns prints runs as ParseRuns reads them.
func FormatRuns(runs []Run) string {
	var parts []string
	for _, r := range runs {
		parts = append(parts, fmt.Sprintf("%dx%d", r.Count, r.Width.Ports()))
	}
	return strings.Join(parts, "+")
}

// Instrument is one multi-output virtual instrument or drum sampler.
type Instrument struct {
	Name        string       `json:"name"`
	Origin      string       `json:"origin"` // where it came from, for people: a file's name and format
	Bank        int          `json:"bank"`
	Program     int          `json:"program"`
	Voices      []Voice      `json:"voices,omitempty"`
	Microphones []Microphone `json:"microphones,omitempty"`
	Parts       []Part       `json:"parts,omitempty"`
	Delivered   []Run        `json:"delivered,omitempty"` // its outputs as it comes; none: not known
}

// Voice is one sound an instrument plays on its keys.
type Voice struct {
	ID          string        `json:"id"`
	Name        string        `json:"name"`
	Role        role.Role     `json:"role"`
	Sure        role.Sureness `json:"sure"` // how sure the role is
	Keys        []midi.Key    `json:"keys"`
	Width       audio.Width   `json:"width"`
	Choke       int           `json:"choke,omitempty"` // voices with one number cut each other off; 0: none
	Slot        int           `json:"slot,omitempty"`  // voices in one slot can only leave together; 0: its own
	Microphones []string      `json:"microphones,omitempty"`
}

// Microphone is a signal of its own that voices or parts are heard through.
type Microphone struct {
	ID    string      `json:"id"`
	Name  string      `json:"name"`
	Role  role.Role   `json:"role"`
	Width audio.Width `json:"width"`
}

// Part is one melodic sound with a MIDI address of its own. With microphones it
// gives one feed for each of them.
type Part struct {
	ID          string       `json:"id"`
	Name        string       `json:"name"`
	Role        role.Role    `json:"role"`
	Width       audio.Width  `json:"width"`
	Address     midi.Address `json:"address"`
	Program     int          `json:"program"` // the program that calls it up where it has no address; -1: none
	Microphones []string     `json:"microphones,omitempty"`
}

// Kind says what a feed is made of.
type Kind string

// The kinds of feed.
const (
	VoiceFeed      Kind = "voice"
	MicrophoneFeed Kind = "microphone"
	PartFeed       Kind = "part"
)

// Feed is one signal that the instrument can send to an output on its own.
type Feed struct {
	ID      string // unique in the instrument
	Kind    Kind
	Name    string
	Role    role.Role
	Width   audio.Width
	Keys    []midi.Key   // the keys that sound in it
	Address midi.Address // of a part
	Program int          // of a part without an address; -1: none
}

// Feeds lists the instrument's feeds in chart order: a voice that no microphone
// hears, each microphone, each part or each part through each of its
// microphones. Feeds of one role stay as the instrument lists them, so that two
// kicks keep their order.
func (in Instrument) Feeds() []Feed {
	var feeds []Feed
	slot := map[int]int{}
	keys := map[string][]midi.Key{}
	for _, v := range in.Voices {
		for _, m := range v.Microphones {
			keys[m] = append(keys[m], v.Keys...)
		}
		if len(v.Microphones) > 0 {
			continue
		}
		if at, ok := slot[v.Slot]; ok && v.Slot != 0 {
			feeds[at].Name += " + " + v.Name
			feeds[at].Role = role.Common(feeds[at].Role, v.Role)
			feeds[at].Keys = append(feeds[at].Keys, v.Keys...)
			feeds[at].Width = max(feeds[at].Width, v.Width)
			continue
		}
		slot[v.Slot] = len(feeds)
		feeds = append(feeds, Feed{ID: v.ID, Kind: VoiceFeed, Name: v.Name, Role: v.Role, Width: v.Width, Keys: slices.Clone(v.Keys), Program: -1})
	}
	byPart := map[string]bool{}
	for _, p := range in.Parts {
		if len(p.Microphones) == 0 {
			feeds = append(feeds, Feed{ID: p.ID, Kind: PartFeed, Name: p.Name, Role: p.Role, Width: p.Width, Address: p.Address, Program: p.Program})
		}
		for _, id := range p.Microphones {
			byPart[id] = true
			for _, m := range in.Microphones {
				if m.ID == id {
					feeds = append(feeds, Feed{ID: p.ID + "." + m.ID, Kind: PartFeed, Name: p.Name + " " + m.Name, Role: p.Role,
						Width: m.Width, Address: p.Address, Program: p.Program})
				}
			}
		}
	}
	for _, m := range in.Microphones {
		if !byPart[m.ID] {
			k := slices.Compact(slices.Sorted(slices.Values(keys[m.ID])))
			feeds = append(feeds, Feed{ID: m.ID, Kind: MicrophoneFeed, Name: m.Name, Role: m.Role, Width: m.Width, Keys: k, Program: -1})
		}
	}
	slices.SortStableFunc(feeds, func(a, b Feed) int { return role.Compare(a.Role, b.Role) })
	return feeds
}

// Validate refuses an instrument that the rest of the core could not name:
// no name, IDs that are empty or used twice, or roles outside the tree.
func (in Instrument) Validate() error {
	if strings.TrimSpace(in.Name) == "" {
		return fmt.Errorf("an instrument needs a name")
	}
	seen := map[string]bool{}
	check := func(id, what string, r role.Role) error {
		if _, err := role.Parse(string(r)); err != nil {
			return fmt.Errorf("%s: %s: %w", in.Name, what, err)
		}
		if id == "" || seen[id] || strings.ContainsAny(id, ":. /,") {
			return fmt.Errorf("%s: %s has the ID %q, which is empty, used twice, or holds a mark that IDs may not", in.Name, what, id)
		}
		seen[id] = true
		return nil
	}
	for _, v := range in.Voices {
		if err := check(v.ID, "voice "+v.Name, v.Role); err != nil {
			return err
		}
	}
	for _, m := range in.Microphones {
		if err := check(m.ID, "microphone "+m.Name, m.Role); err != nil {
			return err
		}
	}
	for _, p := range in.Parts {
		if err := check(p.ID, "part "+p.Name, p.Role); err != nil {
			return err
		}
	}
	return nil
}
