// Package analysis is what is computed of a project as it stands: the graph of what is planned, its
// problems, the steps that are left and how many settings these are. What lists and pages say comes
// from one of it, each part made once.
package analysis

import (
	"sync"

	"hiddenlanes/core/check"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
)

// Analysis is what is computed of a document that nobody changes any more. It may be used by
// several goroutines; who takes slices from it leaves them as they are.
type Analysis struct {
	Graph *trace.Graph
	// Problems are those that are open, Intended those that are intended.
	Problems, Intended []check.Problem
	sheet              func() ([]runsheet.Step, runsheet.Left)
}

// Of analyses a project. Its steps are made when they are first asked for.
func Of(p *plan.Project) *Analysis {
	a := &Analysis{Graph: trace.New(p)}
	a.Problems, a.Intended = check.Both(a.Graph)
	a.sheet = sync.OnceValues(func() ([]runsheet.Step, runsheet.Left) {
		steps := runsheet.Make(p)
		return steps, runsheet.LeftOf(steps)
	})
	return a
}

// Steps are those that are left to do in the host.
func (a *Analysis) Steps() []runsheet.Step {
	steps, _ := a.sheet()
	return steps
}

// Left counts what they are.
func (a *Analysis) Left() runsheet.Left {
	_, left := a.sheet()
	return left
}
