package propose_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Common practice, no source: sixteen stereo outputs from lane 5 take lanes
// 5–20, output 16 is ports 31–32, and the bus is lane 21.
func TestEnoughOutputsGiveEachFeedItsOwnInChartOrder(t *testing.T) {
	in := rig.Instrument{Name: "Sixteen"}
	for i := range 16 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Tom %d", 16-i),
			Role: "kit/tom/rack", Keys: []midi.Key{midi.Key(36 + i)}})
	}
	p := testkit.Project(t, plan.Host{FirstLane: 5, LaneLimit: 64}, "16x2", in)
	pr := testkit.Propose(t, p, "i1")
	first, last := pr.Rows[0], pr.Rows[15]
	if pr.Cost != 0 || len(pr.Rows) != 16 || first.Lane.Number != 5 || last.Lane.Number != 20 ||
		last.Output.PortNames(0) != "31–32" || pr.Bus.Number != 21 {
		t.Errorf("%+v, bus %+v", pr.Rows, pr.Bus)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if f := check.Project(p); len(f) != 0 {
		t.Errorf("an accepted proposal has findings: %+v", f)
	}
}

// With fewer outputs than signals people share small percussion, ambience, the
// sides of the snare, and keep kick, hat and toms apart (common practice).
func TestFewOutputsShareWhatTheTradeShares(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	pr := testkit.Propose(t, p, "i1")
	var got []string
	for _, r := range pr.Rows {
		var fs []string
		for _, f := range r.Feeds {
			fs = append(fs, f.Name)
		}
		got = append(got, fmt.Sprintf("%d %s: %s", r.Lane.Number, r.Lane.Name, strings.Join(fs, ", ")))
	}
	want := []string{"5 Kick: Kick In, Kick Out", "6 Snare: Snare Top, Snare Bottom", "7 Hat: Hat", "8 Rack 1: Rack 1",
		"9 Floor 1: Floor 1", "10 Floor 2: Floor 2", "11 Cymbals: Ride, Crash Left, Crash Right",
		"12 Overheads: Overhead", "13 Rooms: Room Near, Room Far",
		"14 Percussion: Shaker, Cowbell, Woodblock, Bell Tree"}
	if strings.Join(got, "\n") != strings.Join(want, "\n") || pr.Cost != 97 {
		t.Errorf("cost %d\n%s", pr.Cost, strings.Join(got, "\n"))
	}
	if r := pr.Rows[6].Feeds[1].Reason; r != "shares 13–14 with Ride and Crash Right: three cymbals, "+
		"cheapest of the possible groupings (cost 9)" {
		t.Errorf("reason %q", r)
	}
	// What is accepted is proposed again unchanged, even after lanes are renamed.
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	if _, err := plan.NameLane(p.ByNumber()[2].ID, "Snare of the house")(p); err != nil {
		t.Fatal(err)
	}
	if again := testkit.Propose(t, p, "i1"); again.Changes() != 0 {
		t.Errorf("a second proposal would change %+v", again.Rows)
	}
}

func TestUnusedFeedsAreParkedOrOff(t *testing.T) {
	song := &plan.Song{Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10},
		Keys: map[midi.Key]int{36: 9, 38: 4, 54: 2}}}}
	for outputs, state := range map[string]plan.State{"16x2": plan.Parked, "3x2": plan.Off} {
		p := testkit.Project(t, plan.Host{}, outputs, sample.FlintTwelve())
		p.Song = song
		pr := testkit.Propose(t, p, "i1")
		if len(pr.Unused) != 9 {
			t.Fatalf("%s: %d unused", outputs, len(pr.Unused))
		}
		for _, u := range pr.Unused {
			if outputs == "3x2" && pr.Spare == 1 {
				state = plan.Parked
			}
			if u.To.State != state || !strings.Contains(u.Reason, "the song never plays it") {
				t.Errorf("%s on %s: %+v, %s", u.Name, outputs, u.To, u.Reason)
			}
		}
		testkit.Edit(t, p, pr.Accept(pr.Everything()))
		if f := testkit.Problems(p, "ports-past-end"); len(f) != 0 {
			t.Errorf("got %s: %+v; want len(f) 0", outputs, f)
		}
	}
	p := testkit.Project(t, plan.Host{}, "2x2", sample.FlintTwelve())
	p.Song = song
	for _, u := range testkit.Propose(t, p, "i1").Unused {
		if u.To.State != plan.Off {
			t.Errorf("without a spare output %s is %s", u.Name, u.To.State)
		}
	}
}

func TestWhatTheUserSetAsideStaysAside(t *testing.T) {
	p := testkit.Project(t, plan.Host{}, "6x2", sample.FlintTwelve())
	if _, err := edits.Decide(plan.FeedRef{Placed: "i1", Feed: "pad11"}, plan.Off, plan.Jack{})(p); err != nil {
		t.Fatal(err)
	}
	pr := testkit.Propose(t, p, "i1")
	if len(pr.Unused) != 1 || pr.Unused[0].Name != "Cowbell" || pr.Unused[0].To.State != plan.Off || pr.Unused[0].Changed {
		t.Errorf("got %+v; want len(pr.Unused) 1, pr.Unused[0].Name \"Cowbell\", pr.Unused[0].To.State %v, not "+
			"pr.Unused[0].Changed", pr.Unused, plan.Off)
	}
}

func TestSomeOfAProposalCanBeAccepted(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	pr := testkit.Propose(t, p, "i1")
	if _, err := pr.Accept(propose.Selection{Outputs: map[string]bool{"1": true, "3": true}})(p); err != nil {
		t.Fatal(err)
	}
	if len(p.Lanes) != 3 || len(p.FeedsOn(plan.OutputRef{Placed: "i1", Output: 1})) != 2 ||
		len(p.FeedsOn(plan.OutputRef{Placed: "i1", Output: 2})) != 0 {
		t.Errorf("got %+v; want len(p.Lanes) 3, len(p.FeedsOn(plan.OutputRef{Placed: \"i1\", Output: 1})) 2, "+
			"len(p.FeedsOn(plan.OutputRef{Placed: \"i1\", Output: 2})) 0", p.Lanes)
	}
	if _, err := pr.Accept(propose.Selection{})(p); err == nil {
		t.Error("accepting nothing was called a change")
	}
	// The rest fits in beside it: the same lanes once all is accepted.
	all := testkit.Propose(t, p, "i1")
	testkit.Edit(t, p, all.Accept(all.Everything()))
	if f := check.Project(p); len(f) != 0 || len(p.Lanes) != 11 || len(p.Buses()) != 1 {
		t.Errorf("%d lanes, %+v", len(p.Lanes), f)
	}
}

func TestRefusalsSayWhatIsInTheWay(t *testing.T) {
	p := testkit.Project(t, plan.Host{FirstLane: 5, LaneLimit: 16, Taken: plan.Ranges{{From: 9, To: 9}}}, "12x2",
		sample.BrineworkKit())
	var no *plan.NoBlockError
	if _, err := propose.Make(p, propose.Options{Placed: "i1"}); !errors.As(err, &no) || no.InTheWay.String() != "9" {
		t.Errorf("got %v; want errors.As(err, &no), no.InTheWay.String() \"9\"", err)
	}
	p = testkit.Project(t, plan.Host{FirstLane: 5, LaneLimit: 16, Taken: plan.Ranges{{From: 1, To: 4}}}, "12x2",
		sample.BrineworkKit())
	if pr := testkit.Propose(t, p, "i1"); pr.Bus != nil || len(pr.Notes) != 1 {
		t.Errorf("no lane is left for a bus, but there is %+v, notes %v", pr.Bus, pr.Notes)
	}
	p.Placed[0].Outputs = nil
	if _, err := propose.Make(p, propose.Options{Placed: "i1"}); !errors.Is(err, propose.ErrNoOutputs) {
		t.Errorf("got %v; want errors.Is(err, propose.ErrNoOutputs)", err)
	}
	p = testkit.Project(t, plan.Host{}, "4x1", sample.ReedCabinet())
	pr := testkit.Propose(t, p, "i1")
	if len(pr.Rows) != 0 || len(pr.Unused) != 6 || !strings.Contains(pr.Unused[0].Reason, "no output is wider than mono") {
		t.Errorf("stereo parts on mono outputs: %+v", pr)
	}
}

// Whatever is proposed and accepted whole has nothing to find in it, loses no
// feed, and is proposed again unchanged.
func TestAcceptedProposalsAreSoundAndStable(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 21))
	roles := role.All()
	for range testkit.Of(300, 100) {
		var ins []rig.Instrument
		for i := range 1 + rng.IntN(3) {
			in := rig.Instrument{Name: fmt.Sprintf("Instrument %d", i+1)}
			for v := range 1 + rng.IntN(24) {
				in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d", v),
					Role: roles[rng.IntN(len(roles))],
					Keys: []midi.Key{midi.Key(rng.IntN(128))}, Width: audio.Width(1 + rng.IntN(2)), Slot: rng.IntN(4) * rng.IntN(2)})
			}
			ins = append(ins, in)
		}
		h := plan.Host{FirstLane: plan.LaneNumber(rng.IntN(9)),
			Taken: plan.Ranges{{From: 3, To: plan.LaneNumber(3 + rng.IntN(20))}}}
		p := testkit.Project(t, h, fmt.Sprintf("%dx2", 1+rng.IntN(20)), ins...)
		if rng.IntN(2) == 0 {
			p.Song = &plan.Song{Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10},
				Keys: map[midi.Key]int{}}}}
			for range rng.IntN(200) {
				p.Song.Channels[0].Keys[midi.Key(rng.IntN(128))]++
			}
		}
		for _, pl := range p.Placed {
			pr := testkit.Propose(t, p, pl.ID)
			carried := len(pr.Unused)
			for _, r := range pr.Rows {
				carried += len(r.Feeds)
			}
			if want := len(pl.Instrument.Feeds()); carried != want {
				t.Fatalf("%d of %d feeds are in the proposal", carried, want)
			}
			testkit.Edit(t, p, pr.Accept(pr.Everything()))
		}
		if f := testkit.Problems(p, "leave-together"); len(f) != 0 {
			t.Fatalf("got %s: %s; want len(f) 0", f[0].Title(), f[0].Reason())
		}
		for _, pl := range p.Placed {
			if again := testkit.Propose(t, p, pl.ID); again.Changes() != 0 {
				t.Fatalf("a second proposal would change %+v", again.Rows)
			}
		}
	}
}

func BenchmarkPropose64On16(b *testing.B) {
	in := rig.Instrument{Name: "Big", Voices: nil}
	kit := sample.BrineworkKit().Feeds()
	for i := range 64 {
		f := kit[i%len(kit)]
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("%s %d", f.Name, i),
			Role: f.Role, Keys: []midi.Key{midi.Key(i)}, Width: audio.Mono})
	}
	p := testkit.Project(b, plan.Host{FirstLane: 5}, "16x2", in)
	b.ReportAllocs()
	for b.Loop() {
		if pr := testkit.Propose(b, p, "i1"); len(pr.Rows) != 16 {
			b.Fatal(len(pr.Rows))
		}
	}
}

// The house chart says where feeds stand and which bus takes them; an empty lane that is
// kept for a role is used before a new one is opened.
func TestAProposalFollowsTheHouseChart(t *testing.T) {
	c := (*house.Chart)(nil).Clone()
	for _, e := range []house.Edit{house.Move("kit/overhead", "kit/kick"),
		house.SetCells([]tabular.Cell{tabular.At("kit/room", "bus", "Ambience"),
			tabular.At("kit/hat", "bus", house.MainMix), tabular.At("percussion", "wish", "2")},
			midi.MiddleC3)} {
		if _, err := e(c); err != nil {
			t.Fatal(err)
		}
	}
	p := testkit.Project(t, plan.Host{FirstLane: 5}, "19x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.Follow(c))
	p.Lanes = append(p.Lanes, plan.Lane{ID: "kept", Number: 40, Name: "My Ride", Colour: "#123456", Kind: plan.Regular,
		Width: audio.Stereo, Kept: "kit/cymbal/ride"})
	pr := testkit.Propose(t, p, "i1")
	if first := pr.Rows[0].Feeds[0]; !first.Role.Under("kit/overhead") {
		t.Errorf("%s comes first", first.Name)
	}
	if len(pr.More) != 1 || pr.More[0].Name != "Ambience" || len(pr.Notes) == 0 {
		t.Errorf("got %+v; want len(pr.More) 1, pr.More[0].Name \"Ambience\", len(pr.Notes) not 0", pr.More)
	}
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	to := func(lane string) string {
		l := testkit.Lane(p, lane)
		if l == nil {
			return "no lane"
		}
		if b := p.Lane(l.To); b != nil {
			return b.Name
		}
		return "main mix"
	}
	if to("Room Far") != "Ambience" || to("Kick In") != "Drums" || to("Hat") != "main mix" || to("Shaker") != "Drums" {
		t.Errorf("got %s %s %s %s; want to(\"Room Far\") \"Ambience\", to(\"Kick In\") \"Drums\", to(\"Hat\") \"main "+
			"mix\", to(\"Shaker\") \"Drums\"", to("Room Far"), to("Kick In"), to("Hat"), to("Shaker"))
	}
	ride := testkit.Lane(p, "My Ride")
	if ride.Number != 40 || ride.Colour != "#123456" || len(ride.Sources) != 1 || ride.Kept != "" ||
		testkit.Lane(p, "Ride") != nil {
		t.Errorf("got %+v; want ride.Number 40, ride.Colour \"#123456\", len(ride.Sources) 1, ride.Kept \"\", "+
			"testkit.Lane(p, \"Ride\") nil", ride)
	}
	numbers := map[plan.LaneNumber]bool{}
	for _, l := range p.Lanes {
		if numbers[l.Number] {
			t.Errorf("lane %d is given twice", l.Number)
		}
		numbers[l.Number] = true
	}
	for _, f := range pr.Rows[len(pr.Rows)-1].Feeds {
		if f.Role.Under("percussion") && f.OwnOutput != 2 {
			t.Errorf("%s wishes %d", f.Name, f.OwnOutput)
		}
	}
}
