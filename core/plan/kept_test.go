package plan_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// keptAnd reads a project back from how it is kept.
func keptAnd(t *testing.T, p *plan.Project) (read *plan.Project, doc string, used []plan.Content) {
	t.Helper()
	text, used, err := p.Keep()
	if err != nil {
		t.Fatal(err)
	}
	read, err = plan.ReadKept(text, func(hash string) ([]byte, error) {
		i := slices.IndexFunc(used, func(c plan.Content) bool { return c.Hash == hash })
		if i < 0 {
			return nil, fmt.Errorf("there is no content %s", hash)
		}
		return used[i].Doc, nil
	})
	if err != nil {
		t.Fatalf("%s: %v", text, err)
	}
	return read, string(text), used
}

func jsonOf(t *testing.T, v any) string {
	t.Helper()
	doc, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(doc)
}

// What is kept is read back to the letter, whatever the project changes inside its
// instruments, and the instrument as it came with it.
func TestAProjectIsReadAsItWasKept(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	base := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit(), sample.SaltpanSection())
	base.Chart = &house.Chart{Number: 3, Entries: map[role.Role]house.Entry{"kit/hat": {Name: "Hats"}}}
	testkit.Edit(t, base, edits.SetProfile(rig.Profiles[3]))
	testkit.Edit(t, base, edits.AddReturn("Hall", []string{testkit.Lane(base, "Hat").ID},
		plan.Send{Pre: true, Level: -7.5}))
	testkit.Edit(t, base, runsheet.AllDone())
	base.StandIn = base.Patched.Clone()
	base.StandIn.Forget(plan.LaneEntity(base.Lanes[0].ID), plan.AttrColour)
	base.Intended = map[string]plan.Intended{"name-twice lane:l1 lane:l2": {Reason: "as it is", Cause: "a1"}}
	base.Relink()
	for range 60 {
		p := base.Clone()
		for range rng.IntN(4) {
			pl := &p.Placed[rng.IntN(len(p.Placed))]
			switch rng.IntN(4) {
			case 0:
				pl.Instrument.Voices = slices.Clone(pl.Instrument.Voices)
				if len(pl.Instrument.Voices) > 0 {
					pl.Instrument.Voices[rng.IntN(len(pl.Instrument.Voices))].Gain = audio.Decibels(rng.IntN(20) - 10)
				}
			case 1:
				pl.Instrument.Layouts = append(slices.Clone(pl.Instrument.Layouts),
					rig.Layout{Name: fmt.Sprint("Layout ", rng.IntN(9))})
			case 2:
				pl.Instrument.Parts = slices.Clone(pl.Instrument.Parts)
				if len(pl.Instrument.Parts) > 0 {
					pl.Instrument.Parts[0].Address = midi.Address{Port: 1, Channel: midi.Channel(1 + rng.IntN(16))}
				}
			case 3:
				pl.Instrument.Microphones = pl.Instrument.Microphones[:len(pl.Instrument.Microphones)/2]
			}
		}
		read, doc, used := keptAnd(t, p)
		if got, want := jsonOf(t, read), jsonOf(t, p); got != want {
			t.Fatalf("kept as %s\nit is read as\n%s\nwant\n%s", doc, got, want)
		}
		if strings.Contains(doc, "Kick In\",\"role") || len(used) != 3 {
			t.Fatalf("the document holds an instrument: %s", doc)
		}
	}
	for _, p := range []*plan.Project{{Name: "Nothing"}, {Name: "None", Placed: []plan.Placed{}, Lanes: []plan.Lane{}}} {
		if read, doc, used := keptAnd(t, p); jsonOf(t, read) != jsonOf(t, p) || len(used) != 0 {
			t.Errorf("%s is kept as %s and read as %s", jsonOf(t, p), doc, jsonOf(t, read))
		}
	}
	text, _, err := base.Keep()
	if err != nil {
		t.Fatal(err)
	}
	lost := errors.New("not kept")
	if _, err := plan.ReadKept(text, func(string) ([]byte, error) { return nil, lost }); !errors.Is(err, lost) {
		t.Errorf("without its contents it is read: %v", err)
	}
}

// IDs that a file has are never given out again, whatever number it says was last.
func TestIDsInUseAreNotGivenOutAgain(t *testing.T) {
	p := &plan.Project{LastID: 2, Placed: []plan.Placed{{ID: "i31"}}, Lanes: []plan.Lane{{ID: "l7"}, {ID: "by-hand"}},
		Patched: &plan.Patched{LastID: 1, Lanes: []plan.Lane{{ID: "h12"}, {ID: "l7"}}}}
	p.MendIDs()
	if id := p.NewLaneID(); id != "l32" || p.Patched.LastID != 12 {
		t.Errorf("the next lane is %s and the host's last %d; want l32 and 12", id, p.Patched.LastID)
	}
}

// What is patched is read strictly.
func TestPatchedSettingsAreReadStrictly(t *testing.T) {
	for text, ok := range map[string]bool{
		`{}`: true,
		`{"lanes":{"l1":{"number":3,"name":"Hat"}},"sends":{"l1:l2":{"tap":"before"}}}`: true,
		`{"lanes":{"l1":{"fader":3}}}`: false,
		// of a lane that is not there
		`{"sends":{"l1:l2":{"tap":"before"}}}`:                                                       false,
		`{"lanes":{"l1":{}},"sends":{"l1":{}}}`:                                                      false,
		`{"lanes":{"l1":{}},"sends":{"l1:l2":{"tap":"mid"}}}`:                                        false,
		`{"outputs":{"i1:3":{"on":true}}}`:                                                           false,
		`{"instruments":{"i1":{}},"feeds":{"v1":{}}}`:                                                false,
		`{"instruments":{"i1":{}},"feeds":{"i1:v1":{"output":"3L"}},"outputs":{"i1:3":{"on":true}}}`: true,
		`{"setup":[]}`: false,
	} {
		var s plan.Patched
		if err := json.Unmarshal([]byte(text), &s); (err == nil) != ok {
			t.Errorf("%s gives %v", text, err)
		}
	}
	var s plan.Patched
	if err := json.Unmarshal([]byte(`{"lanes":{"l1":{"number":3,"name":""}},"heard":"f"}`), &s); err != nil {
		t.Fatal(err)
	}
	l := plan.LaneEntity("l1")
	if !s.Knows(l, plan.AttrName) || s.Knows(l, plan.AttrColour) || !s.Knows(plan.HeardEntity, plan.AttrPlan) {
		t.Errorf("an empty name is known, and what is not there is not; unknown are %v", s.Unknown)
	}
}

// A lane that turns out to be a planned one takes along what is unknown of it.
func TestAMatchedLaneTakesAlongWhatIsUnknown(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit())
	hat := testkit.Lane(p, "Hat")
	testkit.Edit(t, p, edits.AddReturn("Hall", []string{hat.ID}, plan.Send{Level: -12}))
	hall := testkit.Lane(p, "Hall").ID
	p.Patched = p.AsPlanned()
	s := p.Patched
	s.Lane(hat.ID).ID = "h1"
	s.Lane(hall).ID = "h2"
	s.Lane("h1").Sends[0].To, s.Lane("h1").Sends[0].Level = "h2", 0
	s.Forget(plan.SendEntity("h1", "h2"), plan.AttrLevel)
	s.Forget(plan.LaneEntity("h1"), plan.AttrColour)
	testkit.Edit(t, p, edits.MatchLane("h1", hat.ID))
	testkit.Edit(t, p, edits.MatchLane("h2", hall))
	s = p.Patched
	if s.Knows(plan.SendEntity(hat.ID, hall), plan.AttrLevel) || s.Knows(plan.LaneEntity(hat.ID), plan.AttrColour) ||
		len(s.Unknown) != 2 {
		t.Errorf("matched, unknown are %v; want the level of the send and the colour, under the planned IDs", s.Unknown)
	}
}
