package dawproject

import (
	"encoding/xml"
	"errors"
	"io"
	"io/fs"
	"math"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
)

const name = "DAWproject"

// maxXML bounds the project.xml that is read, in bytes.
const maxXML = 32 << 20

// Session is the mixer of a session file.
type Session struct {
	Title string
	// Inserts reports whether the file says what is inserted on channels: some has a device.
	Inserts bool
	Lanes   []SessionLane // in the file's order, without the main mix
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
	Inserts  []rig.Insert
	Level    audio.Decibels // of its fader; 0 where the file does not say
	Pan      float64        // from -1, left, to 1
	Muted    bool
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
	ID            string      `xml:"id,attr"`
	Role          string      `xml:"role,attr"`
	AudioChannels int         `xml:"audioChannels,attr"`
	Destination   string      `xml:"destination,attr"`
	Sends         readSends   `xml:"Sends"`
	Devices       readDevices `xml:"Devices"`
	Volume        *readValue  `xml:"Volume"`
	Pan           *readValue  `xml:"Pan"`
	Mute          struct {
		Value bool `xml:"value,attr"`
	} `xml:"Mute"`
}

// readValue is a real parameter as it is read.
type readValue struct {
	Unit  string  `xml:"unit,attr"`
	Value float64 `xml:"value,attr"`
	Min   float64 `xml:"min,attr"`
}

// readSends are the sends of a channel, at most so many as there can be buses to send to.
type readSends []readSend

// UnmarshalXML reads the elements below <Sends>, and passes over those beyond what is kept.
func (l *readSends) UnmarshalXML(d *xml.Decoder, _ xml.StartElement) error {
	return some(d, plan.MaxLanes, func(at xml.StartElement) error {
		if at.Name.Local != "Send" {
			return d.Skip()
		}
		var s readSend
		err := d.DecodeElement(&s, &at)
		*l = append(*l, s)
		return err
	})
}

// some reads the elements below one, up to so many, and passes over the rest.
func some(d *xml.Decoder, most int, read func(xml.StartElement) error) error {
	for n := 0; ; {
		t, err := d.Token()
		if err != nil {
			return err
		}
		switch at := t.(type) {
		case xml.EndElement:
			return nil
		case xml.StartElement:
			if n++; n > most {
				err = d.Skip()
			} else {
				err = read(at)
			}
			if err != nil {
				return err
			}
		}
	}
}

type readSend struct {
	Destination string     `xml:"destination,attr"`
	Type        string     `xml:"type,attr"`
	Volume      *readValue `xml:"Volume"`
}

// lowest is the level of a send that is turned down altogether.
const lowest audio.Decibels = -90

// level is how loud a send or a channel is; one that does not say is at 0 dB.
func (x *readValue) level() audio.Decibels {
	if x == nil {
		return 0
	}
	v := audio.FromLinear(x.Value)
	if x.Unit == "decibel" {
		v = audio.Decibels(x.Value)
	}
	if !(v > lowest) { // nor a number that is none
		return lowest
	}
	return min(v, plan.MaxSend)
}

// pan is where a channel stands, from -1 to 1; one that does not say is in the middle.
func (x *readValue) pan() float64 {
	if x == nil {
		return 0
	}
	pan := x.Value
	switch {
	case x.Unit == "percent":
		pan /= 100
	case x.Unit != "linear" || x.Min >= 0: // normalized: from 0 to 1
		pan = 2*pan - 1
	}
	if !(pan >= -1 && pan <= 1) {
		return 0
	}
	return math.Round(pan*100) / 100 // in percent, as a pan is typed
}

// DecodeFiles reads the mixer of a DAWproject file, an archive that is open already. What it does not
// know is passed over. Errors are *format.Error.
func DecodeFiles(files fs.FS) (*Session, error) {
	tracks, err := readTracks(files)
	if err != nil {
		return nil, err
	}
	m := newMixer(tracks)
	if len(m.lanes) > plan.MaxLanes {
		return nil, tooManyTracks()
	}
	if len(m.lanes) == 0 {
		return nil, format.Errorf(name, format.InFile("project.xml"), "export a session that has tracks",
			"there is no track with a channel in it")
	}
	m.route()
	s := &Session{Title: title(files), Lanes: m.lanes}
	for _, l := range s.Lanes {
		s.Inserts = s.Inserts || len(l.Inserts) > 0
	}
	return s, nil
}

// readTracks reads the tracks of project.xml.
func readTracks(files fs.FS) ([]readTrack, error) {
	f, err := files.Open("project.xml")
	if err != nil {
		return nil, format.Errorf(name, format.Place{}, "export the session as DAWproject", "there is no project.xml in it")
	}
	defer f.Close()
	counted := format.Tags(f, maxTags, errChannels, "<Channel")
	counted = format.Tags(counted, maxEffects, errEffects, `"`+audioFX+`"`)
	counted = format.Tags(counted, maxSends, errSends, "<Send ")
	l := &io.LimitedReader{R: counted, N: maxXML + 1}
	var doc struct {
		XMLName xml.Name    `xml:"Project"`
		Tracks  []readTrack `xml:"Structure>Track"`
	}
	err = xml.NewDecoder(l).Decode(&doc)
	var syntax *xml.SyntaxError
	switch {
	case err == nil:
		return doc.Tracks, nil
	case errors.Is(err, errChannels):
		return nil, tooManyTracks()
	case errors.Is(err, errEffects):
		return nil, format.Errorf(name, format.InFile("project.xml"), "remove effects from the session and export it again",
			"there are more than %d effects", maxEffects)
	case errors.Is(err, errSends):
		return nil, format.Errorf(name, format.InFile("project.xml"), "remove sends from the session and export it again",
			"there are more than %d sends", maxSends)
	case l.N <= 0:
		return nil, format.Errorf(name, format.InFile("project.xml"), "remove tracks from it", "it is larger than %d MiB",
			maxXML>>20)
	case errors.As(err, &syntax):
		return nil, format.Errorf(name, format.Place{File: "project.xml", Line: syntax.Line}, "export it again",
			"it is not XML there")
	}
	return nil, format.Errorf(name, format.InFile("project.xml"), "export it again",
		"it is laid out in another way than a session")
}

var (
	errChannels = errors.New("too many channels")
	errEffects  = errors.New("too many effects")
	errSends    = errors.New("too many sends")
)

func tooManyTracks() error {
	return format.Errorf(name, format.InFile("project.xml"), "remove tracks from the session and export it again",
		"there are more than %d tracks with a channel", plan.MaxLanes)
}

// mixer is the channels of a session as they are gathered.
type mixer struct {
	lanes    []SessionLane
	channels []readChannel // of the lanes
	mains    map[string]bool
	buses    map[string]bool // by channel ID, true for those that take lanes
	effects  map[string]bool
}

const (
	// maxChannels is one more than a project holds, so that more are refused and not cut off.
	maxChannels = plan.MaxLanes + 1
	// maxTags is how many channels are read at most, with those that are no lanes.
	maxTags    = maxChannels + 256
	maxEffects = 20_000
	maxSends   = 40_000
	maxNested  = 64 // tracks within tracks
)

func newMixer(tracks []readTrack) *mixer {
	m := &mixer{mains: map[string]bool{}, buses: map[string]bool{}, effects: map[string]bool{}}
	m.gather(tracks, 0)
	return m
}

// gather takes the channels of tracks, and of those nested in them.
func (m *mixer) gather(tracks []readTrack, depth int) {
	for _, t := range tracks {
		if t.Channel != nil && len(m.channels) < maxChannels {
			m.add(t)
		}
		if depth < maxNested {
			m.gather(t.Tracks, depth+1)
		}
	}
}

func (m *mixer) add(t readTrack) {
	c := t.Channel
	switch c.Role {
	case "master":
		m.mains[c.ID] = true
		return
	case "vca":
		return
	}
	bus := c.Role == "submix" || c.Role == "effect"
	m.buses[c.ID], m.effects[c.ID] = bus, c.Role == "effect"
	m.lanes = append(m.lanes, SessionLane{ID: c.ID, Name: strings.Join(strings.Fields(t.Name), " "),
		Colour: colour(t.Color), Bus: bus, Channels: max(c.AudioChannels, 1),
		Inserts: insertsOf(c.Devices), Level: rounded(c.Volume.level()), Pan: c.Pan.pan(), Muted: c.Mute.Value})
	c.Devices = nil
	m.channels = append(m.channels, *c)
}

// route says where each lane goes and sends to.
func (m *mixer) route() {
	for i, c := range m.channels {
		l := &m.lanes[i]
		if !m.mains[c.Destination] {
			l.To = c.Destination
		}
		toMain := l.To == ""
		for _, s := range c.Sends {
			m.send(l, c, s, toMain)
		}
	}
}

// send takes one send of a lane; toMain reports whether the lane's destination is the main mix.
func (m *mixer) send(l *SessionLane, c readChannel, s readSend, toMain bool) {
	to := s.Destination
	whole := s.Type != "pre" && s.Volume.level() == 0
	switch {
	case m.mains[to] && !toMain:
		l.AlsoMain = true
	case !m.buses[to] || to == c.ID:
	case toMain && !m.effects[to] && whole && l.To == "":
		// All of it into a submix beside the way to the main mix: the signal goes both ways.
		l.To, l.AlsoMain = to, true
	case !slices.ContainsFunc(l.Sends, func(x SessionSend) bool { return x.To == to }):
		l.Sends = append(l.Sends, SessionSend{to, s.Type == "pre", s.Volume.level()})
	}
}

// title reads the title from metadata.xml, if there is one.
func title(files fs.FS) string {
	f, err := files.Open("metadata.xml")
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

// rounded is a level to 0.01 dB: a file has it as a factor.
func rounded(d audio.Decibels) audio.Decibels {
	return audio.Decibels(math.Round(float64(d)*100) / 100)
}
