package role

import "strings"

// The lexicon: spellings that the trade uses, one line a meaning. Common
// practice, no source. A phrase is found before its words.
var lexicon = map[string]word{}

func init() {
	for r, spellings := range pieces {
		for s := range strings.SplitSeq(spellings, ",") {
			lexicon[strings.TrimSpace(s)] = word{role: r}
		}
	}
	for _, m := range marks {
		for s := range strings.SplitSeq(m.spellings, ",") {
			lexicon[strings.TrimSpace(s)] = m.word
		}
	}
}

var marks = []struct {
	spellings string
	word
}{
	{"in, inside, inner", word{mark: "in", under: "kit/kick"}},
	{"out, outside, outer, front", word{mark: "out", under: "kit/kick"}},
	{"sub", word{mark: "sub", under: "kit/kick"}},
	{"top, tp, upper", word{mark: "top", under: "kit/snare"}},
	{"bottom, btm, bot, bttm, under, lower", word{mark: "bottom", under: "kit/snare"}},
	{"side", word{mark: "side", under: "kit/snare"}},
	{"far, distant", word{mark: "far", under: "kit/room"}},
	{"near", word{mark: "near", under: "kit/room"}},
	{"mono", word{mark: "mono", under: "kit"}},
	{"high, hi", word{mark: "high", under: "pitch"}},
	{"mid, medium", word{mark: "mid", under: "pitch"}},
	{"low, lo", word{mark: "low", under: "pitch"}},
	{"oh, ohs, ovh, ovhd, overhead, overheads, over head", word{mic: "overhead"}},
	{"room, rooms, rm, rms", word{mic: "room"}},
	{"amb, ambi, ambience, ambiance, ambient", word{mic: "ambience"}},
	{"close, spot", word{mic: "close"}},
	{"l, r, left, right, lr, stereo, st, mic, mics, microphone, hit, drum, drums, kit, acoustic, electric, closed, open, pedal, mute, muted, short, long, hand, lead, double",
		word{noise: true}},
}

var pieces = map[Role]string{
	"kit/kick":          "acoustic bass drum, kick, kicks, kik, kck, bd, kd, bass drum, bassdrum, bdrum, kickdrum",
	"kit/kick/sub":      "sub kick, subkick, kick sub",
	"kit/snare":         "snare, snares, snr, sn, sd, snaredrum",
	"kit/snare/top":     "snare top, sn top, snr top",
	"kit/snare/side":    "side stick, sidestick, cross stick, crossstick, xstick, rim shot, rimshot, rim click, rim, stick",
	"kit/hat":           "hat, hats, hh, hihat, hihats, hi hat, hi hats, high hat, ht, chh, ohh, phh",
	"kit/tom":           "tom, toms, tm",
	"kit/tom/rack":      "rack tom, racktom, rt, rtom, rack",
	"kit/tom/floor":     "floor tom, floortom, flr tom, flr, ft, ftom, floor",
	"kit/cymbal":        "cymbal, cymbals, cym, cymb, cyms, reverse cymbal",
	"kit/cymbal/ride":   "ride, rides, rd, ride bell, ride cymbal, ride cup, bell ride",
	"kit/cymbal/crash":  "crash, crashes, crsh, cr, crash cymbal",
	"kit/cymbal/splash": "splash, spl, splash cymbal",
	"kit/cymbal/china":  "china, chinese, chinese cymbal, china cymbal",

	"percussion":            "percussion, perc, percs",
	"percussion/tambourine": "tambourine, tamb, tam, tambo",
	"percussion/shaker":     "shaker, shk, shkr, shakers, egg",
	"percussion/clap":       "clap, claps, handclap, hand clap, clp",
	"percussion/snap":       "snap, snaps, finger snap",
	"percussion/cowbell":    "cowbell, cow bell, cb",
	"percussion/conga":      "conga, congas, tumba, quinto",
	"percussion/bongo":      "bongo, bongos",
	"percussion/timbale":    "timbale, timbales, timb",
	"percussion/agogo":      "agogo, agogos",
	"percussion/cabasa":     "cabasa, afuche",
	"percussion/maracas":    "maracas, maraca",
	"percussion/guiro":      "guiro",
	"percussion/claves":     "claves, clave",
	"percussion/woodblock":  "woodblock, wood block, wdblk, wood blk, wood",
	"percussion/cuica":      "cuica, quica",
	"percussion/triangle":   "triangle, tri",
	"percussion/vibraslap":  "vibraslap, vibra slap",
	"percussion/whistle":    "whistle, short whistle, long whistle",
	"percussion/castanets":  "castanet, castanets",
	"percussion/bells":      "bell tree, jingle bell, jingle bells, sleigh bell, sleigh bells, jingle, mark tree, bell",
	"percussion/surdo":      "surdo",
	"percussion/cajon":      "cajon",
	"percussion/taiko":      "taiko, taiko drum",
	"percussion/timpani":    "timpani, timp, timpanis, kettledrum",
	"percussion/gong":       "gong, tam tam",
	"percussion/sticks":     "sticks, drum stick, drum sticks",
	"percussion/click":      "click, metronome, metro, square click, metronome click, metronome bell",
	"percussion/scratch":    "scratch, scratch push, scratch pull",

	"keys":                "keys, keyboard",
	"keys/piano":          "piano, grand, upright, honkytonk, honky tonk",
	"keys/electric-piano": "electric piano, e piano, ep, epiano, tine piano, reed piano",
	"keys/harpsichord":    "harpsichord",
	"keys/clavi":          "clavinet, clav, clavi",
	"keys/organ":          "organ, church organ, reed organ, rock organ",
	"keys/accordion":      "accordion, bandoneon, concertina",
	"keys/harmonica":      "harmonica",

	"mallets/celesta":          "celesta, celeste",
	"mallets/glockenspiel":     "glockenspiel, glock",
	"mallets/music-box":        "music box",
	"mallets/vibraphone":       "vibraphone, vibes",
	"mallets/marimba":          "marimba",
	"mallets/xylophone":        "xylophone, xylo",
	"mallets/tubular-bells":    "tubular bells, tubular bell, chimes",
	"mallets/dulcimer":         "dulcimer",
	"mallets/kalimba":          "kalimba",
	"mallets/steel-pan":        "steel pan, steel pans, steel drum, steel drums, steelpan",
	"mallets/steel-pan/lead":   "lead pan, tenor pan",
	"mallets/steel-pan/double": "double pan, double second, double seconds",
	"mallets/steel-pan/cello":  "cello pan, guitar pan",
	"mallets/steel-pan/bass":   "bass pan, bass pans",

	"plucked/guitar":          "guitar, gtr, guit",
	"plucked/guitar/acoustic": "acoustic guitar, nylon guitar, steel guitar, acoustic gtr, nylon gtr",
	"plucked/guitar/electric": "electric guitar, clean guitar, distortion guitar, overdrive guitar, jazz guitar, muted guitar, electric gtr, overdrive, distortion",
	"plucked/bass":            "bass, fretless bass, slap bass, pick bass, finger bass, acoustic bass, electric bass, fretless",
	"plucked/harp":            "harp",
	"plucked/banjo":           "banjo",
	"plucked/sitar":           "sitar",
	"plucked/shamisen":        "shamisen",
	"plucked/koto":            "koto",
	"plucked/ukulele":         "ukulele, uke",
	"plucked/mandolin":        "mandolin",

	"strings":          "strings, string",
	"strings/violin":   "violin, violins, vln, vl",
	"strings/viola":    "viola, violas, vla",
	"strings/cello":    "cello, celli, cellos, vcl, vc",
	"strings/bass":     "contrabass, double bass, basses, string bass, upright bass",
	"strings/fiddle":   "fiddle",
	"strings/ensemble": "string ensemble, strings ensemble, slow strings, tremolo strings, pizzicato strings, pizzicato, tremolo",

	"brass":            "brass",
	"brass/trumpet":    "trumpet, trumpets, tpt, muted trumpet",
	"brass/flugelhorn": "flugelhorn, flugel",
	"brass/horn":       "french horn, french horns, horn, horns",
	"brass/trombone":   "trombone, trombones, tbn",
	"brass/tuba":       "tuba",
	"brass/section":    "brass section",

	"woodwind":                    "woodwind, woodwinds, winds",
	"woodwind/piccolo":            "piccolo",
	"woodwind/flute":              "flute, flutes, shakuhachi, alto flute",
	"woodwind/recorder":           "recorder",
	"woodwind/oboe":               "oboe, shanai",
	"woodwind/english-horn":       "english horn, cor anglais",
	"woodwind/clarinet":           "clarinet, clarinets",
	"woodwind/bass-clarinet":      "bass clarinet",
	"woodwind/bassoon":            "bassoon",
	"woodwind/saxophone":          "sax, saxophone",
	"woodwind/saxophone/soprano":  "soprano sax, soprano saxophone",
	"woodwind/saxophone/alto":     "alto sax, alto saxophone",
	"woodwind/saxophone/tenor":    "tenor sax, tenor saxophone",
	"woodwind/saxophone/baritone": "baritone sax, bari sax, baritone saxophone",
	"woodwind/pan-flute":          "pan flute",
	"woodwind/ocarina":            "ocarina",
	"woodwind/bagpipe":            "bagpipe, bagpipes, bag pipe",

	"voices":         "voice, voices, vocal, vox",
	"voices/lead":    "lead vocal, lead voice, lead vox",
	"voices/soprano": "soprano, sopranos",
	"voices/alto":    "alto, altos",
	"voices/tenor":   "tenor, tenors",
	"voices/choir":   "choir, choir aahs, choir ahs, aahs, oohs, voice oohs, synth voice, synth vox",

	"synth":         "synth, synthesizer",
	"synth/lead":    "synth lead, square lead, saw lead, saw wave, square wave, sine wave",
	"synth/bass":    "synth bass, sub bass, bass synth",
	"synth/pad":     "pad, synth pad",
	"synth/brass":   "synth brass",
	"synth/strings": "synth strings, synth string",
	"synth/drum":    "synth drum",

	"effects":         "fx, sfx, effect, effects",
	"effects/reverb":  "reverb, verb",
	"effects/delay":   "delay, echo",
	"effects/hit":     "orchestra hit, orch hit, high q, slap, zap, impact",
	"effects/reverse": "reverse",
	"effects/riser":   "riser",
	"effects/noise":   "noise, white noise, wind, rain, seashore, applause, helicopter, gunshot",
}
