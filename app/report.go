package app

import (
	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format/smf"
)

// The shapes below are what scripts read; names and shapes are kept.

// ReadReport is what `read` prints of a file.
type ReadReport struct {
	Kind        string             `json:"kind"`
	Format      string             `json:"format"`
	Instruments []InstrumentReport `json:"instruments,omitempty"`
	Division    int                `json:"division,omitempty"`
	Seconds     *float64           `json:"seconds,omitempty"`
	Tempo       []smf.Tempo        `json:"tempo,omitempty"`
	Channels    []smf.Channel      `json:"channels,omitempty"`
	Warnings    []string           `json:"warnings"`
}

// InstrumentReport is one instrument of a ReadReport.
type InstrumentReport struct {
	Name    string        `json:"name"`
	Bank    int           `json:"bank"`
	Program int           `json:"program"`
	Voices  []VoiceReport `json:"voices"`
	Parts   []PartReport  `json:"parts,omitempty"`
	// of an instrument that has some
	Microphones []MicrophoneReport `json:"microphones,omitempty"`
}

// VoiceReport is one voice of an instrument.
type VoiceReport struct {
	Name  string      `json:"name"`
	Role  role.Role   `json:"role"`
	Keys  []midi.Key  `json:"keys"`
	Width audio.Width `json:"width"`
}

// MicrophoneReport is one microphone of an instrument.
type MicrophoneReport struct {
	Name  string      `json:"name"`
	Role  role.Role   `json:"role"`
	Width audio.Width `json:"width"`
}

// PartReport is one part of an instrument.
type PartReport struct {
	Name    string      `json:"name"`
	Role    role.Role   `json:"role"`
	Program int         `json:"program"`
	Width   audio.Width `json:"width"`
}

// Report sums up the content.
func (c *Content) Report() ReadReport {
	r := ReadReport{Kind: "instruments", Format: c.Format.Name, Warnings: append([]string{}, c.Warnings...)}
	for _, in := range c.Instruments {
		ir := InstrumentReport{Name: in.Name, Bank: in.Bank, Program: in.Program, Voices: []VoiceReport{}}
		for _, v := range in.Voices {
			ir.Voices = append(ir.Voices, VoiceReport{v.Name, v.Role, v.Keys, v.Width})
		}
		for _, p := range in.Parts {
			ir.Parts = append(ir.Parts, PartReport{p.Name, p.Role, p.Program, p.Width})
		}
		for _, m := range in.Microphones {
			ir.Microphones = append(ir.Microphones, MicrophoneReport{m.Name, m.Role, m.Width})
		}
		r.Instruments = append(r.Instruments, ir)
	}
	if c.Song != nil {
		seconds := c.Song.Seconds()
		r.Kind, r.Division, r.Seconds, r.Tempo, r.Channels = "song", c.Song.Division, &seconds, c.Song.TempoMap(),
			c.Song.Channels()
	}
	return r
}

// ProposalReport is what `propose` prints.
type ProposalReport struct {
	Outputs []OutputReport `json:"outputs"`
	Parked  []ParkedReport `json:"parked"`
	Buses   []BusReport    `json:"buses"`
	Cost    int64          `json:"cost"`
	Notes   []string       `json:"notes,omitempty"`
}

// OutputReport is one output with what it carries and where it arrives.
type OutputReport struct {
	Number int             `json:"number"`
	Side   rig.Side        `json:"side,omitempty"` // "L" or "R": one side of a stereo pair
	Ports  []rig.Port      `json:"ports"`
	Host   []rig.Port      `json:"hostPorts"` // as the host numbers them
	Lane   plan.LaneNumber `json:"lane"`
	Name   string          `json:"name"`
	Bus    string          `json:"bus"`
	Feeds  []FeedReport    `json:"feeds"`
}

// FeedReport is one feed on an output.
type FeedReport struct {
	Name   string      `json:"name"`
	Role   role.Role   `json:"role"`
	Wish   int         `json:"wish"`
	Width  audio.Width `json:"width"`
	Keys   []midi.Key  `json:"keys"`
	Uses   int         `json:"uses"`
	Reason string      `json:"reason"`
}

// StepReport is one step of the ladder that `propose --ladder` prints.
type StepReport struct {
	Outputs  int        `json:"outputs"`
	Possible bool       `json:"possible"`
	Cost     int64      `json:"cost"`
	Shares   [][]string `json:"shares"` // feeds that share an output, by name
}

// ReportLadder sums up the ladder of a proposal.
func ReportLadder(steps []propose.Step) []StepReport {
	out := []StepReport{}
	for _, s := range steps {
		r := StepReport{s.Outputs, s.Possible, s.Cost, [][]string{}}
		for _, g := range s.Groups {
			var names []string
			for _, f := range g {
				names = append(names, f.Name)
			}
			if len(names) > 1 {
				r.Shares = append(r.Shares, names)
			}
		}
		out = append(out, r)
	}
	return out
}

// ParkedReport is one feed that gets no output of its own.
type ParkedReport struct {
	Name   string `json:"name"`
	Reason string `json:"reason"`
}

// BusReport is one bus with its lane.
type BusReport struct {
	Name string          `json:"name"`
	Lane plan.LaneNumber `json:"lane"`
}

// ReportProposal sums up a proposal.
func ReportProposal(pr *propose.Proposal, offset int) ProposalReport {
	r := ProposalReport{Outputs: []OutputReport{}, Parked: []ParkedReport{}, Buses: []BusReport{}, Cost: pr.Cost,
		Notes: pr.Notes}
	for _, b := range append([]*plan.Lane{pr.Bus}, pr.More...) {
		if b != nil {
			r.Buses = append(r.Buses, BusReport{b.Name, b.Number})
		}
	}
	for _, row := range pr.Rows {
		o := OutputReport{Number: row.Output.Number, Side: row.Output.Side, Ports: row.Output.Ports(), Host: []rig.Port{},
			Lane: row.Lane.Number, Name: row.Lane.Name, Bus: pr.BusName(row)}
		for _, p := range o.Ports {
			o.Host = append(o.Host, p+rig.Port(offset))
		}
		for _, f := range row.Feeds {
			o.Feeds = append(o.Feeds, FeedReport{f.Name, f.Role, f.OwnOutput, f.Width, append([]midi.Key{}, f.Keys...),
				f.Uses, f.Reason})
		}
		r.Outputs = append(r.Outputs, o)
	}
	for _, u := range pr.Unused {
		r.Parked = append(r.Parked, ParkedReport{u.Name, u.Reason})
	}
	return r
}
