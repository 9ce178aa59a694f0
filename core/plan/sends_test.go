package plan_test

import (
	"math"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// plated is a kit with a return that the snare and the rooms send to.
func plated(t *testing.T) (p *plan.Project, snare, rooms, plate string) {
	t.Helper()
	p = testkit.Mapped(t, plan.Host{FirstLane: 5}, "10x2", sample.BrineworkKit())
	drums := p.Buses()[0].ID
	testkit.Edit(t, p, edits.AddBus("Plate", 0, nil))
	plate = p.Buses()[1].ID
	testkit.Edit(t, p, plan.Route([]string{plate}, drums, false))
	snare, rooms = testkit.Lane(p, "Snare").ID, testkit.Lane(p, "Rooms").ID
	testkit.Edit(t, p, plan.SendLanes([]string{snare, rooms}, plan.Send{To: plate, Level: -14}))
	return p, snare, rooms, plate
}

func TestSendsAreSetChangedAndTakenAway(t *testing.T) {
	p, snare, rooms, plate := plated(t)
	label, err := plan.SendLanes([]string{snare}, plan.Send{To: plate, Level: -9, Pre: true})(p)
	if err != nil || label != "send Snare to Plate at −9.0 dB, before the fader" {
		t.Errorf("got %q %v; want label \"send Snare to Plate at −9.0 dB, before the fader\"", label, err)
	}
	if s := p.Lane(snare).Sends; len(s) != 1 || s[0].Level != -9 || !s[0].Pre || p.Lane(rooms).Sends[0].Level != -14 {
		t.Errorf("got %+v; want len(s) 1, s[0].Level -9, s[0].Pre, p.Lane(rooms).Sends[0].Level -14", s)
	}
	if l := p.Lane(snare); p.Lane(l.To).Name != "Drums" {
		t.Error("a send took the lane off its own way")
	}
	testkit.Edit(t, p, edits.DropSends([]string{rooms}, plate))
	if _, err := edits.DropSends([]string{rooms}, plate)(p); err == nil ||
		!strings.Contains(err.Error(), "Rooms has no send to Plate") {
		t.Errorf("got %v; want an error, err.Error() with \"Rooms has no send to Plate\"", err)
	}
	testkit.Edit(t, p, edits.DeleteLane(plate)) // what was sent there goes nowhere
	if s := p.Lane(snare).Sends; len(s) != 0 {
		t.Errorf("got %+v; want len(s) 0", s)
	}
}

func TestSendsThatCannotBeAreRefused(t *testing.T) {
	p, snare, rooms, plate := plated(t)
	drums := p.Lane(plate).To
	for says, e := range map[string]plan.Edit{
		"is not a bus":       plan.SendLanes([]string{snare}, plan.Send{To: rooms}),
		"no longer in this":  plan.SendLanes([]string{"x"}, plan.Send{To: plate}),
		"select some first":  plan.SendLanes(nil, plan.Send{To: plate}),
		"cannot feed itself": plan.SendLanes([]string{plate}, plan.Send{To: plate}),
		"any level below":    plan.SendLanes([]string{snare}, plan.Send{To: plate, Level: 40}),
		"up to +12.0 dB":     plan.SendLanes([]string{snare}, plan.Send{To: plate, Level: audio.Decibels(math.NaN())}),
		"would feed itself":  plan.SendLanes([]string{drums}, plan.Send{To: plate}), // the plate goes to the drums
	} {
		q := p.Clone()
		_, err := e(q)
		if err == nil {
			err = q.Validate()
		}
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("got %q: %v; want an error, err.Error() with %v", says, err, says)
		}
	}
	if !p.Reaches(snare, drums) || !p.Reaches(snare, plate) || p.Reaches(drums, snare) || p.Reaches(plate, rooms) {
		t.Error("what comes where is told wrong")
	}
	p.Lane(snare).Sends = append(p.Lane(snare).Sends, plan.Send{To: plate})
	if err := p.Validate(); err == nil || !strings.Contains(err.Error(), "twice") {
		t.Errorf("got %v; want an error, err.Error() with \"twice\"", err)
	}
}

// A new project from another or from a template has the lanes, buses and sends.
func TestSendsComeAlong(t *testing.T) {
	p, snare, _, plate := plated(t)
	for what, q := range map[string]*plan.Project{"copy": p.Copy("Next"), "template": p.Template()} {
		if s := q.Lane(snare).SendInto(plate); s == nil || s.Level != -14 || q.Lane(plate).To != p.Lane(plate).To {
			t.Errorf("got %s: %+v; want s not nil, s.Level -14, q.Lane(plate).To p.Lane(plate).To", what, q.Lane(snare))
		}
	}
	// Faders are no part of what is patched; sends and their levels are.
	p.Lane(snare).Gain = -3
	if l := p.AsPlanned().Lane(snare); len(l.Sends) != 1 || l.Sends[0].Level != -14 || l.Gain != 0 {
		t.Errorf("patched are the sends %+v and the fader %s; want one at −14 dB and none", l.Sends, l.Gain)
	}
}

// A send is at a level as close as a host shows it: to less than half a tenth of a decibel.
func TestALevelIsTheOneThatIsShown(t *testing.T) {
	for _, c := range []struct {
		level, shown audio.Decibels
		same         bool
	}{{-6, -6, true}, {-6, -6.04, true}, {-6, -5.96, true}, {0, 0.05, false}, {-6, -6.06, false},
		{audio.Silence, audio.Silence, true}, {audio.Silence, -60, false}} {
		if got := (plan.Send{Level: c.level}).LevelIs(c.shown); got != c.same {
			t.Errorf("%s shown as %s is the same: %v; want %v", c.level, c.shown, got, c.same)
		}
	}
}
