package app

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/dawproject"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/internal/testkit"
)

func mapped(t testing.TB, a *App) (int64, *plan.Project) {
	t.Helper()
	im, err := a.ImportInstruments(t.Context(), bytes.NewReader(testkit.Kit().Bytes()), "kit.sf2")
	if err != nil {
		t.Fatal(err)
	}
	in, err := a.Instrument(t.Context(), im.IDs[0])
	if err != nil {
		t.Fatal(err)
	}
	p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "16x2", in.Rig)
	id, err := a.store.CreateProject(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	return id, p
}

// A session that was made from the plan stands as planned but for what its file
// cannot say; a lane under another name is asked about, with its role as the guess.
func TestASessionIsMatchedByNameAndTheRestIsAsked(t *testing.T) {
	a, ctx := open(t), t.Context()
	id, p := mapped(t, a)
	s := testkit.Session(t, p)
	var err error
	renamed := ""
	for i, l := range s.Lanes {
		if strings.HasPrefix(l.Name, "Kick") {
			renamed, s.Lanes[i].Name = l.Name, "BD inside"
		}
	}
	kept, _ := a.Project(ctx, id)
	if kept, err = a.Edit(ctx, id, kept.Revision, ReadSession(s, "")); err != nil {
		t.Fatal(err)
	}
	doubts := kept.Plan.Doubts()
	if len(doubts) != 1 || doubts[0].Lane.Name != "BD inside" || kept.Plan.Lane(doubts[0].Guess) == nil ||
		kept.Plan.Lane(doubts[0].Guess).Name != renamed {
		t.Fatalf("doubts %+v, renamed %s", doubts, renamed)
	}
	if kept, err = a.Edit(ctx, id, kept.Revision, edits.MatchLane(doubts[0].Lane.ID, doubts[0].Guess)); err != nil {
		t.Fatal(err)
	}
	if len(kept.Plan.Doubts()) != 0 {
		t.Error("it is asked about again")
	}
	for _, st := range runsheet.Make(kept.Plan) {
		for _, no := range []string{"Make the bus", "Colour", "Send "} {
			if strings.HasPrefix(st.Text, no) {
				t.Errorf("the session has it, but the sheet says %s", st.Text)
			}
		}
		if strings.HasPrefix(st.Text, "Name") && st.Count != 1 {
			t.Errorf("one lane is called otherwise, but %s", st.Text)
		}
	}
}

func TestABundleBringsTheProjectWhole(t *testing.T) {
	a, ctx := open(t), t.Context()
	id, p := mapped(t, a)
	kept, _ := a.Project(ctx, id)
	data := song(t, 36, 38)
	kept, err := a.ImportForProject(ctx, id, kept.Revision, bytes.NewReader(data), "night.mid")
	if err != nil {
		t.Fatal(err)
	}
	if kept, err = a.Edit(ctx, id, kept.Revision, runsheet.AllDone()); err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := a.ExportAs(ctx, &b, kept.Plan, "bundle"); err != nil {
		t.Fatal(err)
	}
	other := open(t)
	made, err := other.ImportBundle(ctx, bytes.NewReader(b.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	got, err := other.Project(ctx, made)
	if err != nil || got.Plan.Name != p.Name || len(got.Plan.Lanes) != len(p.Lanes) ||
		len(host.Differences(got.Plan, got.Plan.Patched)) != 0 {
		t.Fatalf("got %+v %v; want got.Plan.Name %v, len(got.Plan.Lanes) len(p.Lanes), len(host.Differences(got.Plan, "+
			"got.Plan.Patched)) 0", got, err, p.Name)
	}
	if bytesOf, err := other.SongFile(ctx, got.Plan.Song.ID); err != nil || !bytes.Equal(bytesOf, data) {
		t.Errorf("the song did not come along: %v", err)
	}
	for says, text := range map[string]string{
		"\"verzion\"":  strings.Replace(b.String(), `"version"`, `"verzion"`, 1),
		"version 7":    strings.Replace(b.String(), `"version": 2`, `"version": 7`, 1),
		"too early":    b.String()[:b.Len()/2],
		"needs a name": strings.Replace(b.String(), `"name": "Test"`, `"name": ""`, 1),
	} {
		before, _ := other.Projects(ctx)
		_, err := other.ImportBundle(ctx, strings.NewReader(text))
		after, _ := other.Projects(ctx)
		if err == nil || !strings.Contains(err.Error(), says) || len(after) != len(before) {
			t.Errorf("got %q: %v; want an error, err.Error() with %v, len(after) len(before)", says, err, says)
		}
	}
}

// The sends of a session stand in the host; where they are as planned the run sheet has
// nothing of them, and a session that is brought as a project keeps those that can be.
func TestTheSendsOfASessionAreRead(t *testing.T) {
	a := open(t)
	_, p := mapped(t, a)
	lanes := p.ByNumber()
	testkit.Edit(t, p, edits.AddReturn("Hall", []string{lanes[0].ID, lanes[1].ID}, plan.Send{Level: -10, Pre: true}))
	s := testkit.Session(t, p)
	stands := p.Clone()
	testkit.Edit(t, stands, ReadSession(s, ""))
	testkit.Edit(t, p, edits.SetPatched("as planned", func(p *plan.Project, st *plan.Patched) error {
		*st = *p.AsPlanned()
		for i := range st.Lanes {
			st.Lanes[i].Sends = nil
		}
		return nil
	}))
	sends := func(p *plan.Project) (out []string) {
		for _, st := range runsheet.Make(p) {
			if strings.Contains(st.Text, "send to Hall") {
				out = append(out, st.Text)
			}
		}
		return out
	}
	if got := sends(stands); len(got) != 0 {
		t.Errorf("read from the session, the sheet still says %q", got)
	}
	if got := sends(p); len(got) != 1 || !strings.HasPrefix(got[0], "Add a send to Hall, before the fader, on 2 lanes") {
		t.Errorf("where none stands the sheet says %q", got)
	}
	// A send that comes back to where it was taken, as hosts allow, is left out.
	for i, l := range s.Lanes {
		if l.Name == "Hall" {
			s.Lanes[i].Sends = []dawproject.SessionSend{{To: l.To}, {To: l.ID}}
			for k := range s.Lanes {
				if s.Lanes[k].ID == l.To {
					s.Lanes[k].Sends = []dawproject.SessionSend{{To: l.ID}}
				}
			}
		}
	}
	made := sessionProject(s)
	if err := made.Validate(); err != nil {
		t.Error(err)
	}
	if l := testkit.Lane(made, lanes[0].Name); l == nil || len(l.Sends) != 1 || l.Sends[0].Level > -9.9 {
		t.Errorf("got %+v; want l not nil, len(l.Sends) 1, l.Sends[0].Level at most -9.9", l)
	}
}

// A project is written as a session and read back in the same project, for each kind of host:
// what is left to do is what the format cannot say, and the bytes are the same on every run.
func TestASessionThatIsReadBackLeavesNothingItSays(t *testing.T) {
	for _, kind := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "14x2", sample.BrineworkKit(), sample.SaltpanSection())
		testkit.Edit(t, p, edits.SetProfile(kind))
		hat := testkit.Lane(p, "Hat").ID
		testkit.Edit(t, p, edits.AddReturn("Hall", []string{hat}, plan.Send{Pre: true, Level: -7.5}))
		testkit.Edit(t, p, plan.Route([]string{hat}, p.Buses()[0].ID, true))
		var files [2]bytes.Buffer
		for i := range files {
			if err := dawproject.Encode(&files[i], p, nil); err != nil {
				t.Fatal(err)
			}
		}
		if !bytes.Equal(files[0].Bytes(), files[1].Bytes()) {
			t.Errorf("%s: two runs write different bytes", kind.Name)
		}
		s := testkit.ReadSession(t, files[0].Bytes())
		channels := 0
		for _, l := range s.Lanes {
			if l.Name == "Kick In" || l.Name == "Brinework Kit" {
				channels++
			}
		}
		if want := map[bool]int{true: 1, false: 2}[kind.FirstOnOwn]; channels != want {
			t.Errorf("%s: the kit and its first lane are %d channels; want %d", kind.Name, channels, want)
		}
		testkit.Edit(t, p, ReadSession(s, ""))
		if d := p.Doubts(); len(d) > 0 {
			t.Errorf("%s: %d lanes are in doubt, the first is %s", kind.Name, len(d), d[0].Lane.Name)
		}
		for _, st := range runsheet.Make(p) {
			for _, a := range st.Actions {
				for _, set := range a.Sets() {
					switch k, _ := set.Entity.Parts(); {
					case k != "lane" && k != "send" && k != "block", set.Attribute == plan.AttrSources:
						continue // inside the instrument, inputs, MIDI, by ear: the format has none of it
					}
					t.Errorf("%s: after reading it back there is still to do: %s (%s)", kind.Name, st.Text, set.Attribute)
				}
			}
		}
	}
}

// A session that holds three recorded tracks and their bus beside a mapped kit: they are other
// lanes, no step names them, and they stand in the project when it is written and read again.
func TestOtherLanesOfASessionAreKept(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{FirstLane: 7}, "10x2", sample.BrineworkKit())
	full := p.Clone()
	lanes, err := plan.ParseOthers("1 Boatman, mono > Voices\n2-3 Gulls\n40 Voices, bus")
	if err != nil {
		t.Fatal(err)
	}
	testkit.Edit(t, full, edits.AddOthers(lanes))
	s := testkit.Session(t, full)
	testkit.Edit(t, p, ReadSession(s, ""))
	if len(p.OtherLanes()) != 4 || len(p.Doubts()) != 0 {
		t.Fatalf("%d other lanes, %d in doubt; want 4 and none", len(p.OtherLanes()), len(p.Doubts()))
	}
	if boatman := testkit.Lane(p, "Boatman"); p.Lane(boatman.To) == nil || p.Lane(boatman.To).Name != "Voices" {
		t.Errorf("the boatman goes to %q", boatman.To)
	}
	for _, st := range runsheet.Make(p) {
		for _, text := range append(testkit.ItemTexts(st), st.Text) {
			if strings.Contains(text, "Boatman") || strings.Contains(text, "Gulls") || strings.Contains(text, "Voices") {
				t.Errorf("the run sheet names a lane that the plan did not make: %s", text)
			}
		}
	}
	// Read again, with one gone, they are the same lanes.
	id := testkit.Lane(p, "Gulls 1").ID
	s.Lanes = slices.DeleteFunc(s.Lanes, func(l dawproject.SessionLane) bool { return l.Name == "Gulls 2" })
	testkit.Edit(t, p, ReadSession(s, ""))
	if l := testkit.Lane(p, "Gulls 1"); l == nil || l.ID != id || len(p.OtherLanes()) != 3 {
		t.Errorf("read again there are %d other lanes, the gulls %+v", len(p.OtherLanes()), l)
	}
	var sheet bytes.Buffer
	if err := patchsheet.Encode(&sheet, p, midi.MiddleC3); err != nil || !strings.Contains(sheet.String(),
		"Boatman,other lane") {
		t.Errorf("the patch sheet does not tell other lanes: %v\n%s", err, sheet.String())
	}
}

// Everything is marked as done, and the session that was made from it is read: nothing that no session
// tells comes back as a step, and what was known stays known.
func TestASessionLeavesWhatItDoesNotTell(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Mapped(t, plan.Host{FirstLane: 5}, "18x2", sample.BrineworkKit())
		testkit.Edit(t, p, edits.SetProfile(profile))
		for _, l := range p.OwnLanes()[:3] {
			testkit.Edit(t, p, plan.SetTrack([]string{l.ID}, true))
			testkit.Edit(t, p, plan.SetPolarity(l.ID, true))
			testkit.Edit(t, p, plan.SetInserts(l.ID, []rig.Insert{{Kind: rig.Limiter}}))
		}
		testkit.Edit(t, p, runsheet.AllDone())
		before := runsheet.Make(p)
		s := testkit.Session(t, p)
		for range 2 {
			testkit.Edit(t, p, ReadSession(s, ""))
			var texts []string
			for _, st := range runsheet.Make(p) {
				texts = append(texts, st.Text)
			}
			if len(texts) != len(before) {
				t.Errorf("%s: after the same session the sheet has %d steps, %q; want the %d from before", profile.Name, len(texts),
					texts, len(before))
			}
		}
		for _, l := range p.OwnLanes()[:3] {
			if have := p.Patched.Lane(l.ID); have == nil || !have.Track || !have.Inverted {
				t.Errorf("%s: lane %s is %+v in the host; want its track and polarity as they were", profile.Name, l.Name, have)
			}
		}
	}
}
