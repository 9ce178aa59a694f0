package house

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// Never is the wish of a feed that shares with nothing.
const Never = 3

// OwnOutputTexts are how much a feed wants an output of its own, by the wish from 0 to 3.
var OwnOutputTexts = []string{"may share", "rather not", "if possible", "always"}

// ParseOwnOutput reads a wish: one of WishTexts or its number.
func ParseOwnOutput(typed string) (int, error) {
	for i, text := range OwnOutputTexts {
		if strings.EqualFold(typed, text) || typed == strconv.Itoa(i) {
			return i, nil
		}
	}
	return 0, fmt.Errorf("%q is not how much a feed wants its own output. Type one of: %s", typed,
		strings.Join(OwnOutputTexts, ", "))
}

// UsualOwnOutput says how much a feed wants an output of its own, 0 (fine to share) to 2
// (alone), where the user has set nothing.
func UsualOwnOutput(r role.Role, kind rig.FeedKind) int {
	n, ok := r.OwnOutput()
	switch {
	case kind == rig.ReturnFeed:
		return 2 // of effects
	case r == role.Unnamed:
		return 1
	case ok:
		return n
	case kind == rig.PartFeed:
		return 2
	}
	return 1
}

// Label is what the standard calls a lane of the role.
func Label(r role.Role) string { return (*Chart)(nil).Label(r) }

// Label is what a lane of the role is called: the chart's own name for it, the
// name made from the role above it where that has one of its own, or the standard's.
func (c *Chart) Label(r role.Role) string {
	if n := c.entry(r).Name; n != "" {
		return n
	}
	if row := r.Row(); row != nil && row.Label != "" && c.namedAbove(r) == role.Unnamed {
		return row.Label
	}
	seg := r.Segments()
	if len(seg) == 0 {
		return "Unnamed"
	}
	last := seg[len(seg)-1]
	above := r.Parent()
	if row := above.Row(); row != nil && row.NumberLabel != "" && c.entry(above).Name == "" {
		return row.NumberLabel + " " + title(last)
	}
	if strings.Trim(last, "0123456789") == "" || len(seg) >= 3 && r.Root().HasPieces() {
		return c.Label(above) + " " + title(last)
	}
	return title(last)
}

// namedAbove is the nearest role above r that the chart names itself and whose name
// r's own is made from: within a piece.
func (c *Chart) namedAbove(r role.Role) role.Role {
	if len(r.Segments()) < 3 || !r.Root().HasPieces() {
		return role.Unnamed
	}
	if p := r.Parent(); c.entry(p).Name != "" {
		return p
	}
	return role.Unnamed
}

func title(s string) string {
	parts := strings.Fields(strings.ReplaceAll(s, "-", " "))
	for i, w := range parts {
		parts[i] = words.Capital(w)
	}
	return strings.Join(parts, " ")
}

// usualBus is the name of the bus the standard sends a family to instead of the main mix.
func usualBus(r role.Role) string {
	if row := r.Root().Row(); row != nil && row.Bus != "" {
		return row.Bus
	}
	return title(string(r.Root()))
}

// Common says what two or more feeds that share one output have in common, for reasons.
func Common(r role.Role) string {
	if t := r.Together(); t != "" {
		return t
	}
	return strings.ToLower(Label(r.Root())) + " feeds"
}

// Lightness of lane colours, CIE L* of 0–1. Between these a line keeps 3:1
// against paper and asphalt alike; a bus stands just below its members.
const (
	lightest = 0.57
	darkest  = 0.455
	busLight = 0.425
)

// Colour is the lane colour of a role, "#rrggbb": its family's hue, stepped in
// lightness by its place among its siblings.
func Colour(r role.Role) string {
	return shade(r, lightnessOf(r, r.Family()))
}

// lightnessOf steps a role among its siblings; the one that gives the hue is lightest.
func lightnessOf(r, top role.Role) float64 {
	step := 0
	if seg := r.Segments(); len(seg) > 0 && r != top {
		for _, c := range seg[len(seg)-1] {
			step += int(c)
		}
	}
	return lightest - float64(step%4)*(lightest-darkest)/3
}

// usualBusColour is the family's hue in a darker shade (common practice, no source).
func usualBusColour(r role.Role) string { return shade(r.Root(), busLight) }

func shade(r role.Role, lightness float64) string { return shadeOf(r.Hue(), lightness) }

// Shades are n shades of a colour, from the lightest that lanes have to the darkest; one is the
// colour itself.
func Shades(colour string, n int) []string {
	if n < 2 {
		return slices.Repeat([]string{colour}, n)
	}
	out := make([]string, n)
	for i := range out {
		out[i] = shadeOf(colour, lightest-float64(i)*(lightest-darkest)/float64(n-1))
	}
	return out
}

// BusShade is a colour in the darker shade that buses have.
func BusShade(colour string) string { return shadeOf(colour, busLight) }

// shadeOf is a hue brought to a lightness, CIE L* of 0–1.
func shadeOf(hue string, lightness float64) string {
	c, err := colorful.Hex(hue)
	if err != nil {
		return role.Unnamed.Hue()
	}
	h, chroma, _ := c.Hcl()
	return colorful.Hcl(h, chroma, lightness).Clamped().Hex()
}
