package runsheet_test

import (
	"math/rand/v2"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// sheetText is what is left to do, in words.
func sheetText(p *plan.Project) string {
	var out []string
	for _, st := range runsheet.Make(p) {
		out = append(out, st.Text+": "+strings.Join(testkit.ItemTexts(st), ", "))
	}
	return strings.Join(out, "\n")
}

// Each setting of a step is ticked alone, in whatever order: all of them together are the
// step, and none of them appears again.
func TestPartsOfAStepAreTheStep(t *testing.T) {
	testkit.Slow(t)
	rng := rand.New(rand.NewPCG(11, 4))
	for range testkit.Of(20, 2) {
		p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit(), sample.SaltpanSection())
		for guard := 0; ; guard++ {
			open := runsheet.Make(p)
			if len(open) == 0 {
				break
			}
			if guard > 800 {
				t.Fatalf("%d steps are still left: %q", len(open), open[0].Text)
			}
			st := open[0]
			parts := st.Parts(p)
			if len(parts) == 0 {
				testkit.Edit(t, p, runsheet.Tick(st.Key()))
				continue
			}
			whole, sum := p.Clone(), 0
			testkit.Edit(t, whole, runsheet.Tick(st.Key()))
			for _, x := range parts {
				sum += x.Step.Count
			}
			if sum != st.Count {
				t.Fatalf("the parts of %q have %d settings; want %d", st.Text, sum, st.Count)
			}
			// the parts, in any order, each from the sheet as it is then
			for of := st; ; {
				open = runsheet.Make(p)
				i := slices.IndexFunc(open, of.Has)
				if i < 0 {
					break
				}
				left, n := runsheet.Settings(open), open[i].Count
				var chosen []string
				if parts := open[i].Parts(p); len(parts) > 0 {
					k := rng.IntN(len(parts))
					chosen, n = []string{strconv.Itoa(k)}, parts[k].Step.Count
				}
				testkit.Edit(t, p, runsheet.Tick(open[i].Key(), chosen...))
				if now := runsheet.Settings(runsheet.Make(p)); left-now < n {
					t.Fatalf("a part of %q leaves %d settings of %d; want %d fewer", of.Text, now, left, n)
				}
			}
			if got, want := sheetText(p), sheetText(whole); got != want {
				t.Fatalf("after %q one by one there is left\n%s\nafter the whole\n%s", st.Text, got, want)
			}
		}
	}
}

// What marking a step changed is taken back without touching what was done since.
func TestStepsAreTakenBackOneByOne(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit(), sample.SaltpanSection())
	states := []*plan.Patched{p.Patched.Clone()}
	var changes [][]plan.Change
	for {
		open := runsheet.Make(p)
		if len(open) == 0 {
			break
		}
		testkit.Edit(t, p, runsheet.Tick(open[0].Key()))
		c, err := plan.ChangesOf(states[len(states)-1], p.Patched)
		if err != nil || len(c) == 0 {
			t.Fatalf("%q has changed %v: %v", open[0].Text, c, err)
		}
		changes = append(changes, c)
		states = append(states, p.Patched.Clone())
	}
	if len(changes) < 10 {
		t.Fatalf("%d steps; want ten at least", len(changes))
	}
	// from the last to the first each state comes back to the letter
	s := p.Patched
	for i := len(changes) - 1; i >= 0; i-- {
		var err error
		if s, _, err = s.TakenBack(changes[i]); err != nil {
			t.Fatal(err)
		}
		want := states[i]
		if want == nil {
			want = &plan.Patched{}
		}
		got, wanted := s.Clone(), want.Clone()
		got.LastID, wanted.LastID = 0, 0
		if diff, err := plan.ChangesOf(wanted, got); err != nil || len(diff) > 0 {
			t.Fatalf("without step %d there differs %+v (%v)", i, diff[:min(3, len(diff))], err)
		}
	}
	// in any order: the step's settings are to do again, and no other is
	for range testkit.Of(200, 40) {
		i := rng.IntN(len(changes))
		back, n, err := p.Patched.TakenBack(changes[i])
		standing, errStanding := p.Patched.Standing(changes[i])
		if err != nil || errStanding != nil || n != len(standing) {
			t.Fatalf("%d changes are taken back, %d stand: %v %v", n, len(standing), err, errStanding)
		}
		diff, err := plan.ChangesOf(p.Patched, back)
		if err != nil {
			t.Fatal(err)
		}
		mine := map[string]bool{}
		for _, c := range changes[i] {
			mine[c.Kind+" "+c.ID+" "+c.Attribute] = true
		}
		whole := false // an instrument or lane that is gone takes its parts with it
		for _, c := range changes[i] {
			whole = whole || c.Attribute == ""
		}
		for _, c := range diff {
			if !whole && !mine[c.Kind+" "+c.ID+" "+c.Attribute] {
				t.Fatalf("taking back step %d changes %+v too", i, c)
			}
		}
	}
}

// A step may be marked before those that it follows on paper: what it was done to is there.
func TestStepsAreMarkedInAnyOrder(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 1))
	for range testkit.Of(20, 4) {
		p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
		for guard := 0; ; guard++ {
			open := runsheet.Make(p)
			if len(open) == 0 {
				break
			}
			st := open[rng.IntN(len(open))]
			testkit.Edit(t, p, runsheet.Tick(st.Key()))
			if _, still := runsheet.Named(runsheet.Make(p), st.Key()); still || guard > 50 {
				t.Fatalf("%q is marked as done and is still to do", st.Text)
			}
		}
	}
}

// Whatever a step is made of, each part says in words what it is: no ID, and in the order of the
// instrument.
func TestPartsSayWhatTheyAre(t *testing.T) {
	raw := regexp.MustCompile(`\b(lane|output|track|send|feed|instrument):|\bi\d+:|\bl\d+\b`)
	for _, profile := range rig.Profiles {
		kit := sample.BrineworkKit()
		p := testkit.Mapped(t, plan.Host{FirstLane: 1}, "12x2", kit, sample.ReedCabinet())
		testkit.Edit(t, p, edits.SetProfile(profile))
		testkit.Edit(t, p, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
			for i := range in.Microphones {
				in.Microphones[i].Pan = -0.5
			}
			return "pan all", nil
		}))
		var order []string
		for x := range p.Placed[0].Instrument.EachSource() {
			order = append(order, x.Name)
		}
		outputs := 0
		for _, st := range runsheet.Make(p) {
			last := -1
			for _, part := range st.Parts(p) {
				text := part.Item.String()
				if raw.MatchString(text) {
					t.Errorf("%s: a part of %q is called %q", profile.Name, st.Text, text)
				}
				if strings.HasPrefix(text, "output ") {
					outputs++
				}
				if strings.Contains(st.Text, "pans in") {
					name, _, _ := strings.Cut(text, ":")
					at := slices.Index(order, name)
					if at < last {
						t.Errorf("%s: %q comes after what stands behind it in the instrument", profile.Name, text)
					}
					last = at
				}
			}
		}
		if profile.Appears == rig.WhenSwitched && outputs < 5 {
			t.Errorf("%s: %d outputs are named; want the five of the second instrument", profile.Name, outputs)
		}
	}
}
