package role

import (
	_ "embed" // roles.txt
	"strings"

	"hiddenlanes/core/midi"
)

// Row is what the table says of one role. What is left empty is inherited from the role
// above, or made from the path, as each field says. Everything is common practice of the
// trade, no source, unless a field names one.
type Row struct {
	Role  Role
	Label string // what a lane of it is called; "": made from the path
	Short string // the label for displays of six letters; "": shortened by rule
	Names string // spellings, with commas between; a phrase is found before its words
	Below string // spellings that mean this role only beside the name of the one above it
	// spellings that mean this role in names of one kind alone: of voices and microphones of kits, of
	// voices, of microphones, of parts, of returns
	AsDrums, AsVoice, AsMicrophone, AsPart, AsReturn string
	Broad                                            bool // its names count only where no other word names a piece
	// Keys are percussion keys outside the General MIDI level 1 map, by General MIDI 2 and
	// its forerunners (from memory).
	Keys      []midi.Key
	Programs  []Programs // of General MIDI level 1 (RP-003, from memory)
	OwnOutput *int       // how much it wants an output of its own, 0 to 3; inherited
	// Step is how far it stands from the role right above it: 2^e is the distance between two
	// roles whose steps on the way add up to e. nil: what the one above says in Steps.
	Step     *int
	Steps    int    // the step of what is right below it; 0: 2 below a root, else 1
	Hue      string // of its family, "#rrggbb"; inherited
	Bus      string // of a root: the bus its lanes usually go to; "": its label
	Together string // what several of it that share are called; inherited within the family
	Splits   string // what a microphone that splits sends it with; inherited; "": shells
	// Positions are those that, named alone, mean this role.
	Positions []Position

	Struck   bool // of a root: kits and percussion, which keys tell apart, not pitches
	Pieces   bool // of a root: what is right below is a piece, and a family of its own
	Leads    bool // an instrument that has it is known by its root; inherited
	Stroke   bool // a way of playing the role above it: no microphone stands for it
	HearsAll bool // its microphones hear every piece as their own; inherited
	Kinds    bool // what is below it are different things, not microphones of one
	Numbered bool // a number in a name tells one of it from another; inherited
	Gathers  bool // all below it share by habit where outputs are few
	Aloof    bool // it stays apart by habit from what else stands beside it
	// Score is its place among those beside it in the order of a score; 0: after those that have one,
	// as here. Orchestra: instruments of several such roots are an orchestra.
	Score     int
	Orchestra bool

	NumbersFrom string            // where a number without more words counts, one step below
	NumberLabel string            // what its numbers are called: "Rack" 2
	Pitches     map[string]string // numbers that words of pitch stand for; inherited
}

// Programs is a closed range of General MIDI programs, 0 to 127.
type Programs struct{ First, Last int }

// Toms from high to low are 1 to 4 on the rack and 1 to 2 on the floor, as the General
// MIDI names count them.
var (
	rackPitches  = map[string]string{"high": "1", "high-mid": "2", "mid": "2", "low-mid": "3", "low": "4"}
	floorPitches = map[string]string{"high": "1", "low": "2"}
)

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

func wish(n int) *int { return &n }

func step(n int) *int { return &n }

// Table is the role tree in chart order, a row for each role. Numbers below a role (rack toms, first and
// second violins) are not listed. A new role is a new line of roles.txt, with its traits here if it has some.
var Table = readTable(roles)

//go:embed roles.txt
var roles string

// traits are what is said of roles beside their spellings.
var traits = map[Role]Row{
	"kit": {Label: "Kit", Hue: blue, Bus: "Drums", Together: "pieces of one kit", Struck: true, Pieces: true,
		Broad: true},
	"kit/kick":         {Step: step(5), OwnOutput: wish(2), Hue: blue, Together: "microphones of one kick", Leads: true},
	"kit/kick/sub":     {OwnOutput: wish(1)},
	"kit/snare":        {Step: step(5), OwnOutput: wish(2), Hue: vermillion, Together: "sides of one snare", Leads: true},
	"kit/snare/bottom": {OwnOutput: wish(1)},
	"kit/snare/side":   {Label: "Side Stick", OwnOutput: wish(1), Stroke: true},
	"kit/hat": {Step: step(5), OwnOutput: wish(2), Hue: orange, Together: "strokes of one hat",
		Splits: "cymbals"},
	"kit/tom": {Gathers: true, Step: step(5), Steps: 2, Label: "Toms", OwnOutput: wish(2), Hue: green,
		Together: "toms", Numbered: true, NumbersFrom: "rack", Pitches: rackPitches},
	"kit/tom/rack":  {Step: step(0), Steps: 2, Label: "Rack Toms", NumberLabel: "Rack", Pitches: rackPitches},
	"kit/tom/floor": {Step: step(1), Steps: 2, Label: "Floor Toms", NumberLabel: "Floor", Pitches: floorPitches},
	"kit/cymbal": {Label: "Cymbals", OwnOutput: wish(0), Hue: skyBlue, Together: "cymbals", Splits: "cymbals",
		Kinds: true},
	"kit/cymbal/ride":   {Aloof: true, Label: "Ride"},
	"kit/cymbal/crash":  {Label: "Crash"},
	"kit/cymbal/splash": {Label: "Splash"},
	"kit/cymbal/china":  {Label: "China"},
	"kit/overhead": {Label: "Overheads", OwnOutput: wish(1), Hue: skyBlue, Together: "overhead microphones",
		HearsAll: true, Positions: []Position{"overhead"}},
	"kit/overhead/mono": {Label: "Overhead Mono", OwnOutput: wish(0)},
	"kit/room": {Gathers: true, Step: step(3), Label: "Rooms", OwnOutput: wish(0), Hue: purple,
		Together: "ambience microphones", HearsAll: true, Positions: []Position{"room", "ambience"}},
	"kit/room/near": {Label: "Room Near"},
	"kit/room/far":  {Label: "Room Far"},
	"kit/room/mono": {Label: "Room Mono"},
	"percussion": {Score: 3, Gathers: true, Steps: 1, Struck: true, Programs: []Programs{{112, 113}, {115,
		119}}, OwnOutput: wish(0), Hue: grey, Together: "small percussion voices", Broad: true},
	"percussion/shaker":        {Keys: []midi.Key{82}},
	"percussion/castanets":     {Keys: []midi.Key{85}},
	"percussion/bells":         {Keys: []midi.Key{83, 84}},
	"percussion/surdo":         {Keys: []midi.Key{86, 87}},
	"percussion/timpani":       {Programs: []Programs{{47, 47}}},
	"percussion/sticks":        {Keys: []midi.Key{31}},
	"percussion/click":         {Keys: []midi.Key{32, 33, 34}},
	"percussion/scratch":       {Keys: []midi.Key{29, 30}},
	"keys":                     {Score: 6, Hue: blue, Broad: true},
	"keys/piano":               {Programs: []Programs{{0, 7}}},
	"keys/organ":               {Programs: []Programs{{16, 23}}},
	"mallets":                  {Score: 4, Programs: []Programs{{8, 15}}, Hue: orange, Broad: true},
	"mallets/steel-pan":        {Label: "Steel Pans", Programs: []Programs{{114, 114}}},
	"mallets/steel-pan/lead":   {Label: "Lead Pan"},
	"mallets/steel-pan/double": {Label: "Double Pan"},
	"mallets/steel-pan/cello":  {Label: "Cello Pan"},
	"mallets/steel-pan/bass":   {Label: "Bass Pan"},
	"plucked":                  {Score: 5, Programs: []Programs{{104, 108}}, Hue: green, Broad: true},
	"plucked/guitar":           {Programs: []Programs{{24, 31}}},
	"plucked/bass":             {Programs: []Programs{{32, 37}}},
	"plucked/harp":             {Programs: []Programs{{46, 46}}},
	"strings":                  {Score: 8, Orchestra: true, Programs: []Programs{{40, 45}}, Hue: vermillion, Broad: true},
	"strings/violin":           {Numbered: true, Programs: []Programs{{110, 110}}},
	"strings/ensemble":         {Programs: []Programs{{48, 51}, {55, 55}}},
	"brass":                    {Score: 2, Orchestra: true, Programs: []Programs{{56, 63}}, Hue: yellow, Broad: true},
	"brass/trumpet":            {Score: 2},
	"brass/flugelhorn":         {Score: 3},
	"brass/horn":               {Score: 1},
	"brass/trombone":           {Score: 4},
	"brass/tuba":               {Score: 5},
	"woodwind": {Score: 1, Orchestra: true, Programs: []Programs{{64, 79}, {109, 109}, {111, 111}},
		Hue: skyBlue, Broad: true},
	"voices":         {Score: 7, Hue: purple, Broad: true},
	"voices/lead":    {OwnOutput: wish(2)},
	"voices/soprano": {Broad: true},
	"voices/alto":    {Broad: true},
	"voices/tenor":   {Broad: true},
	"voices/choir":   {Programs: []Programs{{52, 54}}},
	"synth":          {Hue: green, Broad: true},
	"synth/lead":     {Programs: []Programs{{80, 87}}},
	"synth/bass":     {Programs: []Programs{{38, 39}}},
	"synth/pad":      {Programs: []Programs{{88, 95}}},
	"effects":        {Programs: []Programs{{96, 103}, {120, 127}}, OwnOutput: wish(0), Hue: grey, Broad: true},
	"effects/reverb": {OwnOutput: wish(2)},
	"effects/delay":  {OwnOutput: wish(2)},
	"effects/hit":    {Keys: []midi.Key{27, 28}},
}

// readTable reads the roles with their spellings; a line that cannot be read is a mistake in the file.
func readTable(text string) (out []Row) {
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line == "" || line[0] == '#' {
			continue
		}
		fields := strings.Split(line, "|")
		r := Role(strings.TrimSpace(fields[0]))
		row := traits[r]
		row.Role = r
		for i, f := range fields[1:] {
			kind, names, of := strings.Cut(f, ":")
			if !of {
				kind, names = "", f
			}
			into := map[string]*string{"": &row.Names, "below": &row.Below, "drums": &row.AsDrums, "voice": &row.AsVoice,
				"microphone": &row.AsMicrophone, "part": &row.AsPart, "return": &row.AsReturn}[strings.TrimSpace(kind)]
			if into == nil || !of && i > 0 {
				panic("roles.txt: there is no kind of names " + kind + " in: " + line)
			}
			*into = strings.TrimSpace(names)
		}
		out = append(out, row)
	}
	return out
}

// Effects is the role of a return that nobody has named yet.
const Effects Role = "effects"

// unnamed stands for a signal nobody has named yet.
var unnamed = Row{Hue: grey, Together: "neighbours in chart order"}

// rows finds the rows by role; siblings gives, for each path, its branches' places in the
// chart.
var (
	rows     = map[Role]*Row{Unnamed: &unnamed}
	siblings = map[string]map[string]int{}
)

func init() {
	for i := range Table {
		rows[Table[i].Role] = &Table[i]
		at := ""
		for _, s := range Table[i].Role.Segments() {
			if siblings[at] == nil {
				siblings[at] = map[string]int{}
			}
			if _, ok := siblings[at][s]; !ok {
				siblings[at][s] = len(siblings[at])
			}
			at = strings.TrimPrefix(at+"/"+s, "/")
		}
	}
}

// Row is what the table says of the role itself, or nil.
func (r Role) Row() *Row { return rows[r] }

// nearest is the row of the nearest role at or above r, and not above top, that says
// something, or nil.
func (r Role) nearest(top Role, says func(*Row) bool) *Row {
	for ; r.Under(top); r = r.Parent() {
		if row := rows[r]; row != nil && says(row) {
			return row
		}
		if r == Unnamed {
			break
		}
	}
	return nil
}

// is reports whether a role at or above r has a trait.
func (r Role) is(trait func(*Row) bool) bool { return r.nearest(Unnamed, trait) != nil }

// OwnOutput is how much the role wants an output of its own, 0 to 3; ok is false where the
// table says nothing.
func (r Role) OwnOutput() (n int, ok bool) {
	if row := r.nearest(Unnamed, func(row *Row) bool { return row.OwnOutput != nil }); row != nil {
		return *row.OwnOutput, true
	}
	return 0, false
}

// Hue is the hue of the role's family, "#rrggbb", or of its root's.
func (r Role) Hue() string {
	for _, at := range []Role{r.Family(), r.Root(), Unnamed} {
		if row := rows[at]; row != nil && row.Hue != "" {
			return row.Hue
		}
	}
	return grey
}

// Together is what several feeds are called that share this role; "" where the table
// says nothing.
func (r Role) Together() string {
	if row := r.nearest(r.Family(), func(row *Row) bool { return row.Together != "" }); row != nil {
		return row.Together
	}
	return ""
}

// HasPieces reports whether the role is a root whose branches are families of their own.
func (r Role) HasPieces() bool { return rows[r] != nil && rows[r].Pieces }

// HasKinds reports whether what is right below the role are different things.
func (r Role) HasKinds() bool { return rows[r] != nil && rows[r].Kinds }

// HearsAll reports whether microphones of the role hear every piece as their own.
func (r Role) HearsAll() bool { return r.is(func(row *Row) bool { return row.HearsAll }) }

// SplitsOff reports whether a microphone that splits sends the role apart from the shells.
func (r Role) SplitsOff() bool { return r.is(func(row *Row) bool { return row.Splits != "" }) }

// GathersIn is the role whose like share by habit where outputs are few, such as all toms; ok is
// false where there is none.
func (r Role) GathersIn() (at Role, ok bool) {
	row := r.nearest(Unnamed, func(row *Row) bool { return row.Gathers })
	if row == nil {
		return Unnamed, false
	}
	return row.Role, true
}

// StandsApartFrom reports whether the role stays apart from the other by habit, where both are of
// one kind.
func (r Role) StandsApartFrom(o Role) bool {
	row := r.nearest(Unnamed, func(row *Row) bool { return row.Aloof })
	return row != nil && !o.Under(row.Role) && o != row.Role.Parent() && o.Under(row.Role.Parent())
}

// IsStruck reports whether keys tell the role's voices apart, as in a kit.
func (r Role) IsStruck() bool { return r != Unnamed && rows[r.Root()] != nil && rows[r.Root()].Struck }

// Dominant is the root that feeds of the roles are known by: that of one that leads, else
// that of more than half of them, else Unnamed.
func Dominant(roles []Role) Role {
	count := map[Role]int{}
	for _, r := range roles {
		if r != Unnamed && r.is(func(row *Row) bool { return row.Leads }) {
			return r.Root()
		}
		count[r.Root()]++
	}
	for r, n := range count {
		if r != Unnamed && 2*n > len(roles) {
			return r
		}
	}
	return Unnamed
}

// Predominant is the root that an instrument with the roles is listed under: one with
// pieces before all others, else the most frequent, in chart order.
func Predominant(roles []Role) Role {
	count := map[Role]int{}
	for _, r := range roles {
		count[r.Root()]++
	}
	best, most := Unnamed, 0
	for _, root := range Roots() {
		n := count[Role(root)]
		if n > 0 && Role(root).HasPieces() {
			return Role(root)
		}
		if n > most {
			best, most = Role(root), n
		}
	}
	return best
}
