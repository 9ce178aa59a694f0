package house

import (
	"math"
	"slices"
	"testing"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// The test pairs of G. Sharma, W. Wu and E. N. Dalal, "The CIEDE2000 color-difference
// formula: implementation notes, supplementary test data, and mathematical
// observations" (2005), table 1, from memory: L*a*b* of both and the difference.
var ciede2000 = [][7]float64{
	{50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425}, {50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615},
	{50, 2.8361, -74.0200, 50, 0, -82.7485, 3.4412},
	{50, -1.3802, -84.2814, 50, 0, -82.7485, 1}, {50, -1.1848, -84.8006, 50, 0, -82.7485, 1},
	{50, -0.9009, -85.5211, 50, 0, -82.7485, 1},
	{50, 0, 0, 50, -1, 2, 2.3669}, {50, -1, 2, 50, 0, 0, 2.3669}, {50, 2.4900, -0.0010, 50, -2.4900, 0.0009, 7.1792},
	{50, 2.4900, -0.0010, 50, -2.4900, 0.0011, 7.2195}, {50, -0.0010, 2.4900, 50, 0.0009, -2.4900, 4.8045},
	{50, -0.0010, 2.4900, 50, 0.0011, -2.4900, 4.7461},
	{50, 2.5, 0, 50, 0, -2.5, 4.3065}, {50, 2.5, 0, 73, 25, -18, 27.1492}, {50, 2.5, 0, 61, -5, 29, 22.8977},
	{50, 2.5, 0, 56, -27, -3, 31.9030}, {50, 2.5, 0, 58, 24, 15, 19.4535},
	{50, 2.5, 0, 50, 3.1736, 0.5854, 1}, {50, 2.5, 0, 50, 3.2972, 0, 1}, {50, 2.5, 0, 50, 1.8634, 0.5757, 1},
	{50, 2.5, 0, 50, 3.2592, 0.3350, 1},
	{60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644},
	{63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630},
	{61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731},
	{35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645},
	{22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373},
	{36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146},
	{90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441},
	{90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381},
	{6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377},
	{2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082},
}

func TestColoursAreComparedAsPeopleSeeThem(t *testing.T) {
	for i, c := range ciede2000 {
		// The library's own scale is a hundredth of the CIE's, for L*, a*, b* and the difference alike.
		a, b := colorful.Lab(c[0]/100, c[1]/100, c[2]/100), colorful.Lab(c[3]/100, c[4]/100, c[5]/100)
		if got := 100 * a.DistanceCIEDE2000(b); math.Abs(got-c[6]) > 0.0005 {
			t.Errorf("pair %d: %.4f, published %.4f", i+1, got, c[6])
		}
	}
	if ColourDifference("#3366CC", "#3366cc") != 0 || ColourDifference("#3366cc", "#3466cd") > SameColour ||
		ColourDifference("#3366cc", "#cc6633") < 20 || ColourDifference("blue", "#3366cc") < SameColour {
		t.Error("one colour written otherwise, one next to it, and another are not told apart")
	}
}

func edit(t *testing.T, c *Chart, e Edit) {
	t.Helper()
	if _, err := e(c); err != nil {
		t.Fatal(err)
	}
	if err := c.Validate(); err != nil {
		t.Fatal(err)
	}
}

func TestARoleInheritsWhatIsNotFilledIn(t *testing.T) {
	c := (*Chart)(nil).Clone()
	edit(t, c, SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "BD"),
		tabular.At("kit/kick", "colour", "#AA3355"), tabular.At("kit", "bus", "Kit"),
		tabular.At("kit/kick/in", "wish", "3"), tabular.At("kit/room", "microphones", "Near, Far"),
		tabular.At("kit/snare", "keys", "38, 40"), tabular.At("woodwind/flute", "address", "2:5")}, midi.MiddleC3))
	if c.Label("kit/kick/in") != "BD In" || c.Label("kit/kick") != "BD" || c.Label("kit/snare/top") != "Snare Top" {
		t.Errorf("got %q %q %q; want c.Label(\"kit/kick/in\") \"BD In\", c.Label(\"kit/kick\") \"BD\", "+
			"c.Label(\"kit/snare/top\") \"Snare Top\"", c.Label("kit/kick/in"), c.Label("kit/kick"), c.Label("kit/snare/top"))
	}
	if c.Bus("kit/tom/rack/1") != "Kit" || c.Bus("percussion/shaker") != "" || c.OwnOutput("kit/kick/in", "") != 3 ||
		c.OwnOutput("kit/kick/sub", "") != 1 || len(c.Microphones("kit/room/far")) != 2 {
		t.Errorf("got %q %q %d; want c.Bus(\"kit/tom/rack/1\") \"Kit\", c.Bus(\"percussion/shaker\") \"\", "+
			"c.Wish(\"kit/kick/in\", \"\") 3, c.Wish(\"kit/kick/sub\", \"\") 1, len(c.Microphones(\"kit/room/far\")) 2",
			c.Bus("kit/tom/rack/1"), c.Bus("percussion/shaker"), c.OwnOutput("kit/kick/in", ""))
	}
	if c.Colour("kit/kick") != "#aa3355" || c.Colour("kit/kick/in") == Colour("kit/kick/in") ||
		c.Colour("kit/hat") != Colour("kit/hat") {
		t.Errorf("got %s %s; want c.Colour(\"kit/kick\") \"#aa3355\", c.Colour(\"kit/kick/in\") not "+
			"Colour(\"kit/kick/in\"), c.Colour(\"kit/hat\") Colour(\"kit/hat\")", c.Colour("kit/kick"), c.Colour("kit/kick/in"))
	}
	shade, _ := colorful.Hex(c.BusColour("kit/kick"))
	own, _ := colorful.Hex("#aa3355")
	h1, _, l1 := shade.Hcl()
	h2, _, l2 := own.Hcl()
	if math.Abs(h1-h2) > 4 || l1 >= l2+0.05 {
		t.Errorf("the bus is hue %.0f at %.2f, its family %.0f at %.2f", h1, l1, h2, l2)
	}
	edit(t, c, SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "")}, midi.MiddleC3))
	if c.Label("kit/kick/in") != "Kick In" {
		t.Errorf("given back, it is still %q", c.Label("kit/kick/in"))
	}
	for _, bad := range []tabular.Cell{tabular.At("kit", "wish", "4"), tabular.At("kit", "colour", "blue"),
		tabular.At("nothing/there", "name", "x"),
		tabular.At("kit", "address", "17"), tabular.At("kit", "size", "1"), tabular.At("", "name", "x")} {
		try := c.Clone()
		_, err := SetCells([]tabular.Cell{bad}, midi.MiddleC3)(try)
		if err == nil && try.Validate() == nil {
			t.Errorf("%v was taken", bad)
		}
	}
}

func TestRolesMoveAmongTheirNeighbours(t *testing.T) {
	c := (*Chart)(nil).Clone()
	edit(t, c, Move("kit/overhead", "kit/kick"))
	edit(t, c, Step("kit/hat", -1))
	order := []role.Role{"kit/overhead/mono", "kit/kick/in", "kit/hat", "kit/snare", "kit/tom/rack/1", "percussion/shaker"}
	shuffled := []role.Role{"percussion/shaker", "kit/snare", "kit/kick/in", "kit/tom/rack/1",
		"kit/overhead/mono", "kit/hat"}
	slices.SortFunc(shuffled, c.Compare)
	if !slices.Equal(shuffled, order) {
		t.Errorf("got %v; want %v", shuffled, order)
	}
	if below := c.Below("kit"); below[0] != "kit/overhead" || below[1] != "kit/kick" || below[2] != "kit/hat" {
		t.Errorf("got %v; want below[0] \"kit/overhead\", below[1] \"kit/kick\", below[2] \"kit/hat\"", below)
	}
	if _, err := Move("kit/hat", "percussion/shaker")(c); err == nil {
		t.Error("a hat was moved into the percussion")
	}
	if _, err := Step("kit/overhead", -1)(c); err == nil {
		t.Error("the first was moved up")
	}
	if at, ok := c.DividerBetween("kit/room", "percussion/clap"); !ok || at != "percussion" {
		t.Errorf("got %q %v; want ok, at \"percussion\"", at, ok)
	}
	if _, ok := c.DividerBetween("kit/kick/in", "kit/snare"); ok {
		t.Error("a divider inside the kit where nobody wants one")
	}
}

// A cell of the chart shows what was typed into it and nothing where it is empty; what it shows can be
// typed again.
func TestACellOfTheChartShowsWhatWasTyped(t *testing.T) {
	for _, f := range Fields {
		c := (*Chart)(nil).Clone()
		if own := f.Own(c, "brass/tuba", midi.MiddleC3); own != "" {
			t.Errorf("nobody has typed into %s, and it shows %q", f.Key, own)
		}
	}
	for key, typed := range map[string]string{"name": "Tuba low", "short": "Tub", "colour": "#336699", "width": "mono",
		"wish": "always", "bus": "Low brass", "address": "ch 7"} {
		c := (*Chart)(nil).Clone()
		f, err := FieldNamed(key)
		if err != nil {
			t.Fatal(err)
		}
		for range 2 {
			edit(t, c, SetCells([]tabular.Cell{tabular.At("brass/tuba", key, typed)}, midi.MiddleC3))
			if got := f.Own(c, "brass/tuba", midi.MiddleC3); got != typed {
				t.Errorf("%q typed into %s shows %q", typed, key, got)
			}
			typed = f.Own(c, "brass/tuba", midi.MiddleC3)
			c = (*Chart)(nil).Clone()
		}
	}
}
