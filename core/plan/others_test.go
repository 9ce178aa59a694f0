package plan_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

const mixer = "1 Dialogue, mono > Speech\n2-4\tFerry Engine\n5, Accordion, 5.1\r\n9 Speech, bus > Main Mix\n"

func TestOtherLanesAreTypedOneOrARangeALine(t *testing.T) {
	lanes, err := plan.ParseOthers(mixer)
	var got []string
	for _, l := range lanes {
		got = append(got, fmt.Sprintf("%d %s %s %s>%s", l.Number, l.Name, l.Width, l.Kind, l.To))
	}
	want := []string{"1 Dialogue mono regular>Speech", "2 Ferry Engine 1 stereo regular>",
		"3 Ferry Engine 2 stereo regular>",
		"4 Ferry Engine 3 stereo regular>", "5 Accordion 5.1 regular>", "9 Speech stereo bus>"}
	if err != nil || !slices.Equal(got, want) {
		t.Fatalf("read %q, %v; want %q", got, err, want)
	}
	for text, says := range map[string]string{
		"":                     "for example “1-3 Dialogue”",
		"Dialogue":             "line 1: \"Dialogue\" does not begin with a lane number",
		"3 Dialogue\n7-2 Back": "line 2: \"7-2 Back\" does not begin",
		"3 Dialogue, wide":     "\"wide\" is not one of mono",
		"1-5000 Everything":    "more than 1000 lanes",
	} {
		if _, err := plan.ParseOthers(text); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: got %v; want it to say %q", text, err, says)
		}
	}
}

// ferry is a kit mapped into a mixer that holds other lanes.
func ferry(t *testing.T) *plan.Project {
	t.Helper()
	lanes, err := plan.ParseOthers(mixer)
	if err != nil {
		t.Fatal(err)
	}
	p := testkit.Project(t, plan.Host{FirstLane: 3}, "10x2", sample.BrineworkKit())
	testkit.Edit(t, p, edits.AddOthers(lanes))
	pr := testkit.Propose(t, p, "i1")
	testkit.Edit(t, p, pr.Accept(pr.Everything()))
	return p
}

func TestOtherLanesCountAsTakenAndStayAsTheyAre(t *testing.T) {
	p := ferry(t)
	if own := plan.NumberRange(p.OwnLanes()); own != "10–20" {
		t.Errorf("the plan took lanes %s; want the free block above the other lanes, 10–20", own)
	}
	accordion, speech := testkit.Lane(p, "Accordion"), testkit.Lane(p, "Speech")
	if l := testkit.Lane(p, "Dialogue"); l.To != speech.ID || l.Width != audio.Mono || l.Owner != plan.Found {
		t.Errorf("the dialogue is written down as %+v", l)
	}
	snare := testkit.Lane(p, "Snare")
	for says, e := range map[string]plan.Edit{
		"lane 5 is Accordion, which the plan did not make": plan.MoveLane(snare.ID, 5),
		"lane 11 is in use": plan.MoveLane(accordion.ID, 11),
		"lane 9 is Speech already": edits.AddOthers([]plan.OtherLane{{Number: 9, Name: "x", Kind: plan.Regular,
			Width: 2}}),
		"there is no bus \"Nowhere\"": edits.AddOthers([]plan.OtherLane{{Number: 60, Name: "x", Kind: plan.Regular,
			Width: 2, To: "Nowhere"}}),
		"takes an output of the plan":       edits.SetOwner([]string{snare.ID}, plan.Found),
		"belongs to the plan or to the mix": edits.SetOwner([]string{snare.ID}, "nobody"),
	} {
		if _, err := e(p.Clone()); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("got %v; want it to say %q", err, says)
		}
	}
	// A lane moved over a gap of other lanes leaves those where they are.
	testkit.Edit(t, p, plan.MoveLane(snare.ID, 20))
	if a := testkit.Lane(p, "Accordion"); a.Number != 5 {
		t.Errorf("the accordion moved to lane %d", a.Number)
	}
	testkit.Edit(t, p, plan.MoveLane(accordion.ID, 6)) // as it is written down
	testkit.Edit(t, p, edits.SetOwner([]string{testkit.Lane(p, "Ferry Engine 2").ID}, plan.ByPlan))
	if n := len(p.OtherLanes()); n != 5 {
		t.Errorf("%d other lanes are left; want 5", n)
	}
}

// The mixer that was found in the host is part of the document since version 2, and groups
// of feeds can have a wish.
func TestADocumentOfVersion1IsReadWithItsOtherLanes(t *testing.T) {
	const doc = `{"version":1,"name":"Fog","host":{"laneLimit":0,"taken":"","firstLane":1},
	 "placed":[{"id":"i1","instrument":{"version":1,"name":"Pads","origin":"","bank":0,"program":0},"outputs":[],"offset":0,
	  "feeds":{},"view":{"split":{"oh":true,"room":false}},"together":[["v1","v2"]]}],
	 "lanes":[{"id":"l2","number":2,"name":"Kick","colour":"#0071b1","kind":"regular","width":"stereo","to":"l3"},
	  {"id":"l3","number":3,"name":"Drums","colour":"#0071b1","kind":"bus","width":"stereo","to":""}],
	 "patched":{"lanes":{"h1":{"number":2,"name":"Ferry engine","colour":"#123456","kind":"regular","width":"mono","to":"h2",
	   "owner":"found"},"h2":{"number":4,"name":"Beds","kind":"bus","to":"","owner":"found"},
	  "h3":{"number":5,"owner":"found"},"l2":{"number":2,"name":"Kick","owner":""}}},
	 "lastId":3}`
	var p plan.Project
	if err := plan.Versions.Read([]byte(doc), &p); err != nil {
		t.Fatal(err)
	}
	if got := p.Placed[0].View.Split; len(got) != 1 || got["oh"].By != rig.ByShells {
		t.Errorf("the split microphones are read as %v; want oh into shells and cymbals", got)
	}
	if err := p.Validate(); err != nil {
		t.Fatal(err)
	}
	engine := testkit.Lane(&p, "Ferry engine")
	if len(p.OtherLanes()) != 2 || engine == nil || engine.Number != 4 || engine.To != "h2" || engine.Width != audio.Mono {
		t.Errorf("the other lanes are %+v; want the engine on the next free lane, to its bus", p.Lanes)
	}
	if g := p.Placed[0].Together; len(g) != 1 || !g[0].Holds("v2") || g[0].OwnOutput != nil {
		t.Errorf("the group is read as %+v", g)
	}
	again, err := json.Marshal(&p)
	if err != nil || !strings.HasPrefix(string(again), `{"version":5,`) {
		t.Errorf("it is written as %.20s, %v; want version 5", again, err)
	}
}

// A project of version 4 comes with its instruments as they were written then.
func TestADocumentOfVersion4IsReadWithItsInstruments(t *testing.T) {
	const doc = `{"version":4,"name":"Fog","host":{"laneLimit":0,"taken":"","firstLane":1},
	 "placed":[{"id":"i1","instrument":{"version":1,"name":"Pads","origin":"","bank":0,"program":0,
	   "savedDefaults":[{"since":"2026-11-20","layout":{"name":"default","outputs":[],"feeds":{}}}]},
	  "asItCame":{"version":1,"name":"Pads","origin":"","bank":0,"program":0},"outputs":[],"offset":0,"feeds":{}}],
	 "lanes":[],"patched":{"template":"abc"},"lastId":3}`
	var p plan.Project
	if err := plan.Versions.Read([]byte(doc), &p); err != nil {
		t.Fatal(err)
	}
	if in := p.Placed[0].Instrument; in.Name != "Pads" || len(in.SavedDefaults) != 1 || in.SavedDefaults[0].Inside != nil {
		t.Errorf("the instrument is read as %+v; want Pads with a default whose inside nobody has kept", in)
	}
	if p.Patched.Template != "abc" || p.Patched.Kept != nil || p.Opens != nil {
		t.Errorf("the template that was kept is %q, %v, %v; want abc, of which nobody knows what it holds",
			p.Patched.Template, p.Patched.Kept, p.Opens)
	}
}
