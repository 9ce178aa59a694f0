// Package soundfont reads SoundFont 2 banks (SoundFont Technical Specification
// 2.01 and 2.04, from memory): the presets, their zones and sample headers.
// Sample data is skipped, never kept. It knows nothing of projects.
package soundfont

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"hiddenlanes/format"
)

// Bank is a decoded SoundFont.
type Bank struct {
	Name        string // INAM
	Presets     []Preset
	Instruments []Instrument
	Samples     []Sample
	Warnings    []string
}

// Preset is one sound a player can call up; bank 128 holds percussion.
type Preset struct {
	Name          string
	Bank, Program int
	Zones         []Zone // Target indexes Instruments
}

// Instrument is a set of zones that play samples.
type Instrument struct {
	Name  string
	Zones []Zone // Target indexes Samples
}

// Zone is what one layer plays on which keys. Values that the zone leaves to
// the global zone are filled in.
type Zone struct {
	Target         int
	KeyLow, KeyTop int
	Pan            int // 0.1 %, −500 left to +500 right
	Exclusive      int // voices of one class cut each other off; 0: none
}

// Sample is one sample header, without the sound.
type Sample struct {
	Name string
	Kind SampleKind
	Link int
}

// SampleKind is sfSampleLink, with the marks of samples in ROM and of compressed ones taken off.
type SampleKind uint16

// The kinds that matter here.
const (
	MonoSample  SampleKind = 1
	RightSample SampleKind = 2
	LeftSample  SampleKind = 4
)

// Bits of sfSampleLink that say where and how a sample is kept. The second is that of banks with
// compressed samples, whose tables are like those of others (from memory).
const (
	romSample        = 0x8000
	compressedSample = 0x10
)

// Generators of the specification that are read.
const (
	genPan        = 17
	genInstrument = 41
	genKeyRange   = 43
	genSample     = 53
	genExclusive  = 57
)

// maxTables bounds what pdta may hold, in bytes. Real banks stay far below.
const maxTables = 64 << 20

// maxLayers bounds preset zones × instrument zones over the whole bank, so that
// a small file cannot ask for endless work.
const maxLayers = 200_000

const again = "the file may be cut short: copy or export it again"

func bad(where, what string, args ...any) error {
	return format.Errorf("SoundFont 2", format.Of(where), again, what, args...)
}

// Decode reads a bank from a stream; over the samples of a file it seeks. Memory grows with the
// tables alone. Errors are *format.Error, or the reader's own.
func Decode(r io.Reader) (*Bank, error) {
	c := &counter{r: format.NewSkipper(r)}
	head := make([]byte, 12)
	if _, err := io.ReadFull(c, head); err != nil || string(head[:4]) != "RIFF" || string(head[8:]) != "sfbk" {
		if err := foreign(err); err != nil {
			return nil, err
		}
		return nil, format.Errorf("SoundFont 2", format.AtByte(0), "choose a file that ends in .sf2",
			"this is not a SoundFont 2 file")
	}
	tables := map[string][]byte{}
	b := &Bank{}
	for {
		id, size, err := c.chunk()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, c.short(err, "a chunk header")
		}
		if id != "LIST" || size < 4 {
			if err := c.skip(size); err != nil {
				return nil, c.short(err, "chunk "+id)
			}
			continue
		}
		kind := make([]byte, 4)
		if _, err := io.ReadFull(c, kind); err != nil {
			return nil, c.short(err, "a list")
		}
		switch string(kind) {
		case "pdta", "INFO":
			if err := c.list(string(kind), int64(size)-4, tables); err != nil {
				return nil, err
			}
			if size&1 == 1 {
				c.pad()
			}
		default: // sdta: the sound itself
			if err := c.skip(size - 4); err != nil {
				return nil, c.short(err, "list "+string(kind))
			}
		}
	}
	b.Name = text(tables["INAM"])
	if err := b.build(tables); err != nil {
		return nil, err
	}
	return b, nil
}

// counter knows how many bytes have been read, for messages.
type counter struct {
	r *format.Skipper
	n int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.n += int64(n)
	return n, err
}

// chunk reads a chunk header; io.EOF where the file ends before it.
func (c *counter) chunk() (string, uint32, error) {
	var h [8]byte
	n, err := io.ReadFull(c, h[:])
	if n <= 1 && (errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF)) {
		return "", 0, io.EOF // a lone pad byte at the end is met
	}
	return string(h[:4]), binary.LittleEndian.Uint32(h[4:]), err
}

func (c *counter) skip(size uint32) error {
	got, err := c.r.Skip(int64(size))
	c.n += got
	if err != nil {
		return err
	}
	if size&1 == 1 {
		c.pad()
	}
	return nil
}

// pad passes over the byte behind a chunk of an odd size. Some programs leave it out: then the mark of
// the next chunk stands there already.
func (c *counter) pad() {
	next, err := c.r.Peek(4)
	if err == nil && next[0] != 0 && !slices.ContainsFunc(next, func(b byte) bool { return !isMark(b) }) {
		return
	}
	if n, err := c.r.Discard(1); err == nil {
		c.n += int64(n)
	}
}

// isMark reports whether a byte may stand in the mark of a chunk.
func isMark(b byte) bool {
	return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= '0' && b <= '9' || b == ' '
}

func (c *counter) short(err error, what string) error {
	if err := foreign(err); err != nil {
		return err
	}
	return bad(fmt.Sprintf("at byte %d", c.n), "the file ends in the middle of %s", what)
}

// foreign is an error that is the reader's own and not an end of file.
func foreign(err error) error {
	if err == nil || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return nil
	}
	return err
}

// list reads the chunks inside a list of n bytes.
func (c *counter) list(kind string, n int64, tables map[string][]byte) error {
	end := c.n + n
	for c.n+8 <= end {
		at := c.n
		id, size, err := c.chunk()
		if err != nil {
			return c.short(err, "list "+kind)
		}
		where := fmt.Sprintf("at byte %d, in chunk %s", at, id)
		if c.n+int64(size) > end {
			return bad(where, "the chunk says it holds %d bytes, but its list ends after %d", size, end-c.n)
		}
		if size > maxTables {
			return bad(where, "the chunk says it holds %d bytes, which no bank needs", size)
		}
		data, err := io.ReadAll(io.LimitReader(c, int64(size)))
		if err != nil {
			return err
		}
		if len(data) < int(size) {
			return c.short(io.ErrUnexpectedEOF, "chunk "+id)
		}
		tables[id] = data
		if size&1 == 1 && c.n < end {
			c.pad()
		}
	}
	return nil
}

// text reads a zero-terminated name. Names are ASCII by the specification;
// bytes above are read as Latin-1, which banks of the time used.
func text(b []byte) string {
	if i := bytes.IndexByte(b, 0); i >= 0 {
		b = b[:i]
	}
	rs := make([]rune, 0, len(b))
	for _, c := range b {
		if c < 0x20 || c >= 0x7f && c < 0xa0 {
			c = ' '
		}
		rs = append(rs, rune(c))
	}
	return strings.Join(strings.Fields(string(rs)), " ")
}

// table cuts a chunk into records of a fixed size, the terminal one included.
func table(tables map[string][]byte, id string, size int) ([][]byte, error) {
	data, ok := tables[id]
	if !ok {
		return nil, bad("in list pdta", "the chunk %s is missing", id)
	}
	if len(data)%size != 0 || len(data) == 0 {
		return nil, bad("in chunk "+id, "%d bytes are not a whole number of %d-byte records", len(data), size)
	}
	out := make([][]byte, len(data)/size)
	for i := range out {
		out[i] = data[i*size : (i+1)*size]
	}
	return out, nil
}

var le = binary.LittleEndian

func (b *Bank) build(tables map[string][]byte) error {
	records := map[string][][]byte{}
	for id, size := range map[string]int{"phdr": 38, "pbag": 4, "pgen": 4, "inst": 22, "ibag": 4, "igen": 4, "shdr": 46} {
		t, err := table(tables, id, size)
		if err != nil {
			return err
		}
		records[id] = t
	}
	shdr := records["shdr"]
	for _, s := range shdr[:len(shdr)-1] {
		b.Samples = append(b.Samples, Sample{Name: text(s[:20]), Link: int(le.Uint16(s[42:])),
			Kind: SampleKind(le.Uint16(s[44:]) &^ (romSample | compressedSample))})
	}
	inst := records["inst"]
	for i := range inst[:len(inst)-1] {
		in := Instrument{Name: text(inst[i][:20])}
		where := fmt.Sprintf("in chunk inst, record %d %q", i, in.Name)
		var err error
		in.Zones, err = b.zones(where, records["ibag"], records["igen"], le.Uint16(inst[i][20:]), le.Uint16(inst[i+1][20:]),
			genSample, len(b.Samples))
		if err != nil {
			return err
		}
		b.Instruments = append(b.Instruments, in)
	}
	phdr := records["phdr"]
	for i := range phdr[:len(phdr)-1] {
		h := phdr[i]
		p := Preset{Name: text(h[:20]), Program: int(le.Uint16(h[20:])), Bank: int(le.Uint16(h[22:]))}
		where := fmt.Sprintf("in chunk phdr, record %d %q", i, p.Name)
		var err error
		p.Zones, err = b.zones(where, records["pbag"], records["pgen"], le.Uint16(h[24:]), le.Uint16(phdr[i+1][24:]),
			genInstrument, len(b.Instruments))
		if err != nil {
			return err
		}
		b.Presets = append(b.Presets, p)
	}
	if len(b.Presets) == 0 {
		return bad("in chunk phdr", "the bank holds no preset")
	}
	layers := 0
	for _, p := range b.Presets {
		for _, z := range p.Zones {
			if layers += len(b.Instruments[z.Target].Zones); layers > maxLayers {
				return bad(fmt.Sprintf("in preset %q", p.Name), "the presets layer more than %d samples, which no bank needs",
					maxLayers)
			}
		}
	}
	return nil
}

// zones reads the zones of one preset or instrument. A first zone without the
// terminal generator is the global zone; later ones without it are ignored, as
// the specification asks.
func (b *Bank) zones(where string, bags, gens [][]byte, from, to uint16, terminal uint16, targets int) ([]Zone, error) {
	if to < from || int(to) >= len(bags) {
		return nil, bad(where, "its zones %d to %d are not among the %d there are", from, to, len(bags)-1)
	}
	global := Zone{KeyTop: 127, Target: -1}
	var out []Zone
	for z := from; z < to; z++ {
		first, last := le.Uint16(bags[z]), le.Uint16(bags[z+1])
		if last < first || int(last) > len(gens) {
			return nil, bad(where, "zone %d points at generators %d to %d, of %d there are", z, first, last, len(gens))
		}
		zone := global
		for _, g := range gens[first:last] {
			value := le.Uint16(g[2:])
			switch le.Uint16(g) {
			case genKeyRange:
				zone.KeyLow, zone.KeyTop = int(g[2]), min(int(g[3]), 127)
			case genPan:
				zone.Pan = int(int16(value))
			case genExclusive:
				zone.Exclusive = int(value)
			case terminal:
				zone.Target = int(value)
			}
		}
		switch {
		case zone.Target < 0 && z == from:
			global = zone
		case zone.Target < 0:
		case zone.Target >= targets:
			return nil, bad(where, "zone %d points at item %d, of %d there are", z, zone.Target, targets)
		case zone.KeyLow > zone.KeyTop:
			b.warn("%s: zone %d has its key range %d–%d the wrong way round and never sounds", where, z,
				zone.KeyLow, zone.KeyTop)
		default:
			out = append(out, zone)
		}
	}
	return out, nil
}

func (b *Bank) warn(what string, args ...any) {
	const most = 50
	if len(b.Warnings) < most {
		b.Warnings = append(b.Warnings, fmt.Sprintf(what, args...))
	} else if len(b.Warnings) == most {
		b.Warnings = append(b.Warnings, "more of the same is left out")
	}
}
