package app

import (
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/format/dawproject"
)

// A lane read from a session is mono or stereo as its channel is; what has no channels or
// more than two becomes the nearest of them.
func TestLanesOfASessionHaveTheWidthOfTheirChannels(t *testing.T) {
	s := &dawproject.Session{Title: "Mixer", Lanes: []dawproject.SessionLane{
		{ID: "a", Name: "Mono", Channels: 1}, {ID: "b", Name: "Stereo", Channels: 2}, {ID: "c", Name: "Unsaid"},
		{ID: "d", Name: "Wide", Channels: 6}}}
	want := map[string]audio.Width{"Mono": audio.Mono, "Stereo": audio.Stereo, "Unsaid": audio.Mono, "Wide": audio.Stereo}
	p := sessionProject(s)
	for _, l := range p.Lanes {
		if l.Width != want[l.Name] {
			t.Errorf("as a project of its own: %s is %s; want %s", l.Name, l.Width, want[l.Name])
		}
	}
	q := &plan.Project{Name: "Other"}
	if _, err := ReadSession(s, "")(q); err != nil {
		t.Fatal(err)
	}
	for _, l := range q.Patched.Lanes {
		if l.Width != want[l.Name] || l.Owner != plan.Found {
			t.Errorf("read into a project: %s is %s, of the owner %q; want %s, found there", l.Name, l.Width, l.Owner,
				want[l.Name])
		}
	}
}

// The list of projects is filtered by whether there is something to fix.
func TestProjectsAreFilteredByWhatThereIsToFix(t *testing.T) {
	ctx := t.Context()
	a := open(t)
	sound := &plan.Project{Name: "Sound"}
	wrong := &plan.Project{Name: "Wrong", Lanes: []plan.Lane{{ID: "l1", Number: 1, Name: "Dead", Colour: "#112233",
		Kind: plan.Regular, Width: 2}}}
	if _, err := a.CreateProjects(ctx, sound, wrong); err != nil {
		t.Fatal(err)
	}
	lib, err := a.Library(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for mend, want := range map[string]string{"findings": "Wrong", "none": "Sound", "": "Wrong Sound",
		"anything": "Wrong Sound"} {
		got := ""
		for _, e := range lib.Find(Query{Mend: mend}) {
			got += " " + e.Name
		}
		if got != " "+want {
			t.Errorf("the filter %q leaves%s; want %s", mend, got, want)
		}
	}
}
