package instances_test

import (
	"fmt"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/instances"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// rack is an instrument of parts, six to an instance.
func rack(parts int) rig.Instrument {
	in := rig.Instrument{Name: "Low Rack", Ports: 32, BaseMiB: 50, Traits: rig.Traits{Load: 4, MaxParts: 6, Channels: 6},
		Microphones: []rig.Microphone{{ID: "m", Name: "Close", Width: audio.Stereo, MiB: 10}}}
	for i := range parts {
		in.Parts = append(in.Parts, rig.Part{ID: fmt.Sprintf("part%d", i+1), Name: fmt.Sprintf("Sound %d", i+1),
			Role: "synth/pad", Width: audio.Stereo, Program: -1, Microphones: []string{"m"},
			Address: midi.Address{Port: 1, Channel: midi.Channel(i + 1)}})
	}
	return in
}

// what each lane carries, by name: it must not change when instances are divided or gathered.
func carried(p *plan.Project) string {
	g := trace.New(p)
	var out []string
	for _, l := range p.ByNumber() {
		text := l.Name + ":"
		for _, s := range l.Sources {
			on, _ := g.On(s)
			for _, f := range on {
				text += " " + f.Name
			}
		}
		out = append(out, text)
	}
	return strings.Join(out, "\n")
}

func TestInstancesAreDividedAndGathered(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "11x2", rack(11))
	if err := p.Placed[0].FitsOne(); err == nil || !strings.Contains(err.Error(), "holds 6 parts, not 11") {
		t.Errorf("eleven parts in one instance of six: %v", err)
	}
	before := carried(p)
	testkit.Edit(t, p, edits.DivideInto("i1", 0))
	q := p.Clone()
	q.Placed[0].Instrument.Traits.Defaults = rig.DefaultAll
	testkit.Edit(t, q, edits.AskToSave("i1", true))
	closes := 0
	for _, st := range runsheet.From(q, nil) {
		if strings.Contains(strings.Join(testkit.ItemTexts(st), " "), "close the other instances first") {
			closes++
		}
	}
	if closes != 1 {
		t.Errorf("before a default is saved, the other instance is closed %d times; want once", closes)
	}
	if n := len(p.Placed); n != 2 || p.Placed[1].Instrument.Name != "Low Rack 2" || p.Placed[1].FitsOne() != nil {
		t.Fatalf("divided into %d; want the two that the limit needs", n)
	}
	if now := carried(p); now != before {
		t.Errorf("divided, the lanes carry\n%s\nand carried\n%s", now, before)
	}
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("divided, it has problems: %s", f[0].Title())
	}
	testkit.RunSheetEndsInThePlan(t, p)
	if _, err := edits.GatherIntoOne("i1")(p.Clone()); err == nil || !strings.Contains(err.Error(), "holds 6 parts") {
		t.Errorf("more than one instance holds is gathered into one: %v", err)
	}
	for i := range p.Placed {
		p.Placed[i].Instrument.Traits = rig.Traits{}
	}
	testkit.Edit(t, p, edits.GatherIntoOne(p.Placed[0].ID))
	if now := carried(p); now != before || len(p.Placed) != 1 || len(p.Placed[0].Instrument.Parts) != 11 {
		t.Errorf("gathered again, the lanes carry\n%s", now)
	}
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("gathered, it has problems: %s", f[0].Title())
	}
	testkit.RunSheetEndsInThePlan(t, p)
}

// Parts that share a lane still do, when they come from two instances.
func TestSharedLanesTakeSeveralInstances(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "2x2", rack(4))
	before := carried(p)
	testkit.Edit(t, p, edits.DivideInto("i1", 4))
	for i, l := range strings.Split(carried(p), "\n") {
		for _, want := range strings.Fields(strings.Split(before, "\n")[i]) {
			if !strings.Contains(l, want) {
				t.Errorf("lane %q lost %s", l, want)
			}
		}
	}
}

// Dividing is an edit like any other: done again from the same plan, it gives the same plan.
func TestDividingGivesTheSamePlanEachTime(t *testing.T) {
	in := rack(4)
	for _, m := range []string{"n", "o", "p"} {
		in.Microphones = append(in.Microphones, rig.Microphone{ID: m, Name: "Far " + m, Width: audio.Stereo})
		for i := range in.Parts {
			in.Parts[i].Microphones = append(in.Parts[i].Microphones, m)
		}
	}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "16x2", in)
	jacks := func() string {
		q := p.Clone()
		testkit.Edit(t, q, edits.DivideInto("i1", 2))
		var out []string
		for _, pl := range q.Placed {
			for _, part := range pl.Instrument.Parts {
				for _, m := range part.Microphones {
					out = append(out, fmt.Sprintf("%s %s %s %d", pl.Instrument.Name, part.Name, m, pl.Feeds[part.ID+"."+m].Output))
				}
			}
		}
		return strings.Join(out, ", ")
	}
	first := jacks()
	if strings.Contains(first, " 0") {
		t.Fatalf("a part lost its output: %s", first)
	}
	for range 12 {
		if again := jacks(); again != first {
			t.Fatalf("divided again, the outputs are\n%s, first they were\n%s", again, first)
		}
	}
}

// What an instrument was in the other stage goes along: divided while it is written, it is mixed
// on the lanes that it had, and so it is when it is gathered again.
func TestStagesGoAlongWithTheParts(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "9x2", sample.SaltpanSection())
	testkit.Edit(t, p, edits.KeepTogether("i1", []string{"part1.close", "part1.mid"}))
	mixed := carried(p)
	testkit.Edit(t, p, edits.SwitchStage("i1", plan.Writing))
	written := carried(p)
	if written == mixed {
		t.Fatal("written, the lanes carry what they carry when it is mixed")
	}
	testkit.Edit(t, p, edits.DivideInto("i1", 2))
	if now := carried(p); now != written {
		t.Errorf("divided while it is written, the lanes carry\n%s\nand carried\n%s", now, written)
	}
	second := p.Placed[1].ID
	testkit.Edit(t, p, edits.SwitchStage("i1", plan.Mixing))
	testkit.Edit(t, p, edits.SwitchStage(second, plan.Mixing))
	if now := carried(p); now != mixed {
		t.Errorf("mixed again, the lanes carry\n%s\nand carried\n%s", now, mixed)
	}
	if len(p.Placed[0].Together) != 1 || len(p.Placed[1].Together) != 0 {
		t.Errorf("together are %v and %v; want the pair of the first part with it", p.Placed[0].Together,
			p.Placed[1].Together)
	}
	testkit.Edit(t, p, edits.SwitchStage(second, plan.Writing)) // the two are at different stages
	testkit.Edit(t, p, edits.GatherIntoOne("i1"))
	if now := carried(p); now != mixed {
		t.Errorf("gathered, the lanes carry\n%s\nand carried\n%s", now, mixed)
	}
	testkit.RunSheetEndsInThePlan(t, p)
}

func TestNumbersOfInstancesAreCompared(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "11x2", rack(11))
	sums := instances.Compare(p, "i1")
	if len(sums) != 11 {
		t.Fatalf("%d numbers are compared; want one to eleven", len(sums))
	}
	one, two := sums[0], sums[1]
	if one.MiB != 160 || two.MiB != 210 || one.Load != 4 || two.Load != 8 || one.Ports != 22 || one.Addresses != 11 ||
		one.Lanes != 11 || two.Lanes != 11 || !one.Here || two.Here {
		t.Errorf("one instance %+v, two %+v", one, two)
	}
	if one.Why == "" || two.Why != "" || two.Steps <= one.Steps {
		t.Errorf("one: %q in %d steps, two: %q in %d", one.Why, one.Steps, two.Why, two.Steps)
	}
	testkit.Edit(t, p, edits.DivideInto("i1", 2))
	if sums := instances.Compare(p, p.Placed[1].ID); len(sums) != 11 || !sums[1].Here || sums[0].Here ||
		sums[0].Why == "" || sums[1].MiB != 210 {
		t.Errorf("two that do not go into one are compared as %+v", sums)
	}
}

// Of two parts of which one's name begins with the other's, each instance has its own, now and in
// the stage that was.
func TestPartOneIsNotPartTen(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "11x2", rack(11))
	for _, pl := range p.Placed {
		for id, a := range pl.Feeds { // the tenth and eleventh are parked in the other stage
			if id == "part10.m" || id == "part10" || id == "part11.m" || id == "part11" {
				a.State = plan.Parked
				pl.Feeds[id] = a
			}
		}
	}
	testkit.Edit(t, p, edits.SwitchStage("i1", plan.Writing))
	testkit.Edit(t, p, edits.DivideInto("i1", 11))
	for i := range p.Placed {
		pl := &p.Placed[i]
		own := pl.Instrument.Parts[0].ID
		of := func(feeds map[string]plan.Assignment) {
			for id := range feeds {
				if id != own && !strings.HasPrefix(id, own+".") && strings.HasPrefix(id, "part") {
					t.Errorf("the instance of %s has the feed %s", own, id)
				}
			}
			if i == 0 && len(feeds) == 0 {
				t.Error("the first instance has no feed")
			}
		}
		of(pl.Feeds)
		of(pl.Stages[plan.Mixing].Feeds)
		for key := range pl.Stages[plan.Mixing].Inside {
			if source, _, _ := strings.Cut(key, ":"); strings.HasPrefix(source, "part") && source != own {
				t.Errorf("the instance of %s has the setting %s of the other stage", own, key)
			}
		}
	}
}

// One instance holds as many ports as it has, and not one more; of one that says no number it is not
// asked.
func TestPortsAreMetExactly(t *testing.T) {
	for _, c := range []struct {
		has, needs int
		fits       bool
	}{{16, 16, true}, {16, 18, false}, {0, 64, true}} {
		in := rack(2)
		in.Ports = c.has
		p := testkit.Project(t, plan.Host{FirstLane: 3}, fmt.Sprintf("%dx2", c.needs/2), in)
		if err := p.Placed[0].FitsOne(); (err == nil) != c.fits {
			t.Errorf("%d ports on an instance with %d: %v; want that it fits: %v", c.needs, c.has, err, c.fits)
		}
	}
}
