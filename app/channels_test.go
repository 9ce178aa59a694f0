package app

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"hiddenlanes/core/carry"
	"hiddenlanes/core/midi"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/smf"
)

// Where no channel is the percussion channel, a melody is not rewritten unasked: rewriting asks, and
// then touches the channels that were chosen alone.
func TestAMelodyIsNotRewrittenUnasked(t *testing.T) {
	note := func(tick int64, status, key byte) smf.Event {
		return smf.Event{Tick: tick, Status: status, Data: []byte{key, 90}}
	}
	f := &smf.File{Type: 1, Division: 480, Tracks: []smf.Track{
		{note(0, 0x90, 36), note(240, 0x80, 36), note(480, 0x90, 38)},
		{note(0, 0x91, 36), note(120, 0x91, 38), note(480, 0x91, 43)},
	}}
	var song bytes.Buffer
	if err := smf.Encode(&song, f); err != nil {
		t.Fatal(err)
	}
	rule := map[midi.Key]carry.Fate{36: {To: 60}, 38: {To: 62}}
	var out bytes.Buffer
	_, err := Rekey(&out, song.Bytes(), sample.FlintTwelve(), rule)
	var asks *ChannelsError
	if !errors.As(err, &asks) || len(asks.Channels) != 2 || !strings.Contains(err.Error(), "ch 2 (3 notes)") ||
		out.Len() > 0 {
		t.Fatalf("asked for no channel, it wrote %d bytes and said %v", out.Len(), err)
	}
	if _, err := Rekey(&out, song.Bytes(), sample.FlintTwelve(), rule, midi.Address{Port: 1, Channel: 1}); err != nil {
		t.Fatal(err)
	}
	back, err := smf.Decode(&out)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]map[midi.Key]int{}
	for _, c := range back.Channels() {
		got[c.Address.String()] = c.Keys
	}
	if k := got["ch 1"]; k[60] != 1 || k[62] != 1 || k[36] != 0 {
		t.Errorf("channel 1 plays %v", k)
	}
	if k := got["ch 2"]; k[36] != 1 || k[38] != 1 || k[43] != 1 || len(k) != 3 {
		t.Errorf("the melody on channel 2 plays %v", k)
	}
	// With notes on the percussion channel nothing is asked.
	f.Tracks = append(f.Tracks, smf.Track{note(0, 0x99, 36)})
	song.Reset()
	if err := smf.Encode(&song, f); err != nil {
		t.Fatal(err)
	}
	if _, err := Rekey(&out, song.Bytes(), sample.FlintTwelve(), rule); err != nil {
		t.Errorf("with a percussion channel: %v", err)
	}
}
