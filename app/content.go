// Package app holds the use cases. It is the only layer that knows both the
// core and the store; the web pages and the command both call it.
package app

import (
	"bufio"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/format/smf"
	"hiddenlanes/format/soundfont"
)

// Content is what a file brought in turned out to hold: instruments or a song.
type Content struct {
	Format      string // "soundfont2" or "smf"
	Instruments []rig.Instrument
	Song        *smf.File
	Warnings    []string
}

// Read tells by its first bytes what a file is and decodes it as a stream.
// name is the file's name, for people. Errors are *format.Error, or the
// reader's own.
func Read(r io.Reader, name string) (*Content, error) {
	br := bufio.NewReader(r)
	head, err := br.Peek(4)
	if err != nil && len(head) < 4 && err != io.EOF {
		return nil, err
	}
	switch string(head) {
	case "RIFF":
		b, err := soundfont.Decode(br)
		if err != nil {
			return nil, err
		}
		base := strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
		if b.Name == "" {
			b.Name = base
		}
		c := &Content{Format: "soundfont2", Instruments: b.Rig(), Warnings: b.Warnings}
		for i := range c.Instruments {
			c.Instruments[i].Origin = "SoundFont 2, " + filepath.Base(name)
		}
		return c, nil
	case "MThd":
		f, err := smf.Decode(br)
		if err != nil {
			return nil, err
		}
		return &Content{Format: "smf", Song: f, Warnings: f.Warnings}, nil
	}
	return nil, format.Errorf(filepath.Base(name), "at byte 0", "bring a SoundFont 2 (.sf2) or a Standard MIDI File (.mid)",
		"this is neither an instrument nor a song that can be read here")
}

// Find gives the instrument with the name; case and spaces around it do not matter.
func (c *Content) Find(name string) (rig.Instrument, error) {
	var names []string
	for _, in := range c.Instruments {
		if strings.EqualFold(in.Name, strings.TrimSpace(name)) {
			return in, nil
		}
		names = append(names, in.Name)
	}
	return rig.Instrument{}, fmt.Errorf("no instrument is called %q; the file holds: %s", name, strings.Join(names, ", "))
}

// PlanSong is what the plan keeps of a song: the notes on each address.
func PlanSong(name string, f *smf.File) *plan.Song {
	s := &plan.Song{Name: name}
	for _, c := range f.Channels() {
		s.Channels = append(s.Channels, plan.SongChannel{Address: c.Address, Programs: c.Programs, Keys: c.Keys})
	}
	return s
}
