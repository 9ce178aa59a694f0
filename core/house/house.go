package house

import (
	"strings"

	"github.com/lucasb-eyer/go-colorful"

	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Never is the wish of a feed that shares with nothing.
const Never = 3

// Wish says how much a feed wants an output of its own, 0 (fine to share) to 2
// (alone), where the user has set nothing. Common practice, no source.
func Wish(r role.Role, kind rig.Kind) int {
	switch {
	case r == role.Unnamed:
		return 1
	case r.Under("percussion"), r.Under("kit/cymbal"), r.Under("kit/room"), r.Under("kit/overhead/mono"), r.Under("effects"):
		return 0
	case r.Under("kit/kick/sub"), r.Under("kit/snare/bottom"), r.Under("kit/snare/side"), r.Under("kit/overhead"):
		return 1
	case r.Under("kit/kick"), r.Under("kit/snare"), r.Under("kit/hat"), r.Under("kit/tom"), r.Under("voices/lead"):
		return 2
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
	if l, ok := labels[r]; ok && c.namedAbove(r) == role.Unnamed {
		return l
	}
	seg := r.Segments()
	if len(seg) == 0 {
		return "Unnamed"
	}
	last := seg[len(seg)-1]
	if parent := r.Parent(); (parent == "kit/tom/rack" || parent == "kit/tom/floor") && c.entry(parent).Name == "" {
		return title(seg[len(seg)-2]) + " " + title(last)
	}
	if strings.Trim(last, "0123456789") == "" || len(seg) >= 3 && seg[0] == "kit" {
		return c.Label(r.Parent()) + " " + title(last)
	}
	return title(last)
}

// namedAbove is the nearest role above r that the chart names itself and whose name
// r's own is made from: within a piece of the kit, or for numbers.
func (c *Chart) namedAbove(r role.Role) role.Role {
	seg := r.Segments()
	if len(seg) < 3 || seg[0] != "kit" {
		return role.Unnamed
	}
	if p := r.Parent(); c.entry(p).Name != "" {
		return p
	}
	return role.Unnamed
}

func title(s string) string {
	words := strings.Fields(strings.ReplaceAll(s, "-", " "))
	for i, w := range words {
		words[i] = strings.ToUpper(w[:1]) + w[1:]
	}
	return strings.Join(words, " ")
}

var labels = map[role.Role]string{
	"kit": "Kit", "kit/tom": "Toms", "kit/tom/rack": "Rack Toms", "kit/tom/floor": "Floor Toms",
	"kit/cymbal": "Cymbals", "kit/cymbal/ride": "Ride", "kit/cymbal/crash": "Crash", "kit/cymbal/splash": "Splash", "kit/cymbal/china": "China",
	"kit/overhead": "Overheads", "kit/overhead/mono": "Overhead Mono",
	"kit/room": "Rooms", "kit/room/near": "Room Near", "kit/room/far": "Room Far", "kit/room/mono": "Room Mono",
	"kit/snare/side":    "Side Stick",
	"mallets/steel-pan": "Steel Pans", "mallets/steel-pan/lead": "Lead Pan", "mallets/steel-pan/double": "Double Pan",
	"mallets/steel-pan/cello": "Cello Pan", "mallets/steel-pan/bass": "Bass Pan",
}

// Bus is the name of the bus the standard sends a family to instead of the main mix.
func Bus(r role.Role) string {
	if r.Root() == "kit" {
		return "Drums"
	}
	return title(string(r.Root()))
}

// What two or more feeds that share one output have in common, for reasons.
func Common(r role.Role) string {
	switch {
	case r.Under("kit/room"):
		return "ambience microphones"
	case r.Under("kit/overhead"):
		return "overhead microphones"
	case r.Under("kit/kick"):
		return "microphones of one kick"
	case r.Under("kit/snare"):
		return "sides of one snare"
	case r.Under("kit/tom"):
		return "toms"
	case r.Under("kit/cymbal"):
		return "cymbals"
	case r.Under("kit/hat"):
		return "strokes of one hat"
	case r == "kit":
		return "pieces of one kit"
	case r.Under("percussion"):
		return "small percussion voices"
	case r == role.Unnamed:
		return "neighbours in chart order"
	}
	return strings.ToLower(Label(r.Root())) + " feeds"
}

// The hues are those of Okabe and Ito (2008), "Color Universal Design", chosen
// to be told apart by colour-blind eyes. From memory.
const (
	orange     = "#E69F00"
	skyBlue    = "#56B4E9"
	green      = "#009E73"
	yellow     = "#F0E442"
	blue       = "#0072B2"
	vermillion = "#D55E00"
	purple     = "#CC79A7"
	grey       = "#7A7F87"
)

var hues = map[role.Role]string{
	"kit": blue, "kit/kick": blue, "kit/snare": vermillion, "kit/hat": orange, "kit/tom": green,
	"kit/cymbal": skyBlue, "kit/overhead": skyBlue, "kit/room": purple, "percussion": grey,
	"keys": blue, "mallets": orange, "plucked": green, "strings": vermillion, "brass": yellow,
	"woodwind": skyBlue, "voices": purple, "synth": green, "effects": grey, role.Unnamed: grey,
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

// BusColour is the family's hue in a darker shade (common practice, no source).
func BusColour(r role.Role) string { return shade(r.Root(), busLight) }

func shade(r role.Role, lightness float64) string {
	hue, ok := hues[r.Family()]
	if !ok {
		hue = hues[r.Root()]
	}
	return shadeOf(hue, lightness)
}

// shadeOf is a hue brought to a lightness, CIE L* of 0–1.
func shadeOf(hue string, lightness float64) string {
	c, err := colorful.Hex(hue)
	if err != nil {
		return grey
	}
	h, chroma, _ := c.Hcl()
	return colorful.Hcl(h, chroma, lightness).Clamped().Hex()
}
