package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Range is a closed range of lane numbers.
type Range struct{ From, To LaneNumber }

// Ranges is a list of lane ranges, written "1–4, 9" and read with hyphens too.
type Ranges []Range

// ParseRanges reads "1-3,7"; the empty string is no range.
func ParseRanges(s string) (Ranges, error) {
	var out Ranges
	for typed := range strings.SplitSeq(strings.NewReplacer("–", "-", ";", ",").Replace(s), ",") {
		part := strings.ReplaceAll(typed, " ", "")
		if part == "" {
			continue
		}
		a, b, ranged := strings.Cut(part, "-")
		if !ranged {
			b = a
		}
		from, err := strconv.Atoi(a)
		to, err2 := strconv.Atoi(b)
		if err != nil || err2 != nil || from < 1 || to < from || to > 1_000_000 {
			return nil, fmt.Errorf("%q is not a lane or range of lanes; write for example 1-3,7", strings.TrimSpace(typed))
		}
		out = append(out, Range{LaneNumber(from), LaneNumber(to)})
	}
	return out, nil
}

func (rs Ranges) String() string {
	var parts []string
	for _, r := range rs {
		if r.From == r.To {
			parts = append(parts, strconv.Itoa(int(r.From)))
		} else {
			parts = append(parts, fmt.Sprintf("%d–%d", r.From, r.To))
		}
	}
	return strings.Join(parts, ", ")
}

// RangesOf sums numbers up, in order: 5, 6, 7, 9 are 5–7, 9.
func RangesOf(numbers ...LaneNumber) Ranges {
	var out Ranges
	for _, n := range slices.Sorted(slices.Values(numbers)) {
		if last := len(out) - 1; last >= 0 && n <= out[last].To+1 {
			out[last].To = n
		} else {
			out = append(out, Range{n, n})
		}
	}
	return out
}

// joined are the same numbers with neighbours as one range: 1, 2–3 are 1–3.
func (rs Ranges) joined() (out Ranges) {
	sorted := slices.SortedFunc(slices.Values(rs), func(a, b Range) int { return int(a.From - b.From) })
	for _, r := range sorted {
		if last := len(out) - 1; last >= 0 && r.From <= out[last].To+1 {
			out[last].To = max(out[last].To, r.To)
		} else {
			out = append(out, r)
		}
	}
	return out
}

// Contains reports whether a number lies in one of the ranges.
func (rs Ranges) Contains(n LaneNumber) bool {
	return slices.ContainsFunc(rs, func(r Range) bool { return r.From <= n && n <= r.To })
}

// MarshalText writes the ranges as people do.
func (rs Ranges) MarshalText() ([]byte, error) { return []byte(rs.String()), nil }

// UnmarshalText reads what MarshalText writes.
func (rs *Ranges) UnmarshalText(b []byte) (err error) {
	*rs, err = ParseRanges(string(b))
	return err
}

// NoBlockError says why so many lanes in a row are not free.
type NoBlockError struct {
	Want     int
	From     LaneNumber
	InTheWay Ranges
	Limit    LaneNumber // 0: none
	Largest  Range      // the largest free run at or above From; To < From: none
}

func (e *NoBlockError) Error() string {
	var b strings.Builder
	if e.Want == 1 {
		fmt.Fprintf(&b, "no lane is free from lane %d on", e.From)
	} else {
		fmt.Fprintf(&b, "%d lanes in a row are not free from lane %d on", e.Want, e.From)
	}
	if e.Limit > 0 {
		fmt.Fprintf(&b, " up to the host's limit of %d", e.Limit)
	}
	if len(e.InTheWay) > 0 {
		fmt.Fprintf(&b, "; in the way: %s", e.InTheWay.joined())
	}
	if n := e.Largest.To - e.Largest.From + 1; n > 0 {
		fmt.Fprintf(&b, "; the largest free run is %s, %d lanes", Ranges{e.Largest}, n)
	} else if e.Want > 1 {
		b.WriteString("; no lane is free")
	}
	b.WriteString(". Begin lower, free some lanes, or use fewer outputs")
	return b.String()
}

// freeBlock is the lowest run of n consecutive free lane numbers at or above
// from (1 where it is lower), within the limit (0: none).
func freeBlock(n int, from, limit LaneNumber, used Ranges) (LaneNumber, error) {
	from = max(from, 1)
	busy := slices.Clone(used)
	slices.SortFunc(busy, func(a, b Range) int { return int(a.From - b.From) })
	largest := Range{From: 1, To: 0}
	inTheWay := Ranges{}
	at := from
	for _, b := range append(busy, Range{From: -1}) {
		end := b.From - 1 // the free run is at … end
		if b.From < 0 {
			end = at + LaneNumber(n) - 1
			if limit > 0 {
				end = limit
			}
		} else {
			if b.To < at {
				continue
			}
			if limit == 0 || b.From <= limit {
				inTheWay = append(inTheWay, Range{max(b.From, from), b.To})
			}
		}
		if limit > 0 {
			end = min(end, limit)
		}
		if end-at+1 >= LaneNumber(n) {
			return at, nil
		}
		if end-at > largest.To-largest.From {
			largest = Range{at, end}
		}
		at = max(at, b.To+1)
	}
	return 0, &NoBlockError{Want: n, From: from, InTheWay: inTheWay, Limit: limit, Largest: largest}
}

// FreeLanes gives n free lanes from the wished first one on: one block of
// consecutive numbers, or in a mixer made of fixed blocks what is free in the
// first, going on at the first free lane of the next.
func (p *Project) FreeLanes(n int) ([]LaneNumber, error) {
	var out []LaneNumber
	size := p.Host.BlockSize
	if size == 0 {
		at, err := p.Free(n, p.Host.FirstLane)
		for i := range n {
			out = append(out, at+LaneNumber(i))
		}
		return out, err
	}
	used := p.Used()
	for at := max(p.Host.FirstLane, 1); len(out) < n; at++ {
		if p.Host.LaneLimit > 0 && at > p.Host.LaneLimit || at > 1_000_000 {
			return nil, &NoBlockError{Want: n, From: max(p.Host.FirstLane, 1), InTheWay: used, Limit: p.Host.LaneLimit,
				Largest: RangesOf(out...).longest()}
		}
		if used.Contains(at) {
			// A run that is broken off goes on in the next block, not past what is in the way.
			if len(out) > 0 && (out[len(out)-1]-1)/size == (at-1)/size {
				at = ((at-1)/size+1)*size + 0
			}
			continue
		}
		out = append(out, at)
	}
	return out, nil
}

func (rs Ranges) longest() Range {
	best := Range{From: 1}
	for _, r := range rs {
		if r.To-r.From > best.To-best.From {
			best = r
		}
	}
	return best
}

// LaneName prints a lane's number as the host shows it: in a mixer of blocks the
// block and the lane in it, "2·1".
func (h Host) LaneName(n LaneNumber) string {
	if h.BlockSize == 0 {
		return strconv.Itoa(int(n))
	}
	return fmt.Sprintf("%d·%d", (n-1)/h.BlockSize+1, (n-1)%h.BlockSize+1)
}

// Free is the FreeBlock of n lanes at or above from in the project's host.
func (p *Project) Free(n int, from LaneNumber) (LaneNumber, error) {
	return freeBlock(n, from, p.Host.LaneLimit, p.Used())
}

// Used lists every lane number that is spoken for: taken by others or held by
// the project's own lanes.
func (p *Project) Used() Ranges {
	out := slices.Clone(p.Host.Taken)
	for _, l := range p.Lanes {
		out = append(out, Range{l.Number, l.Number})
	}
	return out
}
