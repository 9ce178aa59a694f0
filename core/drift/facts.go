// Package drift compares projects with the house chart and with each other, brings
// them into line, and learns the chart that they follow already. It looks at a
// project through its facts, which are small enough to hold for thousands at once.
package drift

import (
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Facts is what the house sees of a project.
type Facts struct {
	Name       string
	Version    int    // the version of the house chart it follows
	Lanes      []Lane // by number
	Parts      []Part
	Sets       []Set
	Exceptions []plan.Exception
	ByMic      bool               // its lanes stand by microphone first
	roles      map[role.Role]bool // all it has, see Roles
}

// Lane is a lane or bus.
type Lane struct {
	ID       string
	Number   plan.LaneNumber
	Name     string
	Parts    []plan.NamePart // what a chart would name it by
	Colour   string
	Role     role.Role
	First    role.Role // of its first feed, where that is another: it stands there
	Position role.Position
	Width    audio.Width
	IsBus    bool
	Other    bool   // the plan did not make it: the house has no say in it
	To       string // ID of a bus
	AlsoMain bool
	Inserts  string // as rig.InsertsText writes them
	Usual    string // the bus of its instrument's family
	// Placed, Instrument and Output say where it comes from; "" where it takes nothing, or several.
	Placed     string
	Instrument string
	Setup      string // the outputs that the instrument is set up with, "10x2"
	Output     string
}

// Part is a part of an instrument with its MIDI address.
type Part struct {
	Placed     string
	ID         string
	Instrument string
	Name       string
	Role       role.Role
	Address    midi.Address
}

// Set is the microphones that a role of an instrument is heard through.
type Set struct {
	Placed     string
	Instrument string
	Role       role.Role
	Names      []string
}

// Gather takes the facts of a project.
func Gather(p *plan.Project) *Facts {
	f := &Facts{Name: p.Name, Version: p.Chart.VersionNumber(), Exceptions: p.Exceptions}
	sources := map[string]source{}
	mics := 0
	for i := range p.Placed {
		pl := &p.Placed[i]
		feeds := pl.AllFeeds()
		sources[pl.ID] = source{pl, pl.UsualBusOf(feeds), rig.FormatRuns(rig.Runs(pl.Outputs)), pl.LoadsOf(feeds),
			plan.NamerOf(pl, feeds)}
		for _, part := range pl.Instrument.Parts {
			f.Parts = append(f.Parts, Part{pl.ID, part.ID, pl.Instrument.Name, part.Name, part.Role, part.Address.Norm()})
		}
		f.Sets = append(f.Sets, setsOf(pl, feeds)...)
		if len(pl.Instrument.Microphones) > 0 && pl.View.Axis == rig.ByMicrophone {
			mics++
		}
	}
	f.ByMic = mics > 0
	for _, l := range p.ByNumber() {
		f.Lanes = append(f.Lanes, laneFacts(l, sources))
	}
	f.giveBusesRoles()
	return f
}

// source is what lanes take outputs of: an instrument with what is worked out from it.
type source struct {
	pl    *plan.Placed
	usual string
	setup string
	loads map[plan.Jack][]rig.Feed
	namer plan.Namer
}

// laneFacts are the facts of one lane.
func laneFacts(l *plan.Lane, sources map[string]source) Lane {
	x := Lane{ID: l.ID, Number: l.Number, Name: l.Name, Colour: strings.ToLower(l.Colour), Width: l.Width,
		IsBus: l.Kind == plan.Bus, Other: l.IsOther(), To: l.To, AlsoMain: l.AlsoMain, Inserts: rig.InsertsText(l.Inserts)}
	var feeds []rig.Feed
	for _, s := range l.Sources {
		src, ok := sources[s.Placed]
		if !ok {
			continue
		}
		feeds = append(feeds, src.loads[s.Jack()]...)
		if len(l.Sources) == 1 {
			x.Placed, x.Instrument, x.Setup, x.Output, x.Usual = src.pl.ID, src.pl.Instrument.Name, src.setup,
				s.Jack().String(), src.usual
			if o, ok := src.pl.Output(s.Jack()); ok && len(feeds) > 0 {
				x.Parts = src.namer.Parts(feeds, o)
			}
		}
	}
	if x.Other {
		return x
	}
	x.Role = plan.CommonRole(feeds)
	if len(feeds) > 0 {
		x.Position = feeds[0].Position
		if first := feeds[0].Role; first != x.Role {
			x.First = first
		}
	} else if x.IsBus || len(l.Sources) == 0 {
		x.Role = l.Kept
	}
	if x.Role == role.Unnamed && len(l.Sources) == 0 && !x.IsBus {
		x.Role = role.FromName(l.Name).Role
	}
	if len(x.Parts) == 0 && x.Role != role.Unnamed && len(feeds) == 0 {
		x.Parts = []plan.NamePart{{Role: x.Role}}
	}
	return x
}

// giveBusesRoles gives each bus the role that its lanes have in common, or the root that
// most of them stand under: the kit where there is a kick or a snare.
func (f *Facts) giveBusesRoles() {
	for i := range f.Lanes {
		b := &f.Lanes[i]
		if !b.IsBus || b.Other {
			continue
		}
		var common role.Role
		n, roles := 0, []role.Role(nil)
		for _, l := range f.Lanes {
			if l.To != b.ID || l.IsBus || len(l.Parts) == 0 {
				continue
			}
			if n++; n == 1 {
				common = l.Role
			}
			common = role.Common(common, l.Role)
			roles = append(roles, l.Role)
		}
		switch {
		case n == 0:
			continue
		case common == role.Unnamed:
			common = role.Dominant(roles)
		}
		b.Role = common
	}
}

// setsOf lists through which microphones the wanted feeds of each role go; where the
// microphones are feeds themselves, they are the set of the whole instrument.
func setsOf(pl *plan.Placed, feeds []rig.Feed) (out []Set) {
	names := map[string]string{}
	for _, m := range pl.Instrument.Microphones {
		names[m.ID] = m.Name
	}
	index := map[role.Role]int{}
	for _, f := range feeds {
		if f.Microphone == "" {
			continue
		}
		r := f.Role
		if f.Kind == rig.MicrophoneFeed {
			r = r.Root()
		}
		i, ok := index[r]
		if !ok {
			i, index[r] = len(out), len(out)
			out = append(out, Set{Placed: pl.ID, Instrument: pl.Instrument.Name, Role: r})
		}
		if pl.Feeds[f.ID].State != plan.Off && !slices.Contains(out[i].Names, names[f.Microphone]) {
			out[i].Names = append(out[i].Names, names[f.Microphone])
		}
	}
	for i := range out {
		slices.Sort(out[i].Names)
	}
	return out
}

// Roles lists every role that the project has a lane, a part or a set for.
func (f *Facts) Roles() map[role.Role]bool {
	if f.roles == nil {
		f.roles = map[role.Role]bool{}
		for _, l := range f.Lanes {
			f.roles[l.Role] = true
		}
		for _, p := range f.Parts {
			f.roles[p.Role] = true
		}
		for _, s := range f.Sets {
			f.roles[s.Role] = true
		}
	}
	return f.roles
}
