// Package smf reads and writes Standard MIDI Files (MIDI 1.0, RP-001, from
// memory), types 0 and 1 with metrical time. It keeps every event in order.
package smf

import (
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"slices"

	"hiddenlanes/core/midi"
	"hiddenlanes/format"
)

// File is a decoded Standard MIDI File.
type File struct {
	Type     int // 0 or 1
	Division int // ticks a quarter note
	Tracks   []Track
	Warnings []string
}

// Track is the events of one track in order.
type Track []Event

// Event is one event at a tick from the start of the song. Status is the status
// byte: 80–EF for a channel message, F0 or F7 for system exclusive, FF for a
// meta event, whose type is in Meta.
type Event struct {
	Tick   int64
	Status byte
	Meta   byte
	Data   []byte
}

// Meta event types that are read here.
const (
	MetaTrackName     = 0x03
	MetaChannelPrefix = 0x20
	MetaPort          = 0x21
	MetaEndOfTrack    = 0x2f
	MetaTempo         = 0x51
	MetaTimeSignature = 0x58
)

// Limits of what is read; docs/limits.md states them.
const (
	MaxSize   = 16 << 20 // bytes of a song file
	maxEvents = 500_000  // of all tracks
)

// defaultTempo is 120 quarter notes a minute, in microseconds each.
const defaultTempo = 500000

func bad(at int, do, what string, args ...any) error {
	return format.Errorf("Standard MIDI File", format.AtByte(at), do, what, args...)
}

const again = "export the song again"

// Decode reads a file. Errors are *format.Error, or the reader's own.
func Decode(r io.Reader) (*File, error) {
	b, err := io.ReadAll(io.LimitReader(r, MaxSize+1))
	if err != nil {
		return nil, err
	}
	if len(b) > MaxSize {
		return nil, bad(MaxSize, "split it", "the file is larger than %d MiB", MaxSize>>20)
	}
	b = unwrap(b)
	f, tracks, at, err := decodeHeader(b)
	if err != nil {
		return nil, err
	}
	events := 0
	for len(b)-at >= 8 {
		id, size := string(b[at:at+4]), binary.BigEndian.Uint32(b[at+4:])
		if junk(b[at:], len(f.Tracks), tracks) {
			f.Warnings = append(f.Warnings, fmt.Sprintf("%d bytes behind the last track belong to no chunk and were passed over",
				len(b)-at))
			break
		}
		at += 8
		if uint64(size) > uint64(len(b)-at) {
			return nil, bad(at, again, "chunk %q says it holds %d bytes, but the file ends after %d", id, size, len(b)-at)
		}
		if id == "MTrk" {
			t, err := decodeTrack(b[at:at+int(size)], at, maxEvents-events)
			if err != nil {
				return nil, err
			}
			events += len(t)
			f.Tracks = append(f.Tracks, t)
		}
		at += int(size)
	}
	if len(f.Tracks) == 0 {
		return nil, bad(at, again, "the file holds no track")
	}
	if len(f.Tracks) != tracks {
		f.Warnings = append(f.Warnings, fmt.Sprintf("the header speaks of %d tracks, the file holds %d", tracks,
			len(f.Tracks)))
	}
	return f, nil
}

// decodeHeader reads the header of a file: how many tracks it speaks of, and where the first chunk begins.
func decodeHeader(b []byte) (f *File, tracks, at int, err error) {
	if len(b) < 14 || string(b[:4]) != "MThd" {
		return nil, 0, 0, bad(0, "choose a file that ends in .mid", "this is not a Standard MIDI File")
	}
	headLen := binary.BigEndian.Uint32(b[4:])
	if headLen < 6 || uint64(headLen) > uint64(len(b)-8) {
		return nil, 0, 0, bad(4, again, "the header says it is %d bytes long", headLen)
	}
	f = &File{Type: int(binary.BigEndian.Uint16(b[8:]))}
	tracks = int(binary.BigEndian.Uint16(b[10:]))
	division := binary.BigEndian.Uint16(b[12:])
	switch {
	case f.Type == 2:
		return nil, 0, 0, bad(8, "export it as type 1", "type 2 holds separate patterns, not one song")
	case f.Type > 2:
		return nil, 0, 0, bad(8, again, "there is no type %d", f.Type)
	case division&0x8000 != 0:
		return nil, 0, 0, bad(12, "export it with bars and beats (ticks a quarter note)",
			"the song counts time in SMPTE frames")
	case division == 0:
		return nil, 0, 0, bad(12, again, "the division is 0 ticks a quarter note")
	}
	f.Division = int(division)
	return f, tracks, 8 + int(headLen), nil
}

// junk reports whether what follows is no chunk, where all the tracks that the header speaks of are read.
func junk(rest []byte, read, tracks int) bool {
	return read >= max(tracks, 1) && len(rest) >= 8 && uint64(binary.BigEndian.Uint32(rest[4:])) > uint64(len(rest)-8)
}

// unwrap gives the Standard MIDI File inside a RIFF of the kind RMID; other bytes as they are.
func unwrap(b []byte) []byte {
	if len(b) < 20 || string(b[:4]) != "RIFF" || string(b[8:12]) != "RMID" {
		return b
	}
	for at := 12; len(b)-at >= 8; {
		size := int64(binary.LittleEndian.Uint32(b[at+4:]))
		body := b[at+8:]
		if string(b[at:at+4]) == "data" {
			return body[:min(size, int64(len(body)))]
		}
		if size += size & 1; size > int64(len(body)) {
			break
		}
		at += 8 + int(size)
	}
	return b
}

// trackReader walks the bytes of one track; base is where it begins in the file.
type trackReader struct {
	b    []byte
	at   int
	base int
}

func (t *trackReader) bad(what string, args ...any) error {
	return bad(t.base+t.at, again, what, args...)
}

func (t *trackReader) vlq() (int64, error) {
	v, n, err := readVLQ(t.b[t.at:])
	if err != nil {
		return 0, t.bad("%v", err)
	}
	t.at += n
	return int64(v), nil
}

func (t *trackReader) take(n int64, what string) ([]byte, error) {
	if n > int64(len(t.b)-t.at) {
		return nil, t.bad("%s of %d bytes runs past the end of its track", what, n)
	}
	out := t.b[t.at : t.at+int(n) : t.at+int(n)] // the file's bytes are Decode's own
	t.at += int(n)
	return out, nil
}

// channelMessage reads the data of a channel message.
func (t *trackReader) channelMessage(status byte) ([]byte, error) {
	n := int64(2)
	if k := status & 0xf0; k == 0xc0 || k == 0xd0 {
		n = 1
	}
	data, err := t.take(n, "a channel message")
	for _, d := range data {
		if d > 0x7f {
			return nil, t.bad("status byte %02X is inside a channel message", d)
		}
	}
	return data, err
}

// decodeTrack reads the events of one track, up to its end-of-track event; there may be so many.
func decodeTrack(b []byte, base, most int) (Track, error) {
	t := &trackReader{b: b, base: base}
	out := make(Track, 0, min(len(b)/4, most))
	var tick int64
	var running byte
	for t.at < len(b) {
		delta, err := t.vlq()
		if err != nil {
			return nil, err
		}
		tick += delta
		if t.at >= len(b) {
			return nil, t.bad("the track ends after a time, without its event")
		}
		e := Event{Tick: tick, Status: b[t.at]}
		switch {
		case e.Status < 0x80: // running status
			if running == 0 {
				return nil, t.bad("data byte %02X is where an event should begin", e.Status)
			}
			e.Status = running
		default:
			t.at++
		}
		switch {
		case e.Status < 0xf0:
			running = e.Status
			if e.Data, err = t.channelMessage(e.Status); err != nil {
				return nil, err
			}
		case e.Status == 0xff:
			if t.at >= len(b) {
				return nil, t.bad("a meta event has no type")
			}
			e.Meta = b[t.at]
			t.at++
			fallthrough
		case e.Status == 0xf0, e.Status == 0xf7:
			running = 0
			n, err := t.vlq()
			if err != nil {
				return nil, err
			}
			if e.Data, err = t.take(n, "an event"); err != nil {
				return nil, err
			}
		default:
			return nil, t.bad("status byte %02X has no place in a file", e.Status)
		}
		if len(out) == most {
			return nil, bad(base+t.at, "split it", "the song has more than %d events", maxEvents)
		}
		out = append(out, e)
		if e.Status == 0xff && e.Meta == MetaEndOfTrack {
			break // what follows in the chunk is no part of the track
		}
	}
	return out, nil
}

// readVLQ reads a variable-length quantity of at most four bytes and tells how
// many it took.
func readVLQ(b []byte) (v uint32, n int, err error) {
	for n = 0; n < len(b); n++ {
		if n == 4 {
			return 0, 0, errors.New("a variable-length number is longer than four bytes")
		}
		v = v<<7 | uint32(b[n]&0x7f)
		if b[n] < 0x80 {
			return v, n + 1, nil
		}
	}
	return 0, 0, errors.New("a variable-length number is cut off")
}

// MaxVLQ is the largest number a variable-length quantity can hold.
const MaxVLQ = 0x0fffffff

// appendVLQ writes a variable-length quantity; v must not exceed MaxVLQ.
func appendVLQ(b []byte, v uint32) []byte {
	for shift := 21; shift > 0; shift -= 7 {
		if v >= 1<<shift {
			b = append(b, byte(v>>shift)&0x7f|0x80)
		}
	}
	return append(b, byte(v)&0x7f)
}

// Encode writes the file strictly: no running status, an end-of-track event on
// each track. Events of a track must stand in order of their ticks.
func Encode(w io.Writer, f *File) error {
	if f.Division < 1 || f.Division > 0x7fff {
		return fmt.Errorf("writing a Standard MIDI File: division %d is not 1 to 32767", f.Division)
	}
	out := append([]byte("MThd"), 0, 0, 0, 6)
	out = binary.BigEndian.AppendUint16(out, uint16(f.Type))
	out = binary.BigEndian.AppendUint16(out, uint16(len(f.Tracks)))
	out = binary.BigEndian.AppendUint16(out, uint16(f.Division))
	for i, t := range f.Tracks {
		var body []byte
		var tick int64
		ended := false
		for _, e := range t {
			delta := e.Tick - tick
			if delta < 0 || delta > MaxVLQ || ended {
				return fmt.Errorf("writing a Standard MIDI File: track %d is out of order at tick %d", i+1, e.Tick)
			}
			tick = e.Tick
			body = append(appendVLQ(body, uint32(delta)), e.Status)
			if e.Status == 0xff {
				body = append(body, e.Meta)
				ended = e.Meta == MetaEndOfTrack
			}
			if e.Status >= 0xf0 {
				body = appendVLQ(body, uint32(len(e.Data)))
			}
			body = append(body, e.Data...)
		}
		if !ended {
			body = append(body, 0, 0xff, MetaEndOfTrack, 0)
		}
		out = binary.BigEndian.AppendUint32(append(out, "MTrk"...), uint32(len(body)))
		out = append(out, body...)
	}
	_, err := w.Write(out)
	return err
}

// Tempo is one step of the tempo map.
type Tempo struct {
	Tick    int64   `json:"tick"`
	Seconds float64 `json:"seconds"`
	BPM     float64 `json:"bpm"` // quarter notes a minute
}

// TempoMap gives the tempo steps in order, beginning at tick 0 with 120 where
// the file says nothing else.
func (f *File) TempoMap() []Tempo {
	steps := map[int64]int{}
	var ticks []int64
	for _, t := range f.Tracks {
		for _, e := range t {
			if e.Status == 0xff && e.Meta == MetaTempo && len(e.Data) == 3 {
				us := int(e.Data[0])<<16 | int(e.Data[1])<<8 | int(e.Data[2])
				if us == 0 {
					continue
				}
				if _, ok := steps[e.Tick]; !ok {
					ticks = append(ticks, e.Tick)
				}
				steps[e.Tick] = us
			}
		}
	}
	if _, ok := steps[0]; !ok {
		steps[0], ticks = defaultTempo, append(ticks, 0)
	}
	slices.Sort(ticks)
	out := make([]Tempo, len(ticks))
	seconds, us := 0.0, 0
	for i, tick := range ticks {
		if i > 0 {
			seconds += float64(tick-ticks[i-1]) * float64(us) / 1e6 / float64(f.Division)
		}
		us = steps[tick]
		out[i] = Tempo{tick, seconds, 60e6 / float64(us)}
	}
	return out
}

// Seconds is the length of the song to its last event.
func (f *File) Seconds() float64 {
	var last int64
	for _, t := range f.Tracks {
		if n := len(t); n > 0 {
			last = max(last, t[n-1].Tick)
		}
	}
	m := f.TempoMap()
	t := m[0]
	for _, s := range m {
		if s.Tick <= last {
			t = s
		}
	}
	return t.Seconds + float64(last-t.Tick)*60/t.BPM/float64(f.Division)
}

// Channel is what one MIDI address carries.
type Channel struct {
	midi.Address
	Events   int              `json:"events"` // channel messages of every kind
	Programs []int            `json:"programs,omitempty"`
	Keys     map[midi.Key]int `json:"keys"` // notes begun, by key
}

// Channels sums up the addresses that carry anything, by port and channel. The
// port is that of the track (meta event 21), from 1.
func (f *File) Channels() []Channel {
	found := map[midi.Address]*Channel{}
	f.each(func(e Event, port int) {
		if e.Status >= 0xf0 {
			return
		}
		at := midi.Address{Port: port, Channel: midi.Channel(e.Status&0xf) + 1}
		c := found[at]
		if c == nil {
			c = &Channel{Address: at, Keys: map[midi.Key]int{}}
			found[at] = c
		}
		c.Events++
		switch {
		case e.Status&0xf0 == 0x90 && e.Data[1] > 0:
			c.Keys[midi.Key(e.Data[0])]++
		case e.Status&0xf0 == 0xc0 && !slices.Contains(c.Programs, int(e.Data[0])):
			c.Programs = append(c.Programs, int(e.Data[0]))
		}
	})
	out := make([]Channel, 0, len(found))
	for _, c := range found {
		out = append(out, *c)
	}
	slices.SortFunc(out, func(a, b Channel) int {
		return cmp.Or(cmp.Compare(a.Port, b.Port), cmp.Compare(a.Channel, b.Channel))
	})
	return out
}

// each calls fn for every event with the port its track is on at that point.
func (f *File) each(fn func(e Event, port int)) {
	for _, t := range f.Tracks {
		t.each(fn)
	}
}

func (t Track) each(fn func(e Event, port int)) {
	port := 1
	for _, e := range t {
		if e.Status == 0xff && e.Meta == MetaPort && len(e.Data) == 1 {
			port = int(e.Data[0]&0x7f) + 1
		}
		fn(e, port)
	}
}

// Note is one note with its place in the song, in ticks.
type Note struct {
	midi.Address
	Start, Length int64
	Key           midi.Key
	Velocity      uint8
	Release       uint8
}

// Notes pairs the beginnings and ends of notes: the first note begun on a key
// is the first to end. Notes that never end last to the end of their track.
func (f *File) Notes() []Note {
	var out []Note
	for _, t := range f.Tracks {
		type place struct {
			midi.Address
			key midi.Key
		}
		open := map[place][]int{}
		t.each(func(e Event, port int) {
			kind := e.Status & 0xf0
			if kind != 0x80 && kind != 0x90 {
				return
			}
			at := place{midi.Address{Port: port, Channel: midi.Channel(e.Status&0xf) + 1}, midi.Key(e.Data[0])}
			if kind == 0x90 && e.Data[1] > 0 {
				open[at] = append(open[at], len(out))
				out = append(out, Note{Address: at.Address, Start: e.Tick, Length: -1, Key: at.key, Velocity: e.Data[1]})
				return
			}
			if q := open[at]; len(q) > 0 {
				n := &out[q[0]]
				n.Length, open[at] = e.Tick-n.Start, q[1:]
				if kind == 0x80 {
					n.Release = e.Data[1]
				}
			}
		})
		for _, q := range open {
			for _, i := range q {
				out[i].Length = t[len(t)-1].Tick - out[i].Start
			}
		}
	}
	return out
}

// TimeSignature is the first one of the song; ok is false where there is none.
func (f *File) TimeSignature() (numerator, denominator int, ok bool) {
	for _, t := range f.Tracks {
		for _, e := range t {
			if e.Status == 0xff && e.Meta == MetaTimeSignature && len(e.Data) == 4 && e.Data[0] > 0 && e.Data[1] < 8 {
				return int(e.Data[0]), 1 << e.Data[1], true
			}
		}
	}
	return 0, 0, false
}
