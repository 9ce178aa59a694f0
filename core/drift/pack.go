package drift

import (
	"encoding/json"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
)

// Facts are kept beside every project and read for all of them at once, so what is
// packed is as short as it can be: what lanes have in common stands once, and a lane
// that is named by its role alone does not say so.
type packed struct {
	Packing    int              `json:"k"` // first, so that PackedNow can be looked for
	Name       string           `json:"n"`
	Version    int              `json:"v,omitempty"`
	Sources    [][4]string      `json:"s,omitempty"` // placed, instrument, usual bus, set-up
	Lanes      []packedLane     `json:"l,omitempty"`
	Parts      []packedPart     `json:"p,omitempty"`
	Sets       []packedSet      `json:"m,omitempty"`
	Exceptions []plan.Exception `json:"d,omitempty"`
	ByMic      bool             `json:"b,omitempty"`
}

// packing counts how facts have been packed; what is packed otherwise is gathered anew.
const packing = 1

// PackedNow is how everything begins that Pack writes.
var PackedNow = fmt.Sprintf(`{"k":%d,`, packing)

type packedLane struct {
	ID       string          `json:"i"`
	Number   plan.LaneNumber `json:"n"`
	Name     string          `json:"a"`
	Parts    []plan.NamePart `json:"p,omitempty"`
	Plain    bool            `json:"z,omitempty"` // one part: its role
	Colour   string          `json:"c"`
	Role     role.Role       `json:"r,omitempty"`
	First    role.Role       `json:"q,omitempty"`
	Position role.Position   `json:"o,omitempty"`
	Width    int             `json:"w,omitempty"`
	IsBus    bool            `json:"b,omitempty"`
	To       string          `json:"t,omitempty"`
	AlsoMain bool            `json:"m,omitempty"`
	Source   int             `json:"s,omitempty"` // in Sources, from 1
	Output   string          `json:"f,omitempty"`
}

type packedPart struct {
	Source  int          `json:"s"`
	ID      string       `json:"p"`
	Name    string       `json:"n"`
	Role    role.Role    `json:"r,omitempty"`
	Address midi.Address `json:"a,omitzero"`
}

type packedSet struct {
	Source int       `json:"s"`
	Role   role.Role `json:"r,omitempty"`
	Names  []string  `json:"n"`
}

// Pack writes the facts for keeping.
func (f *Facts) Pack() ([]byte, error) {
	out := packed{Packing: packing, Name: f.Name, Version: f.Version, Exceptions: f.Exceptions, ByMic: f.ByMic}
	source := func(placed, instrument, usual, setup string) int {
		if placed == "" {
			return 0
		}
		for i := range out.Sources {
			if s := &out.Sources[i]; s[0] == placed {
				if s[2] == "" {
					s[2], s[3] = usual, setup
				}
				return i + 1
			}
		}
		out.Sources = append(out.Sources, [4]string{placed, instrument, usual, setup})
		return len(out.Sources)
	}
	for _, l := range f.Lanes {
		x := packedLane{ID: l.ID, Number: l.Number, Name: l.Name, Parts: l.Parts, Colour: l.Colour, Role: l.Role,
			First: l.First, Position: l.Position, Width: int(l.Width),
			IsBus: l.IsBus, To: l.To, AlsoMain: l.AlsoMain, Source: source(l.Placed, l.Instrument, l.Usual, l.Setup),
			Output: l.Output}
		if slices.Equal(l.Parts, []plan.NamePart{{Role: l.Role}}) {
			x.Parts, x.Plain = nil, true
		}
		out.Lanes = append(out.Lanes, x)
	}
	for _, p := range f.Parts {
		out.Parts = append(out.Parts, packedPart{source(p.Placed, p.Instrument, "", ""), p.ID, p.Name, p.Role, p.Address})
	}
	for _, s := range f.Sets {
		out.Sets = append(out.Sets, packedSet{source(s.Placed, s.Instrument, "", ""), s.Role, s.Names})
	}
	return json.Marshal(out)
}

// Unpack reads what Pack has written.
func Unpack(data []byte) (*Facts, error) {
	var in packed
	if err := json.Unmarshal(data, &in); err != nil {
		return nil, err
	}
	source := func(i int) [4]string {
		if i < 1 || i > len(in.Sources) {
			return [4]string{}
		}
		return in.Sources[i-1]
	}
	f := &Facts{Name: in.Name, Version: in.Version, Exceptions: in.Exceptions, ByMic: in.ByMic,
		Lanes: make([]Lane, 0, len(in.Lanes))}
	plain := make([]plan.NamePart, len(in.Lanes))
	for i, x := range in.Lanes {
		s := source(x.Source)
		l := Lane{ID: x.ID, Number: x.Number, Name: x.Name, Parts: x.Parts, Colour: x.Colour, Role: x.Role, First: x.First,
			Position: x.Position, Width: audio.Width(x.Width),
			IsBus: x.IsBus, To: x.To, AlsoMain: x.AlsoMain, Placed: s[0], Instrument: s[1], Usual: s[2], Setup: s[3],
			Output: x.Output}
		if x.Plain {
			plain[i].Role = x.Role
			l.Parts = plain[i : i+1 : i+1]
		}
		f.Lanes = append(f.Lanes, l)
	}
	for _, x := range in.Parts {
		s := source(x.Source)
		f.Parts = append(f.Parts, Part{s[0], x.ID, s[1], x.Name, x.Role, x.Address})
	}
	for _, x := range in.Sets {
		s := source(x.Source)
		f.Sets = append(f.Sets, Set{s[0], s[1], x.Role, x.Names})
	}
	return f, nil
}
