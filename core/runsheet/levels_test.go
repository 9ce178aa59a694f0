package runsheet_test

import (
	"encoding/json"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// faders are the steps that set levels and pans.
func faders(steps []runsheet.Step) string {
	var out []string
	for _, st := range steps {
		if strings.HasPrefix(st.Text, "Set the level") || strings.HasPrefix(st.Text, "Set the pan of ") {
			for _, item := range st.Items {
				out = append(out, item.String())
			}
		}
	}
	return strings.Join(out, "|")
}

// A level or pan that was typed is planned, on lanes and buses, 0 dB and the centre too; what was never
// typed, or is no longer, is the mixer's own.
func TestWhatIsTypedOfAFaderIsPlanned(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "10x2", sample.BrineworkKit())
		testkit.Edit(t, p, edits.SetProfile(profile))
		if got := faders(runsheet.Make(p)); got != "" {
			t.Errorf("%s: nobody has typed a level, and the sheet sets %s", profile.Name, got)
		}
		hat, drums := testkit.Lane(p, "Hat"), testkit.Lane(p, "Drums")
		typed := func(id, col, text string) {
			t.Helper()
			if _, err := tables.SetCells("lanes", []tabular.Cell{tabular.At(id, col, text)})(p); err != nil {
				t.Fatalf("typing %q: %v", text, err)
			}
		}
		typed(hat.ID, "gain", "-3")
		typed(hat.ID, "pan", "30% left")
		typed(drums.ID, "gain", "-1.5 dB")
		number := p.Host.LaneName(p.Lane(hat.ID).Number)
		want := number + " Hat: −3.0 dB|" + number + " Hat: 30 % left"
		if got := faders(runsheet.Make(p)); !strings.Contains(strings.ReplaceAll(got, "-", "−"), "Hat: −3.0 dB") ||
			!strings.Contains(got, "Hat: 30 % left") || !strings.Contains(got, "Drums: ") {
			t.Errorf("%s: the sheet sets %q; want %q and the level of Drums", profile.Name, got, want)
		}
		testkit.RunSheetEndsInThePlan(t, p)
		testkit.Edit(t, p, runsheet.AllDone())
		typed(hat.ID, "gain", "0")
		if got := faders(runsheet.Make(p)); !strings.HasSuffix(got, "Hat: 0.0 dB") || strings.Contains(got, "|") {
			t.Errorf("%s: 0 dB was typed, and the sheet sets %q; want that", profile.Name, got)
		}
		typed(hat.ID, "gain", "")
		if got := faders(runsheet.Make(p)); got != "" {
			t.Errorf("%s: the level is planned no more, and the sheet sets %q", profile.Name, got)
		}
	}
}

// What is patched of a typed level is what sounds there; the state that a file keeps of it is the same.
func TestATypedLevelIsPatchedAndHeard(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "10x2", sample.BrineworkKit())
	hat := testkit.Lane(p, "Hat")
	testkit.Edit(t, p, plan.SetGain(hat.ID, -3))
	testkit.Edit(t, p, runsheet.AllDone())
	testkit.Edit(t, p, edits.SetPatched("turn it down", func(_ *plan.Project, s *plan.Patched) error {
		s.Lane(hat.ID).Gain = -9
		return nil
	}))
	doc, err := json.Marshal(p.Patched)
	if err != nil {
		t.Fatal(err)
	}
	var read plan.Patched
	if err := json.Unmarshal(doc, &read); err != nil || read.Lane(hat.ID).Gain != -9 {
		t.Fatalf("the level is kept as %v, %v; want −9 dB", read.Lane(hat.ID).Gain, err)
	}
	level := func(g *route.Graph) audio.Decibels {
		for _, l := range g.Lanes() {
			if l.ID == hat.ID {
				return l.Gain
			}
		}
		return audio.Silence
	}
	if now, planned := level(route.Patched(p, p.Patched)), level(route.Planned(p)); now != -9 || planned != -3 {
		t.Errorf("patched it is at %v and planned at %v; want −9 and −3 dB", now, planned)
	}
	if d := host.Differences(p, p.Patched); len(d) != 1 || !strings.Contains(d[0], "Hat: level ") {
		t.Errorf("it differs in %q; want the level of Hat", d)
	}
	// Of one that nobody has typed the planned one counts.
	testkit.Edit(t, p, plan.LeaveFader(hat.ID, plan.AttrGain))
	if now := level(route.Patched(p, p.Patched)); now != 0 {
		t.Errorf("nobody has typed a level, and patched it is at %v; want the planned 0 dB", now)
	}
}
