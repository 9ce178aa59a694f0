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
	// spellings that mean this role in names of one kind alone: of voices and microphones of kits, of
	// voices, of microphones, of parts, of returns
	AsDrums, AsVoice, AsMicrophone, AsPart, AsReturn string
	Broad                                            bool // its names count only where no other word names a piece
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
	{Role: "kit", Label: "Kit", Hue: blue, Bus: "Drums", Together: "pieces of one kit", Struck: true, Pieces: true, Names: "drum kit, drumkit, drm kit, drum set, drums, drms, kit", Broad: true},
	{Role: "kit/kick", Step: step(5),
		Names: "acoustic bass drum, kick, kicks, kik, kck, bd, kd, bass drum, bassdrum, bdrum, kickdrum, bass drums, foot drum, gong bass drum, gran cassa, kiks",
		Wish:  wish(2), Hue: blue, Together: "microphones of one kick", Leads: true, AsVoice: "bd1, kk", AsMicrophone: "k, bdr"},
	{Role: "kit/kick/in", Below: "in, inside, inner, beater, batter, click", AsMicrophone: "kin"},
	{Role: "kit/kick/out", Below: "out, outside, outer, front, port, tunnel, hole, reso, resonant, ext", AsMicrophone: "kout"},
	{Role: "kit/kick/sub", Names: "sub kick, subkick, kick sub", Below: "sub", Wish: wish(1), AsMicrophone: "ksub"},
	{Role: "kit/snare", Step: step(5), Names: "snare, snares, snr, sn, sd, snaredrum, snare drum, side drum, snrs, field drum, brush, brushes, piccolo snare", Wish: wish(2), Hue: vermillion,
		Together: "sides of one snare", Leads: true, AsDrums: "rimshots, cracks", AsMicrophone: "s", AsVoice: "marching snare, ss drum"},
	{Role: "kit/snare/top", Names: "snare top, sn top, snr top", Below: "top, tp, upper, over, batter, t, tops", AsMicrophone: "sntp"},
	{Role: "kit/snare/bottom", Below: "bottom, btm, bot, bttm, under, lower, reso, resonant, wires, wire, strainer, b, bttm, underside, snares, rattle", Wish: wish(1), AsMicrophone: "snbt"},
	{Role: "kit/snare/side", Label: "Side Stick",
		Names: "side stick, sidestick, cross stick, crossstick, xstick, rim shot, rimshot, rim click, rim, stick, cross sticks, x stick, s stick, sstick, s stk, sstk, xstk, side stk, sidestk, x stk, rimclick, rim clicks",
		Below: "side", Wish: wish(1), Stroke: true, AsVoice: "rs, stk"},
	{Role: "kit/hat", Step: step(5), Names: "hat, hats, hh, hihat, hihats, hi hat, hi hats, high hat, ht, chh, ohh, phh, h hat, hat open, hat closed, charleston, highhat, hi hts, hht",
		Wish: wish(2), Hue: orange, Together: "strokes of one hat", Splits: "cymbals", AsVoice: "ch, oh, ph, hhc, hho, hhp, hcl, hop, c hat, o hat, p hat, open hh, closed hh, hf, foot hat", AsMicrophone: "hh top"},
	{Role: "kit/tom", Gathers: true, Step: step(5), Steps: 2, Label: "Toms",
		Names: "tom, toms, tm, tomtom, tom tom, rototom, roto tom, rototoms, octoban, octobans, concert tom, concert toms, gong drum, tms", Wish: wish(2), Hue: green, Together: "toms",
		Numbered: true, NumbersFrom: "rack", Pitches: rackPitches, AsMicrophone: "tm 1"},
	{Role: "kit/tom/rack", Step: step(0), Steps: 2, Label: "Rack Toms", Names: "rack tom, racktom, rt, rtom, rack, rack toms, mounted tom, hanging tom, rtm, rck",
		NumberLabel: "Rack", Pitches: rackPitches, AsMicrophone: "tt"},
	{Role: "kit/tom/floor", Step: step(1), Steps: 2, Label: "Floor Toms",
		Names:       "floor tom, floortom, flr tom, flr, ft, ftom, floor, floor toms, floortoms, flr toms, flr tm, ftm, flor tom",
		NumberLabel: "Floor", Pitches: floorPitches},
	{Role: "kit/cymbal", Label: "Cymbals", Names: "cymbal, cymbals, cym, cymb, cyms, reverse cymbal, cymbal swell, cmb, susp cym, suspended cymbal, sizzle cymbal, sizzle, clash cymbals, piatti, hand cymbals, cymbal roll, effect cymbal", Wish: wish(0),
		Hue: skyBlue, Together: "cymbals", Splits: "cymbals", Kinds: true, AsVoice: "cy, stack, bell cymbal", AsMicrophone: "stack"},
	{Role: "kit/cymbal/ride", Aloof: true, Label: "Ride",
		Names: "ride, rides, rd, ride bell, ride cymbal, ride cup, bell ride, ride bow, ride edge, rde, ridebell, ride crash", AsVoice: "rc, rb"},
	{Role: "kit/cymbal/crash", Label: "Crash", Names: "crash, crashes, crsh, cr, crash cymbal, crashs, crash choke, crash cymbals, crs", AsVoice: "cc"},
	{Role: "kit/cymbal/splash", Label: "Splash", Names: "splash, spl, splash cymbal, splashes, splsh"},
	{Role: "kit/cymbal/china", Label: "China", Names: "china, chinese, chinese cymbal, china cymbal, chinas, china type, swish", AsVoice: "chi, ch cym"},
	{Role: "kit/overhead", Label: "Overheads", Wish: wish(1), Hue: skyBlue, Together: "overhead microphones",
		HearsAll: true, Positions: []Position{"overhead"}},
	{Role: "kit/overhead/mono", Label: "Overhead Mono", Wish: wish(0)},
	{Role: "kit/room", Gathers: true, Step: step(3), Label: "Rooms",
		Wish: wish(0), Hue: purple, Together: "ambience microphones",
		HearsAll: true, Positions: []Position{"room", "ambience"}, AsMicrophone: "hall, corridor, hallway, stairwell, stairs, garage, chamber, booth, basement, corner, crush, crush mic, crusher, smash, trash, trash mic, lofi, lo fi, knee, talkback, tb, listen, listen mic, wall, floor mic, bathroom, space, stage, ambient"},
	{Role: "kit/room/near", Label: "Room Near", Below: "near, mid, close, front"},
	{Role: "kit/room/far", Label: "Room Far", Below: "far, distant, rear, back, hall, long, late, distant"},
	{Role: "kit/room/mono", Label: "Room Mono", Below: "m", AsMicrophone: "crush mono"},

	{Role: "percussion", Score: 3, Gathers: true, Steps: 1, Struck: true, Names: "percussion, perc, percs, percussions, ethnic perc, hand perc, toys, aux perc, latin perc, perc loop",
		Programs: []Programs{{112, 113}, {115, 119}},
		Wish:     wish(0),
		Hue:      grey, Together: "small percussion voices", Broad: true},
	{Role: "percussion/tambourine", Names: "tambourine, tamb, tam, tambo, tambourin, tmb, tambs, pandeiro, tambourines"},
	{Role: "percussion/shaker", Names: "shaker, shk, shkr, shakers, egg, shekere, chekere, ganza, caxixi, egg shaker, shaka", Keys: []midi.Key{82}},
	{Role: "percussion/clap", Names: "clap, claps, handclap, hand clap, clp, hand claps, handclaps, clapping", AsVoice: "cp, clp"},
	{Role: "percussion/snap", Names: "snap, snaps, finger snap, finger snaps, fingersnap, fingersnaps, finger click, snp", AsVoice: "fs"},
	{Role: "percussion/cowbell", Names: "cowbell, cow bell, cb, cowbells, cwb, cbell, cow"},
	{Role: "percussion/conga", Names: "conga, congas, tumba, quinto, tumbadora, congo, cga, cng"},
	{Role: "percussion/bongo", Names: "bongo, bongos, bngo, bng"},
	{Role: "percussion/timbale", Names: "timbale, timbales, timb, timbs, tmbl"},
	{Role: "percussion/agogo", Names: "agogo, agogos"},
	{Role: "percussion/cabasa", Names: "cabasa, afuche"},
	{Role: "percussion/maracas", Names: "maracas, maraca, mrcs, maracca", AsVoice: "ma"},
	{Role: "percussion/guiro", Names: "guiro, guira, gro"},
	{Role: "percussion/claves", Names: "claves, clave, clvs", AsVoice: "clv"},
	{Role: "percussion/woodblock", Names: "woodblock, wood block, wdblk, wood blk, wood, woodblocks, wood blocks, temple block, temple blocks, templeblock, wb, block, blocks, jam block"},
	{Role: "percussion/cuica", Names: "cuica, quica"},
	{Role: "percussion/triangle", Names: "triangle, tri, triangles, trgl, tri angle"},
	{Role: "percussion/vibraslap", Names: "vibraslap, vibra slap, vbslp"},
	{Role: "percussion/whistle", Names: "whistle, short whistle, long whistle, samba whistle, police whistle, whistles"},
	{Role: "percussion/castanets", Names: "castanet, castanets", Keys: []midi.Key{85}},
	{Role: "percussion/bells",
		Names: "bell tree, jingle bell, jingle bells, sleigh bell, sleigh bells, jingle, mark tree, bell, bar chimes, wind chimes, windchimes, chime tree, belltree, finger cymbals, finger cymbal, sleighbells, sleighbell, bells, crotale, hand bells",
		Keys:  []midi.Key{83, 84}, AsVoice: "chimes, chime"},
	{Role: "percussion/surdo", Names: "surdo", Keys: []midi.Key{86, 87}},
	{Role: "percussion/cajon", Names: "cajon, cajón, cjn"},
	{Role: "percussion/djembe", Names: "djembe, jembe, djembé, darbuka, darabuka, doumbek, dumbek, udu, ashiko, talking drum, bodhran, frame drum, daf, riq, dhol, tabla, tablas, bombo"},
	{Role: "percussion/taiko", Names: "taiko, taiko drum, taikos, o daiko, odaiko, daiko, shime"},
	{Role: "percussion/timpani", Names: "timpani, timp, timpanis, kettledrum, timps, kettle drum, kettle drums, timpano, pauken, tmp, timpani roll", Programs: []Programs{{47, 47}}},
	{Role: "percussion/gong", Names: "gong, tam tam, gongs, tamtam, tam tams, chau gong"},
	{Role: "percussion/sticks", Names: "sticks, drum stick, drum sticks, stick click, sticks click, count in, count off, countin", Keys: []midi.Key{31}, AsVoice: "count"},
	{Role: "percussion/click", Names: "click, metronome, metro, square click, metronome click, metronome bell, clicks, clk, click track",
		Keys: []midi.Key{32, 33, 34}},
	{Role: "percussion/scratch", Names: "scratch, scratch push, scratch pull", Keys: []midi.Key{29, 30}},
	{Role: "percussion/metal", Names: "brake drum, brakedrum, anvil, flexatone, ratchet, waterphone, spring drum, bell plate, thunder sheet, metal, pipe hit, cymbell, singing bowl"},

	{Role: "keys", Score: 6, Names: "keys, keyboard, keyboards, keybd, kbd, kbds, kys", Hue: blue, Broad: true},
	{Role: "keys/piano", Names: "piano, grand, upright, honkytonk, honky tonk, pianos, pno, pf, grand piano, upright piano, uprt pno, pianoforte, klavier, felt piano, prepared piano", Programs: []Programs{{0, 7}}, AsPart: "gp, grd, upr"},
	{Role: "keys/electric-piano", Names: "electric piano, e piano, ep, epiano, tine piano, reed piano, elec piano, el piano, el pno, elec pno, electric pno, e pno, ep 1, tine ep, reed ep, suitcase, epno, eps, electric grand"},
	{Role: "keys/harpsichord", Names: "harpsichord, hpsd, hpschd, harpsi, cembalo, hpd, hrpsi"},
	{Role: "keys/clavi", Names: "clavinet, clav, clavi, clv, clavichord"},
	{Role: "keys/organ", Names: "organ, church organ, reed organ, rock organ, organs, org, pipe organ, drawbar organ, tonewheel, tonewheel organ, harmonium, portative, theatre organ", Programs: []Programs{{16, 23}}},
	{Role: "keys/accordion", Names: "accordion, bandoneon, concertina, accord, acc, accordian, squeezebox, melodeon, bayan"},
	{Role: "keys/harmonica", Names: "harmonica, mouth harp, melodica, blues harp, harp mouth"},

	{Role: "mallets", Score: 4, Programs: []Programs{{8, 15}}, Hue: orange, Names: "mallets, mallet, tuned perc, tuned percussion, pitched perc", Broad: true},
	{Role: "mallets/celesta", Names: "celesta, celeste, cel, clsta, celestas"},
	{Role: "mallets/glockenspiel", Names: "glockenspiel, glock, glk, glocks, glck, orchestra bells, orch bells, crotales"},
	{Role: "mallets/music-box", Names: "music box"},
	{Role: "mallets/vibraphone", Names: "vibraphone, vibes, vib, vibs, vbs, vibraharp, vibes motor"},
	{Role: "mallets/marimba", Names: "marimba, mar, mrmb, marimbas, balafon"},
	{Role: "mallets/xylophone", Names: "xylophone, xylo, xyl, xylos, xylophon"},
	{Role: "mallets/tubular-bells", Names: "tubular bells, tubular bell, chimes, tub bells, tubular, tubells, chimes tub, tbls, church bells"},
	{Role: "mallets/dulcimer", Names: "dulcimer, hammered dulcimer, cimbalom, santoor, santur"},
	{Role: "mallets/kalimba", Names: "kalimba, mbira, thumb piano, sansula"},
	{Role: "mallets/steel-pan", Label: "Steel Pans", Programs: []Programs{{114, 114}},
		Names: "steel pan, steel pans, steel drum, steel drums, steelpan"},
	{Role: "mallets/steel-pan/lead", Label: "Lead Pan", Names: "lead pan, tenor pan"},
	{Role: "mallets/steel-pan/double", Label: "Double Pan", Names: "double pan, double second, double seconds"},
	{Role: "mallets/steel-pan/cello", Label: "Cello Pan", Names: "cello pan, guitar pan"},
	{Role: "mallets/steel-pan/bass", Label: "Bass Pan", Names: "bass pan, bass pans"},

	{Role: "plucked", Score: 5, Programs: []Programs{{104, 108}}, Hue: green, Names: "plucked, plucks", Broad: true},
	{Role: "plucked/guitar", Names: "guitar, gtr, guit, guitars, gtrs, gitarre, gt, git, rhythm gtr, rhythm guitar, rhy gtr, lead gtr, lead guitar", Programs: []Programs{{24, 31}}},
	{Role: "plucked/guitar/acoustic", Names: "acoustic guitar, nylon guitar, steel guitar, acoustic gtr, nylon gtr, ac gtr, ac guitar, acou gtr, a gtr, agtr, acgtr, nyl gtr, steel gtr, classical guitar, spanish guitar, twelve string, 12 string, classical gtr, dreadnought, acous gtr, acst gtr"},
	{Role: "plucked/guitar/electric",
		Names: "electric guitar, clean guitar, distortion guitar, overdrive guitar, jazz guitar, " +
			"muted guitar, electric gtr, overdrive, distortion, elec gtr, el gtr, elec guitar, el guitar, e gtr, egtr, e guitar, clean gtr, dist gtr, crunch gtr, overdriven guitar, heavy gtr, elgtr, dirty gtr"},
	{Role: "plucked/bass",
		Names:    "bass, fretless bass, slap bass, pick bass, finger bass, acoustic bass, electric bass, fretless, bs, bss, bass gtr, bass guitar, e bass, el bass, elec bass, electric bass gtr, bass di, bass amp, basse, ebass, elbass, fretless bs, slap bs, pick bs, p bass gtr",
		Programs: []Programs{{32, 37}}, AsPart: "b"},
	{Role: "plucked/harp", Names: "harp, harps, hrp, hp, harfe, arpa, concert harp, celtic harp, lyre", Programs: []Programs{{46, 46}}},
	{Role: "plucked/banjo", Names: "banjo, bjo, banj, bnj"},
	{Role: "plucked/sitar", Names: "sitar"},
	{Role: "plucked/shamisen", Names: "shamisen"},
	{Role: "plucked/koto", Names: "koto"},
	{Role: "plucked/ukulele", Names: "ukulele, uke, ukul, ukes"},
	{Role: "plucked/mandolin", Names: "mandolin, mand, mando, mdln, mandola, bouzouki"},
	{Role: "plucked/lute", Names: "lute, oud, zither, autoharp, psaltery, pipa, guzheng, balalaika, charango, saz, theorbo, kora, dulcimer mountain, qanun, kantele"},

	{Role: "strings", Score: 8, Orchestra: true, Names: "strings, string, strgs, stgs, full strings, strs, string section, streicher, archi", Programs: []Programs{{40, 45}}, Hue: vermillion, AsPart: "str", Broad: true},
	{Role: "strings/violin", Names: "violin, violins, vln, vl, vlns, vn, vns, vni, vno, violini, violine, violinen, fiddles section, vios, solo violin, viol 1, vlin", Numbered: true,
		Programs: []Programs{{110, 110}}},
	{Role: "strings/viola", Names: "viola, violas, vla, vlas, va, vas, vle, bratsche, bratschen, violen, vola"},
	{Role: "strings/cello", Names: "cello, celli, cellos, vcl, vc, vlc, vlcs, vcs, vcll, violoncello, violoncelli, violoncellos, clo, cellis, cll, vclli"},
	{Role: "strings/bass", Names: "contrabass, double bass, basses, string bass, upright bass, contrabasses, d b, contrabassi, double basses, d bass, dbl bass, db, dbs, cb section, kontrabass, kontrabässe, string basses, kb, cbs, contrabasso, upright bs, d basses, dbass"},
	{Role: "strings/fiddle", Names: "fiddle, erhu, hardanger, nyckelharpa, kemenche, rebec, viola da gamba, gamba, hurdy gurdy"},
	{Role: "strings/ensemble",
		Names: "string ensemble, strings ensemble, slow strings, tremolo strings, pizzicato strings, " +
			"pizzicato, tremolo, str ens, string ens, strings ens, ensemble strings, chamber strings, string orchestra, str orch, strgs ens, tutti strings, quartet, string quartet",
		Programs: []Programs{{48, 51}, {55, 55}}},

	{Role: "brass", Score: 2, Orchestra: true, Names: "brass, brs, brass sect, low brass, high brass, horn section, hrn section, blech, ottoni, brss, brass ens", Programs: []Programs{{56, 63}}, Hue: yellow, Broad: true},
	{Role: "brass/trumpet", Score: 2, Names: "trumpet, trumpets, tpt, muted trumpet, tpts, tp, tps, trp, trpt, trpts, trump, tromba, trombe, trompete, trompeten, piccolo trumpet, picc tpt, picc trumpet, cornet, crnt, cornets, trps"},
	{Role: "brass/flugelhorn", Score: 3, Names: "flugelhorn, flugel, flug, flgl, flugels, fluegelhorn, flghn"},
	{Role: "brass/horn", Score: 1, Names: "french horn, french horns, horn, horns, f horn, f horns, fr horn, fr horns, fr hn, hn, hns, hrn, hrns, corno, corni, f hn, fhn, waldhorn, french hn, f hns, frh, alphorn, fhorns, horns a4"},
	{Role: "brass/trombone", Score: 4, Names: "trombone, trombones, tbn, trb, trbs, tbns, trbn, tbone, tbones, bass trombone, b tbn, btbn, bs tbn, bass tbn, bass trb, tenor trombone, t tbn, cimbasso, cimb, posaune, posaunen, trbns, contrabass trombone, bass bone, bone, bones, trmb"},
	{Role: "brass/tuba", Score: 5, Names: "tuba, tubas, tba, tb, sousaphone, contrabass tuba, wagner tuba, euphonium, euph"},
	{Role: "brass/section", Names: "brass section"},

	{Role: "woodwind", Score: 1, Orchestra: true, Names: "woodwind, woodwinds, winds, ww, wws, wdw, wdws, wind section, wood winds, holz, wwd, woods", Programs: []Programs{{64, 79}, {109, 109}, {111, 111}},
		Hue: skyBlue, Broad: true},
	{Role: "woodwind/piccolo", Names: "piccolo, picc, pic, piccolo flute, picc fl, pc, ottavino, piccolos"},
	{Role: "woodwind/flute", Names: "flute, flutes, shakuhachi, alto flute, fl, fls, flt, flts, fl 1, alto fl, a fl, afl, bass flute, bass fl, b fl, bfl, alt fl, flauto, flauti, flöte, flöten, shaku, tin whistle, penny whistle, irish flute, bansuri, ney, contrabass flute, whistle low, fltes"},
	{Role: "woodwind/recorder", Names: "recorder"},
	{Role: "woodwind/oboe", Names: "oboe, shanai, ob, obs, oboes, oboe d amore, ob d amore, oboen, oboi, duduk, shawm, obo"},
	{Role: "woodwind/english-horn", Names: "english horn, cor anglais, eh, e h, eng hn, eng horn, english hn, c a, cor ang, ca, corno inglese, englischhorn, e hn, engl hn, ehn"},
	{Role: "woodwind/clarinet", Names: "clarinet, clarinets, cl, cls, clar, clars, clt, clts, clarinetto, clarinetti, klarinette, alto clarinet, e flat clarinet, eb cl, eb clarinet, a cl, clrt, clrnt, clarinets a2, bb cl, clr"},
	{Role: "woodwind/bass-clarinet", Names: "bass clarinet, b cl, bcl, bs clar, bs clarinet, b clarinet, b flat bass clarinet, bass clarinets, bs cl, bass cl, bass clar, b clar, bass clt, contrabass clarinet, cb cl, contra bass clarinet, bclar, bassklarinette, b clt"},
	{Role: "woodwind/bassoon", Names: "bassoon, bsn, bsns, bn, bns, bssn, fagott, fagotte, fagotto, fagotti, fg, contrabassoon, contra bassoon, cbsn, c bsn, cb bsn, cbn, contra bsn, kontrafagott, bassoons, fag, dulcian, double bassoon"},
	{Role: "woodwind/saxophone", Names: "sax, saxophone, saxes, saxs, saxophones, sx, saxophon, sax section"},
	{Role: "woodwind/saxophone/soprano", Names: "soprano sax, soprano saxophone, sop sax, s sax, ssax, sopsax, soprano sx"},
	{Role: "woodwind/saxophone/alto", Names: "alto sax, alto saxophone, a sax, asax, alt sax, altsax, alto sx"},
	{Role: "woodwind/saxophone/tenor", Names: "tenor sax, tenor saxophone, t sax, tsax, ten sax, tensax, tenor sx"},
	{Role: "woodwind/saxophone/baritone", Names: "baritone sax, bari sax, baritone saxophone, b sax, bsax, bar sax, barsax, bari, bari saxophone, brtn sax, barisax"},
	{Role: "woodwind/pan-flute", Names: "pan flute"},
	{Role: "woodwind/ocarina", Names: "ocarina"},
	{Role: "woodwind/bagpipe", Names: "bagpipe, bagpipes, bag pipe, pipes, uilleann pipes, uillean pipes, pipe, gaita"},

	{Role: "voices", Score: 7, Names: "voice, voices, vocal, vox, voc, vocs, vocals, vocalist, vx, voxs, backing vox, backing vocals, backing vocal, backing vocs, backing voc, bgv, bgvs, bg v, bg vs, b vs, b v, bv, bvs, bvox, bg vox, bg vocs, harmony, harmony vox, harmonies, hmy, hrm vox, harm vox, adlib, adlibs, ad lib, ad libs, gang vox, gang vocals, dbl vox, vocal double, rap, singer, singers, chant, chants, stimmen, gvox, vcl double", Hue: purple, Broad: true},
	{Role: "voices/lead", Names: "lead vocal, lead voice, lead vox, lead vocals, lead voc, lead vocs, ld vox, ld voc, ld vocal, lv, lvox, ldv, main vox, main vocal, lead singer, vox lead, voc lead, vocal lead, lead vx, ld vx", Wish: wish(2), Below: "lead, ld, main"},
	{Role: "voices/soprano", Names: "soprano, sopranos, sopran, sops, sopr, soprani, treble, trebles, boy soprano", Broad: true},
	{Role: "voices/alto", Names: "alto, altos, alti, contralto, mezzo, mezzos, mezzo soprano, alts", Broad: true},
	{Role: "voices/tenor", Names: "tenor, tenors, tenori, tens, tnr, tenore, countertenor", Broad: true},
	{Role: "voices/bass", Names: "bass voice, bass voices, choir bass, choir basses, baritone voice"},
	{Role: "voices/choir", Names: "choir, choir aahs, choir ahs, aahs, oohs, voice oohs, synth voice, synth vox, choirs, chor, chorus, choral, boys choir, boy choir, childrens choir, children choir, mens choir, womens choir, men choir, women choir, mixed choir, ensemble voices, vocal ensemble, aah, ahs, ooh, oos, mmh, chr, male choir, female choir, chamber choir",
		Programs: []Programs{{52, 54}}},

	{Role: "synth", Names: "synth, synthesizer, syn, synths, synthi, snth, sy, arp, arps, arpeggio, arpeggiator, seq, sequence, sequencer, poly synth, polysynth, mono synth, monosynth, texture, bell synth, supersaw, pluck, drone, soundscape", Hue: green, Broad: true},
	{Role: "synth/lead", Names: "synth lead, square lead, saw lead, saw wave, square wave, sine wave, saw ld, synth ld, syn lead, syn ld, lead synth, ld synth, sqr lead, square ld, solo synth, lead syn, pluck lead",
		Programs: []Programs{{80, 87}}},
	{Role: "synth/bass", Names: "synth bass, sub bass, bass synth, synbass, syn bass, syn bs, synth bs, synth sub, sub bs, reese, reese bass, wobble, wobble bass, acid bass, mono bass, fm bass, synthbass, bass syn, bs synth, 808 bass, sub", Programs: []Programs{{38, 39}}, AsVoice: "808 sub"},
	{Role: "synth/pad", Names: "pad, synth pad, warm pad, syn pad, pad warm, sweep pad, pad synth, string pad, choir pad, analog pad", Programs: []Programs{{88, 95}}},
	{Role: "synth/brass", Names: "synth brass, syn brs, syn brass, synth brs, synbrass, brass synth"},
	{Role: "synth/strings", Names: "synth strings, synth string, syn str, syn strings, synth str, synstr, string machine, str machine, strings synth, syn strgs, string synth"},
	{Role: "synth/drum", Names: "synth drum, syn drum, syndrum, synth tom, drum synth, e drum, edrum"},

	{Role: "effects", Names: "fx, sfx, effect, effects, fxs, efx, eff, fx loop, sound fx, ear candy, foley, sound effect, sound effects, transition, transitions, downlifter, downer, drop, sub drop, bass drop, whoosh, swoosh, sweep, sweeps, swish fx, glitch, glitches, boom, booms, braam, brams", Programs: []Programs{{96, 103}, {120, 127}}, Wish: wish(0),
		Hue: grey, Broad: true},
	{Role: "effects/reverb", Names: "reverb, verb, reverbs, rvb, rev, verbs, hall verb, plate, plates, plate verb, spring reverb, chamber verb, room verb, reverb return, rvrb, hall reverb, room reverb, shimmer", Wish: wish(2), AsReturn: "hall, room, chamber, spring, ambience, space, large hall, small room, cathedral, church"},
	{Role: "effects/delay", Names: "delay, echo, delays, dly, dlys, echoes, ping pong, pingpong, slapback, slap delay, tape echo, tape delay, quarter delay, eighth delay, dl", Wish: wish(2), AsReturn: "slap, throw"},
	{Role: "effects/hit", Names: "orchestra hit, orch hit, high q, slap, zap, impact, hits, impacts, cine hit, braam hit, stinger, low hit, sub hit", Keys: []midi.Key{27, 28}},
	{Role: "effects/reverse", Names: "reverse, rev cym, reversed, reverse fx, reverse swell, backwards"},
	{Role: "effects/riser", Names: "riser, risers, uplifter, uplifters, upsweep, build, buildup, build up, sweep up, rise"},
	{Role: "effects/noise", Names: "noise, white noise, wind, rain, seashore, applause, helicopter, gunshot, vinyl, vinyl crackle, crackle, tape hiss, hiss, static, birds, crowd, crowd noise, thunder, ocean, waves, water, telephone, siren, bird tweet, noise sweep, field recording, ambience bed"},
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
