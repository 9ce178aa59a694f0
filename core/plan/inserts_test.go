package plan_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/testkit"
)

// inserted is a project of nine lanes on the bus Drums and two on the main mix, with inserts.
func inserted(t *testing.T, on map[int]string) *plan.Project {
	t.Helper()
	p := &plan.Project{Name: "Inserts"}
	p.Lanes = []plan.Lane{{ID: "b", Number: 20, Name: "Drums", Colour: "#112233", Kind: plan.Bus, Width: audio.Stereo}}
	for i := range 11 {
		l := plan.Lane{ID: fmt.Sprintf("x%d", i+1), Number: plan.LaneNumber(i + 1), Name: fmt.Sprintf("Lane %d", i+1),
			Colour: "#112233", Kind: plan.Regular, Width: audio.Mono, To: "b"}
		if i >= 9 {
			l.To = plan.MainMix
		}
		p.Lanes = append(p.Lanes, l)
	}
	for i, typed := range on {
		inserts, err := rig.ParseInserts(typed)
		if err != nil {
			t.Fatal(err)
		}
		testkit.Edit(t, p, plan.SetInserts(fmt.Sprintf("x%d", i), inserts))
	}
	return p
}

// What stands on three lanes or more would do once: reverberation and delay on a return, a
// compressor or limiter on the bus of the lanes; an equaliser never, for lanes are apart so that
// each can have its own.
func TestInsertsThatWouldDoOnceAreAdvised(t *testing.T) {
	nine := map[int]string{}
	for i := range 9 {
		nine[i+1] = "equaliser, reverberation Hall"
	}
	for name, c := range map[string]struct {
		on   map[int]string
		want []string
	}{
		"nine halls":       {nine, []string{"Hall stands on 9 lanes of Drums: one return with 9 sends saves 8"}},
		"two are few":      {map[int]string{1: "delay", 2: "delay"}, nil},
		"notes tell apart": {map[int]string{1: "delay Echo (long)", 2: "delay Echo", 3: "delay Echo"}, nil},
		"never equalisers": {map[int]string{1: "equaliser", 2: "equaliser", 3: "equaliser"}, nil},
		"nor gates":        {map[int]string{1: "gate", 2: "gate", 3: "gate"}, nil},
		"the bus": {map[int]string{1: "compressor Brick", 2: "compressor Brick", 5: "compressor Brick"}, []string{
			"Brick stands on 3 lanes of Drums: one on the bus saves 2"}},
		"over two buses": {map[int]string{1: "limiter", 2: "limiter", 10: "limiter"}, nil},
		"a return for both": {map[int]string{1: "delay", 2: "delay", 10: "delay"}, []string{
			"Delay stands on 3 lanes: one return with 3 sends saves 2"}},
		"twice on one lane": {map[int]string{1: "delay, delay", 2: "delay"}, nil},
	} {
		p := inserted(t, c.on)
		var got []string
		for _, a := range p.InsertAdvice() {
			got = append(got, p.Says(a))
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s: advised is %q, want %q", name, got, c.want)
		}
	}
}

// Followed, an advice leaves the insert in one place, and every lane comes to it.
func TestAdviceIsFollowed(t *testing.T) {
	p := inserted(t, map[int]string{1: "delay Echo, equaliser", 2: "delay Echo", 3: "delay Echo", 4: "compressor Brick",
		5: "compressor Brick", 6: "compressor Brick"})
	testkit.Edit(t, p, plan.SetInserts("b", []rig.Insert{{Kind: rig.Limiter}}))
	for len(p.InsertAdvice()) > 0 {
		testkit.Edit(t, p, edits.FollowAdvice(p.InsertAdvice()[0].Key()))
	}
	if err := p.Validate(); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, l := range p.ByNumber() {
		if len(l.Inserts)+len(l.Sends) > 0 {
			got = append(got, fmt.Sprintf("%s: %s; %s", l.Name, rig.InsertsText(l.Inserts), p.ByID().SendsText(l)))
		}
	}
	const want = "Lane 1: equaliser; Echo −12.0 dB|Lane 2: ; Echo −12.0 dB|Lane 3: ; Echo −12.0 dB|" +
		"Echo: delay Echo; |Drums: compressor Brick, limiter; "
	if text := strings.Join(got, "|"); text != want {
		t.Errorf("got\n%s\nwant\n%s", text, want)
	}
	if echo := p.BusNamed("Echo"); echo == nil || echo.To != "b" {
		t.Errorf("the return %+v does not join the bus of the lanes", echo)
	}
	if _, err := edits.FollowAdvice("b|delay Echo")(p); err == nil {
		t.Error("an advice that no longer holds was followed")
	}
}

// A ready-made mix is off where what is in it has feeds of its own; pans of what has an output
// to itself are centred by one edit, and what shares keeps its own.
func TestMixesAndPansInside(t *testing.T) {
	in := rig.Instrument{Name: "Tern", Pans: true, Voices: []rig.Voice{{ID: "v", Name: "Voice", Width: audio.Mono,
		Heard: rig.HeardThrough("a", "b", "c", "mix")}}}
	for i, id := range []string{"a", "b", "c"} {
		in.Microphones = append(in.Microphones, rig.Microphone{ID: id, Name: id, Role: "kit/room", Width: audio.Mono,
			Pan: float64(i+1) / 10})
	}
	in.Microphones = append(in.Microphones, rig.Microphone{ID: "mix", Name: "Mix", Role: "kit/room", Width: audio.Stereo,
		Sums: []string{"a", "b"}})
	p := testkit.Project(t, plan.Host{}, "4x2", in)
	pl := &p.Placed[0]
	if s := pl.Feeds["mix"].State; s != plan.Off || pl.Feeds["a"].State != plan.Undecided {
		t.Errorf("placed, the mix is %q and a part of it %q, want off and undecided", s, pl.Feeds["a"].State)
	}
	for id, output := range map[string]int{"a": 1, "b": 2, "c": 2} {
		testkit.Edit(t, p, edits.Decide(testkit.Feed(id), plan.Assigned, plan.Jack{Output: output}))
	}
	testkit.Edit(t, p, edits.CentrePans("i1"))
	if m := p.Placed[0].Instrument.Microphones; m[0].Pan != 0 || m[1].Pan != 0.2 || m[2].Pan != 0.3 {
		t.Errorf("the pans are %v, %v, %v; want the first centred, which is alone", m[0].Pan, m[1].Pan, m[2].Pan)
	}
	if p.Placed[0].AsItCame.Microphones[0].Pan != 0.1 {
		t.Error("the instrument as delivered has changed with it")
	}
	if _, err := edits.CentrePans("i1")(p); err == nil {
		t.Error("centred again, something was changed")
	}
}
