package smf

import (
	"bytes"
	"encoding/binary"
	"io"

	"hiddenlanes/core/midi"
)

// NewKey says what becomes of a key.
type NewKey struct {
	Key  midi.Key
	Drop bool
}

// Rekeyed tells what rewriting a song did: how many notes began on each key.
type Rekeyed struct {
	Moved, Dropped, Kept map[midi.Key]int
}

// Rekey writes a song again with other keys on the addresses that are heard: in notes,
// their ends and their key pressure. Keys that are not in the rule stay. Everything else
// stays byte for byte: times as they were written, running status, unknown chunks, what
// follows an end of track. Where a note is dropped its time is added to that of the
// event after it. A song in a RIFF comes out of it. Errors are those of Decode.
func Rekey(w io.Writer, song []byte, hears func(midi.Address) bool, rule map[midi.Key]NewKey) (*Rekeyed, error) {
	if _, err := Decode(bytes.NewReader(song)); err != nil {
		return nil, err
	}
	song = unwrap(song)
	tracks, read := int(binary.BigEndian.Uint16(song[10:])), 0
	did := &Rekeyed{map[midi.Key]int{}, map[midi.Key]int{}, map[midi.Key]int{}}
	out := make([]byte, 0, len(song)+64)
	at := 8 + int(binary.BigEndian.Uint32(song[4:]))
	out = append(out, song[:at]...)
	for len(song)-at >= 8 && !junk(song[at:], read, tracks) {
		size := int(binary.BigEndian.Uint32(song[at+4:]))
		head, body := song[at:at+8], song[at+8:at+8+size]
		if string(head[:4]) != "MTrk" {
			out = append(append(out, head...), body...)
		} else {
			read++
			start := len(out)
			out = append(out, head...)
			var err error
			if out, err = rekeyTrack(out, body, at+8, hears, rule, did); err != nil {
				return nil, err
			}
			binary.BigEndian.PutUint32(out[start+4:], uint32(len(out)-start-8))
		}
		at += 8 + size
	}
	_, err := w.Write(append(out, song[at:]...))
	return did, err
}

// rekeyer writes one track again, event by event.
type rekeyer struct {
	*trackReader
	hears func(midi.Address) bool
	rule  map[midi.Key]NewKey
	did   *Rekeyed

	out     []byte
	port    int
	running byte  // the running status of the song
	written byte  // that of what is written
	owed    int64 // time of dropped events, in ticks
}

// event is where one event stands, and its time.
type event struct {
	start  int
	time   []byte // as it was written
	delta  int64
	status byte
	spoken bool // its status is written out
}

// rekeyTrack appends a track's events. The track has been decoded before, so its bytes
// are sound.
func rekeyTrack(out, b []byte, base int, hears func(midi.Address) bool, rule map[midi.Key]NewKey,
	did *Rekeyed) ([]byte, error) {
	k := &rekeyer{trackReader: &trackReader{b: b, base: base}, hears: hears, rule: rule, did: did, out: out, port: 1}
	for k.at < len(b) {
		e, err := k.next()
		if err != nil {
			return nil, err
		}
		if e.status < 0xf0 {
			if err := k.channelMessage(e); err != nil {
				return nil, err
			}
			continue
		}
		ends, err := k.copied(e)
		if err != nil {
			return nil, err
		}
		if ends {
			return append(k.out, b[k.at:]...), nil
		}
	}
	return k.out, nil
}

// next reads an event's time and status.
func (k *rekeyer) next() (e event, err error) {
	e.start = k.at
	if e.delta, err = k.vlq(); err != nil {
		return e, err
	}
	e.time = k.b[e.start:k.at]
	e.status, e.spoken = k.b[k.at], k.b[k.at] >= 0x80
	if e.spoken {
		k.at++
	} else {
		e.status = k.running
	}
	return e, nil
}

// copied writes a meta event or system exclusive as it is, and reports whether it ends the
// track.
func (k *rekeyer) copied(e event) (ends bool, err error) {
	k.running, k.written = 0, 0
	meta, kind := e.status == 0xff, byte(0)
	if meta {
		kind = k.b[k.at]
		k.at++
	}
	n, err := k.vlq()
	if err != nil {
		return false, err
	}
	data := k.b[k.at : k.at+int(n)]
	k.at += int(n)
	if meta && kind == MetaPort && n == 1 {
		k.port = int(data[0]&0x7f) + 1
	}
	if err := k.appendTime(e); err != nil {
		return false, err
	}
	k.out = append(k.out, k.b[e.start+len(e.time):k.at]...)
	return meta && kind == MetaEndOfTrack, nil
}

// channelMessage writes a channel message with its key as the rule has it, or drops it.
func (k *rekeyer) channelMessage(e event) error {
	k.running = e.status
	n := 2
	if kind := e.status & 0xf0; kind == 0xc0 || kind == 0xd0 {
		n = 1
	}
	data := k.b[k.at : k.at+n]
	k.at += n
	to := k.ruled(e.status, data)
	if to.Drop {
		k.owed += e.delta
		return nil
	}
	if err := k.appendTime(e); err != nil {
		return err
	}
	if e.spoken || e.status != k.written {
		k.out = append(k.out, e.status)
	}
	k.written = e.status
	k.out = append(k.out, byte(to.Key))
	k.out = append(k.out, data[1:]...)
	return nil
}

// ruled says what becomes of the key of a message, which for messages without one is the
// first byte as it stands, and counts the notes that begin.
func (k *rekeyer) ruled(status byte, data []byte) NewKey {
	key := midi.Key(data[0])
	to := NewKey{Key: key}
	if status&0xf0 > 0xa0 || !k.hears(midi.Address{Port: k.port, Channel: midi.Channel(status&0xf) + 1}) {
		return to
	}
	if r, ok := k.rule[key]; ok {
		to = r
	}
	if status&0xf0 != 0x90 || data[1] == 0 {
		return to
	}
	switch {
	case to.Drop:
		k.did.Dropped[key]++
	case to.Key != key:
		k.did.Moved[key]++
	default:
		k.did.Kept[key]++
	}
	return to
}

// appendTime writes an event's time: as it stood, or with the time of what was dropped
// before it.
func (k *rekeyer) appendTime(e event) error {
	if k.owed == 0 {
		k.out = append(k.out, e.time...)
		return nil
	}
	sum := e.delta + k.owed
	k.owed = 0
	if sum > MaxVLQ {
		return k.bad("the time between two events grows longer than a file can hold")
	}
	k.out = appendVLQ(k.out, uint32(sum))
	return nil
}
