package namelist

import (
	"fmt"
	"strings"
)

// Template is a list to begin from and to edit: the usual names of a kind of instrument.
type Template struct {
	Key, Name string
	Of        string // what its number counts
	Usual     int    // how many there are where nobody says
	Most      int
	names     func(n int) []string
}

// Starts lists them.
var Starts = []Template{
	{"kit", "Acoustic kit", "microphones", 12, len(kitMicrophones), kitNames},
	{"pads", "Pad instrument", "pads", 8, 64, func(n int) []string {
		return numbered(n, func(i int) string { return fmt.Sprintf("Pad %d, mono, key %d", i, 35+i) })
	}},
	{"rack", "Rack of parts", "parts", 6, 64, func(n int) []string {
		return append([]string{"parts"}, numbered(n, func(i int) string {
			return fmt.Sprintf("Part %d, stereo, ch %d", i,
				(i-1)%16+1)
		})...)
	}},
	{"section", "Section with microphone positions", "parts", 4, 64, func(n int) []string {
		out := append([]string{"parts"}, numbered(n, func(i int) string {
			return fmt.Sprintf("Part %d, ch %d", i, (i-1)%16+
				1)
		})...)
		return append(out, "positions", "Close, stereo", "Mid, stereo", "Room, stereo")
	}},
}

// Names gives the list for so many, from 1 to Most.
func (s Template) Names(n int) string {
	return strings.Join(s.names(min(max(n, 1), s.Most)), "\n") + "\n"
}

func numbered(n int, line func(i int) string) (out []string) {
	for i := range n {
		out = append(out, line(i+1))
	}
	return out
}

// kitMicrophones are those of an acoustic kit as they stand in lists, each with its turn: with fewer
// microphones those with the lowest are there (common practice, no source).
var kitMicrophones = []struct {
	line string
	turn int
}{
	{"Kick In, mono", 1}, {"Kick Out, mono", 8}, {"Kick Sub, mono", 14}, {"Snare Top, mono", 2}, {"Snare Bottom, mono", 7},
	{"Hat, mono", 5}, {"Rack Tom 1, mono", 4}, {"Rack Tom 2, mono", 9}, {"Rack Tom 3, mono", 18}, {"Floor Tom 1, mono", 6},
	{"Floor Tom 2, mono", 11}, {"Floor Tom 3, mono", 21}, {"Ride, mono", 10}, {"Crash Left, mono", 15},
	{"Crash Right, mono", 16}, {"Splash, mono", 22}, {"China, mono", 20}, {"Overheads, stereo", 3},
	{"Overhead Mono, mono", 17}, {"Room Near, stereo", 12}, {"Room Far, stereo", 13}, {"Room Mono, mono", 19},
}

func kitNames(n int) []string {
	out := []string{"microphones"}
	for _, m := range kitMicrophones {
		if m.turn <= n {
			out = append(out, m.line)
		}
	}
	return out
}
