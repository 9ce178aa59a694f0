package testkit

import (
	"testing"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/runsheet"
)

// RunSheetEndsInThePlan carries every step of the run sheet out from what is in the
// host, and fails unless nothing is left to do there afterwards but to listen.
func RunSheetEndsInThePlan(t testing.TB, p *plan.Project) {
	t.Helper()
	stands := p.WithOthers(p.Patched)
	mixer := host.New(stands, p.Host.Behaviour())
	for _, step := range runsheet.From(p, p.Patched) {
		if asked := assigned(step); asked > 0 && len(step.Items) < asked && len(step.Parts(p)) < asked {
			t.Errorf("%s asks for %d assignments and lists %d", step.Text, asked, len(step.Items))
		}
		for _, a := range step.Actions {
			if err := mixer.Do(a); err != nil {
				t.Fatalf("%s: %v", step.Text, err)
			}
		}
	}
	for _, step := range runsheet.From(p, stands) {
		if step.Place != runsheet.ByEar {
			t.Fatalf("every step is done, and still: %s", step.Text)
		}
	}
}

// assigned is how many feeds a step assigns.
func assigned(step runsheet.Step) (n int) {
	for _, a := range step.Actions {
		if _, ok := a.(host.Assign); ok {
			n++
		}
	}
	return n
}

// ItemTexts lists what a step sets, in words.
func ItemTexts(st runsheet.Step) (out []string) {
	for _, i := range st.Items {
		out = append(out, i.String())
	}
	return out
}
