package route_test

import (
	"math"
	"slices"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// A mono lane in the middle loses 0, 1.5 or 3 dB of its power by the law of its kind of host, planned
// and patched alike; what is stereo loses nothing.
func TestALaneIsPannedByTheLawOfItsHost(t *testing.T) {
	for law, want := range map[audio.PanLaw]float64{audio.SineCosine: 0, audio.RootLaw: -1.5051,
		audio.LinearLaw: -3.0103} {
		for _, centre := range []bool{false, true} {
			p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "20x2", sample.BrineworkKit())
			kind := rig.Profiles[0]
			kind.PanLaw, kind.PanCentre = law, centre
			testkit.Edit(t, p, edits.SetProfile(kind))
			feeds := p.Placed[0].AllFeeds()
			at := slices.IndexFunc(feeds, func(f rig.Feed) bool { return f.Width == audio.Mono && f.Gain == 0 && f.Pan == 0 })
			ref := plan.FeedRef{Placed: "i1", Feed: feeds[at].ID}
			a := p.Placed[0].Feeds[ref.Feed]
			o, _ := p.Placed[0].Output(a.At())
			lane := p.LanesOf(p.Placed[0].Ref(o))[0].ID
			testkit.Edit(t, p, plan.Route([]string{lane}, plan.MainMix, false))
			testkit.Edit(t, p, plan.SetLaneWidth(lane, audio.Mono))
			for i := range p.Placed[0].Outputs {
				if p.Placed[0].Outputs[i].Number == a.Output {
					p.Placed[0].Outputs[i].Width = audio.Mono
				}
			}
			s := p.AsPlanned()
			lost := want
			if centre {
				lost = 3.0103 // both sides have 0 dB
			}
			for name, g := range map[string]*route.Graph{"planned": route.Planned(p), "patched": route.Patched(p, s)} {
				got := float64(g.Arrives(g.Find(route.Feed, ref.String())).Level)
				if math.Abs(got-lost) > 0.01 {
					t.Errorf("%s, law %q, centre at 0 dB %v: it arrives at %.4f dB; want %.4f", name, law, centre, got, lost)
				}
			}
		}
	}
}
