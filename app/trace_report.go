package app

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
)

// TraceReport is one feed that `trace` prints, with all its paths.
type TraceReport struct {
	Instrument string       `json:"instrument"`
	Feed       string       `json:"feed"`
	State      string       `json:"state"` // assigned, parked, off or undecided
	Output     string       `json:"output"`
	Ports      []rig.Port   `json:"ports"`
	HostPorts  []rig.Port   `json:"hostPorts"`
	Paths      []PathReport `json:"paths"`
	Arrives    *float64     `json:"arrivesDb"` // null: nothing does
	Silent     string       `json:"silent"`    // the code of its cause; "": it is not
}

// PathReport is one path of a TraceReport. Its levels are null where nothing passes.
type PathReport struct {
	Lane     plan.LaneNumber `json:"lane"` // 0: it does not come to one
	Stops    []StopReport    `json:"stops"`
	Level    *float64        `json:"levelDb"` // the power over all channels, relative to the feed's own
	Left     *float64        `json:"left"`
	Right    *float64        `json:"right"`
	Polarity int             `json:"polarity"` // 1, or -1 where it is inverted
	Reaches  bool            `json:"reaches"`
	Returned bool            `json:"returned,omitempty"` // by the return of an effect; it adds as power
	Ends     string          `json:"ends,omitempty"`     // the code of why it does not reach the main mix
}

// StopReport is one thing that a path passes.
type StopReport struct {
	Kind string `json:"kind"` // output, lane, bus, block or main
	ID   string `json:"id"`
	Text string `json:"text"`
}

// The layers that can be traced.
const (
	LayerPlanned = "planned"
	LayerPatched = "patched"
)

// ReportTrace follows the feeds of a layer of a project: all of them, or those of a name.
func ReportTrace(p *plan.Project, layer, feed string) ([]TraceReport, error) {
	var g *trace.Graph
	switch layer {
	case LayerPlanned, "":
		g = trace.New(p)
	case LayerPatched:
		g = trace.Patched(p, p.Patched)
	default:
		return nil, fmt.Errorf("there is no layer %q; there are %s and %s", layer, LayerPlanned, LayerPatched)
	}
	out := []TraceReport{}
	for i, f := range g.Feeds {
		if feed == "" || strings.EqualFold(f.Name, feed) || f.Ref.String() == feed {
			out = append(out, reportFeed(g, g.OfFeed(i), f))
		}
	}
	if len(out) == 0 && feed != "" {
		return nil, fmt.Errorf("%s has no feed called %q", p.Name, feed)
	}
	return out, nil
}

func reportFeed(g *trace.Graph, at route.ID, f trace.Feed) TraceReport {
	r := TraceReport{Instrument: f.Placed.Instrument.Name, Feed: f.Name, State: cmp.Or(string(f.At.State), "undecided"),
		Ports: []rig.Port{}, HostPorts: []rig.Port{}, Paths: []PathReport{}}
	if f.At.State == plan.Assigned || f.At.State == plan.Parked {
		r.Output = f.At.At().String()
	}
	if f.Exists {
		for i := range f.Output.Width.Ports() {
			port := f.Output.First + rig.Port(i)
			r.Ports = append(r.Ports, port)
			r.HostPorts = append(r.HostPorts, port+rig.Port(f.Placed.Offset))
		}
	}
	const most = 256
	for _, p := range g.Graph.Paths(at, most, true) {
		r.Paths = append(r.Paths, reportPath(g, p))
	}
	a := g.Arrives(at)
	r.Silent = string(a.Silent)
	if f.At.State == plan.Parked && a.Silent == route.NoLane {
		r.Silent = string(route.ParkedAlone)
	}
	r.Arrives = decibels(a.Level)
	return r
}

func reportPath(g *trace.Graph, p route.Path) PathReport {
	r := PathReport{Stops: []StopReport{}, Level: decibels(p.Level), Left: decibels(p.Left), Right: decibels(p.Right),
		Polarity: 1, Reaches: p.Reaches, Returned: p.Returned, Ends: string(p.Shut)}
	if p.Inverted {
		r.Polarity = -1
	}
	for _, id := range p.Nodes {
		switch n := g.Node(id); n.Kind {
		case route.InsideReturn:
			ref, _ := plan.ParseFeedRef(n.Ref)
			r.Stops = append(r.Stops, StopReport{"return", n.Ref, "return " + n.Placed.Instrument.SourceName(ref.Feed)})
		case route.Output:
			ref, _ := plan.ParseOutputRef(n.Ref)
			r.Stops = append(r.Stops, StopReport{"output", n.Ref, "output " + ref.Jack().String()})
		case route.Lane:
			if r.Lane == 0 {
				r.Lane = n.Lane.Number
			}
			r.Stops = append(r.Stops, StopReport{"lane", n.Ref, fmt.Sprintf("lane %d %s", n.Lane.Number, n.Lane.Name)})
		case route.Bus:
			r.Stops = append(r.Stops, StopReport{"bus", n.Ref, fmt.Sprintf("bus %s on lane %d", n.Lane.Name, n.Lane.Number)})
		case route.BlockMaster:
			r.Stops = append(r.Stops, StopReport{"block", n.Ref, "block " + n.Ref})
		case route.MainMix:
			r.Stops = append(r.Stops, StopReport{"main", "", "main mix"})
		}
	}
	return r
}

// decibels is a level for JSON, to a hundredth; silence is null.
func decibels(d audio.Decibels) *float64 {
	if math.IsInf(float64(d), 0) || math.IsNaN(float64(d)) {
		return nil
	}
	v := math.Round(float64(d)*100)/100 + 0 // and not −0
	return &v
}
