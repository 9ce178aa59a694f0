package dawproject

import (
	"encoding/xml"
	"fmt"
	"strings"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// Inserts of a lane are the devices of its channel. The schema has elements for an equaliser, a
// compressor, a gate and a limiter; others are a Device, by name. What the schema has no place
// for stands in the comment: the kind of others, and the user's note.

type devices struct{ List []device }

type device struct {
	XMLName xml.Name
	Role    string `xml:"deviceRole,attr"`
	Device  string `xml:"deviceName,attr"`
	Loaded  bool   `xml:"loaded,attr"`
	ID      string `xml:"id,attr"`
	Name    string `xml:"name,attr"`
	Comment string `xml:"comment,attr,omitempty"`
	Enabled struct {
		Value bool   `xml:"value,attr"`
		ID    string `xml:"id,attr"`
		Name  string `xml:"name,attr"`
	}
}

// audioFX is the role of a device that treats the sound of its channel.
const audioFX = "audioFX"

// builtIn are the elements of the schema, by kind.
var builtIn = map[rig.EffectKind]string{rig.Equaliser: "Equalizer", rig.Compressor: "Compressor",
	rig.NoiseGate: "NoiseGate", rig.Limiter: "Limiter"}

// noteAfter stands between the kind and the note in the comment of other devices.
const noteAfter = ": "

func devicesOf(l *plan.Lane) *devices {
	if len(l.Inserts) == 0 {
		return nil
	}
	out := &devices{}
	for i, x := range l.Inserts {
		d := device{Role: audioFX, Device: x.Title(), Loaded: true, ID: fmt.Sprintf("d-%s-%d", l.ID, i+1), Name: x.Name,
			Comment: x.Note}
		if d.XMLName.Local = builtIn[x.Kind]; d.XMLName.Local == "" {
			d.XMLName.Local, d.Comment = "Device", string(x.Kind)
			if x.Note != "" {
				d.Comment += noteAfter + x.Note
			}
		}
		d.Enabled.Value, d.Enabled.ID, d.Enabled.Name = true, "e-"+d.ID, "On/Off"
		out.List = append(out.List, d)
	}
	return out
}

type readDevice struct {
	XMLName xml.Name
	Role    string `xml:"deviceRole,attr"`
	Device  string `xml:"deviceName,attr"`
	Name    string `xml:"name,attr"`
	Comment string `xml:"comment,attr"`
}

// readDevices are the devices of a channel that treat its sound, at most as many as a lane has.
type readDevices []readDevice

// maxDevices is how many devices of a channel are looked at.
const maxDevices = 8 * rig.MaxInserts

// UnmarshalXML reads the elements below <Devices>, and passes over those beyond what is kept.
func (l *readDevices) UnmarshalXML(d *xml.Decoder, _ xml.StartElement) error {
	return some(d, maxDevices, func(at xml.StartElement) error {
		var x readDevice
		err := d.DecodeElement(&x, &at)
		if x.Role == audioFX && len(*l) < rig.MaxInserts {
			*l = append(*l, x)
		}
		return err
	})
}

// insertsOf reads the effects of a channel, at most as many as a lane has. What their names
// hold that those of inserts do not is left out.
func insertsOf(list []readDevice) (out []rig.Insert) {
	for _, d := range list {
		if d.Role != audioFX || len(out) == rig.MaxInserts {
			continue
		}
		x := rig.Insert{Kind: rig.OtherEffect, Name: named(d.Name), Note: noted(d.Comment)}
		for kind, element := range builtIn {
			if element == d.XMLName.Local {
				x.Kind = kind
			}
		}
		if x.Kind == rig.OtherEffect {
			kind, note, _ := strings.Cut(x.Note, noteAfter)
			if k, err := rig.ParseEffectKind(kind); err == nil {
				x.Kind, x.Note = k, note
			}
		}
		if device := named(d.Device); x.Name == "" && device != "" && !strings.EqualFold(device, string(x.Kind)) {
			x.Name = device
		}
		if x.Name == "" && x.Kind == rig.OtherEffect {
			x.Name = "Device"
		}
		out = append(out, x)
	}
	return out
}

// noted is a note as inserts have it.
func noted(s string) string {
	return rig.ShortName(rig.CleanName(strings.NewReplacer("(", " ", ")", " ").Replace(s)))
}

// named is a name as inserts have it.
func named(s string) string {
	return rig.ShortName(rig.CleanName(strings.NewReplacer(",", " ", "(", " ", ")", " ").Replace(s)))
}
