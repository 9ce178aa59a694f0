// Package audio holds the units of sound level and width that the rest of the
// core computes with. It knows nothing of instruments, lanes or projects.
package audio

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Decibels is a level relative to unity gain: 0 is unchanged, -6.02 is half
// the amplitude. The zero value is unity.
type Decibels float64

// Silence is the level of a path that carries nothing.
var Silence = Decibels(math.Inf(-1))

// Linear gives the amplitude factor, 10^(dB/20); Silence gives 0.
func (d Decibels) Linear() float64 { return math.Pow(10, float64(d)/20) }

// FromLinear gives the level of an amplitude factor; 0 and below give Silence.
func FromLinear(f float64) Decibels {
	if f <= 0 {
		return Silence
	}
	return Decibels(20 * math.Log10(f))
}

// SumCoherent adds levels of one and the same signal arriving by several
// paths: amplitudes add, so two equal paths give +6.02 dB.
func SumCoherent(levels ...Decibels) Decibels {
	sum := 0.0
	for _, l := range levels {
		sum += l.Linear()
	}
	return FromLinear(sum)
}

// ParseDecibels reads a level as people type it: "-3,5", "−12 dB".
func ParseDecibels(text string) (Decibels, error) {
	plain := strings.NewReplacer("−", "-", ",", ".", "dB", "", " ", "").Replace(text)
	level, err := strconv.ParseFloat(plain, 64)
	if err != nil || math.IsNaN(level) {
		return 0, fmt.Errorf("%q is not a level; type decibels such as -3.5", text)
	}
	return Decibels(level), nil
}

// String prints one decimal with a sign, a true minus, and the unit.
func (d Decibels) String() string {
	switch {
	case math.IsInf(float64(d), -1):
		return "silent"
	case math.Abs(float64(d)) < 0.05:
		return "0.0 dB"
	case d < 0:
		return fmt.Sprintf("−%.1f dB", -float64(d))
	}
	return fmt.Sprintf("+%.1f dB", float64(d))
}

// Width is the number of signals a feed, an output or a lane carries side by
// side. The zero value reads as mono.
type Width int

// The widths the product knows.
const (
	Mono     Width = 1
	Stereo   Width = 2
	Surround Width = 6 // 5.1
)

// Ports is the number of ports the width occupies; never less than one.
func (w Width) Ports() int { return max(1, int(w)) }

func (w Width) String() string {
	switch w {
	case 0, Mono:
		return "mono"
	case Stereo:
		return "stereo"
	case Surround:
		return "5.1"
	}
	return fmt.Sprintf("%d wide", int(w))
}

// ParseWidth reads "mono", "stereo", "5.1" or the count of ports.
func ParseWidth(s string) (Width, error) {
	switch s {
	case "mono", "1":
		return Mono, nil
	case "stereo", "2":
		return Stereo, nil
	case "5.1", "6":
		return Surround, nil
	}
	return 0, fmt.Errorf("%q is not a width; type mono, stereo or 5.1", s)
}

// MarshalText writes the width as a word, so files and forms read as people do.
func (w Width) MarshalText() ([]byte, error) { return []byte(w.String()), nil }

// UnmarshalText reads strictly what MarshalText writes.
func (w *Width) UnmarshalText(b []byte) (err error) {
	*w, err = ParseWidth(string(b))
	return err
}
