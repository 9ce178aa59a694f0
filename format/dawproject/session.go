package dawproject

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/format"
)

const name = "DAWproject"

// maxXML bounds the project.xml that is read, in bytes.
const maxXML = 64 << 20

// Session is the mixer of a session file.
type Session struct {
	Title string
	Lanes []SessionLane // in the file's order, without the main mix
}

// SessionLane is one lane or bus of a session.
type SessionLane struct {
	ID       string // of its channel, in the file
	Name     string
	Colour   string // #rrggbb or ""
	Bus      bool
	Channels int    // audio channels
	To       string // channel ID of a bus of the session; "" for the main mix
	AlsoMain bool   // it goes to its bus and to the main mix as well
	Sends    []SessionSend
}

// SessionSend is a copy of a lane to a bus of the session.
type SessionSend struct {
	To    string // channel ID
	Pre   bool   // taken before the fader
	Level audio.Decibels
}

type readTrack struct {
	Name    string       `xml:"name,attr"`
	Color   string       `xml:"color,attr"`
	Channel *readChannel `xml:"Channel"`
	Tracks  []readTrack  `xml:"Track"`
}

type readChannel struct {
	ID            string     `xml:"id,attr"`
	Role          string     `xml:"role,attr"`
	AudioChannels int        `xml:"audioChannels,attr"`
	Destination   string     `xml:"destination,attr"`
	Sends         []readSend `xml:"Sends>Send"`
}

type readSend struct {
	Destination string `xml:"destination,attr"`
	Type        string `xml:"type,attr"`
	Volume      *struct {
		Unit  string  `xml:"unit,attr"`
		Value float64 `xml:"value,attr"`
	} `xml:"Volume"`
}

// lowest is the level of a send that is turned down altogether.
const lowest audio.Decibels = -90

// level is how loud a send is; one that does not say is at 0 dB.
func (s readSend) level() audio.Decibels {
	if s.Volume == nil {
		return 0
	}
	v := audio.FromLinear(s.Volume.Value)
	if s.Volume.Unit == "decibel" {
		v = audio.Decibels(s.Volume.Value)
	}
	if !(v > lowest) { // nor a number that is none
		return lowest
	}
	return min(v, plan.MaxSend)
}

// Decode reads the mixer of a DAWproject file. What it does not know is passed
// over. Errors are *format.Error.
func Decode(r io.ReaderAt, size int64) (*Session, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, format.Errorf(name, "", "export it again", "the ZIP cannot be opened: %v", err)
	}
	f, err := z.Open("project.xml")
	if err != nil {
		return nil, format.Errorf(name, "", "export the session as DAWproject", "there is no project.xml in it")
	}
	defer f.Close()
	l := &io.LimitedReader{R: f, N: maxXML + 1}
	var doc struct {
		XMLName xml.Name    `xml:"Project"`
		Tracks  []readTrack `xml:"Structure>Track"`
	}
	if err := xml.NewDecoder(l).Decode(&doc); err != nil {
		var syntax *xml.SyntaxError
		switch {
		case l.N <= 0:
			return nil, format.Errorf(name, "project.xml", "take tracks out of it", "it is larger than %d MiB", maxXML>>20)
		case errors.As(err, &syntax):
			return nil, format.Errorf(name, fmt.Sprintf("project.xml, line %d", syntax.Line), "export it again", "%s", syntax.Msg)
		}
		return nil, format.Errorf(name, "project.xml", "export it again", "%v", err)
	}
	s := &Session{Title: title(z)}
	mains, buses, effects := map[string]bool{}, map[string]bool{}, map[string]bool{}
	var channels []readChannel
	var walk func(tracks []readTrack, depth int)
	walk = func(tracks []readTrack, depth int) {
		for _, t := range tracks {
			if c := t.Channel; c != nil && len(channels) < 100_000 {
				switch c.Role {
				case "master":
					mains[c.ID] = true
				case "vca":
				default:
					bus := c.Role == "submix" || c.Role == "effect"
					buses[c.ID], effects[c.ID] = bus, c.Role == "effect"
					s.Lanes = append(s.Lanes, SessionLane{ID: c.ID, Name: strings.Join(strings.Fields(t.Name), " "), Colour: colour(t.Color), Bus: bus, Channels: max(c.AudioChannels, 1)})
					channels = append(channels, *c)
				}
			}
			if depth < 64 {
				walk(t.Tracks, depth+1)
			}
		}
	}
	walk(doc.Tracks, 0)
	if len(s.Lanes) == 0 {
		return nil, format.Errorf(name, "project.xml", "export a session that has tracks", "there is no track with a channel in it")
	}
	for i, c := range channels {
		to := c.Destination
		if mains[to] {
			to = ""
		}
		s.Lanes[i].To = to
		for _, send := range c.Sends {
			bus, known := buses[send.Destination]
			switch {
			case mains[send.Destination] && to != "":
				s.Lanes[i].AlsoMain = true
			case !known || !bus || send.Destination == c.ID:
			case to == "" && !effects[send.Destination] && send.Type != "pre" && send.level() == 0 && s.Lanes[i].To == "":
				// All of it into a submix beside the way to the main mix: the signal goes both ways.
				s.Lanes[i].To, s.Lanes[i].AlsoMain = send.Destination, true
			case !slices.ContainsFunc(s.Lanes[i].Sends, func(x SessionSend) bool { return x.To == send.Destination }):
				s.Lanes[i].Sends = append(s.Lanes[i].Sends, SessionSend{send.Destination, send.Type == "pre", send.level()})
			}
		}
	}
	return s, nil
}

// title reads the title from metadata.xml, if there is one.
func title(z *zip.Reader) string {
	f, err := z.Open("metadata.xml")
	if err != nil {
		return ""
	}
	defer f.Close()
	var meta struct {
		Title string `xml:"Title"`
	}
	_ = xml.NewDecoder(io.LimitReader(f, 1<<20)).Decode(&meta) // without a title it goes as well
	return strings.Join(strings.Fields(meta.Title), " ")
}

// colour takes the six digits of #rrggbb or #rrggbbaa.
func colour(s string) string {
	s = strings.ToLower(strings.TrimSpace(s))
	if (len(s) == 7 || len(s) == 9) && s[0] == '#' && strings.Trim(s[1:], "0123456789abcdef") == "" {
		return s[:7]
	}
	return ""
}

// Is tells whether a file's name is that of a session.
func Is(file string) bool { return strings.EqualFold(path.Ext(file), ".dawproject") }
