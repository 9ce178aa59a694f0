package house

import (
	"testing"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// The wishes that people set by habit: common practice, no source.
func TestWishesFollowTheTrade(t *testing.T) {
	for r, want := range map[role.Role]int{"kit/kick/in": 2, "kit/kick/out": 2, "kit/kick/sub": 1, "kit/snare/top": 2,
		"kit/snare/bottom": 1, "kit/hat": 2, "kit/tom/rack/2": 2, "kit/cymbal/ride": 0, "kit/cymbal/crash": 0,
		"kit/overhead":      1,
		"kit/overhead/mono": 0, "kit/room/far": 0, "percussion/tambourine": 0, "": 1} {
		if got := UsualOwnOutput(r, rig.VoiceFeed); got != want {
			t.Errorf("%q wishes %d, want %d", r, got, want)
		}
	}
	if UsualOwnOutput("strings/cello", rig.PartFeed) != 2 || UsualOwnOutput("voices/lead", rig.VoiceFeed) != 2 {
		t.Error("a lead voice or a part wants an output of its own")
	}
}

func TestLabels(t *testing.T) {
	for r, want := range map[role.Role]string{"kit/kick/in": "Kick In", "kit/tom/rack/1": "Rack 1",
		"kit/tom/floor/2": "Floor 2",
		"kit/overhead":    "Overheads", "kit/room/near": "Room Near", "percussion/hand-drum": "Hand Drum",
		"strings/violin/2": "Violin 2",
		"percussion":       "Percussion", "kit/snare": "Snare", "": "Unnamed", "keys/electric-piano": "Electric Piano"} {
		if got := Label(r); got != want {
			t.Errorf("%q is labelled %q, want %q", r, got, want)
		}
	}
}

// WCAG 2.1, 1.4.11: graphical objects keep a contrast of 3:1 with what is beside
// them. Every colour of the chart does so on paper and on asphalt.
func TestEveryLaneColourCanBeSeenInBothThemes(t *testing.T) {
	luminance := func(hex string) float64 {
		c, err := colorful.Hex(hex)
		if err != nil {
			t.Fatal(err)
		}
		r, g, b := c.LinearRgb()
		return 0.2126*r + 0.7152*g + 0.0722*b
	}
	contrast := func(a, b string) float64 {
		x, y := luminance(a), luminance(b)
		return (max(x, y) + 0.05) / (min(x, y) + 0.05)
	}
	for _, r := range append(role.All(), role.Unnamed) {
		for _, colour := range []string{Colour(r), usualBusColour(r)} {
			for _, ground := range []string{"#F4F1EA", "#14181B"} {
				if c := contrast(colour, ground); c < 2.95 {
					t.Errorf("%q in %s on %s: contrast %.2f", r, colour, ground, c)
				}
			}
		}
	}
}
