package audio

import (
	"math"
	"testing"
)

// In the centre each side is 3, 4.5 or 6 dB down where the sides have 0 dB, and has 0 dB where the centre
// has: common practice, and what the names of the laws say; no source.
func TestPanLawsHaveTheirCentre(t *testing.T) {
	for law, want := range map[PanLaw]float64{SineCosine: -3.0103, RootLaw: -4.5154, LinearLaw: -6.0206} {
		left, right := law.Gains(0, false)
		if db := 20 * math.Log10(left); math.Abs(db-want) > 1e-3 || math.Abs(left-right) > 1e-12 {
			t.Errorf("%q: in the centre the sides are at %.4f and %.4f dB; want %.4f", law, db, 20*math.Log10(right), want)
		}
		if left, right = law.Gains(-1, false); left != 1 || right != 0 {
			t.Errorf("%q: hard left it is %v and %v; want 1 and 0", law, left, right)
		}
		if left, right = law.Gains(0, true); math.Abs(left-1) > 1e-12 || math.Abs(right-1) > 1e-12 {
			t.Errorf("%q with the centre at 0 dB: it is %v and %v there; want 1 and 1", law, left, right)
		}
		if _, right = law.Gains(1, true); math.Abs(20*math.Log10(right)+want) > 1e-3 {
			t.Errorf("%q with the centre at 0 dB: hard right it is at %.4f dB; want %.4f above", law, 20*math.Log10(right), -want)
		}
		last := 2.0
		for pan := -1.0; pan <= 1; pan += 0.05 {
			left, right := law.Gains(pan, false)
			mirrored, _ := law.Gains(-pan, false)
			if left > last || math.Abs(mirrored-right) > 1e-9 {
				t.Fatalf("%q at %.2f: the left is %v after %v, the right %v and %v mirrored", law, pan, left, last, right, mirrored)
			}
			last = left
		}
	}
	for pan := -1.0; pan <= 1; pan += 0.1 { // what stays
		l, r := SineCosine.Gains(pan, false)
		if math.Abs(l*l+r*r-1) > 1e-12 {
			t.Errorf("at %.1f the power of sine and cosine is %v; want 1", pan, l*l+r*r)
		}
		if l, r = LinearLaw.Gains(pan, false); math.Abs(l+r-1) > 1e-12 {
			t.Errorf("at %.1f the linear sum is %v; want 1", pan, l+r)
		}
	}
}
