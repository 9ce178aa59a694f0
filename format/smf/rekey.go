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
// event after it. Errors are those of Decode.
func Rekey(w io.Writer, song []byte, hears func(midi.Address) bool, rule map[midi.Key]NewKey) (*Rekeyed, error) {
	if _, err := Decode(bytes.NewReader(song)); err != nil {
		return nil, err
	}
	did := &Rekeyed{map[midi.Key]int{}, map[midi.Key]int{}, map[midi.Key]int{}}
	out := make([]byte, 0, len(song)+64)
	at := 8 + int(binary.BigEndian.Uint32(song[4:]))
	out = append(out, song[:at]...)
	for len(song)-at >= 8 {
		size := int(binary.BigEndian.Uint32(song[at+4:]))
		head, body := song[at:at+8], song[at+8:at+8+size]
		if string(head[:4]) != "MTrk" {
			out = append(append(out, head...), body...)
		} else {
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

// rekeyTrack appends a track's events. The track has been decoded before, so its bytes
// are sound.
func rekeyTrack(out, b []byte, base int, hears func(midi.Address) bool, rule map[midi.Key]NewKey,
	did *Rekeyed) ([]byte, error) {
	t := &trackReader{b: b, base: base}
	port := 1
	var running, written byte // the running status of the song and of what is written
	var owed int64            // time of dropped events
	for t.at < len(b) {
		start := t.at
		delta, err := t.vlq()
		if err != nil {
			return nil, err
		}
		time := b[start:t.at]
		status, explicit := b[t.at], b[t.at] >= 0x80
		if explicit {
			t.at++
		} else {
			status = running
		}
		if status >= 0xf0 { // meta or system exclusive: copied as it is
			running, written = 0, 0
			kind := byte(0)
			if status == 0xff {
				kind = b[t.at]
				t.at++
			}
			n, err := t.vlq()
			if err != nil {
				return nil, err
			}
			data := b[t.at : t.at+int(n)]
			t.at += int(n)
			if status == 0xff && kind == MetaPort && n == 1 {
				port = int(data[0]&0x7f) + 1
			}
			if out, err = t.appendTime(out, time, delta, &owed); err != nil {
				return nil, err
			}
			out = append(out, b[start+len(time):t.at]...)
			if status == 0xff && kind == MetaEndOfTrack {
				return append(out, b[t.at:]...), nil
			}
			continue
		}
		running = status
		n := 2
		if k := status & 0xf0; k == 0xc0 || k == 0xd0 {
			n = 1
		}
		data := b[t.at : t.at+n]
		t.at += n
		key := midi.Key(data[0])
		begins := status&0xf0 == 0x90 && data[1] > 0
		to := NewKey{Key: key}
		if status&0xf0 <= 0xa0 && hears(midi.Address{Port: port, Channel: midi.Channel(status&0xf) + 1}) {
			if r, ok := rule[key]; ok {
				to = r
			}
			if begins {
				switch {
				case to.Drop:
					did.Dropped[key]++
				case to.Key != key:
					did.Moved[key]++
				default:
					did.Kept[key]++
				}
			}
		}
		if to.Drop {
			owed += delta
			continue
		}
		if out, err = t.appendTime(out, time, delta, &owed); err != nil {
			return nil, err
		}
		if explicit || status != written {
			out = append(out, status)
		}
		written = status
		out = append(out, byte(to.Key))
		out = append(out, data[1:]...)
	}
	return out, nil
}

// appendTime writes an event's time: as it stood, or with the time of what was dropped
// before it.
func (t *trackReader) appendTime(out, asWritten []byte, delta int64, owed *int64) ([]byte, error) {
	if *owed == 0 {
		return append(out, asWritten...), nil
	}
	sum := delta + *owed
	*owed = 0
	if sum > MaxVLQ {
		return nil, t.bad("the time between two events grows longer than a file can hold")
	}
	return AppendVLQ(out, uint32(sum)), nil
}
