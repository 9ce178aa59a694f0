package demo

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// The session that was just exported leaves no step, no difference and no doubt when it is imported
// where all is done: in every project of the sample world, and in others that are made up. Levels, pans
// and mutes of other lanes come back as they went out.
func TestAnExportedSessionComesBackAsItWas(t *testing.T) {
	a, err := app.Open(t.Context(), t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { a.Close() })
	if err := Fill(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	rows, err := a.Projects(t.Context())
	if err != nil || len(rows) < 4 {
		t.Fatalf("%d projects in the sample world, %v", len(rows), err)
	}
	var all []*plan.Project
	for _, r := range rows {
		p, err := a.Project(t.Context(), r.ID)
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, p.Plan)
	}
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 29))
	shelf := []rig.Instrument{sample.BrineworkKit(), sample.FlintTwelve(), sample.SaltpanSection(), sample.ReedCabinet()}
	for range testkit.Of(200, 40) {
		rng.Shuffle(len(shelf), func(i, j int) { shelf[i], shelf[j] = shelf[j], shelf[i] })
		p := testkit.Mapped(t, plan.Host{FirstLane: plan.LaneNumber(1 + rng.IntN(20))}, fmt.Sprintf("%dx2", 6+rng.IntN(12)),
			shelf[:1+rng.IntN(3)]...)
		testkit.Edit(t, p, edits.SetProfile(rig.Profiles[rng.IntN(len(rig.Profiles))]))
		others, err := plan.ParseOthers("81-83 Ferry Engine, mono > Beds\n84 Beds, bus\n85 Dialogue")
		if err != nil {
			t.Fatal(err)
		}
		testkit.Edit(t, p, edits.AddOthers(others))
		own, other := p.OwnLanes(), p.OtherLanes()
		for range 6 {
			l := own[rng.IntN(len(own))]
			testkit.Edit(t, p, plan.NameLane(l.ID, fmt.Sprintf("Take %d", rng.IntN(1000))))
			testkit.Edit(t, p, plan.SetPan(other[rng.IntN(len(other))].ID, float64(rng.IntN(201)-100)/100))
			testkit.Edit(t, p, plan.SetGain(other[rng.IntN(len(other))].ID, audio.Decibels(rng.IntN(50)-40)))
		}
		all = append(all, p)
	}
	for _, p := range all {
		testkit.Edit(t, p, runsheet.AllDone())
		before := runsheet.Make(p)
		want := map[string]plan.Lane{}
		for _, l := range p.OtherLanes() {
			want[l.Name] = *l
		}
		testkit.Edit(t, p, app.ReadSession(testkit.Session(t, p), ""))
		name := fmt.Sprintf("%s, %s", p.Name, p.Host.Behaviour().Name)
		if after := runsheet.Make(p); len(after) != len(before) {
			t.Errorf("%s: the sheet had %d steps and has now\n%s", name, len(before), titles(after))
		}
		if d := host.Differences(p, p.Patched); len(d) > 0 {
			t.Errorf("%s: it differs in %q", name, d)
		}
		if d := p.Doubts(); len(d) > 0 {
			t.Errorf("%s: %d lanes are in doubt, the first is %s", name, len(d), d[0].Lane.Name)
		}
		for _, l := range p.OtherLanes() {
			if w, ok := want[l.Name]; !ok || l.Gain != w.Gain || l.Pan != w.Pan || l.Number != w.Number {
				t.Errorf("%s: the other lane %s is on %d at %v and %v; it went out on %d at %v and %v", name, l.Name, l.Number,
					l.Gain, l.Pan, w.Number, w.Gain, w.Pan)
			}
		}
		if len(p.OtherLanes()) != len(want) {
			t.Errorf("%s: %d other lanes came back of %d", name, len(p.OtherLanes()), len(want))
		}
		if t.Failed() {
			return
		}
	}
}

func titles(steps []runsheet.Step) string {
	var out []string
	for _, st := range steps {
		out = append(out, st.Text)
	}
	return strings.Join(out, "\n")
}
