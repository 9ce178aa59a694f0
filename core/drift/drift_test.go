package drift_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/drift"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

func kit(t *testing.T) *plan.Project {
	t.Helper()
	return testkit.Mapped(t, plan.Host{FirstLane: 5}, "19x2", sample.BrineworkKit())
}

// say puts differences into words, "role attribute here→house".
func say(ds []drift.Difference) (out []string) {
	for _, d := range ds {
		out = append(out, fmt.Sprintf("%s %s %s→%s", d.Role, d.Attribute, d.Here, d.House))
	}
	return out
}

func TestAFreshProposalIsInLine(t *testing.T) {
	for _, p := range []*plan.Project{kit(t), testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit()),
		testkit.Mapped(t, plan.Host{}, "6x2", sample.FlintTwelve()),
		testkit.Mapped(t, plan.Host{}, "16x2", sample.SaltpanSection()),
		testkit.Mapped(t, plan.Host{}, "6x2", sample.ReedCabinet()),
		testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit(), sample.BrineworkKit())} {
		if ds := drift.Of(p, nil, nil); len(ds) > 0 {
			t.Errorf("got %v; want len(ds) at most 0", say(ds))
		}
	}
}

func TestWhatDiffersIsFoundAndBroughtIntoLine(t *testing.T) {
	p := kit(t)
	lane := func(name string) string { return testkit.Lane(p, name).ID }
	testkit.Edit(t, p,
		edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
	testkit.Edit(t, p, plan.NameLane(lane("Hat"), "HH"))
	testkit.Edit(t, p, plan.ColourLane(lane("Ride"), "#ff00ff"))
	testkit.Edit(t, p, plan.Route([]string{lane("Rack 1")}, plan.MainMix, false))
	testkit.Edit(t, p, plan.MoveLane(lane("Snare Top"), 18))
	p.Lane(p.Buses()[0].ID).Name = "Kit Group"
	got := say(drift.Of(p, nil, nil))
	want := []string{"kit/hat name HH→Hat", "kit/tom/rack/1 bus main mix→Drums", "kit/cymbal/ride colour #ff00ff→" +
		house.Colour("kit/cymbal/ride"),
		"kit/snare/top place after Room Far→after Kick Out", "kit name Kit Group→Drums"}
	slices.Sort(got)
	slices.Sort(want)
	if !slices.Equal(got, want) {
		t.Errorf("got \n%q\n%q; want %v", got, want, want)
	}
	testkit.Edit(t, p, drift.Align(nil, nil, nil))
	if ds := drift.Of(p, nil, nil); len(ds) > 0 {
		t.Errorf("still %v", say(ds))
	}
	for _, step := range runsheet.Make(p) {
		if step.Place != runsheet.ByEar {
			t.Errorf("all is as it stands in the host again, but %s", step.Text)
		}
	}
	if _, err := drift.Align(nil, nil, nil)(p); !errors.Is(err, drift.ErrInLine) {
		t.Errorf("got %v; want errors.Is(err, drift.ErrInLine)", err)
	}
}

func TestBringingIntoLineMakesRunSheetSteps(t *testing.T) {
	p := kit(t)
	testkit.Edit(t, p, plan.NameLane(testkit.Lane(p, "Hat").ID, "HH"))
	testkit.Edit(t, p,
		edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
	if n := len(runsheet.Make(p)); n > 1 { // the check by ear alone
		t.Fatalf("%d steps while everything stands as planned", n)
	}
	testkit.Edit(t, p, drift.Align(nil, nil, nil))
	found := false
	for _, s := range runsheet.Make(p) {
		found = found || strings.Contains(s.Text+strings.Join(testkit.ItemTexts(s), " "), "Hat")
	}
	if !found {
		t.Errorf("the host still calls it HH, and the run sheet does not say so: %+v", runsheet.Make(p))
	}
}

func TestDeparturesDoNotCount(t *testing.T) {
	p := kit(t)
	testkit.Edit(t, p, plan.NameLane(testkit.Lane(p, "Hat").ID, "HH"))
	testkit.Edit(t, p, plan.ColourLane(testkit.Lane(p, "Kick In").ID, "#ff00ff"))
	testkit.Edit(t, p,
		edits.AddException(plan.Exception{Role: "kit/hat", Attribute: "name", Reason: "the drummer calls it so"}))
	ds := drift.Of(p, nil, nil)
	if len(ds) != 2 || drift.Figure(ds) != 1 {
		t.Errorf("%v, figure %d", say(ds), drift.Figure(ds))
	}
	testkit.Edit(t, p, drift.Align(nil, nil, nil))
	if testkit.Lane(p, "HH") == nil {
		t.Error("a departure was brought into line")
	}
	testkit.Edit(t, p, edits.RemoveException("kit/hat", "name"))
	if n := drift.Figure(drift.Of(p, nil, nil)); n != 1 {
		t.Errorf("taken back it counts again, not %d", n)
	}
	if _, err := edits.AddException(plan.Exception{Role: "kit", Reason: " "})(p); err == nil {
		t.Error("a departure needs a reason")
	}
}

func TestAChartOfOnesOwnMovesTheHouse(t *testing.T) {
	p := kit(t)
	c := (*house.Chart)(nil).Clone()
	for _, e := range []house.Edit{house.SetCells([]tabular.Cell{tabular.At("kit/kick", "name", "BD"),
		tabular.At("kit/room", "bus", "Ambience"), tabular.At("percussion", "bus", house.MainMix)},
		midi.MiddleC3), house.Move("kit/hat", "kit/kick")} {
		if _, err := e(c); err != nil {
			t.Fatal(err)
		}
	}
	c.Number = 3
	ds := drift.Of(p, c, nil)
	if say := drift.InWords(ds); !strings.Contains(say, "rename 2 lanes") || !strings.Contains(say, "move 1") ||
		!strings.Contains(say, "route 6 to another bus") {
		t.Errorf("got %s: %v; want say with \"rename 2 lanes\", say with \"move 1\", say with \"route 6 to another bus\"",
			say, ds)
	}
	testkit.Edit(t, p, drift.Align(c, nil, nil))
	if p.Chart.VersionNumber() != 3 || len(drift.Of(p, c, nil)) > 0 {
		t.Errorf("got %v; want p.Chart.VersionNumber() 3, len(drift.Of(p, c, nil)) at most 0", say(drift.Of(p, c, nil)))
	}
	if l := testkit.Lane(p, "Hat"); l.Number != 5 {
		t.Errorf("the hat is on %d", l.Number)
	}
	if l, b := testkit.Lane(p, "Room Far"), testkit.Lane(p, "Ambience"); b == nil || l.To != b.ID {
		t.Errorf("got %+v %+v; want b not nil, l.To %v", l, b, b.ID)
	}
	// A new proposal in a project that follows the chart is in line with it.
	fresh := testkit.Project(t, plan.Host{}, "19x2", sample.BrineworkKit())
	testkit.Edit(t, fresh, edits.Follow(c))
	pr := testkit.Propose(t, fresh, "i1")
	testkit.Edit(t, fresh, pr.Accept(pr.Everything()))
	if ds := drift.Of(fresh, c, nil); len(ds) > 0 {
		t.Errorf("got %v; want len(ds) at most 0", say(ds))
	}
	if fresh.ByNumber()[0].Name != "Hat" || testkit.Lane(fresh, "BD In") == nil {
		t.Errorf("got %v; want fresh.ByNumber()[0].Name \"Hat\", testkit.Lane(fresh, \"BD In\") not nil", fresh.ByNumber()[0])
	}
}

func TestProjectsAreComparedWithEachOtherWhereTheChartIsSilent(t *testing.T) {
	var facts []*drift.Facts
	var all [][]drift.Point
	var projects []*plan.Project
	for i := range 3 {
		p := testkit.Mapped(t, plan.Host{}, "6x2", sample.ReedCabinet())
		if i == 2 {
			testkit.Edit(t, p, edits.SetAddress(plan.FeedRef{Placed: "i1", Feed: "part3"}, midi.Address{Port: 1, Channel: 9}))
			testkit.Edit(t, p, edits.Decide(plan.FeedRef{Placed: "i1", Feed: "part1"}, plan.Assigned, plan.Jack{Output: 2}))
			testkit.Edit(t, p, edits.Decide(plan.FeedRef{Placed: "i1", Feed: "part2"}, plan.Assigned, plan.Jack{Output: 1}))
		}
		projects = append(projects, p)
		facts = append(facts, drift.Gather(p))
		all = append(all, drift.Points(nil, facts[i]))
	}
	most := drift.Survey(all)
	if len(most.Compare(facts[0], all[0])) != 0 {
		t.Errorf("got %v; want len(most.Compare(facts[0], all[0])) 0", say(most.Compare(facts[0], all[0])))
	}
	got := say(most.Compare(facts[2], all[2]))
	if len(got) != 3 || !slices.Contains(got, "woodwind/oboe midi ch 9→ch 3") ||
		!slices.Contains(got, "woodwind/flute output 1→2") {
		t.Errorf(
			"got %v; want len(got) 3, got with \"woodwind/oboe midi ch 9→ch 3\", got with \"woodwind/flute output 1→2\"", got)
	}
	// With other outputs the instrument is no longer compared with those that have six.
	wide := drift.Gather(testkit.Mapped(t, plan.Host{}, "12x2", sample.ReedCabinet()))
	wide.Lanes[0].Output = "12"
	if ds := most.Compare(wide, drift.Points(nil, wide)); len(ds) != 0 {
		t.Errorf("got %v; want len(ds) 0", say(ds))
	}
	testkit.Edit(t, projects[2], drift.Align(nil, most, nil))
	if ds := drift.Of(projects[2], nil, most); len(ds) > 0 {
		t.Errorf("got %v; want len(ds) at most 0", say(ds))
	}
}

func TestTheMicrophoneSetIsPartOfTheHouse(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "16x2", sample.SaltpanSection())
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("mallets/steel-pan", "microphones", "Close, Room")},
		midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	ds := drift.Of(p, c, nil)
	if len(ds) != 4 || ds[0].Attribute != drift.Microphones || ds[0].Here != "Close, Mid, Room" {
		t.Fatalf("got %v; want len(ds) 4, ds[0].Attribute %v, ds[0].Here \"Close, Mid, Room\"", say(ds),
			drift.Microphones)
	}
	testkit.Edit(t, p, drift.Align(c, nil, nil))
	if ds := drift.Of(p, c, nil); len(ds) > 0 || p.Placed[0].Feeds["part1.mid"].State != plan.Off ||
		p.Placed[0].Feeds["part1.close"].State != plan.Assigned {
		t.Errorf("got %v; want len(ds) at most 0, p.Placed[0].Feeds[\"part1.mid\"].State %v, "+
			"p.Placed[0].Feeds[\"part1.close\"].State %v", say(ds), plan.Off, plan.Assigned)
	}
}

// What lanes and buses of a role usually carry is in the chart: new lanes come with it, a lane
// without it differs, one that carries more does not, and applying the chart adds it before a
// limiter that is last.
func TestInsertsArePartOfTheHouse(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("kit/snare", "inserts", "EQ, compressor Brick"),
		tabular.At("kit", "businserts", "compressor Glue")}, midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	snare := func(p *plan.Project) *plan.Lane { return testkit.Lane(p, "Snare") }
	testkit.Edit(t, p, plan.SetInserts(snare(p).ID, []rig.Insert{{Kind: rig.Limiter}}))
	testkit.Edit(t, p, plan.SetInserts(testkit.Lane(p, "Drums").ID, []rig.Insert{{Kind: rig.Compressor, Name: "Glue"},
		{Kind: rig.Delay}})) // more than usual is the song's
	f, err := drift.Gather(p).Pack()
	if err != nil {
		t.Fatal(err)
	}
	facts, err := drift.Unpack(string(f))
	if err != nil {
		t.Fatal(err)
	}
	ds := drift.NewLens(c).Compare(facts)
	if len(ds) != 1 || ds[0].Attribute != drift.Inserts || ds[0].House != "equaliser, compressor Brick" ||
		ds[0].Here != "limiter" || ds[0].Lane != snare(p).ID {
		t.Fatalf("got %v; want the inserts of the snare's lane alone", say(ds))
	}
	testkit.Edit(t, p, drift.Align(c, nil, nil))
	if got := rig.InsertsText(snare(p).Inserts); got != "equaliser, compressor Brick, limiter" ||
		len(drift.Of(p, c, nil)) > 0 {
		t.Errorf("with the chart applied the snare carries %q, and %v differs", got, say(drift.Of(p, c, nil)))
	}
	fresh := testkit.Project(t, plan.Host{}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, fresh, edits.Follow(c))
	pr := testkit.Propose(t, fresh, "i1")
	testkit.Edit(t, fresh, pr.Accept(pr.Everything()))
	if got := rig.InsertsText(snare(fresh).Inserts) + "; " + rig.InsertsText(testkit.Lane(fresh, "Drums").Inserts) + "; " +
		rig.InsertsText(testkit.Lane(fresh, "Hat").Inserts); got != "equaliser, compressor Brick; compressor Glue; " {
		t.Errorf("new lanes of snare, bus and hat carry %q", got)
	}
}

func TestTheChartIsLearnedFromWhatProjectsDo(t *testing.T) {
	var all []*drift.Facts
	for i := range 5 {
		p := kit(t)
		p.Name = fmt.Sprintf("Reel %d", i+1)
		if i < 4 {
			testkit.Edit(t, p, plan.NameLane(testkit.Lane(p, "Hat").ID, "HH"))
			// four that look alike
			testkit.Edit(t, p, plan.ColourLane(testkit.Lane(p, "Ride").ID, fmt.Sprintf("#20a0%02x", 0x60+i)))
			n := testkit.Lane(p, "Kick In").Number
			testkit.Edit(t, p, plan.MoveLane(testkit.Lane(p, "Snare Top").ID, n))
		}
		all = append(all, drift.Gather(p))
	}
	l := drift.Learn(nil, all, midi.MiddleC3)
	line := func(key string) drift.Line {
		i := slices.IndexFunc(l.Lines, func(x drift.Line) bool { return x.Key() == key })
		if i < 0 {
			t.Fatalf("nothing is learned of %s", key)
		}
		return l.Lines[i]
	}
	if x := line("name:kit/hat"); x.Value != "HH" || x.Agree != 4 || x.Of != 5 || x.Outliers[0].Value != "Hat" ||
		!slices.Equal(x.Outliers[0].Projects, []string{"Reel 5"}) || x.Same() {
		t.Errorf("got %+v; want x.Value \"HH\", x.Agree 4, x.Of 5, x.Outliers[0].Value \"Hat\", %v, not x.Same()", x,
			[]string{"Reel 5"})
	}
	if x := line("colour:kit/cymbal/ride"); x.Value != "#20a060" || x.Agree != 4 {
		t.Errorf("got %+v; want x.Value \"#20a060\", x.Agree 4", x)
	}
	if x := line("bus:kit"); x.Value != "Drums" || x.Agree != 5 || !x.Same() {
		t.Errorf("got %+v; want x.Value \"Drums\", x.Agree 5, x.Same()", x)
	}
	i := slices.IndexFunc(l.Orders, func(o drift.Order) bool { return o.Parent == "kit" })
	if o := l.Orders[i]; o.Roles[0] != "kit/snare" || o.Roles[1] != "kit/kick" || o.Voters != 5 || o.Agree != 4 ||
		!slices.Equal(o.Outliers, []string{"Reel 5"}) || o.Cost != 1 || o.Bound != 1 || o.Same {
		t.Errorf("got %+v; want o.Roles[0] \"kit/snare\", o.Roles[1] \"kit/kick\", o.Voters 5, o.Agree 4, %v, o.Cost 1, "+
			"o.Bound 1, not o.Same", l.Orders[i], []string{"Reel 5"})
	}
	// One against one says nothing against the chart.
	tied := drift.Learn(nil, all[3:5], midi.MiddleC3)
	for _, x := range tied.Lines {
		if (x.Role == "kit/hat" && x.Field == "name" || x.Role == "kit/cymbal/ride" && x.Field == "colour") &&
			(!x.Same() || len(x.Outliers) != 1) {
			t.Errorf("of one and one %+v is learned", x)
		}
	}
	for _, o := range tied.Orders {
		if o.Parent == "kit" && !o.Same {
			t.Errorf("of one and one %+v is learned", o)
		}
	}
	c := (*house.Chart)(nil).Clone()
	if _, err := l.Accept(map[string]bool{"name:kit/hat": true, "order:kit": true}, midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	if c.Label("kit/hat") != "HH" || c.Compare("kit/snare", "kit/kick") > 0 ||
		c.Colour("kit/cymbal/ride") != house.Colour("kit/cymbal/ride") || c.Compare("kit/tom", "kit/cymbal") > 0 {
		t.Errorf("got %+v; want c.Label(\"kit/hat\") \"HH\", c.Compare(\"kit/snare\", \"kit/kick\") at most 0, "+
			"c.Colour(\"kit/cymbal/ride\") house.Colour(\"kit/cymbal/ride\"), c.Compare(\"kit/tom\", \"kit/cymbal\") at most 0",
			c)
	}
	if _, err := l.Accept(nil, midi.MiddleC3)(c); err == nil {
		t.Error("nothing was marked")
	}
}

func TestATemplateKeepsEmptyLanesForTheirRoles(t *testing.T) {
	p := kit(t)
	testkit.Edit(t, p, plan.NameLane(testkit.Lane(p, "Kick In").ID, "BD"))
	n := p.Template()
	if len(n.Lanes) != len(p.Lanes) || len(n.Placed) != 0 || testkit.Lane(n, "BD").Kept != "kit/kick/in" ||
		len(testkit.Lane(n, "BD").Sources) != 0 {
		t.Fatalf("got %+v; want len(n.Lanes) len(p.Lanes), len(n.Placed) 0, testkit.Lane(n, \"BD\").Kept \"kit/kick/in\", "+
			"len(testkit.Lane(n, \"BD\").Sources) 0", n.Lanes[0])
	}
	in := sample.BrineworkKit()
	testkit.Edit(t, n, edits.AddInstrument(in, p.Placed[0].Outputs, 0))
	pr := testkit.Propose(t, n, n.Placed[0].ID)
	testkit.Edit(t, n, pr.Accept(pr.Everything()))
	if l := testkit.Lane(n, "BD"); l == nil || len(l.Sources) != 1 || n.LaneRoles()[l.ID] != role.Role("kit/kick/in") ||
		l.Number != testkit.Lane(p, "BD").Number || len(n.Lanes) != len(p.Lanes) {
		t.Errorf("%+v, %d lanes", l, len(n.Lanes))
	}
}

func TestFactsAreKeptWhole(t *testing.T) {
	for _, p := range []*plan.Project{kit(t), testkit.Mapped(t, plan.Host{}, "16x2", sample.SaltpanSection(),
		sample.ReedCabinet()), kit(t).Template()} {
		testkit.Edit(t, p, edits.AddException(plan.Exception{Role: "kit", Reason: "why not"}))
		f := drift.Gather(p)
		data, err := f.Pack()
		if err != nil {
			t.Fatal(err)
		}
		back, err := drift.Unpack(string(data))
		if err != nil || !reflect.DeepEqual(f, back) {
			t.Errorf("got %v\n%+v\n%+v; want %v", err, f, back, back)
		}
	}
}

// Facts that were damaged are refused, and never read as something else than they say.
func FuzzUnpack(f *testing.F) {
	data, err := drift.Gather(testkit.Mapped(f, plan.Host{}, "16x2", sample.SaltpanSection())).Pack()
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(data))
	f.Add(drift.PackedNow + "\x1eh\x1fName\x1f7\x1f1\x1el\x1fl1\x1fx")
	f.Fuzz(func(t *testing.T, text string) {
		facts, err := drift.Unpack(text)
		if err != nil {
			return
		}
		again, err := facts.Pack()
		if err != nil {
			t.Fatal(err)
		}
		if back, err := drift.Unpack(string(again)); err != nil || back.Name != facts.Name ||
			len(back.Lanes) != len(facts.Lanes) {
			t.Errorf("what was read is packed as %q, which is read as %+v, %v", again, back, err)
		}
	})
}

// Whatever was changed in a project, and whatever chart it is brought into line with:
// nothing differs afterwards, the document is sound, every feed still arrives, and the
// run sheet from what stood before ends in the plan.
func TestBroughtIntoLineNothingDiffers(t *testing.T) {
	testkit.Slow(t)
	for seed := range uint64(60) {
		rng := rand.New(rand.NewPCG(seed, 9))
		p := testkit.Mapped(t, plan.Host{FirstLane: plan.LaneNumber(1 + rng.IntN(8))}, "20x2", sample.BrineworkKit(),
			sample.SaltpanSection(), sample.ReedCabinet())
		testkit.Edit(t, p,
			edits.SetPatched("as planned", func(p *plan.Project, s *plan.Patched) error { *s = *p.AsPlanned(); return nil }))
		lane := func() *plan.Lane { return &p.Lanes[rng.IntN(len(p.Lanes))] }
		for range 12 {
			switch l := lane(); rng.IntN(5) {
			case 0:
				l.Name = fmt.Sprintf("Lane %c", 'A'+rng.IntN(26))
			case 1:
				l.Colour = fmt.Sprintf("#%06x", rng.IntN(1<<24))
			case 2:
				if l.Kind == plan.Regular {
					testkit.Edit(t, p, plan.Route([]string{l.ID}, p.Buses()[rng.IntN(len(p.Buses()))].ID, rng.IntN(2) == 0))
				}
			case 3:
				if to := lane().Number; to != l.Number {
					testkit.Edit(t, p, plan.MoveLane(l.ID, to))
				}
			case 4:
				l.Name = lane().Name // two of one name
			}
		}
		c := (*house.Chart)(nil).Clone()
		c.Number = 1
		roles := role.All()
		for range rng.IntN(12) {
			cell := tabular.At(string(roles[rng.IntN(len(roles))]), "name", fmt.Sprintf("House %d", rng.IntN(9)))
			switch rng.IntN(4) {
			case 0:
				cell.Column, cell.Value = "colour", fmt.Sprintf("#%06x", rng.IntN(1<<24))
			case 1:
				cell.Column, cell.Value = "bus", []string{"Drums", "Ambience", house.MainMix}[rng.IntN(3)]
			case 2:
				cell.Column, cell.Value = "address", fmt.Sprint(1+rng.IntN(16))
			}
			if _, err := house.SetCells([]tabular.Cell{cell}, midi.MiddleC3)(c); err != nil {
				t.Fatal(err)
			}
			if r := roles[rng.IntN(len(roles))]; rng.IntN(2) == 0 {
				_, _ = house.Step(r, 1)(c) // the last of a branch stays
			}
		}
		testkit.Edit(t, p, drift.Align(c, nil, nil))
		if ds := drift.Of(p, c, nil); len(ds) > 0 {
			t.Fatalf("seed %d: %q", seed, say(ds))
		}
		for i := range p.Placed {
			for _, f := range p.Placed[i].AllFeeds() {
				if a := p.Placed[i].Feeds[f.ID]; f.Microphone == "mix" != (a.State == plan.Off) ||
					a.State == plan.Assigned &&
						len(p.LanesOf(plan.OutputRef{Placed: p.Placed[i].ID, Output: a.Output, Side: a.Side})) == 0 {
					t.Fatalf("seed %d: %s arrives nowhere: %+v", seed, f.Name, a)
				}
			}
		}
		testkit.RunSheetEndsInThePlan(t, p)
	}
}

// What the host cannot do is left and said; the rest is done.
func TestWhatCannotBeBroughtIntoLineIsLeft(t *testing.T) {
	c := (*house.Chart)(nil).Clone()
	if _, err := house.SetCells([]tabular.Cell{tabular.At("woodwind/oboe", "address", "9:3"),
		tabular.At("woodwind/flute", "name", "Fl")}, midi.MiddleC3)(c); err != nil {
		t.Fatal(err)
	}
	p := testkit.Mapped(t, plan.Host{}, "6x2", sample.ReedCabinet())
	label, err := drift.Align(c, nil, nil)(p)
	if err != nil || !strings.Contains(label, "1 cannot be: port 9 ch 3 is past the last MIDI port") ||
		testkit.Lane(p, "Fl") == nil {
		t.Errorf("got %q %v; want label with \"1 cannot be: port 9 ch 3 is past the last MIDI port\", testkit.Lane(p, "+
			"\"Fl\") not nil", label, err)
	}
	if _, err := drift.Align(c, nil, nil)(p); err == nil || !strings.Contains(err.Error(), "MIDI port") {
		t.Errorf("got %v; want an error, err.Error() with \"MIDI port\"", err)
	}
}
