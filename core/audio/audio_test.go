package audio

import (
	"math"
	"testing"
)

func near(t *testing.T, what string, got Decibels, want float64) {
	t.Helper()
	if math.Abs(float64(got)-want) > 0.006 {
		t.Errorf("%s: got %.3f dB, want %.3f dB", what, float64(got), want)
	}
}

// 6.02 dB is 20·log10(2): arithmetic, not opinion.
func TestTwoEqualPathsAddUp(t *testing.T) {
	near(t, "coherent", SumCoherent(-10, -10), -3.98)
	near(t, "silence adds nothing", SumCoherent(Silence, -3), -3)
	near(t, "three coherent", SumCoherent(0, 0, 0), 9.54)
}

func TestLevelsReadLikePeopleWriteThem(t *testing.T) {
	for d, want := range map[Decibels]string{0: "0.0 dB", 6.02: "+6.0 dB", -4.5: "−4.5 dB", -0.01: "0.0 dB",
		Silence: "silent"} {
		if d.String() != want {
			t.Errorf("%v: got %q want %q", float64(d), d.String(), want)
		}
	}
}

func TestWidthDecodesStrictly(t *testing.T) {
	for _, w := range []Width{Mono, Stereo, Surround} {
		var back Width
		text, _ := w.MarshalText()
		if err := back.UnmarshalText(text); err != nil || back != w {
			t.Errorf("%v came back as %v, %v", w, back, err)
		}
	}
	var w Width
	if err := w.UnmarshalText([]byte("quad")); err == nil {
		t.Error("quad was taken for a width")
	}
}
