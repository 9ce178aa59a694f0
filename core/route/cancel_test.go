package route

import (
	"math"
	"testing"

	"hiddenlanes/core/audio"
)

// Two paths of one level and opposite polarity are silent, with that as the cause; a level
// between them leaves the difference: 1 − 10^(−6/20), arithmetic.
func TestOppositePolarityCancels(t *testing.T) {
	made := func(gain audio.Decibels) *Graph {
		g := &Graph{at: map[nodeKey]ID{}, main: 0}
		for _, n := range []Node{{Kind: MainMix, Width: audio.Stereo}, {Kind: Lane, Ref: "a", Width: audio.Stereo},
			{Kind: Bus, Ref: "b", Width: audio.Stereo}} {
			g.at[nodeKey{n.Kind, n.Ref}] = ID(len(g.nodes))
			g.nodes = append(g.nodes, n)
		}
		g.edges = []Edge{{From: 1, To: 0, Kind: AlsoMain}, {From: 1, To: 2, Kind: Routed, Inverted: true, Gain: gain},
			{From: 2, To: 0, Kind: Routed}}
		g.link()
		g.measure()
		return g
	}
	if a := made(0).Arrives(1); a.Silent != Cancelled || !math.IsInf(float64(a.Level), -1) || a.Times != 2 {
		t.Errorf("equal paths: %+v; want silence, for they cancel", a)
	}
	a := made(-6).Arrives(1)
	if want := 20 * math.Log10(1-math.Pow(10, -0.3)); a.Silent != Open || math.Abs(float64(a.Level)-want) > 0.001 {
		t.Errorf("6 dB apart: %+v; want %.3f dB", a, want)
	}
}
