package trace_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// A lane that goes to its bus and to the main mix says so, and so does the sum of its
// feed's ways; one that goes to its bus alone says that.
func TestASignalThatGoesTwoWaysSaysSo(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "20x2", sample.BrineworkKit())
	l := testkit.Lane(p, "Hat")
	says := func() (detail, then string, paths int) {
		g := trace.New(p)
		for _, f := range g.Feeds {
			for _, x := range g.LanesOf(f.OutputRef()) {
				if x.ID != l.ID {
					continue
				}
				for _, s := range g.Paths(f)[0].Stops {
					if s.ID == l.ID {
						detail = s.Detail
					}
				}
				_, then, _ = g.Brief(f)
				return detail, then, len(g.Paths(f))
			}
		}
		t.Fatal("no feed arrives on the hat's lane")
		return "", "", 0
	}
	detail, then, paths := says()
	if !strings.Contains(detail, "only to its bus") || strings.Contains(then, "other way") || paths != 1 {
		t.Errorf("to its bus alone it says %q and %q, by %d ways", detail, then, paths)
	}
	testkit.Edit(t, p, plan.Route([]string{l.ID}, l.To, true))
	detail, then, paths = says()
	if !strings.Contains(detail, "goes two ways") || !strings.Contains(then, "and by 1 other way") || paths != 2 {
		t.Errorf("to both it says %q and %q, by %d ways", detail, then, paths)
	}
	testkit.Edit(t, p, plan.Route([]string{l.ID}, plan.MainMix, false))
	if detail, then, _ = says(); strings.Contains(detail, "ways") || strings.Contains(detail, "bus") ||
		then != "→ main mix" {
		t.Errorf("to the main mix it says %q and %q", detail, then)
	}
}
