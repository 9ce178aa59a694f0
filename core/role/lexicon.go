package role

import (
	"strings"
	"sync"
)

// spelled holds every spelling by the kind of name that it is read in; Anything: in all. A phrase is
// found before its words.
var spelled = map[NameKind]map[string]word{}

// lexicon is spelled with all that the tables say, learned when a name is first read.
var lexicon = sync.OnceValue(func() map[NameKind]map[string]word {
	for i := range Table {
		learnSpellings(&Table[i])
	}
	learnOthers()
	return spelled
})

// spell adds spellings of one meaning; marks that a spelling has already stay.
func spell(in NameKind, names string, w word) {
	if spelled[in] == nil {
		spelled[in] = map[string]word{}
	}
	for s := range strings.SplitSeq(names, ",") {
		if s = strings.TrimSpace(s); s == "" {
			continue
		}
		have, there := spelled[in][s]
		if there {
			merged := w
			merged.marks = append(append([]mark{}, have.marks...), w.marks...)
			if merged.role == Unnamed {
				merged.role, merged.weak, merged.quiet = have.role, have.weak, have.quiet
			}
			if merged.mic == "" {
				merged.mic, merged.near = have.mic, have.near
			}
			spelled[in][s] = merged
			continue
		}
		spelled[in][s] = w
	}
}

// learnSpellings adds those of a row of the table.
func learnSpellings(row *Row) {
	spell(Anything, row.Names, word{role: row.Role, weak: row.Broad})
	for kind, names := range map[NameKind]string{drums: row.AsDrums, OfVoice: row.AsVoice, OfMicrophone: row.AsMicrophone,
		OfPart: row.AsPart, OfReturn: row.AsReturn} {
		spell(kind, names, word{role: row.Role, weak: row.Broad})
	}
	if row.Below != "" {
		seg := row.Role.Segments()
		spell(Anything, row.Below, word{marks: []mark{{row.Role.Parent(), seg[len(seg)-1]}}})
	}
}

// pitchMark is what words of pitch count below: they choose a number, and are no step of
// the tree.
const pitchMark Role = "pitch"

func pitch(of string) []mark { return []mark{{pitchMark, of}} }

// otherSpellings are words that name no role of their own: marks that count in several
// places, microphone positions, and words that say nothing of the role.
var otherSpellings = []struct {
	in    NameKind
	names string
	word
}{
	{"", "mono", word{marks: []mark{{"kit/overhead", "mono"}, {"kit/room", "mono"}}}},
	{"", "high, hi, upper", word{marks: pitch("high")}},
	{"", "mid, medium, middle, md", word{marks: pitch("mid")}},
	{"", "low, lo, deep", word{marks: pitch("low")}},
	{OfVoice, "h", word{marks: pitch("high")}},
	{OfVoice, "m", word{marks: pitch("mid")}},
	{OfVoice, "l", word{marks: pitch("low")}},
	{OfVoice, "ht", word{role: "kit/tom", marks: pitch("high"), doubt: true}},
	{OfVoice, "mt", word{role: "kit/tom", marks: pitch("mid"), doubt: true}},
	{OfVoice, "lt", word{role: "kit/tom", marks: pitch("low"), doubt: true}},
	{"", "oh, ohs, ovh, ovhd, ovhs, overhead, overheads, over head, over heads, o h, ovrhd, o heads, o head, ohds, oheads",
		word{mic: "overhead"}},
	{"", "room, rooms, rm, rms, rom", word{mic: "room"}},
	{"", "amb, ambi, ambience, ambiance, ambient, ambs, ambie", word{mic: "ambience"}},
	{"", "close, cls mic, close mic, close mics", word{mic: "close", near: true, marks: []mark{{"kit/room", "near"}}}},
	{"", "spot", word{mic: "close", near: true, marks: []mark{{"kit/room", "near"}}}},
	{"", "surround, surr, surrounds", word{mic: "surround"}},
	{"", "bell, bells, cup, dome", word{role: "percussion/bells", quiet: []Role{"kit/cymbal", "kit/hat"}}},
	{OfPart, "lead, ld, leads", word{role: "synth/lead", weak: true, quiet: []Role{"voices"}, marks: []mark{{"voices",
		"lead"}}}},
	{OfMicrophone, "t", word{role: "kit/tom", weak: true, marks: []mark{{"kit/snare", "top"}}}},
	{OfReturn, "chorus, flanger, phaser, doubler, pitch, exciter, distortion, drive, widener", word{role: "effects"}},
	{OfPart, "stab, stabs, hits", word{noise: true}},
	{OfVoice, "cl", word{role: "percussion/claves", weak: true, quiet: []Role{"kit"}, doubt: true}},
	{drums, "piccolo", word{role: "kit/snare", weak: true, doubt: true}},
	{drums, "pad, pads, trigger, trig, zone, cell, slot", word{noise: true}},
	{drums, "sub", word{role: "kit/kick", weak: true, marks: []mark{{"kit/kick", "sub"}}, doubt: true}},
	{drums, "808, 909, 707, 606", word{role: "kit/kick", weak: true, doubt: true}},
	{drums, "drag, flam, flams, roll, rolls, ruff, ghost, ghosts, buzz, press roll, sweep, swirl, swish stroke, choke, " +
		"choked, bow, " +
		"edge, tip, shank, chick, foot, foot splash, semi, half, loose, tight, hard, soft, full, center, centre, off, on, " +
		"edge semi, " +
		"closing, opening, stir, brush hit, taps, tap", word{noise: true}},
	{drums, "xy, x y, ms, m s, ab, a b, ortf, blumlein, pair, spaced, spaced pair, front of kit, fok, wide, ribbon, " +
		"condenser, " +
		"dynamic, pzm, boundary, mic 1, mic 2, tube, dry, wet, comp, crushed mic, para, parallel", word{noise: true}},
	{OfPart, "eq, di, amp, cab, dry, wet, comp, bus, buss, dbl, double, dubs, stem, print, loop, loops, take, comp " +
		"take, return, ret, " +
		"send, aux, group, grp", word{noise: true}},
	{OfReturn, "return, ret, rtn, send, aux, fx 1, bus, buss", word{noise: true}},
	{"", "legato, leg, sustain, sustains, sus, stac, stacc, staccato, spiccato, spic, pizz, arco, marcato, marc, " +
		"tenuto, trill, " +
		"trills, trem, sord, con sord, sordino, senza, div, divisi, unis, unison, a2, a3, a4, a6, tutti, solo, solos, " +
		"ens, ensemble, " +
		"section, sect, sec, orch, orchestra, orchestral, desk, stand, expr, vib, non vib, harmonics, flautando, pont, " +
		"col legno, " +
		"swell, swells, cresc, runs, gliss, rips, falls, shorts, longs, sforz, sfz, fp", word{noise: true}},
	{"", "bb, eb, ab, in f, in c, in d, flat, sharp, major, minor", word{noise: true}},
	{"", "nd, rd, th, no, nr, num, first, second, third, 1st, 2nd, 3rd", word{noise: true}},
	{"", "l, r, left, right, lr, c, st, stereo, mic, mics, microphone, microphones, hit, hits, acoustic, electric, " +
		"elec, ac, closed, " +
		"open, op, cl, clsd, opn, pedal, ped, mute, muted, muffled, damped, short, long, hand, main, old, new, vintage, " +
		"modern, big, " +
		"small, large, big room sound, dark, bright, warm, clean, dirty, fat, thin, alt, and, with, the, of, one shot, " +
		"sample, " +
		"samples, layer, sound, inst, track, trk, ch, chan, channel, out, output, in, double, lead, rhythm, rhy, hot, " +
		"cold, a, d, x, y, " +
		"marching, concert, loud, quiet", word{noise: true}},
	{"", "drum, drm, drs", word{noise: true}},
	{OfPart, "e, f, g", word{noise: true}},
}

// positionSpellings are those of microphone positions in front of a section or an orchestra, in names
// that say no more than that.
var positionSpellings = []struct {
	names string
	mic   Position
}{
	{"close, cl, close mic, close mics, direct, near, c m", "close"},
	{"spot, spots, solo spot, sp, accent", "spot"},
	{"mid, mids, stage, mid stage, section, front, proscenium, conductor, podium", "mid"},
	{"main, mains, tree, decca, decca tree, main tree, array, main array, ab, a b, xy, x y, ms, ortf, blumlein, tr, dt",
		"main"},
	{"wide, wides, outrigger, outriggers, out riggers, flank, flanks, side, sides, w, or, spread, wings", "wide"},
	{"oh, overhead, overheads, hi, high, top, tops, height, heights, above", "overhead"},
	{"room, rooms, rm", "room"},
	{"surround, surrounds, surr, sur, rear, rears, back, ls rs, sr, behind", "surround"},
	{"amb, ambi, ambient, ambience, ambience far, hall, gallery, balcony, far, church, audience, reverb, distant, " +
		"decay, tail, " +
		"house, ceiling, a, far field", "ambience"},
	{"mix, mixes, blend, stereo mix, full mix, master, mixed, premix, pre mix, all mics, st mix, classic mix", "mix"},
}

func learnOthers() {
	for _, s := range otherSpellings {
		if s.in == Anything {
			if _, has := spelled[Anything][s.names]; has {
				continue
			}
		}
		spellNew(s.in, s.names, s.word)
	}
	for _, s := range positionSpellings {
		spellNew(OfPosition, s.names, word{mic: s.mic})
	}
	for _, m := range []struct{ names, at string }{{"near, close", "near"}, {"far, distant, rear", "far"}, {"mono, m",
		"mono"}} {
		spell(OfPosition, m.names, word{marks: []mark{{"kit/room", m.at}}})
	}
}

// spellNew adds spellings without meaning of their own: one that names a role keeps it, and gains marks
// and the position.
func spellNew(in NameKind, names string, w word) {
	for n := range strings.SplitSeq(names, ",") {
		n = strings.TrimSpace(n)
		have, there := spelled[in][n]
		switch {
		case !there || w.role != Unnamed:
			spell(in, n, w)
			if w.role != Unnamed { // what is said here counts
				x := spelled[in][n]
				x.role, x.weak, x.quiet, x.doubt = w.role, w.weak, w.quiet, w.doubt
				spelled[in][n] = x
			}
		case w.noise:
		default:
			have.marks = append(append([]mark{}, have.marks...), w.marks...)
			if have.mic == "" {
				have.mic, have.near = w.mic, w.near
			}
			spelled[in][n] = have
		}
	}
}
