// Package dawproject writes projects in the open DAWproject 1.0 exchange
// format: a ZIP with project.xml and metadata.xml. Element and attribute names
// and their order are from memory of the published schema.
package dawproject

import (
	"archive/zip"
	"cmp"
	"encoding/xml"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/format/smf"
)

// maxVolume is the top of the linear volume range that channels are written with: +12 dB, to which faders
// and sends are planned.
const maxVolume = 4

type project struct {
	XMLName     xml.Name `xml:"Project"`
	Version     string   `xml:"version,attr"`
	Application application
	Transport   transport
	Structure   struct {
		Tracks []track `xml:"Track"`
	}
	Arrangement *arrangement
}

type application struct {
	Name    string `xml:"name,attr"`
	Version string `xml:"version,attr"`
}

type transport struct {
	Tempo         parameter
	TimeSignature struct {
		Numerator   int `xml:"numerator,attr"`
		Denominator int `xml:"denominator,attr"`
	}
}

// parameter is a real parameter: a value with its range and unit.
type parameter struct {
	Max   string `xml:"max,attr,omitempty"`
	Min   string `xml:"min,attr,omitempty"`
	Unit  string `xml:"unit,attr"`
	Value string `xml:"value,attr"`
	ID    string `xml:"id,attr"`
	Name  string `xml:"name,attr,omitempty"`
}

type track struct {
	ContentType string `xml:"contentType,attr"`
	Loaded      bool   `xml:"loaded,attr"`
	ID          string `xml:"id,attr"`
	Name        string `xml:"name,attr"`
	Color       string `xml:"color,attr,omitempty"`
	Comment     string `xml:"comment,attr,omitempty"`
	Channel     *channel
	Tracks      []track `xml:"Track"`
}

type channel struct {
	AudioChannels int    `xml:"audioChannels,attr"`
	Destination   string `xml:"destination,attr,omitempty"`
	Role          string `xml:"role,attr"`
	Solo          bool   `xml:"solo,attr"`
	ID            string `xml:"id,attr"`
	Devices       *devices
	Mute          struct {
		Value bool   `xml:"value,attr"`
		ID    string `xml:"id,attr"`
		Name  string `xml:"name,attr"`
	}
	Pan    parameter
	Sends  *sends
	Volume parameter
}

type sends struct {
	Send []send
}

type send struct {
	Destination string `xml:"destination,attr"`
	Type        string `xml:"type,attr"`
	ID          string `xml:"id,attr"`
	Volume      parameter
}

type arrangement struct {
	ID    string `xml:"id,attr"`
	Lanes struct {
		TimeUnit string `xml:"timeUnit,attr"`
		ID       string `xml:"id,attr"`
		Lanes    []trackLanes
	}
}

type trackLanes struct {
	Track string `xml:"track,attr"`
	ID    string `xml:"id,attr"`
	Clips struct {
		ID   string `xml:"id,attr"`
		Clip clip
	}
}

type clip struct {
	Time      string `xml:"time,attr"`
	Duration  string `xml:"duration,attr"`
	PlayStart string `xml:"playStart,attr"`
	Notes     struct {
		ID   string `xml:"id,attr"`
		Note []note
	}
}

type note struct {
	Time     string `xml:"time,attr"`
	Duration string `xml:"duration,attr"`
	Channel  int    `xml:"channel,attr"`
	Key      int    `xml:"key,attr"`
	Velocity string `xml:"vel,attr"`
	Release  string `xml:"rel,attr"`
}

type metadata struct {
	XMLName xml.Name `xml:"MetaData"`
	Title   string
	Comment string
}

func number(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) }

const masterChannel = "c-main"

// Encode writes the project with every lane and bus, and the notes of the song
// (nil: none) on the tracks of the instruments that hear them.
func Encode(w io.Writer, p *plan.Project, song *smf.File) error {
	doc := project{Version: "1.0", Application: application{"Hidden Lanes", "1"}}
	doc.Transport.Tempo = parameter{Unit: "bpm", Value: "120", ID: "tempo", Name: "Tempo"}
	doc.Transport.TimeSignature.Numerator, doc.Transport.TimeSignature.Denominator = 4, 4
	if song != nil {
		doc.Transport.Tempo.Value = number(song.TempoMap()[0].BPM)
		if n, d, ok := song.TimeSignature(); ok {
			doc.Transport.TimeSignature.Numerator, doc.Transport.TimeSignature.Denominator = n, d
		}
	}
	g := trace.New(p)
	doc.Structure.Tracks = tracksOf(g, p)
	doc.Structure.Tracks = append(doc.Structure.Tracks, track{ContentType: "audio notes", Loaded: true, ID: "t-main",
		Name: "Main mix", Channel: newChannel("main", "master", 2, "", 0, 1)})
	if song != nil && p.Song != nil {
		doc.Arrangement = arrange(p, song)
	}
	z := zip.NewWriter(w)
	err := writeXML(z, "metadata.xml", metadata{Title: p.Name, Comment: "Planned in Hidden Lanes"})
	if err == nil {
		err = writeXML(z, "project.xml", doc)
	}
	return cmp.Or(err, z.Close())
}

// tracksOf lists the tracks in the order of the lanes: an instrument that comes with a lane is at that
// lane's place, another before the first of its lanes.
func tracksOf(g *trace.Graph, p *plan.Project) (out []track) {
	own := map[string]*plan.Placed{}      // the instrument that comes with a lane
	lanes := g.Lanes()                    // by number
	before := map[string][]*plan.Placed{} // those that have a track of their own, by the lane after it
	for i := range p.Placed {
		pl := &p.Placed[i]
		if l := ownLane(g, p, pl); l != nil && own[l.ID] == nil {
			own[l.ID] = pl
			continue
		}
		first := ""
		if i := slices.IndexFunc(lanes, func(l *plan.Lane) bool {
			return slices.ContainsFunc(l.Sources, func(s plan.OutputRef) bool { return s.Placed == pl.ID })
		}); i >= 0 {
			first = lanes[i].ID
		}
		before[first] = append(before[first], pl)
	}
	for _, l := range lanes {
		for _, pl := range before[l.ID] {
			out = append(out, instrumentTrack(pl))
		}
		t := laneTrack(g, l)
		if pl := own[l.ID]; pl != nil {
			in := instrumentTrack(pl)
			in.Name, in.Color, in.Channel, in.Comment = t.Name, t.Color, t.Channel, t.Comment+", "+pl.Instrument.Name
			t = in
		}
		out = append(out, t)
	}
	for _, pl := range before[""] { // nothing of them arrives anywhere
		out = append(out, instrumentTrack(pl))
	}
	return out
}

// instrumentTrack is the track of an instrument, with one for each of its parts, and one for all parts of
// a layer. Those
// have no channels of their own: their notes play the instrument above them.
func instrumentTrack(pl *plan.Placed) track {
	t := track{ContentType: "notes", Loaded: true, ID: "t-" + pl.ID, Name: pl.Instrument.Name,
		Channel: newChannel(pl.ID, "regular", 2, masterChannel, 0, 1)}
	for _, layer := range pl.Instrument.Layers() {
		part := layer[0]
		t.ContentType = "notes tracks"
		t.Tracks = append(t.Tracks, track{ContentType: "notes", Loaded: true, ID: partTrack(pl, part),
			Name:    rig.LayerName(layer, func(p rig.Part) string { return p.Name }),
			Comment: fmt.Sprintf("MIDI port %d, channel %d", max(part.Address.Port, 1), part.Address.Channel)})
	}
	return t
}

// ownLane is the lane that comes with an instrument, where the host has such and the plan lets
// the first output arrive there; it is one channel with the instrument's.
func ownLane(g *trace.Graph, p *plan.Project, pl *plan.Placed) *plan.Lane {
	if !p.Host.Behaviour().FirstOnOwn || len(pl.Outputs) == 0 {
		return nil
	}
	lanes := g.LanesOf(plan.OutputRef{Placed: pl.ID, Output: pl.Outputs[0].Number})
	if len(lanes) == 0 || len(lanes[0].Sources) != 1 {
		return nil
	}
	return lanes[0]
}

// laneTrack is the track of a lane or bus.
func laneTrack(g *trace.Graph, l *plan.Lane) track {
	role, to := "regular", masterChannel
	switch {
	case g.IsReturn(l.ID):
		role = "effect"
	case l.Kind == plan.Bus:
		role = "submix"
	}
	if l.To != plan.MainMix {
		to = "c-" + l.To
	}
	c := newChannel(l.ID, role, l.Width.Ports(), to, l.Pan, l.Gain.Linear())
	c.Devices = devicesOf(l)
	if s := g.Project.Patched; s != nil {
		c.Mute.Value = s.Muted[l.ID]
	}
	if list := sendsOf(l); len(list) > 0 {
		c.Sends = &sends{list}
	}
	comment := fmt.Sprintf("Lane %d", l.Number)
	if says := l.SaysBeside(); says != "" { // the schema has no element for it
		comment += ", set by hand: " + says
	}
	return track{ContentType: "audio", Loaded: true, ID: "t-" + l.ID, Name: l.Name, Color: l.Colour,
		Comment: comment, Channel: c}
}

// sendsOf lists a lane's sends. One that goes to a bus and to the main mix as well has the
// main mix among them, for a channel has one destination.
func sendsOf(l *plan.Lane) (out []send) {
	if l.AlsoMain && l.To != plan.MainMix {
		out = append(out, send{Destination: masterChannel, Type: "post", ID: "s-" + l.ID, Volume: volume("sv-"+l.ID, 1)})
	}
	for _, s := range l.Sends {
		id := l.ID + "-" + s.To
		x := send{Destination: "c-" + s.To, Type: "post", ID: "s-" + id, Volume: volume("sv-"+id, s.Level.Linear())}
		if s.Pre {
			x.Type = "pre"
		}
		out = append(out, x)
	}
	return out
}

// writeXML writes a value as a document of the archive.
func writeXML(z *zip.Writer, name string, v any) error {
	f, err := z.Create(name)
	if err != nil {
		return err
	}
	if _, err := io.WriteString(f, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(f)
	e.Indent("", "  ")
	return e.Encode(v)
}

// newChannel makes a channel; pan goes from -1 to +1, gain is linear.
func newChannel(id, role string, channels int, to string, pan, gain float64) *channel {
	c := &channel{AudioChannels: channels, Destination: to, Role: role, ID: "c-" + id}
	c.Mute.ID, c.Mute.Name = "m-"+id, "Mute"
	c.Pan = parameter{Max: "1", Min: "0", Unit: "normalized", Value: number((pan + 1) / 2), ID: "p-" + id, Name: "Pan"}
	c.Volume = volume("v-"+id, gain)
	return c
}

func volume(id string, gain float64) parameter {
	return parameter{Max: number(maxVolume), Min: "0", Unit: "linear", Value: number(min(gain, maxVolume)), ID: id,
		Name: "Volume"}
}

func partTrack(pl *plan.Placed, part rig.Part) string { return "t-" + pl.ID + "-" + part.ID }

// arrange puts the song's notes on the tracks of the parts that hear them, and what no
// part has an address for on the instrument's own.
func arrange(p *plan.Project, song *smf.File) *arrangement {
	a := &arrangement{ID: "arrangement"}
	a.Lanes.TimeUnit, a.Lanes.ID = "beats", "lanes"
	notes := song.Notes()
	beats := func(ticks int64) string { return number(float64(ticks) / float64(song.Division)) }
	lane := func(track string, heard func(midi.Address) bool) {
		var t trackLanes
		var end int64
		for _, n := range notes {
			if !heard(n.Address.Norm()) {
				continue
			}
			end = max(end, n.Start+n.Length)
			t.Clips.Clip.Notes.Note = append(t.Clips.Clip.Notes.Note,
				note{beats(n.Start), beats(n.Length), int(n.Channel) - 1, int(n.Key),
					number(float64(n.Velocity) / 127), number(float64(n.Release) / 127)})
		}
		if end == 0 {
			return
		}
		id := strings.TrimPrefix(track, "t-")
		t.Track, t.ID, t.Clips.ID = track, "a-"+id, "clips-"+id
		t.Clips.Clip.Time, t.Clips.Clip.PlayStart, t.Clips.Clip.Duration, t.Clips.Clip.Notes.ID = "0", "0",
			beats(end), "n-"+id
		a.Lanes.Lanes = append(a.Lanes.Lanes, t)
	}
	for i := range p.Placed {
		pl := &p.Placed[i]
		own := map[midi.Address]bool{}
		for _, layer := range pl.Instrument.Layers() {
			at := layer[0].Address.Norm()
			own[at] = true
			lane(partTrack(pl, layer[0]), func(a midi.Address) bool { return a == at })
		}
		heard := p.HeardBy(pl)
		lane("t-"+pl.ID, func(a midi.Address) bool { return heard[a] && !own[a] })
	}
	return a
}
