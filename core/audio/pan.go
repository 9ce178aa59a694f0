package audio

import "math"

// PanLaw says how a mono signal is shared between two sides. The three are those in common use: the
// power stays, the sum stays, or what lies between.
type PanLaw string

// The laws, by what each side has in the centre where the sides have 0 dB.
const (
	SineCosine PanLaw = ""       // −3 dB: sine and cosine, the power stays
	RootLaw    PanLaw = "root"   // −4.5 dB: the root of linear × sine and cosine
	LinearLaw  PanLaw = "linear" // −6 dB: linear, the sum stays
)

// PanLaws lists them.
var PanLaws = []PanLaw{SineCosine, RootLaw, LinearLaw}

// Gains are what the left and the right side get of a mono signal at a pan from −1, left, to +1, right.
// With centre, the centre has 0 dB on each side and the sides lie above; else the sides have 0 dB.
func (l PanLaw) Gains(pan float64, centre bool) (left, right float64) {
	pan = min(max(pan, -1), 1)
	angle := (pan + 1) * math.Pi / 4
	sides := [2]float64{math.Cos(angle), math.Sin(angle)}
	for i, line := range []float64{(1 - pan) / 2, (1 + pan) / 2} {
		switch l {
		case LinearLaw:
			sides[i] = line
		case RootLaw:
			sides[i] = math.Sqrt(max(0, line*sides[i]))
		}
		if sides[i] < 1e-9 { // hard to one side, but for rounding
			sides[i] = 0
		}
	}
	if centre {
		at, _ := l.Gains(0, false)
		sides[0], sides[1] = sides[0]/at, sides[1]/at
	}
	return sides[0], sides[1]
}
