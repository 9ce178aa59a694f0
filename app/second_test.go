package app

import (
	"strings"
	"testing"

	"hiddenlanes/app/command"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/internal/testkit"
)

// fourteenMicrophones is a kit as somebody types it.
const fourteenMicrophones = `Kick In
Kick Out
Snare Top
Snare Bottom
Hi-Hat
Rack Tom 1
Rack Tom 2
Floor Tom 1
Floor Tom 2
Ride
Crash
Overheads
Room Near
Room Far`

// firstProject is a project of a kit of fourteen microphones, done, with the default of the kit and the
// template of the host saved.
func firstProject(t *testing.T, a *App, kind rig.Profile) (project, kit int64) {
	t.Helper()
	made, err := a.ListInstrument(t.Context(), "Marl Kit", fourteenMicrophones)
	if err != nil {
		t.Fatal(err)
	}
	kit = made.IDs[0]
	in, err := a.Instrument(t.Context(), kit)
	if err != nil {
		t.Fatal(err)
	}
	_, err = a.EditInstrument(t.Context(), kit, in.Revision, rig.SetTraits(rig.Traits{Defaults: rig.DefaultAll}))
	if err != nil {
		t.Fatal(err)
	}
	project = madeOf(t, a, NewProject{Name: "Song 1", Choices: []Choice{{Instrument: kit,
		Setup: Setup{Outputs: []rig.Run{{Count: 14, Width: audio.Stereo}}}}}})
	do(t, a, project, edits.SetProfile(kind), edits.AskToSave("i1", true), edits.AskForTemplate(true, ""))
	accept(t, a, project)
	p, err := a.Project(t.Context(), project)
	if err != nil {
		t.Fatal(err)
	}
	t.Logf("the first: %d settings", runsheet.Settings(runsheet.Make(p.Plan)))
	tickAll(t, a, project)
	return project, kit
}

func madeOf(t *testing.T, a *App, n NewProject) int64 {
	t.Helper()
	id, err := a.Create(t.Context(), n)
	if err != nil {
		t.Fatal(err)
	}
	return id
}

func do(t *testing.T, a *App, project int64, list ...plan.Edit) {
	t.Helper()
	for _, e := range list {
		p, err := a.Project(t.Context(), project)
		if err == nil {
			_, err = a.Edit(t.Context(), project, p.Revision, e)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
}

// accept accepts the whole proposal of each instrument.
func accept(t *testing.T, a *App, project int64) {
	t.Helper()
	p, err := a.Project(t.Context(), project)
	if err != nil {
		t.Fatal(err)
	}
	for _, pl := range p.Plan.Placed {
		p, err := a.Project(t.Context(), project)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := a.Accept(t.Context(), project, p.Revision, propose.Options{Placed: pl.ID},
			func(pr *propose.Proposal) propose.Selection { return pr.Everything() }); err != nil {
			t.Fatal(err)
		}
	}
}

// tickAll ticks the sheet step by step.
func tickAll(t *testing.T, a *App, project int64) {
	t.Helper()
	for n := 0; ; n++ {
		p, err := a.Project(t.Context(), project)
		if err != nil {
			t.Fatal(err)
		}
		steps := runsheet.Make(p.Plan)
		if len(steps) == 0 {
			return
		}
		if n > 100 {
			t.Fatalf("a hundred ticks, and left is %q", sheetOf(steps))
		}
		if err := a.TickStep(t.Context(), command.Target{ID: project, Base: p.Revision}, steps[0].Key(), nil); err != nil {
			t.Fatal(err)
		}
	}
}

func sheetOf(steps []runsheet.Step) string {
	var out []string
	for _, st := range steps {
		out = append(out, string(st.Place)+": "+st.Text)
	}
	return strings.Join(out, "\n")
}

// The second project of the same kit has nothing left to set inside, whatever way it is begun, and with
// the template of the host one step is left: to open it.
func TestTheSecondProjectCostsNothing(t *testing.T) {
	for _, kind := range rig.Profiles {
		t.Run(kind.Name, func(t *testing.T) {
			a := open(t)
			first, kit := firstProject(t, a, kind)
			for _, way := range []struct {
				name string
				n    NewProject
				most int // settings; 0: as many as lanes take
			}{
				{"of the same kit", NewProject{Choices: []Choice{{Instrument: kit}}}, 0},
				{"from the first", NewProject{From: first, Choices: []Choice{{Instrument: kit}}}, 1},
				{"from the first, with its instruments", NewProject{From: first, Instruments: true}, 1},
			} {
				way.n.Name = "Song " + way.name
				id := madeOf(t, a, way.n)
				if !way.n.Instruments {
					accept(t, a, id)
				}
				p, err := a.Project(t.Context(), id)
				if err != nil {
					t.Fatal(err)
				}
				if got := p.Plan.Host.Behaviour().Name; got != kind.Name {
					t.Errorf("%s: it is planned for %q; want the kind of host used last", way.name, got)
				}
				steps := runsheet.Make(p.Plan)
				for _, st := range steps {
					if st.Place == runsheet.InInstrument || way.most == 0 && st.Count == 1 && strings.HasPrefix(st.Text, "Add lane ") {
						t.Errorf("%s: the sheet has %q; want nothing inside, and no lane by itself", way.name, st.Text)
					}
				}
				n := runsheet.Settings(steps)
				if way.most > 0 && n > way.most {
					t.Errorf("%s: %d settings are left; want %d:\n%s", way.name, n, way.most, sheetOf(steps))
				}
				t.Logf("%s: %d settings", way.name, n)
				testkit.RunSheetEndsInThePlan(t, p.Plan)
			}
		})
	}
}

// What the second project has besides the template is all that is left to do, and a template of another
// kind of host is none.
func TestATemplateOfTheHostSavesWhatItHolds(t *testing.T) {
	a := open(t)
	first, kit := firstProject(t, a, rig.Profiles[0])
	id := madeOf(t, a, NewProject{Name: "Song 2", From: first, Choices: []Choice{{Instrument: kit}}})
	accept(t, a, id)
	p, err := a.Project(t.Context(), id)
	if err != nil {
		t.Fatal(err)
	}
	lane := p.Plan.OwnLanes()[2]
	do(t, a, id, plan.NameLane(lane.ID, "Snare of the bridge"))
	if p, err = a.Project(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	steps := runsheet.Make(p.Plan)
	if n := runsheet.Settings(steps); n != 2 {
		t.Errorf("%d settings are left, of one lane that is named anew; want 2:\n%s", n, sheetOf(steps))
	}
	tickAll(t, a, id)
	do(t, a, id, edits.SetProfile(rig.Profiles[3]))
	p, err = a.Project(t.Context(), madeOf(t, a, NewProject{Name: "Song 3", From: id, Instruments: true}))
	if err != nil {
		t.Fatal(err)
	}
	steps = runsheet.Make(p.Plan)
	if strings.Contains(sheetOf(steps), "template") {
		t.Errorf("a template of another kind of host is opened:\n%s", sheetOf(steps))
	}
	do(t, a, p.ID, edits.SetProfile(rig.Profiles[0]), edits.OpenNoTemplate)
	if p, err = a.Project(t.Context(), p.ID); err != nil {
		t.Fatal(err)
	}
	if steps = runsheet.Make(p.Plan); strings.Contains(sheetOf(steps), "Open a new session") {
		t.Errorf("asked not to, it opens the template:\n%s", sheetOf(steps))
	}
}

// What was set inside when the default was saved is what the next project begins with, in the plan and
// in the instrument: nothing is asked for, and nothing is silently otherwise.
func TestADefaultIsSavedWithItsInside(t *testing.T) {
	a := open(t)
	first, kit := firstProject(t, a, rig.Profiles[0])
	p, err := a.Project(t.Context(), first)
	if err != nil {
		t.Fatal(err)
	}
	feed := p.Plan.Placed[0].AllFeeds()[2]
	do(t, a, first, edits.SetInside("i1", func(in *rig.Instrument) (string, error) {
		for i := range in.Microphones {
			if in.Microphones[i].ID == feed.Microphone {
				in.Microphones[i].Gain = -6
			}
		}
		for i := range in.Voices {
			if in.Voices[i].ID == feed.ID {
				in.Voices[i].Gain = -6
			}
		}
		return "turn it down", nil
	}), edits.AskToSave("i1", false))
	tickAll(t, a, first)
	do(t, a, first, edits.KeepOutputsFree("i1", nil, 0), edits.AskToSave("i1", true))
	tickAll(t, a, first)
	id := madeOf(t, a, NewProject{Name: "Song 2", Choices: []Choice{{Instrument: kit}}})
	accept(t, a, id)
	if p, err = a.Project(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	for _, st := range runsheet.Make(p.Plan) {
		if st.Place == runsheet.InInstrument {
			t.Errorf("the sheet has %q; want nothing inside", st.Text)
		}
	}
	was := 0
	for _, v := range p.Plan.Placed[0].InsideWanted() {
		if v == "-6" {
			was++
		}
	}
	if was != 1 {
		t.Errorf("the gain of −6 dB that the default was saved with is planned %d times; want once: %v", was,
			p.Plan.Placed[0].InsideWanted())
	}
}

// What was kept is no longer kept when its step is marked as not done.
func TestAKeptTemplateIsNotKeptWhenItsStepIsUndone(t *testing.T) {
	a := open(t)
	first, _ := firstProject(t, a, rig.Profiles[0])
	p, err := a.Project(t.Context(), first)
	if err != nil {
		t.Fatal(err)
	}
	if p.Plan.Patched.Kept == nil {
		t.Fatal("the template was kept, and nobody knows what it holds")
	}
	done, err := a.DoneSteps(t.Context(), first, p.Plan)
	if err != nil {
		t.Fatal(err)
	}
	var texts []string
	for _, d := range done {
		texts = append(texts, d.Text)
		if !strings.HasPrefix(d.Text, "Keep the session") {
			continue
		}
		if err := a.UntickStep(t.Context(), command.Target{ID: first, Base: p.Revision}, d.Key); err != nil {
			t.Fatal(err)
		}
		if p, err = a.Project(t.Context(), first); err != nil {
			t.Fatal(err)
		}
		if steps := sheetOf(runsheet.Make(p.Plan)); p.Plan.Patched.Kept != nil || !strings.Contains(steps, "Keep the session") {
			t.Errorf("marked as not done, it is kept: %v, and the sheet has %q", p.Plan.Patched.Kept != nil, steps)
		}
		return
	}
	t.Errorf("what is done does not list the template: %q", texts)
}
