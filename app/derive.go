package app

import (
	"slices"
	"strings"

	"hiddenlanes/core/analysis"
	"hiddenlanes/core/check"
	"hiddenlanes/core/document"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/store"
)

// derivation works out what lists and searches show of documents.
// Their version is another one as soon as a rule, a role or what is kept of a project is.
var derivation = store.Derivation{Rules: rulesVersion(),
	Analyse: func(p *plan.Project) any { return analysis.Of(p) }, Project: projectColumns, Instrument: instrumentColumns,
	Hash: contentHash}

// columnsNow is another one whenever what is listed of an instrument is.
const columnsNow = "2"

// AnalysisOf is what is computed of a project, once for all who ask.
func AnalysisOf(p *Project) *analysis.Analysis { return p.Analysis().(*analysis.Analysis) }

// rulesVersion names the rules that what is derived comes from.
func rulesVersion() string {
	return document.Hash([]byte(check.RulesVersion() + role.TableVersion() + drift.PackedNow + columnsNow))
}

func projectColumns(p *plan.Project, of any) (c store.ProjectColumns, err error) {
	var instruments, colours []string
	for _, pl := range p.Placed {
		instruments = append(instruments, pl.Instrument.Name)
	}
	for _, l := range p.ByNumber() {
		colours = append(colours, l.Colour)
	}
	facts, err := drift.Gather(p).Pack()
	if err != nil {
		return c, err
	}
	buses := len(p.Buses())
	return store.ProjectColumns{Name: p.Name, Instruments: strings.Join(instruments, ", "), Lanes: len(p.Lanes) - buses,
		Buses: buses, Problems: len(of.(*analysis.Analysis).Problems), Colours: strings.Join(colours, " "),
		Facts: string(facts)}, nil
}

func instrumentColumns(in *rig.Instrument) store.InstrumentColumns {
	words := []string{in.Name, in.Origin}
	var roles []role.Role
	unsure := 0
	for _, v := range in.Voices {
		words, roles = append(words, v.Name), append(roles, v.Role)
		if v.Sure < role.Sure {
			unsure++
		}
	}
	for _, m := range in.Microphones {
		words = append(words, m.Name)
	}
	for _, p := range in.Parts {
		words, roles = append(words, p.Name), append(roles, p.Role)
	}
	var layouts []string
	for _, l := range in.Layouts {
		layouts = append(layouts, l.Name)
	}
	return store.InstrumentColumns{Name: in.Name, Layouts: strings.Join(layouts, "\n"), Feeds: len(in.Feeds()),
		Voices:      len(in.Voices),
		Microphones: len(in.Microphones), Parts: len(in.Parts), Unsure: unsure,
		Outputs: rig.FormatRuns(in.LoadedOutputs("")), Origin: in.Origin, Family: string(role.Predominant(roles)),
		Words: strings.ToLower(strings.Join(slices.Compact(words), " "))}
}
