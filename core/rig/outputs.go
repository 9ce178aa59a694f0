package rig

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
)

// Output is a group of consecutive ports that carry one signal together.
type Output struct {
	Number int         `json:"number"` // from 1, as the instrument counts them
	Width  audio.Width `json:"width"`
	First  Port        `json:"first"`
	Side   Side        `json:"side,omitempty"` // of a stereo output that two mono feeds share: this half of it
}

// Side is one half of a stereo output that carries two mono feeds, panned hard:
// odd ports left, even ones right.
type Side string

// The sides. The zero value is the whole output.
const (
	Whole Side = ""
	Left  Side = "L"
	Right Side = "R"
)

// Pan is where a source stands that leaves by the side alone, from −1, left, to +1, right; 0 for the whole.
func (s Side) Pan() float64 {
	switch s {
	case Left:
		return -1
	case Right:
		return 1
	}
	return 0
}

// Half is one side of a stereo output, a mono output of its own.
func (o Output) Half(s Side) Output {
	h := Output{Number: o.Number, Width: audio.Mono, First: o.First, Side: s}
	if s == Right {
		h.First++
	}
	return h
}

// Label is the output's number, with the side of a half: "3", "3L".
func (o Output) Label() string { return strconv.Itoa(o.Number) + string(o.Side) }

// ParseLabel reads what Label writes.
func ParseLabel(s string) (number int, side Side, err error) {
	typed := strings.TrimSpace(s)
	s = strings.ToUpper(typed)
	for _, x := range []Side{Left, Right} {
		if rest, ok := strings.CutSuffix(s, string(x)); ok {
			s, side = rest, x
		}
	}
	number, err = strconv.Atoi(s)
	if err != nil || number < 1 {
		return 0, "", fmt.Errorf("%q is not an output; write its number, with L or R for one side of a pair", typed)
	}
	return number, side, nil
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
	At    Port        `json:"at,omitempty"` // the port it begins on; 0: where the run before it ends
}

// MaxPorts is how many ports an instrument has at most, with every way in.
const MaxPorts = 1024

// ParseRuns reads "10x2" or "6x2+4x1": count × width in ports, joined by "+".
// A run may say on which port it begins: "1x6+4x2@9".
func ParseRuns(s string) ([]Run, error) {
	var runs []Run
	ports := 0
	for part := range strings.SplitSeq(strings.ReplaceAll(s, "×", "x"), "+") {
		part, port, placed := strings.Cut(part, "@")
		count, width, ok := strings.Cut(strings.ToLower(strings.TrimSpace(part)), "x")
		n, err := strconv.Atoi(strings.TrimSpace(count))
		w, errW := audio.ParseWidth(strings.TrimSpace(width))
		at := 0
		if placed && err == nil {
			if at, err = strconv.Atoi(strings.TrimSpace(port)); at < 1 || at > MaxPorts {
				ok = false
			}
		}
		if !ok || err != nil || errW != nil || n < 1 {
			return nil, fmt.Errorf("outputs %q: write count x width, such as 10x2 for ten stereo, 6x1 for six mono, "+
				"1x6 for one 5.1, joined by +; @9 begins a run on port 9", s)
		}
		if ports += n * w.Ports(); n > MaxPorts || ports > MaxPorts {
			return nil, fmt.Errorf("outputs %q take more than %d ports", s, MaxPorts)
		}
		runs = append(runs, Run{n, w, Port(at)})
	}
	return runs, nil
}

// Lay places the runs on ports: output k begins at first plus the sum of the
// widths before it, or where its run says.
func Lay(runs []Run, first Port) []Output {
	var out []Output
	at := max(first, 1)
	for _, r := range runs {
		if r.At > 0 {
			at = r.At
		}
		for range r.Count {
			o := Output{Number: len(out) + 1, Width: r.Width, First: at}
			out = append(out, o)
			at = o.Last() + 1
		}
	}
	return out
}

// Runs sums outputs up again: the inverse of Lay.
func Runs(outputs []Output) []Run {
	var runs []Run
	next := Port(0)
	for _, o := range outputs {
		follows := next == 0 || o.First == next
		if n := len(runs); n > 0 && runs[n-1].Width == o.Width && follows {
			runs[n-1].Count++
		} else {
			r := Run{Count: 1, Width: o.Width}
			if !follows {
				r.At = o.First
			}
			runs = append(runs, r)
		}
		next = o.Last() + 1
	}
	return runs
}

// FormatRuns prints runs as ParseRuns reads them.
func FormatRuns(runs []Run) string {
	var parts []string
	for _, r := range runs {
		s := fmt.Sprintf("%dx%d", r.Count, r.Width.Ports())
		if r.At > 0 {
			s += fmt.Sprintf("@%d", r.At)
		}
		parts = append(parts, s)
	}
	return strings.Join(parts, "+")
}

// Widths lists the widths of outputs.
func Widths(outputs []Output) (out []audio.Width) {
	for _, o := range outputs {
		out = append(out, o.Width)
	}
	return out
}

// PastLast is the first port that no output reaches.
func PastLast(outputs []Output) Port {
	past := Port(1)
	for _, o := range outputs {
		past = max(past, o.Last()+1)
	}
	return past
}

// PortsOver is how many ports outputs reach over: up to their last one, gaps included.
func PortsOver(outputs []Output) int { return int(PastLast(outputs)) - 1 }

// AsLoaded gives the outputs of an instrument that was just loaded: those it comes
// with, or one stereo output where that is not known.
func (in Instrument) AsLoaded() []Output {
	if out := Lay(in.Delivered, 1); len(out) > 0 {
		return out
	}
	return Lay([]Run{{Count: 1, Width: audio.Stereo}}, 1)
}

// FaultKind says in which way an output lies badly.
type FaultKind int

// The kinds of fault.
const (
	Overlaps  FaultKind = iota // on a port of another output
	Straddles                  // across two pairs
	OffTheEnd                  // past the last port, or before the host's first
)

// PortFault is one thing wrong with how outputs lie on ports.
type PortFault struct {
	Kind   FaultKind
	Output int // its number
	With   int // the other output that it overlaps
	From   Port
	To     Port
	Why    string
}

// ValidOutputs refuses outputs that cannot be computed with. Where they lie badly,
// PortFaults tells.
func ValidOutputs(outputs []Output) error {
	if len(outputs) > MaxPorts {
		return fmt.Errorf("%d outputs are more than the %d there can be", len(outputs), MaxPorts)
	}
	seen := map[int]bool{}
	for _, o := range outputs {
		if o.Number < 1 || seen[o.Number] || o.Width < audio.Mono || o.First < 1 || o.Last() > 2*MaxPorts {
			return fmt.Errorf("output %d is there twice, has no width or is outside the ports", o.Number)
		}
		seen[o.Number] = true
	}
	return nil
}

// PortFaults finds two outputs on one port, stereo outputs that straddle two
// pairs (odd and even, as the instrument or the host counts), and ports past the
// end. ports is how many there are; 0: any number.
func PortFaults(outputs []Output, ports, offset int) (out []PortFault) {
	holder := map[Port]int{}
	for _, o := range outputs {
		clash := map[int]bool{}
		for _, p := range o.Ports() {
			if other, ok := holder[p]; ok && !clash[other] {
				clash[other] = true
				out = append(out, PortFault{Overlaps, o.Number, other, p, p,
					fmt.Sprintf("outputs %d and %d are both on port %d", other,
						o.Number, p)})
			} else if !ok {
				holder[p] = o.Number
			}
		}
		if o.Width == audio.Stereo && o.First%2 == 0 {
			out = append(out, PortFault{Straddles, o.Number, 0, o.First, o.Last(),
				fmt.Sprintf("output %d straddles the pairs %d–%d and %d–%d", o.Number, o.First-1, o.First, o.Last(), o.Last()+1)})
		} else if h := int(o.First) + offset; o.Width == audio.Stereo && h%2 == 0 {
			out = append(out, PortFault{Straddles, o.Number, 0, o.First, o.Last(),
				fmt.Sprintf("output %d straddles two of the host's pairs: it is the host's %s", o.Number, o.PortNames(offset))})
		}
		if ports > 0 && int(o.Last()) > ports {
			out = append(out, PortFault{OffTheEnd, o.Number, 0, max(o.First, Port(ports+1)), o.Last(),
				fmt.Sprintf("output %d ends on port %d, and there are only %d", o.Number, o.Last(), ports)})
		}
		if int(o.First)+offset < 1 {
			out = append(out, PortFault{OffTheEnd, o.Number, 0, o.First, o.Last(),
				fmt.Sprintf("output %d would be the host's port %d, and ports count from 1", o.Number, int(o.First)+offset)})
		}
	}
	return out
}

// Relay lays outputs out one after the other in their order, pairs and wider ones
// on odd ports as both the instrument and the host count.
func Relay(outputs []Output, offset int) []Output {
	out := slices.Clone(outputs)
	at := Port(max(1, 1-offset))
	for i := range out {
		for out[i].Width > audio.Mono && (at%2 == 0 || (int(at)+offset)%2 == 0) && offset%2 == 0 {
			at++
		}
		out[i].First = at
		at = out[i].Last() + 1
	}
	return out
}

// AddMissing gives the fewest outputs to add to those that are there, so that
// each of the widths has an output of its own; what is there stays. The added
// ones lie on the lowest free ports, a pair on an odd port. It refuses where the
// ports (0: any number) do not do.
func AddMissing(outputs []Output, need []audio.Width, ports int) ([]Output, error) {
	free := slices.Clone(outputs)
	slices.SortStableFunc(free, func(a, b Output) int { return int(a.Width) - int(b.Width) })
	want := slices.Clone(need)
	slices.SortFunc(want, func(a, b audio.Width) int { return int(b) - int(a) })
	var missing []audio.Width // the widest first, each on the narrowest that is wide enough
	for _, w := range want {
		i := slices.IndexFunc(free, func(o Output) bool { return o.Width >= max(w, audio.Mono) })
		if i < 0 {
			missing = append(missing, max(w, audio.Mono))
			continue
		}
		free = slices.Delete(free, i, i+1)
	}
	busy := map[Port]bool{}
	number := 0
	for _, o := range outputs {
		number = max(number, o.Number)
		for _, p := range o.Ports() {
			busy[p] = true
		}
	}
	var added []Output
	for _, w := range missing {
		o := Output{Width: w, First: 1}
		for slices.ContainsFunc(o.Ports(), func(p Port) bool { return busy[p] }) || w > audio.Mono && o.First%2 == 0 {
			o.First++
		}
		if ports > 0 && int(o.Last()) > ports || o.Last() > MaxPorts {
			return nil, fmt.Errorf("%d more outputs are needed, but the %d ports hold only %d of them; let some share or use "+
				"a version with more ports", len(missing), ports, len(added))
		}
		number++
		o.Number = number
		for _, p := range o.Ports() {
			busy[p] = true
		}
		added = append(added, o)
	}
	return added, nil
}
