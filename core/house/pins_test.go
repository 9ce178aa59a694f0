package house

import (
	"slices"
	"testing"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// The role that gives a family its hue is the lightest of it; others are stepped down from
// it, and neighbours look different.
func TestAFamilysOwnColourIsItsLightest(t *testing.T) {
	for _, r := range role.All() {
		top := r.Family()
		own, family := lightnessOf(r, top), lightnessOf(top, top)
		if family != lightest || own > family || own < darkest-1e-9 {
			t.Errorf("%s has the lightness %.2f and its family %s %.2f; want that lightest, %.2f", r, own, top, family, lightest)
		}
	}
	steps := map[float64]bool{}
	for _, r := range role.All() {
		if r.Parent() == "kit/kick" {
			steps[lightnessOf(r, r.Family())] = true
		}
	}
	if len(steps) < 2 {
		t.Errorf("the kick's microphones have %d lightnesses among them", len(steps))
	}
}

// A list of microphones that is typed has each once, in order, and nothing empty.
func TestTypedMicrophonesAreEachThereOnce(t *testing.T) {
	c := &Chart{}
	if _, err := SetCells([]tabular.Cell{tabular.At("strings", "microphones", " Close,, Mid ,Close,  ,Far Left ")},
		midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	if got, want := c.At("strings").Microphones, []string{"Close", "Mid", "Far Left"}; !slices.Equal(got, want) {
		t.Errorf("they are %q; want %q", got, want)
	}
}
