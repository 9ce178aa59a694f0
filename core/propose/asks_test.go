package propose_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/share"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// where tells what each output of a proposal carries: "1: Kick In | 2: …".
func where(pr *propose.Proposal) string {
	var out []string
	for _, r := range pr.Rows {
		out = append(out, r.Output.Label()+": "+propose.Names(r.Feeds))
	}
	return strings.Join(out, " | ")
}

func TestWhatIsAskedIsRespected(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 5}, "12x2", sample.BrineworkKit())
	for _, e := range []plan.Edit{
		edits.KeepTogether("i1", []string{"ride", "near"}),
		edits.KeepApart("i1", []string{"kin", "kout"}),
		edits.PinTo("i1", []string{"hat"}, plan.Jack{Output: 12}),
		edits.SetAside("i1", []string{"v56"}, plan.Off),
		edits.SetOwnOutput(testkit.Feed("stop"), 3),
	} {
		testkit.Edit(t, p, e)
	}
	pr := testkit.Propose(t, p, "i1")
	got := where(pr)
	for _, want := range []string{"12: Hat", "Ride, Room Near", ": Kick Out |", ": Snare Top |"} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is missing in %s", want, got)
		}
	}
	if strings.Contains(got, "Kick In, Kick Out") || strings.Contains(got, "Cowbell") {
		t.Errorf("apart and off are not respected: %s", got)
	}
	for _, r := range pr.Rows {
		for _, f := range r.Feeds {
			if f.Name == "Hat" && !strings.Contains(f.Reason, "pinned there") || f.Name == "Ride" &&
				!strings.Contains(f.Reason, "together, as you asked") {
				t.Errorf("got %s: %s; want not f.Name == \"Hat\" && !strings.Contains(f.Reason, \"pinned there\"), not f.Name "+
					"== \"Ride\" && !strings.Contains(f.Reason, \"together, as you as…", f.Name, f.Reason)
			}
		}
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("got %+v; want len(f) 0", f[0])
	}
	if again := testkit.Propose(t, p, "i1"); again.Changes() != 0 {
		t.Errorf("a second proposal would change %s", where(again))
	}
	// Freed, the feeds are proposed as if nothing had been asked.
	testkit.Edit(t, p, edits.ClearConstraints("i1", []string{"ride", "near", "kin", "kout", "hat", "v56", "stop"}))
	if pr := testkit.Propose(t, p, "i1"); pr.Cost != 37 {
		t.Errorf("cost %d", pr.Cost)
	}
}

func TestWhatCannotHoldAtOnceIsRefusedWithTheReason(t *testing.T) {
	for says, edits := range map[string][]plan.Edit{
		"kept apart":   {edits.KeepTogether("i1", []string{"r1", "f1"}), edits.KeepApart("i1", []string{"r1", "f1"})},
		"never shares": {edits.KeepTogether("i1", []string{"r1", "f1"}), edits.SetOwnOutput(testkit.Feed("r1"), 3)},
		"different outputs": {edits.KeepTogether("i1", []string{"r1", "f1"}),
			edits.PinTo("i1", []string{"r1"}, plan.Jack{Output: 1}), edits.PinTo("i1", []string{"f1"}, plan.Jack{Output: 2})},
		"set aside and cannot": {edits.KeepTogether("i1", []string{"r1", "f1"}),
			edits.SetAside("i1", []string{"r1"}, plan.Parked)},
		"leave no grouping": {edits.KeepApart("i1", []string{"kin", "r1", "f1", "f2"})},
	} {
		p := testkit.Project(t, plan.Host{}, "3x2", sample.BrineworkKit())
		for _, e := range edits {
			testkit.Edit(t, p, e)
		}
		_, err := propose.Make(p, propose.Options{Placed: "i1"})
		var conflict *share.ConflictError
		var few *share.TooFewError
		if err == nil || !strings.Contains(err.Error(), says) || !errors.As(err, &conflict) && !errors.As(err, &few) &&
			says != "set aside and cannot" {
			t.Errorf("got %q: %v; want an error, err.Error() with %v, not !errors.As(err, &conflict) && !errors.As(err, "+
				"&few) && says != \"set …", says, err, says)
		}
	}
}

// Stereo feeds go on mono outputs only where the user says fold to mono.
func TestFoldingIsTheUsersToSay(t *testing.T) {
	p := testkit.Project(t, plan.Host{}, "2x2+4x1", sample.ReedCabinet())
	if _, err := propose.Make(p, propose.Options{Placed: "i1"}); err != nil {
		t.Fatal(err)
	}
	for _, r := range testkit.Propose(t, p, "i1").Rows {
		if r.Output.Width == audio.Mono {
			t.Errorf("%s is on a mono output", r.Feeds[0].Name)
		}
	}
	testkit.Edit(t, p, edits.SetFold("i1", []string{"part1", "part2", "part3", "part4"}, true))
	pr := testkit.Propose(t, p, "i1")
	if pr.Cost != 0 || len(pr.Rows) != 6 {
		t.Errorf("cost %d: %s", pr.Cost, where(pr))
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := testkit.Problems(p, "effects-lost", "mono-on-stereo"); len(f) != 0 {
		t.Errorf("what the user folds is not a finding: %+v", f)
	}
}

// Hard-panned, six stereo outputs carry twelve mono feeds; odd goes left, even
// right (common practice, no source).
func TestTwoMonosLeaveByOnePair(t *testing.T) {
	in := sample.FlintTwelve()
	for i := range in.Voices {
		in.Voices[i].Slot = 0
	}
	p := testkit.Project(t, plan.Host{FirstLane: 1, Sides: true}, "6x2", in)
	if ok, why := p.CanPair(&p.Placed[0]); !ok {
		t.Fatal(why)
	}
	testkit.Edit(t, p, edits.SetPairs("i1", true))
	pr := testkit.Propose(t, p, "i1")
	if pr.Cost != 0 || len(pr.Rows) != 12 || pr.Rows[1].Output.Label() != "1R" || pr.Rows[1].Output.PortNames(0) != "2" ||
		pr.Rows[11].Lane.Number != 12 || pr.Rows[3].Lane.Width != audio.Mono {
		t.Fatalf("cost %d: %s", pr.Cost, where(pr))
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("got %+v; want len(f) 0", f)
	}
	if again := testkit.Propose(t, p, "i1"); again.Changes() != 0 {
		t.Errorf("a second proposal would change %s", where(again))
	}
	// Without pairs the outputs are whole again, and shared.
	testkit.Edit(t, p, edits.SetPairs("i1", false))
	pr = testkit.Propose(t, p, "i1")
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := check.Project(p); len(f) != 0 || len(p.Placed[0].Halved) != 0 || pr.Cost == 0 {
		t.Errorf("got %+v %v; want len(f) 0, len(p.Placed[0].Halved) 0, pr.Cost not 0", f, p.Placed[0].Halved)
	}
}

// The lanes that need not move stay, with what the user made of them; those that
// must go along with their feeds.
func TestReproposingMovesAsLittleAsItMust(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "12x2", sample.BrineworkKit())
	kick := testkit.Lane(p, "Kick In").ID
	testkit.Edit(t, p, plan.NameLane(kick, "Thump"))
	testkit.Edit(t, p, plan.SetGain(kick, -4))
	before := map[string]plan.Lane{}
	for _, l := range p.Lanes {
		before[l.ID] = l
	}
	// The kick is pinned to the output of the hat: kick and hat change places, and
	// their lanes keep number, name and fader.
	testkit.Edit(t, p, edits.PinTo("i1", []string{"kin"}, plan.Jack{Output: 4}))
	pr := testkit.Propose(t, p, "i1")
	moved := 0
	for _, r := range pr.Rows {
		for _, f := range r.Feeds {
			if f.Moves {
				moved++
			}
		}
		if r.LaneNew {
			t.Errorf("%s gets a new lane", r.Lane.Name)
		}
	}
	if moved != 2 || len(pr.Closing) != 0 {
		t.Errorf("%d feeds move, %d lanes close: %s", moved, len(pr.Closing), where(pr))
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if l := p.Lane(kick); l.Name != "Thump" || l.Gain != -4 || l.Number != 5 || l.Sources[0].Output != 4 {
		t.Errorf("got %+v; want l.Name \"Thump\", l.Gain -4, l.Number 5, l.Sources[0].Output 4", l)
	}
	for _, l := range p.Lanes {
		if was := before[l.ID]; was.Number != l.Number || was.Name != l.Name || was.Colour != l.Colour {
			t.Errorf("lane %d %s was %d %s", l.Number, l.Name, was.Number, was.Name)
		}
	}
}

func TestFewerAndMoreOutputsAreProposedAtOnce(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "12x2", sample.BrineworkKit())
	pr, err := propose.Make(p, propose.Options{Placed: "i1", Outputs: 10})
	if err != nil || pr.Cost != 97 || pr.Used != 10 || len(pr.Closing) != 2 {
		t.Fatalf("%v: cost %d on %d, closing %v", err, pr.Cost, pr.Used, pr.Closing)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := check.Project(p); len(f) != 0 || p.Placed[0].Use != 10 || len(p.Placed[0].Outputs) != 12 {
		t.Errorf("got %+v; want len(f) 0, p.Placed[0].Use 10, len(p.Placed[0].Outputs) 12", f)
	}
	if again := testkit.Propose(t, p, "i1"); again.Changes() != 0 || again.Cost != 97 {
		t.Errorf("the cut is forgotten: %s", where(again))
	}
	if pr, err = propose.Make(p, propose.Options{Placed: "i1", Outputs: 14}); err != nil || pr.Cost != 13 ||
		len(pr.Added) != 2 {
		t.Fatalf("%v: cost %d, added %v", err, pr.Cost, pr.Added)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if o := p.Placed[0].Outputs; len(o) != 14 || o[13].PortNames(0) != "27–28" || p.Placed[0].Use != 0 {
		t.Errorf("got %+v; want len(o) 14, o[13].PortNames(0) \"27–28\", p.Placed[0].Use 0", o)
	}
	if _, err = propose.Make(p, propose.Options{Placed: "i1", Outputs: 23}); err == nil ||
		!strings.Contains(err.Error(), "ports") {
		t.Errorf("23 stereo outputs on 44 ports: %v", err)
	}
	fixed := testkit.Project(t, plan.Host{}, "6x2", sample.FlintTwelve())
	if _, err = propose.Make(fixed, propose.Options{Placed: "i1", Outputs: 7}); err == nil ||
		!strings.Contains(err.Error(), "can make no more") {
		t.Errorf("got %v; want an error, err.Error() with \"can make no more\"", err)
	}
}

func TestTheLadderSaysWhatMoreWouldBuy(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "12x2", sample.BrineworkKit())
	steps, err := testkit.Propose(t, p, "i1").Ladder()
	if err != nil || len(steps) != 18 || !steps[11].Here {
		t.Fatal(err, len(steps))
	}
	if got := propose.Difference(steps[11], steps[10]); got != "together Snare Top, Snare Bottom" {
		t.Errorf("one fewer: %s", got)
	}
	if got := propose.Difference(steps[11], steps[13]); got != "Ride alone; together Crash Left, Crash Right; "+
		"Shaker, Cowbell; Woodblock, Bell Tree" {
		t.Errorf("two more: %s", got)
	}
}

// By instrument first the microphones of one part share before two parts do; by
// microphone first it is the other way round.
func TestEitherAxisMayComeFirst(t *testing.T) {
	p := testkit.Project(t, plan.Host{}, "4x2", sample.SaltpanSection())
	if got := where(testkit.Propose(t, p, "i1")); !strings.HasPrefix(got,
		"1: Lead Pan Close, Lead Pan Mid, Lead Pan Room | 2: Double Pan Close") {
		t.Error(got)
	}
	testkit.Edit(t, p, edits.SetView("i1", func(v *rig.View) { v.Axis = rig.ByMicrophone }))
	if got := where(testkit.Propose(t, p, "i1")); !strings.HasPrefix(got,
		"1: Lead Pan Close, Double Pan Close | 2: Cello Pan Close, Bass Pan Close | 3: Lead Pan Mid") {
		t.Error(got)
	}
}

func TestSeveralInstrumentsAreLandedInOneGo(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 3, LaneLimit: 64, Taken: plan.Ranges{{From: 20, To: 22}}}, "16x2",
		sample.FlintTwelve(), sample.SaltpanSection(), sample.ReedCabinet())
	options := []propose.Options{{Placed: "i1"}, {Placed: "i2"}, {Placed: "i3"}}
	all, errs := propose.All(p, options)
	taken := map[plan.LaneNumber]string{}
	for i, pr := range all {
		if errs[i] != nil {
			t.Fatal(errs[i])
		}
		for _, r := range pr.Rows {
			if was := taken[r.Lane.Number]; was != "" {
				t.Errorf("lane %d is proposed for %s and %s", r.Lane.Number, was, r.Lane.Name)
			}
			taken[r.Lane.Number] = r.Lane.Name
		}
	}
	if len(p.Lanes) != 0 {
		t.Error("proposing changed the project")
	}
	testkit.Edit(t, p, propose.AcceptAll(options))
	if f := testkit.Problems(p, "ports-past-end", "midi-layer", "effects-lost"); len(f) != 0 {
		t.Errorf("got %+v; want len(f) 0", f)
	}
	for _, l := range p.Lanes {
		if l.Kind == plan.Regular && taken[l.Number] != l.Name {
			t.Errorf("lane %d %s was shown as %q", l.Number, l.Name, taken[l.Number])
		}
	}
}

// In a mixer built of fixed blocks, what does not fit the first goes on at lane 1
// of the next (common practice, no source).
func TestBlocksAndOwnLanes(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 9, BlockSize: 16, Taken: plan.Ranges{{From: 17, To: 17}}}, "12x2",
		sample.BrineworkKit())
	pr := testkit.Propose(t, p, "i1")
	var got []string
	for _, r := range pr.Rows {
		got = append(got, p.Host.LaneName(r.Lane.Number))
	}
	if s := strings.Join(got, " "); s != "1·9 1·10 1·11 1·12 1·13 1·14 1·15 1·16 2·2 2·3 2·4 2·5" {
		t.Error(s)
	}
	p.Host.BlockSize = 0
	own, _ := plan.ParseRanges("40-45,3,60-70")
	testkit.Edit(t, p, edits.SetLaneList("i1", own))
	pr = testkit.Propose(t, p, "i1")
	if pr.Rows[6].Lane.Number != 3 || pr.Rows[11].Lane.Number != 64 {
		t.Errorf("got %d %d; want pr.Rows[6].Lane.Number 3, pr.Rows[11].Lane.Number 64", pr.Rows[6].Lane.Number,
			pr.Rows[11].Lane.Number)
	}
	testkit.Edit(t, p, edits.SetLaneList("i1", plan.Ranges{{From: 40, To: 45}}))
	if _, err := propose.Make(p, propose.Options{Placed: "i1"}); err == nil ||
		!strings.Contains(err.Error(), "only 6 are free; name more") {
		t.Errorf("got %v; want an error, err.Error() with \"only 6 are free; name more\"", err)
	}
}

func TestLayoutsAreAppliedAndKept(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 1, Sides: true}, "6x2", sample.FlintTwelve())
	mine := p.Placed[0].Layout("Mine")
	testkit.Edit(t, p, edits.ApplyLayout("i1", p.Placed[0].Instrument.Layouts[1]))
	if got := p.FeedsOn(plan.OutputRef{Placed: "i1", Output: 4}); len(got) != 2 || !got[0].Role.Under("kit/tom") {
		t.Errorf("the factory lumps the toms on output 4: %+v", got)
	}
	testkit.Edit(t, p, edits.ApplyLayout("i1", mine))
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("got %+v; want len(f) 0", f)
	}
	if _, err := edits.ApplyLayout("i1", rig.Layout{Name: "Other", Feeds: map[string]rig.Placing{"x": {Output: 1}}})(
		p); err == nil {
		t.Error("a layout of other feeds was applied")
	}
}

func TestPortsMakeTheBestMix(t *testing.T) {
	in := rig.Instrument{Name: "Mixed"}
	for i := range 10 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Voice %d", i),
			Role: "percussion/clap", Keys: []midi.Key{midi.Key(i)}, Width: audio.Width(1 + i/6)})
	}
	p := testkit.Project(t, plan.Host{}, "1x2", in)
	out, err := propose.FromPorts(p, "i1", 16) // six mono and four stereo take fourteen
	if err != nil || rig.FormatRuns(rig.Runs(out)) != "4x2+6x1" {
		t.Fatal(rig.FormatRuns(rig.Runs(out)), err)
	}
	if out, err = propose.FromPorts(p, "i1", 4); err != nil || rig.PastLast(out) > 5 {
		t.Error(out, err)
	}
	if _, err = propose.FromPorts(p, "i1", 1); err == nil {
		t.Error("a stereo feed on one port")
	}
}

// Whatever is asked, an accepted proposal is sound, whole, keeps to what was
// asked, and is proposed again unchanged.
func TestAskedProposalsAreSoundAndStable(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 7))
	roles := role.All()
	made := 0
	for range testkit.Of(400, 120) {
		in := rig.Instrument{Name: "Generated", Pans: true}
		for v := range 2 + rng.IntN(20) {
			in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d", v),
				Role: roles[rng.IntN(len(roles))],
				Keys: []midi.Key{midi.Key(v)}, Width: audio.Width(1 + rng.IntN(2))})
		}
		setup := []string{"%dx2", "%dx2+3x1", "4x1+%dx2"}[rng.IntN(3)]
		p := testkit.Project(t, plan.Host{FirstLane: 1, Sides: true}, fmt.Sprintf(setup, 1+rng.IntN(12)), in)
		id := func() string { return fmt.Sprintf("v%d", rng.IntN(len(in.Voices))) }
		for range 2 {
			var asked []plan.Edit
			pl := &p.Placed[0]
			if n := 1 + rng.IntN(len(pl.Outputs)); rng.IntN(2) == 0 && !pl.KeptFree(n) {
				asked = append(asked, edits.PinTo("i1", []string{id()}, plan.Jack{Output: n}))
			} else if len(pl.Outputs) > 4 && !pinned(pl, n) {
				asked = append(asked, edits.KeepOutputsFree("i1", []int{n}, rng.IntN(3)))
			}
			if a, b := id(), id(); a != b && rng.IntN(2) == 0 {
				asked = append(asked, []func(string, []string) plan.Edit{edits.KeepTogether, edits.KeepApart}[rng.IntN(2)]("i1",
					[]string{a, b}))
			}
			if rng.IntN(3) == 0 {
				asked = append(asked, edits.SetAside("i1", []string{id()}, plan.Parked))
			}
			asked = append(asked, edits.SetPairs("i1", rng.IntN(3) == 0))
			for _, e := range asked {
				testkit.Edit(t, p, e)
			}
			pr, err := propose.Make(p, propose.Options{Placed: "i1"})
			if err != nil {
				break
			}
			made++
			testkit.Edit(t, p, pr.Accept(pr.Everything()))
			if f := testkit.Problems(p); len(f) != 0 {
				t.Fatalf("got %s: %s (%s); want len(f) 0", f[0].Title(), f[0].Reason(), where(pr))
			}
			again := testkit.Propose(t, p, "i1")
			if again.Changes() != 0 || again.Cost != pr.Cost {
				for _, r := range again.Rows {
					if r.Changed {
						t.Logf("%s %+v was %q", r.Output.Label(), r.Lane, r.Was)
					}
				}
				t.Fatalf("a second proposal would change\n%s\nto\n%s\nset aside %+v, closing %+v", where(pr), where(again),
					again.Unused, again.Closing)
			}
			carries := map[int]bool{}
			for _, a := range pl.Feeds {
				if carries[a.Output] = true; a.Output > 0 && pl.KeptFree(a.Output) {
					t.Fatalf("output %d is to stay free and a feed is %s on it:\n%s", a.Output, a.State, where(pr))
				}
			}
			delete(carries, 0)
			if left := len(pl.Outputs) - len(carries); left < len(pl.KeepFree)+pl.Spare {
				t.Fatalf("%d outputs are left; %v are to stay free and %d more", left, pl.KeepFree, pl.Spare)
			}
			for id, a := range p.Placed[0].Feeds {
				if a.Pin != nil && (a.State != plan.Assigned || a.Output != a.Pin.Output) {
					t.Fatalf("%s is pinned to %s and is on %s", id, a.Pin, a.At())
				}
			}
		}
	}
	if made < testkit.Of(300, 150) {
		t.Errorf("only %d proposals were made", made)
	}
}

// pinned reports whether a feed is pinned to an output.
func pinned(pl *plan.Placed, output int) bool {
	for _, a := range pl.Feeds {
		if a.Pin != nil && a.Pin.Output == output {
			return true
		}
	}
	return false
}

// Common practice, no source: on eight stereo outputs kick, snare, all toms, hat, ride, other
// cymbals, percussion and ambience have one each; overheads go with the cymbals.
func TestSharingAsUsualOnEightOutputs(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 3}, "8x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.ShareAsUsual("i1"))
	want := "1: Kick In, Kick Out | 2: Snare Top, Snare Bottom | 3: Hat | 4: Rack 1, Floor 1, Floor 2 | 5: Ride | " +
		"6: Crash Left, Crash Right, Overhead | 7: Room Near, Room Far | 8: Shaker, Cowbell, Woodblock, Bell Tree"
	if got := where(testkit.Propose(t, p, "i1")); got != want {
		t.Errorf("got %s; want %s", got, want)
	}
	if _, err := edits.ShareAsUsual("i1")(p); err == nil {
		t.Error("it is asked for twice")
	}
	// What was asked before stays: toms that are apart are not put together.
	q := testkit.Project(t, plan.Host{}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, q, edits.KeepApart("i1", []string{"r1", "f1"}))
	testkit.Edit(t, q, edits.ShareAsUsual("i1"))
	if _, err := propose.Make(q, propose.Options{Placed: "i1"}); err != nil {
		t.Error(err)
	}
}

// A wish of a group counts towards all others: toms that never share leave the rest to share.
func TestAGroupCanNeverShareWithOthers(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 3}, "3x2", sample.BrineworkKit())
	toms := []string{"r1", "f1", "f2"}
	if _, err := edits.SetGroupOwnOutput("i1", toms, 3)(p); err == nil {
		t.Error("feeds without a group have a group's wish")
	}
	testkit.Edit(t, p, edits.KeepTogether("i1", toms))
	testkit.Edit(t, p, edits.SetGroupOwnOutput("i1", toms[:1], 3))
	if got := where(testkit.Propose(t, p, "i1")); !strings.Contains(got, "2: Rack 1, Floor 1, Floor 2 |") {
		t.Errorf("got %s; want the toms alone", got)
	}
	if says := p.Placed[0].ConstraintsInWords()["f1"]; !slices.Contains(says, "own output for the group: always") {
		t.Errorf("the constraint says %q", says)
	}
}

// Common practice, no source: with the main output kept free, thirteen channels need fourteen
// outputs and thirteen lanes, the first of them on output 2.
func TestOutputsKeptFreeAreLeftAlone(t *testing.T) {
	in := rig.Instrument{Name: "Thirteen", Effects: []rig.Effect{{ID: "e", Name: "cabinet room", Kind: rig.Reverberation}}}
	for i := range 13 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Channel %d", i+1),
			Role: "percussion/clap", Keys: []midi.Key{midi.Key(40 + i)}, Width: audio.Stereo})
	}
	p := testkit.Project(t, plan.Host{FirstLane: 3}, "1x2", in)
	testkit.Edit(t, p, edits.KeepOutputsFree("i1", []int{1}, 0))
	testkit.Edit(t, p, edits.AddOutputs("i1"))
	if n := len(p.Placed[0].Outputs); n != 14 {
		t.Fatalf("it has %d outputs; want 14", n)
	}
	pr := testkit.Propose(t, p, "i1")
	said := strings.Join(pr.Notes, " ")
	if pr.Cost != 0 || len(pr.Rows) != 13 || pr.Rows[0].Output.Number != 2 ||
		!strings.Contains(said, "13 feeds to themselves would need 14 outputs and 13 lanes, the first on output 2.") ||
		!strings.Contains(said, "arrives on the instrument's own lane") || !strings.Contains(said, "cabinet room") {
		t.Errorf("%d rows from output %d, cost %d, and it says %q", len(pr.Rows), pr.Rows[0].Output.Number, pr.Cost, said)
	}
	// Somebody has put two feeds there: both move away; what goes there besides its own output stays.
	busy := p.Clone()
	busy.Placed[0].Instrument.Voices[6].AlsoMain = true
	testkit.Edit(t, busy, edits.Decide(plan.FeedRef{Placed: "i1", Feed: "v3"}, plan.Assigned, plan.Jack{Output: 1}))
	testkit.Edit(t, busy, edits.Decide(plan.FeedRef{Placed: "i1", Feed: "v4"}, plan.Parked, plan.Jack{Output: 1}))
	moves := testkit.Propose(t, busy, "i1")
	if said := strings.Join(moves.Notes, " "); !strings.Contains(said, "Still on it: Channel 7.") {
		t.Errorf("of what is still on the output that is to be free it says %q; want channel 7 alone", said)
	}
	testkit.Edit(t, busy, moves.Accept(moves.Everything()))
	for id, a := range busy.Placed[0].Feeds {
		if a.Output == 1 {
			t.Errorf("%s is %s on the output that is to be free", id, a.State)
		}
	}
	steps, err := pr.Ladder()
	if err != nil || !steps[12].Here {
		t.Errorf("the ladder stands on %+v, %v; want thirteen outputs", steps, err)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	testkit.Edit(t, p, edits.KeepOutputsFree("i1", []int{1}, 3)) // now three more stay empty
	if pr = testkit.Propose(t, p, "i1"); pr.Used != 10 || pr.Cost == 0 {
		t.Errorf("with three to spare it uses %d outputs at a cost of %d", pr.Used, pr.Cost)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if p.Placed[0].Use != 0 {
		t.Errorf("the number of outputs in use is kept as %d", p.Placed[0].Use)
	}
	if _, err := edits.KeepOutputsFree("i1", []int{99}, 0)(p); err == nil {
		t.Error("an output that is not there is kept free")
	}
	testkit.Edit(t, p, edits.PinTo("i1", []string{"v0"}, plan.Jack{Output: 5}))
	if _, err := edits.KeepOutputsFree("i1", []int{5}, 0)(p); err == nil {
		t.Error("an output that something is pinned to is kept free")
	}
}
