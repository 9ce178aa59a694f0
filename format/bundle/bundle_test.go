package bundle_test

import (
	"bytes"
	"slices"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/bundle"
	"hiddenlanes/internal/testkit"
)

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
