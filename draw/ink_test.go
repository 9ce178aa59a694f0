package draw

import (
	"fmt"
	"math"
	"strconv"
	"testing"
)

// luminance and contrast are those of WCAG 2.1 ("relative luminance", "contrast ratio"),
// written down from the definition.
func luminance(hex string) float64 {
	part := func(at int) float64 {
		n, _ := strconv.ParseUint(hex[at:at+2], 16, 8)
		c := float64(n) / 255
		if c <= 0.03928 {
			return c / 12.92
		}
		return math.Pow((c+0.055)/1.055, 2.4)
	}
	return 0.2126*part(1) + 0.7152*part(3) + 0.0722*part(5)
}

func contrast(a, b string) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// On every colour ink is the one of the two that reads better, but for a hair where both
// read alike; and it always reads at 4:1.
func TestInkReadsBetterOnEveryColour(t *testing.T) {
	const dark, light = "#101418", "#ffffff"
	between := 0
	for r := 0; r < 256; r += 15 {
		for g := 0; g < 256; g += 5 {
			for b := 0; b < 256; b += 15 {
				colour := fmt.Sprintf("#%02x%02x%02x", r, g, b)
				if l := luminance(colour); l > 0.19 && l < 0.5 {
					between++
				}
				got := inkOn(colour)
				here, best := contrast(got, colour), max(contrast(dark, colour), contrast(light, colour))
				if got != dark && got != light || here < best-0.01 || here < 4 {
					t.Fatalf("on %s (luminance %.3f) ink is %s at %.2f:1; want %.2f:1", colour, luminance(colour), got, here, best)
				}
			}
		}
	}
	if between < 3000 {
		t.Errorf("only %d colours lie between luminance 0.19 and 0.5", between)
	}
}
