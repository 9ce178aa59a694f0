// Package testkit builds the files that tests read: SoundFont banks from a
// short description, written by the published layout and by no code under test.
package testkit

import (
	"bytes"
	"encoding/binary"
)

// Sample is a sample header; Kind is 1 mono, 2 right, 4 left.
type Sample struct {
	Name string
	Kind uint16
	Link uint16
}

// Gen is one generator with its amount.
type Gen struct{ Op, Amount uint16 }

// Keys is the key-range generator.
func Keys(low, high byte) Gen { return Gen{43, uint16(low) | uint16(high)<<8} }

// Plays is the sample generator, Uses the instrument generator, Pan the pan in
// 0.1 %, and Exclusive the exclusive class.
func Plays(sample uint16) Gen    { return Gen{53, sample} }
func Uses(instrument uint16) Gen { return Gen{41, instrument} }
func Pan(tenths int16) Gen       { return Gen{17, uint16(tenths)} }
func Exclusive(n uint16) Gen     { return Gen{57, n} }

// Instrument is a list of zones; the first may be global.
type Instrument struct {
	Name  string
	Zones [][]Gen
}

// Preset is a list of zones; the first may be global.
type Preset struct {
	Name          string
	Bank, Program uint16
	Zones         [][]Gen
}

// Bank is a whole SoundFont; Sound is the number of bytes of sample data. Unpadded leaves out the byte
// behind chunks of an odd size, as some programs do.
type Bank struct {
	Name        string
	Sound       int
	Unpadded    bool
	Samples     []Sample
	Instruments []Instrument
	Presets     []Preset
}

func (b Bank) chunk(id string, data []byte) []byte {
	out := binary.LittleEndian.AppendUint32([]byte(id), uint32(len(data)))
	out = append(out, data...)
	if len(data)%2 == 1 && !b.Unpadded {
		out = append(out, 0)
	}
	return out
}

func name20(s string) []byte {
	b := make([]byte, 20)
	copy(b, s)
	return b
}

func words(vs ...uint16) []byte {
	var b []byte
	for _, v := range vs {
		b = binary.LittleEndian.AppendUint16(b, v)
	}
	return b
}

// Bytes writes the bank: SoundFont 2.01, RIFF sfbk with INFO, sdta and pdta.
func (b Bank) Bytes() []byte {
	var phdr, pbag, pgen, inst, ibag, igen, shdr bytes.Buffer
	zones := func(zs [][]Gen, bag, gen *bytes.Buffer) {
		for _, z := range zs {
			bag.Write(words(uint16(gen.Len()/4), 0))
			for _, g := range z {
				gen.Write(words(g.Op, g.Amount))
			}
		}
	}
	for _, p := range b.Presets {
		phdr.Write(name20(p.Name))
		phdr.Write(words(p.Program, p.Bank, uint16(pbag.Len()/4)))
		phdr.Write(make([]byte, 12))
		zones(p.Zones, &pbag, &pgen)
	}
	phdr.Write(name20("EOP"))
	phdr.Write(words(0, 0, uint16(pbag.Len()/4)))
	phdr.Write(make([]byte, 12))
	pbag.Write(words(uint16(pgen.Len()/4), 0))
	pgen.Write(words(0, 0))
	for _, in := range b.Instruments {
		inst.Write(name20(in.Name))
		inst.Write(words(uint16(ibag.Len() / 4)))
		zones(in.Zones, &ibag, &igen)
	}
	inst.Write(name20("EOI"))
	inst.Write(words(uint16(ibag.Len() / 4)))
	ibag.Write(words(uint16(igen.Len()/4), 0))
	igen.Write(words(0, 0))
	for _, s := range append(b.Samples, Sample{Name: "EOS"}) {
		shdr.Write(name20(s.Name))
		shdr.Write(make([]byte, 22))
		shdr.Write(words(s.Link, s.Kind))
	}
	chunk := b.chunk
	list := func(kind string, chunks ...[]byte) []byte {
		return chunk("LIST", append([]byte(kind), bytes.Join(chunks, nil)...))
	}
	body := bytes.Join([][]byte{[]byte("sfbk"),
		list("INFO", chunk("ifil", words(2, 1)), chunk("isng", []byte("EMU8000\x00")), chunk("INAM", []byte(b.Name+"\x00"))),
		list("sdta", chunk("smpl", make([]byte, b.Sound))),
		list("pdta", chunk("phdr", phdr.Bytes()), chunk("pbag", pbag.Bytes()), chunk("pmod", make([]byte, 10)),
			chunk("pgen", pgen.Bytes()),
			chunk("inst", inst.Bytes()), chunk("ibag", ibag.Bytes()), chunk("imod", make([]byte, 10)),
			chunk("igen", igen.Bytes()), chunk("shdr", shdr.Bytes())),
	}, nil)
	return chunk("RIFF", body)
}

// Kit is a bank with one percussion preset, "Harbour Kit", and one melodic one:
// kick, a stereo snare in two halves, closed and open hat in one exclusive
// class, a tom over a range of keys, a shaker, and a pair panned hard apart.
func Kit() Bank {
	return Bank{
		Name: "Harbour", Sound: 4096,
		Samples: []Sample{{"Kick_In", 1, 0}, {"Snare L", 4, 2}, {"Snare R", 2, 1}, {"HH closed", 1, 0}, {"HH open", 1, 0},
			{"Flr Tom Lo", 1, 0}, {"xq 7", 1, 0}, {"Crash wide", 1, 0}, {"Oboe C4", 1, 0}},
		Instruments: []Instrument{
			{"Harbour", [][]Gen{
				{Exclusive(0)},
				{Keys(36, 36), Plays(0)},
				{Keys(38, 38), Plays(1)}, {Keys(38, 38), Plays(2)},
				{Keys(42, 42), Exclusive(3), Plays(3)}, {Keys(46, 46), Exclusive(3), Plays(4)},
				{Keys(41, 43), Plays(5)},
				{Keys(70, 70), Plays(6)},
				{Keys(49, 49), Pan(-500), Plays(7)}, {Keys(49, 49), Pan(500), Plays(7)},
			}},
			{"Oboe", [][]Gen{{Plays(8)}}},
		},
		Presets: []Preset{
			{"Oboe", 0, 68, [][]Gen{{Uses(1)}}},
			{"Harbour Kit", 128, 0, [][]Gen{{Keys(0, 100)}, {Uses(0)}}},
		},
	}
}
