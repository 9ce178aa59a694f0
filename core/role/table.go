package role

import (
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
	// Keys are percussion keys outside the General MIDI level 1 map, by General MIDI 2 and
	// its forerunners (from memory).
	Keys     []midi.Key
	Programs []Programs // of General MIDI level 1 (RP-003, from memory)
	Wish     *int       // how much it wants an output of its own, 0 to 3; inherited
	// Step is how far it stands from the role right above it: 2^e is the distance between two
	// roles whose steps on the way add up to e. nil: what the one above says in Steps.
	Step     *int
	Steps    int    // the step of what stands right below it; 0: 2 below a root, else 1
	Hue      string // of its family, "#rrggbb"; inherited
	Bus      string // of a root: the bus its lanes usually go to; "": its label
	Together string // what several of it that share are called; inherited within the family
	Splits   string // what a microphone that splits sends it with; inherited; "": shells
	// Positions are those that, named alone, mean this role.
	Positions []Position

	Struck   bool // of a root: kits and percussion, which keys tell apart, not pitches
	Pieces   bool // of a root: what stands right below is a piece, and a family of its own
	Leads    bool // an instrument that has it is known by its root; inherited
	Stroke   bool // a way of playing the role above it: no microphone stands for it
	HearsAll bool // its microphones hear every piece as their own; inherited
	Kinds    bool // what stands below it are different things, not microphones of one
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

// Table is the role tree in chart order, a row for each role. Numbers below a role (rack
// toms, first and second violins) are not listed. A new role is a new row, and no more.
var Table = []Row{
	{Role: "kit", Label: "Kit", Hue: blue, Bus: "Drums", Together: "pieces of one kit", Struck: true, Pieces: true},
	{Role: "kit/kick", Step: step(5),
		Names: "acoustic bass drum, kick, kicks, kik, kck, bd, kd, bass drum, bassdrum, bdrum, kickdrum",
		Wish:  wish(2), Hue: blue, Together: "microphones of one kick", Leads: true},
	{Role: "kit/kick/in", Below: "in, inside, inner"},
	{Role: "kit/kick/out", Below: "out, outside, outer, front"},
	{Role: "kit/kick/sub", Names: "sub kick, subkick, kick sub", Below: "sub", Wish: wish(1)},
	{Role: "kit/snare", Step: step(5), Names: "snare, snares, snr, sn, sd, snaredrum", Wish: wish(2), Hue: vermillion,
		Together: "sides of one snare", Leads: true},
	{Role: "kit/snare/top", Names: "snare top, sn top, snr top", Below: "top, tp, upper"},
	{Role: "kit/snare/bottom", Below: "bottom, btm, bot, bttm, under, lower", Wish: wish(1)},
	{Role: "kit/snare/side", Label: "Side Stick",
		Names: "side stick, sidestick, cross stick, crossstick, xstick, rim shot, rimshot, rim click, rim, stick",
		Below: "side", Wish: wish(1), Stroke: true},
	{Role: "kit/hat", Step: step(5), Names: "hat, hats, hh, hihat, hihats, hi hat, hi hats, high hat, ht, chh, ohh, phh",
		Wish: wish(2), Hue: orange, Together: "strokes of one hat", Splits: "cymbals"},
	{Role: "kit/tom", Gathers: true, Step: step(5), Steps: 2, Label: "Toms",
		Names: "tom, toms, tm", Wish: wish(2), Hue: green, Together: "toms",
		Numbered: true, NumbersFrom: "rack", Pitches: rackPitches},
	{Role: "kit/tom/rack", Step: step(0), Steps: 2, Label: "Rack Toms", Names: "rack tom, racktom, rt, rtom, rack",
		NumberLabel: "Rack", Pitches: rackPitches},
	{Role: "kit/tom/floor", Step: step(1), Steps: 2, Label: "Floor Toms",
		Names:       "floor tom, floortom, flr tom, flr, ft, ftom, floor",
		NumberLabel: "Floor", Pitches: floorPitches},
	{Role: "kit/cymbal", Label: "Cymbals", Names: "cymbal, cymbals, cym, cymb, cyms, reverse cymbal", Wish: wish(0),
		Hue: skyBlue, Together: "cymbals", Splits: "cymbals", Kinds: true},
	{Role: "kit/cymbal/ride", Aloof: true, Label: "Ride",
		Names: "ride, rides, rd, ride bell, ride cymbal, ride cup, bell ride"},
	{Role: "kit/cymbal/crash", Label: "Crash", Names: "crash, crashes, crsh, cr, crash cymbal"},
	{Role: "kit/cymbal/splash", Label: "Splash", Names: "splash, spl, splash cymbal"},
	{Role: "kit/cymbal/china", Label: "China", Names: "china, chinese, chinese cymbal, china cymbal"},
	{Role: "kit/overhead", Label: "Overheads", Wish: wish(1), Hue: skyBlue, Together: "overhead microphones",
		HearsAll: true, Positions: []Position{"overhead"}},
	{Role: "kit/overhead/mono", Label: "Overhead Mono", Wish: wish(0)},
	{Role: "kit/room", Gathers: true, Step: step(3), Label: "Rooms",
		Wish: wish(0), Hue: purple, Together: "ambience microphones",
		HearsAll: true, Positions: []Position{"room", "ambience"}},
	{Role: "kit/room/near", Label: "Room Near", Below: "near"},
	{Role: "kit/room/far", Label: "Room Far", Below: "far, distant"},
	{Role: "kit/room/mono", Label: "Room Mono"},

	{Role: "percussion", Score: 3, Gathers: true, Steps: 1, Struck: true, Names: "percussion, perc, percs",
		Programs: []Programs{{112, 113}, {115, 119}},
		Wish:     wish(0),
		Hue:      grey, Together: "small percussion voices"},
	{Role: "percussion/tambourine", Names: "tambourine, tamb, tam, tambo"},
	{Role: "percussion/shaker", Names: "shaker, shk, shkr, shakers, egg", Keys: []midi.Key{82}},
	{Role: "percussion/clap", Names: "clap, claps, handclap, hand clap, clp"},
	{Role: "percussion/snap", Names: "snap, snaps, finger snap"},
	{Role: "percussion/cowbell", Names: "cowbell, cow bell, cb"},
	{Role: "percussion/conga", Names: "conga, congas, tumba, quinto"},
	{Role: "percussion/bongo", Names: "bongo, bongos"},
	{Role: "percussion/timbale", Names: "timbale, timbales, timb"},
	{Role: "percussion/agogo", Names: "agogo, agogos"},
	{Role: "percussion/cabasa", Names: "cabasa, afuche"},
	{Role: "percussion/maracas", Names: "maracas, maraca"},
	{Role: "percussion/guiro", Names: "guiro"},
	{Role: "percussion/claves", Names: "claves, clave"},
	{Role: "percussion/woodblock", Names: "woodblock, wood block, wdblk, wood blk, wood"},
	{Role: "percussion/cuica", Names: "cuica, quica"},
	{Role: "percussion/triangle", Names: "triangle, tri"},
	{Role: "percussion/vibraslap", Names: "vibraslap, vibra slap"},
	{Role: "percussion/whistle", Names: "whistle, short whistle, long whistle"},
	{Role: "percussion/castanets", Names: "castanet, castanets", Keys: []midi.Key{85}},
	{Role: "percussion/bells",
		Names: "bell tree, jingle bell, jingle bells, sleigh bell, sleigh bells, jingle, mark tree, bell",
		Keys:  []midi.Key{83, 84}},
	{Role: "percussion/surdo", Names: "surdo", Keys: []midi.Key{86, 87}},
	{Role: "percussion/cajon", Names: "cajon"},
	{Role: "percussion/taiko", Names: "taiko, taiko drum"},
	{Role: "percussion/timpani", Names: "timpani, timp, timpanis, kettledrum", Programs: []Programs{{47, 47}}},
	{Role: "percussion/gong", Names: "gong, tam tam"},
	{Role: "percussion/sticks", Names: "sticks, drum stick, drum sticks", Keys: []midi.Key{31}},
	{Role: "percussion/click", Names: "click, metronome, metro, square click, metronome click, metronome bell",
		Keys: []midi.Key{32, 33, 34}},
	{Role: "percussion/scratch", Names: "scratch, scratch push, scratch pull", Keys: []midi.Key{29, 30}},

	{Role: "keys", Score: 6, Names: "keys, keyboard", Hue: blue},
	{Role: "keys/piano", Names: "piano, grand, upright, honkytonk, honky tonk", Programs: []Programs{{0, 7}}},
	{Role: "keys/electric-piano", Names: "electric piano, e piano, ep, epiano, tine piano, reed piano"},
	{Role: "keys/harpsichord", Names: "harpsichord"},
	{Role: "keys/clavi", Names: "clavinet, clav, clavi"},
	{Role: "keys/organ", Names: "organ, church organ, reed organ, rock organ", Programs: []Programs{{16, 23}}},
	{Role: "keys/accordion", Names: "accordion, bandoneon, concertina"},
	{Role: "keys/harmonica", Names: "harmonica"},

	{Role: "mallets", Score: 4, Programs: []Programs{{8, 15}}, Hue: orange},
	{Role: "mallets/celesta", Names: "celesta, celeste"},
	{Role: "mallets/glockenspiel", Names: "glockenspiel, glock"},
	{Role: "mallets/music-box", Names: "music box"},
	{Role: "mallets/vibraphone", Names: "vibraphone, vibes"},
	{Role: "mallets/marimba", Names: "marimba"},
	{Role: "mallets/xylophone", Names: "xylophone, xylo"},
	{Role: "mallets/tubular-bells", Names: "tubular bells, tubular bell, chimes"},
	{Role: "mallets/dulcimer", Names: "dulcimer"},
	{Role: "mallets/kalimba", Names: "kalimba"},
	{Role: "mallets/steel-pan", Label: "Steel Pans", Programs: []Programs{{114, 114}},
		Names: "steel pan, steel pans, steel drum, steel drums, steelpan"},
	{Role: "mallets/steel-pan/lead", Label: "Lead Pan", Names: "lead pan, tenor pan"},
	{Role: "mallets/steel-pan/double", Label: "Double Pan", Names: "double pan, double second, double seconds"},
	{Role: "mallets/steel-pan/cello", Label: "Cello Pan", Names: "cello pan, guitar pan"},
	{Role: "mallets/steel-pan/bass", Label: "Bass Pan", Names: "bass pan, bass pans"},

	{Role: "plucked", Score: 5, Programs: []Programs{{104, 108}}, Hue: green},
	{Role: "plucked/guitar", Names: "guitar, gtr, guit", Programs: []Programs{{24, 31}}},
	{Role: "plucked/guitar/acoustic", Names: "acoustic guitar, nylon guitar, steel guitar, acoustic gtr, nylon gtr"},
	{Role: "plucked/guitar/electric",
		Names: "electric guitar, clean guitar, distortion guitar, overdrive guitar, jazz guitar, " +
			"muted guitar, electric gtr, overdrive, distortion"},
	{Role: "plucked/bass",
		Names:    "bass, fretless bass, slap bass, pick bass, finger bass, acoustic bass, electric bass, fretless",
		Programs: []Programs{{32, 37}}},
	{Role: "plucked/harp", Names: "harp", Programs: []Programs{{46, 46}}},
	{Role: "plucked/banjo", Names: "banjo"},
	{Role: "plucked/sitar", Names: "sitar"},
	{Role: "plucked/shamisen", Names: "shamisen"},
	{Role: "plucked/koto", Names: "koto"},
	{Role: "plucked/ukulele", Names: "ukulele, uke"},
	{Role: "plucked/mandolin", Names: "mandolin"},

	{Role: "strings", Score: 8, Orchestra: true, Names: "strings, string", Programs: []Programs{{40, 45}}, Hue: vermillion},
	{Role: "strings/violin", Names: "violin, violins, vln, vl", Numbered: true,
		Programs: []Programs{{110, 110}}},
	{Role: "strings/viola", Names: "viola, violas, vla"},
	{Role: "strings/cello", Names: "cello, celli, cellos, vcl, vc"},
	{Role: "strings/bass", Names: "contrabass, double bass, basses, string bass, upright bass"},
	{Role: "strings/fiddle", Names: "fiddle"},
	{Role: "strings/ensemble",
		Names: "string ensemble, strings ensemble, slow strings, tremolo strings, pizzicato strings, " +
			"pizzicato, tremolo",
		Programs: []Programs{{48, 51}, {55, 55}}},

	{Role: "brass", Score: 2, Orchestra: true, Names: "brass", Programs: []Programs{{56, 63}}, Hue: yellow},
	{Role: "brass/trumpet", Score: 2, Names: "trumpet, trumpets, tpt, muted trumpet"},
	{Role: "brass/flugelhorn", Score: 3, Names: "flugelhorn, flugel"},
	{Role: "brass/horn", Score: 1, Names: "french horn, french horns, horn, horns"},
	{Role: "brass/trombone", Score: 4, Names: "trombone, trombones, tbn"},
	{Role: "brass/tuba", Score: 5, Names: "tuba"},
	{Role: "brass/section", Names: "brass section"},

	{Role: "woodwind", Score: 1, Orchestra: true, Names: "woodwind, woodwinds, winds", Programs: []Programs{{64, 79}, {109, 109}, {111, 111}},
		Hue: skyBlue},
	{Role: "woodwind/piccolo", Names: "piccolo"},
	{Role: "woodwind/flute", Names: "flute, flutes, shakuhachi, alto flute"},
	{Role: "woodwind/recorder", Names: "recorder"},
	{Role: "woodwind/oboe", Names: "oboe, shanai"},
	{Role: "woodwind/english-horn", Names: "english horn, cor anglais"},
	{Role: "woodwind/clarinet", Names: "clarinet, clarinets"},
	{Role: "woodwind/bass-clarinet", Names: "bass clarinet"},
	{Role: "woodwind/bassoon", Names: "bassoon"},
	{Role: "woodwind/saxophone", Names: "sax, saxophone"},
	{Role: "woodwind/saxophone/soprano", Names: "soprano sax, soprano saxophone"},
	{Role: "woodwind/saxophone/alto", Names: "alto sax, alto saxophone"},
	{Role: "woodwind/saxophone/tenor", Names: "tenor sax, tenor saxophone"},
	{Role: "woodwind/saxophone/baritone", Names: "baritone sax, bari sax, baritone saxophone"},
	{Role: "woodwind/pan-flute", Names: "pan flute"},
	{Role: "woodwind/ocarina", Names: "ocarina"},
	{Role: "woodwind/bagpipe", Names: "bagpipe, bagpipes, bag pipe"},

	{Role: "voices", Score: 7, Names: "voice, voices, vocal, vox", Hue: purple},
	{Role: "voices/lead", Names: "lead vocal, lead voice, lead vox", Wish: wish(2)},
	{Role: "voices/soprano", Names: "soprano, sopranos"},
	{Role: "voices/alto", Names: "alto, altos"},
	{Role: "voices/tenor", Names: "tenor, tenors"},
	{Role: "voices/bass"},
	{Role: "voices/choir", Names: "choir, choir aahs, choir ahs, aahs, oohs, voice oohs, synth voice, synth vox",
		Programs: []Programs{{52, 54}}},

	{Role: "synth", Names: "synth, synthesizer", Hue: green},
	{Role: "synth/lead", Names: "synth lead, square lead, saw lead, saw wave, square wave, sine wave",
		Programs: []Programs{{80, 87}}},
	{Role: "synth/bass", Names: "synth bass, sub bass, bass synth", Programs: []Programs{{38, 39}}},
	{Role: "synth/pad", Names: "pad, synth pad", Programs: []Programs{{88, 95}}},
	{Role: "synth/brass", Names: "synth brass"},
	{Role: "synth/strings", Names: "synth strings, synth string"},
	{Role: "synth/drum", Names: "synth drum"},

	{Role: "effects", Names: "fx, sfx, effect, effects", Programs: []Programs{{96, 103}, {120, 127}}, Wish: wish(0),
		Hue: grey},
	{Role: "effects/reverb", Names: "reverb, verb", Wish: wish(2)},
	{Role: "effects/delay", Names: "delay, echo", Wish: wish(2)},
	{Role: "effects/hit", Names: "orchestra hit, orch hit, high q, slap, zap, impact", Keys: []midi.Key{27, 28}},
	{Role: "effects/reverse", Names: "reverse"},
	{Role: "effects/riser", Names: "riser"},
	{Role: "effects/noise", Names: "noise, white noise, wind, rain, seashore, applause, helicopter, gunshot"},
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
		learnSpellings(&Table[i])
	}
	for _, s := range otherSpellings {
		spell(s.names, s.word)
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

// is tells whether a role at or above r has a trait.
func (r Role) is(trait func(*Row) bool) bool { return r.nearest(Unnamed, trait) != nil }

// Wish is how much the role wants an output of its own, 0 to 3; ok is false where the
// table says nothing.
func (r Role) Wish() (n int, ok bool) {
	if row := r.nearest(Unnamed, func(row *Row) bool { return row.Wish != nil }); row != nil {
		return *row.Wish, true
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

// HasPieces tells whether the role is a root whose branches are families of their own.
func (r Role) HasPieces() bool { return rows[r] != nil && rows[r].Pieces }

// HasKinds tells whether what stands right below the role are different things.
func (r Role) HasKinds() bool { return rows[r] != nil && rows[r].Kinds }

// HearsAll tells whether microphones of the role hear every piece as their own.
func (r Role) HearsAll() bool { return r.is(func(row *Row) bool { return row.HearsAll }) }

// SplitsOff tells whether a microphone that splits sends the role apart from the shells.
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

// StandsApartFrom tells whether the role stays apart from the other by habit, where both are of
// one kind.
func (r Role) StandsApartFrom(o Role) bool {
	row := r.nearest(Unnamed, func(row *Row) bool { return row.Aloof })
	return row != nil && !o.Under(row.Role) && o != row.Role.Parent() && o.Under(row.Role.Parent())
}

// IsStruck tells whether keys tell the role's voices apart, as in a kit.
func (r Role) IsStruck() bool { return r != Unnamed && rows[r.Root()] != nil && rows[r.Root()].Struck }

// struckRoots lists the roots of which that is so.
func struckRoots() (out []Role) {
	for i := range Table {
		if Table[i].Struck {
			out = append(out, Table[i].Role)
		}
	}
	return out
}

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
