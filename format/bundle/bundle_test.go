package bundle_test

import (
	"bytes"
	"maps"
	"slices"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/bundle"
	"hiddenlanes/internal/testkit"
)

// What is set inside, what is inserted and what the chart says about it are the same after a bundle
// was written and read, planned and patched.
func TestTheInsideAndInsertsComeAlong(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "16x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
		in.Microphones[3].Gain, in.Microphones[3].AlsoMain, in.Microphones[3].Note = -3, true, "close, off axis"
		in.Microphones[4].Inverted, in.Microphones[5].Closed, in.Bleed = true, true, rig.RoomsBleed
		return "set the inside", nil
	}))
	testkit.Edit(t, p, plan.SetInserts(p.ByNumber()[0].ID, []rig.Insert{{Kind: rig.Compressor, Name: "Brick",
		Note: "slow"}, {Kind: rig.Limiter}}))
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("kit", "businserts", "limiter")},
		midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	c.Number = 1
	testkit.Edit(t, p, edits.Follow(c))
	p.Patched = p.AsPlanned()
	var b bytes.Buffer
	if err := bundle.Encode(&b, p, nil); err != nil {
		t.Fatal(err)
	}
	back, err := bundle.Decode(&b)
	if err != nil {
		t.Fatal(err)
	}
	got := back.Plan
	if a, b := got.Placed[0].Instrument, p.Placed[0].Instrument; !maps.Equal(a.InsideSettings(), b.InsideSettings()) ||
		a.Microphones[3].Note != b.Microphones[3].Note {
		t.Errorf("inside is %v, was %v", a.InsideSettings(), b.InsideSettings())
	}
	if a, b := got.Placed[0].AsDelivered().InsideSettings(), p.Placed[0].AsDelivered().InsideSettings(); !maps.Equal(a,
		b) {
		t.Errorf("as delivered it is %v, was %v", a, b)
	}
	if a, b := got.ByNumber()[0].Inserts, p.ByNumber()[0].Inserts; !slices.Equal(a, b) {
		t.Errorf("the inserts are %v, were %v", a, b)
	}
	if a := got.Chart.BusInserts("kit"); len(a) != 1 {
		t.Errorf("the chart's inserts of the bus are %v", a)
	}
	if d := host.Differences(got, got.Patched); len(d) > 0 {
		t.Errorf("what is patched differs: %q", d)
	}
}

// Whatever a bundle says, it is refused or can be worked with.
func FuzzBundle(f *testing.F) {
	p := testkit.Mapped(f, plan.Host{FirstLane: 3}, "16x2", sample.BrineworkKit())
	for _, profile := range rig.Profiles {
		p.Host.Profile = profile
		for _, patched := range []*plan.Patched{nil, p.AsPlanned()} {
			p.Patched = patched
			var b bytes.Buffer
			if err := bundle.Encode(&b, p, nil); err != nil {
				f.Fatal(err)
			}
			f.Add(b.Bytes())
		}
	}
	f.Add([]byte(`{"format":"hiddenlanes-project","version":1,"project":{"name":"x",` +
		`"host":{"laneLimit":0,"taken":null,"firstLane":-4},"placed":null,"lanes":null}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := bundle.Decode(bytes.NewReader(data))
		if err != nil {
			return
		}
		check.Project(b.Plan)
		for _, st := range runsheet.Make(b.Plan) {
			if st.Text == "" || st.Count < 1 {
				t.Errorf("got %+v; want st.Text not \"\", st.Count at least 1", st)
			}
		}
	})
}

func FuzzDecodeLibrary(f *testing.F) {
	f.Add([]byte(`{"format":"hiddenlanes-library","version":1,"charts":[{"chart":{"version":1,"entries":` +
		`{"kit":{"name":"Kit"}}}}],"instruments":[],"projects":[{"uid":"a","project":{"name":"x",` +
		`"host":{"laneLimit":0,"taken":"","firstLane":1},"placed":null,"lanes":null,"lastId":0}}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		lib, err := bundle.DecodeLibrary(t.Context(), bytes.NewReader(data))
		if err != nil {
			return
		}
		for _, p := range lib.Projects {
			if err := p.Project.Validate(); err != nil {
				t.Fatal(err)
			}
			if p.State != "" && !slices.Contains(plan.States, p.State) {
				t.Fatal(p.State)
			}
		}
	})
}
