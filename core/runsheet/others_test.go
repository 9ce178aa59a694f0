package runsheet_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// aMixer is a project in a mixer full of other lanes: some on numbers and under names that lanes
// of the plan have too, some routed to buses of the plan, lanes of the plan routed to theirs, and
// a host that stands in any state.
func aMixer(t *testing.T, rng *rand.Rand) *plan.Project {
	t.Helper()
	p := testkit.Project(t, plan.Host{FirstLane: plan.LaneNumber(1 + rng.IntN(9)), LaneLimit: plan.LaneNumber(40 +
		rng.IntN(40))},
		"10x2", []rig.Instrument{sample.BrineworkKit(), sample.ReedCabinet()}[rng.IntN(2)])
	testkit.Edit(t, p, edits.SetProfile(rig.Profiles[rng.IntN(len(rig.Profiles))]))
	var others []plan.OtherLane
	for n := plan.LaneNumber(1); n < 30; n++ {
		if rng.IntN(3) == 0 {
			o := plan.OtherLane{Number: n, Name: fmt.Sprintf("Quayside %d", n), Kind: plan.Regular,
				Width: audio.Width(1 + rng.IntN(2))}
			if rng.IntN(3) == 0 {
				o.Kind = plan.Bus
			}
			others = append(others, o)
		}
	}
	if len(others) > 0 {
		testkit.Edit(t, p, edits.AddOthers(others))
	}
	if pr, err := propose.Make(p, propose.Options{Placed: "i1"}); err == nil {
		testkit.Edit(t, p, pr.Accept(pr.Everything()))
	}
	for n := plan.LaneNumber(32); n < 35; n++ { // some are written down later
		if !p.Used().Contains(n) {
			testkit.Edit(t, p, edits.AddOthers([]plan.OtherLane{{Number: n, Name: fmt.Sprintf("Quayside %d", n),
				Kind: plan.Regular, Width: 2}}))
		}
	}
	anyOf := func(list []*plan.Lane) *plan.Lane {
		if len(list) == 0 {
			return &plan.Lane{}
		}
		return list[rng.IntN(len(list))]
	}
	try := func(e plan.Edit) {
		q := p.Clone()
		if _, err := e(q); err == nil && q.Validate() == nil {
			p = q
		}
	}
	for range rng.IntN(6) {
		l, b := anyOf(p.ByNumber()), anyOf(p.Buses())
		switch rng.IntN(3) {
		case 0:
			try(plan.Route([]string{l.ID}, b.ID, rng.IntN(2) == 0))
		case 1:
			try(plan.SendLanes([]string{l.ID}, plan.Send{To: b.ID, Level: -12}))
		case 2: // two with one number and one name
			if own, o := anyOf(p.OwnLanes()), anyOf(p.OtherLanes()); o.ID != "" && own.ID != "" {
				o.Number, o.Name = own.Number, own.Name
			}
		}
		if p.Validate() != nil {
			t.Fatal(p.Validate())
		}
	}
	switch rng.IntN(3) {
	case 0:
		p.Patched = p.AsPlanned()
	case 1:
		p.Patched = p.WithOthers(nil)
	}
	if s := p.Patched; s != nil {
		for range rng.IntN(8) {
			if len(s.Lanes) == 0 {
				break
			}
			l := &s.Lanes[rng.IntN(len(s.Lanes))]
			switch rng.IntN(5) {
			case 0:
				l.Name, l.Colour = "Changed", "#112233"
			case 1:
				l.Number++
			case 2:
				l.To, l.AlsoMain = plan.MainMix, false
			case 3:
				s.Mute(l.ID, true)
			case 4:
				s.Solo(l.ID, true)
			}
		}
	}
	return p
}

// others are the other lanes of a document by ID, without where they go.
func others(p *plan.Project) map[string]plan.Lane {
	out := map[string]plan.Lane{}
	for _, l := range p.OtherLanes() {
		lane := *l
		lane.To, lane.AlsoMain, lane.Sends, lane.Gain, lane.Pan = "", false, nil, 0, 0
		out[l.ID] = lane
	}
	return out
}

// No step, no fix, no proposal and no chart touches a lane that the plan did not make, except to
// route into its bus, or it into one of the plan's.
func TestNothingTouchesOtherLanes(t *testing.T) {
	testkit.Slow(t)
	rng := rand.New(rand.NewPCG(14, 1))
	for n := range testkit.Of(300, 80) {
		p := aMixer(t, rng)
		names := map[string]string{}
		for _, l := range p.OtherLanes() {
			if strings.HasPrefix(l.Name, "Quayside") && l.Kind == plan.Regular {
				names[l.Name+" "] = l.ID
			}
		}
		for _, st := range runsheet.Make(p) {
			for _, a := range st.Actions {
				onlyRoutes(t, p, st, a)
			}
			for _, text := range append(testkit.ItemTexts(st), st.Text, st.Why) {
				for name := range names {
					if strings.Contains(text+" ", name) {
						t.Fatalf("case %d: a step names %s: %s", n, name, text)
					}
				}
			}
		}
		testkit.RunSheetEndsInThePlan(t, p)
		before := others(p)
		hold := func(what string, q *plan.Project) {
			t.Helper()
			if now := others(q); !reflect.DeepEqual(now, before) {
				t.Fatalf("case %d: %s changed other lanes\n%v\n%v", n, what, before, now)
			}
		}
		for _, f := range check.All(trace.New(p)) {
			for way := range 1 + len(f.Others()) {
				q := p.Clone()
				if f.Edit() == nil {
					continue
				}
				if _, err := check.Fix(f.Key(), way)(q); err != nil {
					continue
				}
				hold("the fix of "+f.Title(), q)
				for name := range names {
					if strings.Contains(f.Mend()+" ", name) {
						t.Fatalf("case %d: a fix names %s: %s", n, name, f.Mend())
					}
				}
			}
		}
		q := p.Clone()
		if _, err := drift.Align(nil, nil, nil)(q); err == nil || errors.Is(err, drift.ErrInLine) {
			hold("the chart", q)
		}
		q = p.Clone()
		if pr, err := propose.Make(q, propose.Options{Placed: "i1"}); err == nil {
			_, _ = pr.Accept(pr.Everything())(q)
			hold("a proposal", q)
		}
	}
}

// onlyRoutes fails where an action does more to an other lane than to route it.
func onlyRoutes(t *testing.T, p *plan.Project, st runsheet.Step, a host.Action) {
	t.Helper()
	for _, s := range a.Sets() {
		kind, id := s.Entity.Parts()
		l := p.Lane(id)
		if kind != "lane" || l == nil || !l.IsOther() {
			continue
		}
		switch a.(type) {
		case host.Route, host.MainOff:
		default:
			t.Fatalf("%s does %T to the other lane %s", st.Text, a, l.Name)
		}
	}
}
