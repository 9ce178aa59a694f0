package propose

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// input is what there is to propose for: outputs, feeds that are wanted and feeds that
// are not.
type input struct {
	project *plan.Project
	placed  *plan.Placed
	options Options
	outputs []rig.Output // those there are and those added
	added   []rig.Output
	limit   int // on how many outputs, kept when the proposal is accepted; 0: all
	wanted  []Feed
	unused  []Unused
	told    []string // what the user should know of it
}

func newInput(p *plan.Project, pl *plan.Placed, o Options) (*input, error) {
	in := &input{project: p, placed: pl, options: o, outputs: slices.Clone(pl.Outputs)}
	n, have := cmp.Or(o.Outputs, pl.Use), len(pl.Outputs)
	switch {
	case n > 0 && n < have:
		in.limit = n
	case n > have:
		added, err := addedOutputs(pl, n)
		if err != nil {
			return nil, err
		}
		in.added, in.outputs = added, append(in.outputs, added...)
	}
	return in, in.sortFeeds()
}

// addedOutputs gives the outputs that bring an instrument to n, as wide as its widest
// feed and its last output.
func addedOutputs(pl *plan.Placed, n int) ([]rig.Output, error) {
	have := len(pl.Outputs)
	if pl.Instrument.Fixed {
		return nil, fmt.Errorf("it has %d outputs and can make no more", have)
	}
	wide := audio.Mono
	for _, f := range pl.AllFeeds() {
		wide = max(wide, f.Width)
	}
	if have > 0 {
		wide = max(wide, pl.Outputs[have-1].Width)
	}
	need := append(rig.Widths(pl.Outputs), slices.Repeat([]audio.Width{wide}, n-have)...)
	return rig.AddMissing(pl.Outputs, need, pl.Ports())
}

// MostOutputs is how many outputs a proposal for an instrument can be made on, where
// that is fewer than are wished for; 0: as many.
func MostOutputs(pl *plan.Placed, wish int) int {
	have := len(pl.Outputs)
	if wish <= have {
		return 0
	}
	more := sort.Search(wish-have, func(k int) bool {
		_, err := addedOutputs(pl, have+k+1)
		return err != nil
	})
	if more == wish-have {
		return 0
	}
	return have + more
}

// sortFeeds tells the wanted feeds from the unused ones, and refuses wishes for those
// that are set aside.
func (in *input) sortFeeds() error {
	pl := in.placed
	widest := audio.Mono
	for _, o := range in.outputs {
		widest = max(widest, o.Width)
	}
	aside := map[string]string{}
	unheard, nobody := in.project.UnheardAddresses(), false
	for _, f := range pl.AllFeeds() {
		a := pl.Feeds[f.ID]
		uses, known := in.project.Uses(f)
		reason := ""
		switch {
		case a.ByHand && (a.State == plan.Parked || a.State == plan.Off):
			aside[f.ID] = f.Name
			reason = "you set it aside"
			if m := pl.Instrument.Microphone(f.Microphone); m != nil && len(m.Sums) > 0 && a.State == plan.Off {
				reason = "a ready-made mix of what has feeds of its own"
			}
		case known && uses == 0 && a.Pin == nil && f.Part != "" && !f.Address.Known() && f.Program < 0:
			// nobody has said where it listens
		case known && uses == 0 && a.Pin == nil && f.Part != "" && len(unheard) > 0:
			nobody = true
		case known && uses == 0 && a.Pin == nil:
			reason = "the song never plays it"
		case f.Width > widest && a.Pin == nil:
			reason = fmt.Sprintf("%s, and no output is wider than %s; fold it to mono to keep it", f.Width, widest)
		}
		if reason != "" {
			in.unused = append(in.unused, Unused{Feed: f, Reason: reason, Now: describe(pl, a)})
			continue
		}
		in.wanted = append(in.wanted, Feed{Feed: f, At: a, Wish: pl.Wish(f), Uses: uses, Known: known, Now: describe(pl, a)})
	}
	if nobody {
		var on []string
		for _, a := range unheard {
			on = append(on, a.String())
		}
		in.told = append(in.told, fmt.Sprintf("The song has notes on %s, where nobody listens; so parts that it does not "+
			"play are not parked: their channels may be wrong.", strings.Join(on, ", ")))
	}
	for _, g := range pl.Together {
		for _, id := range g.Feeds {
			if name := aside[id]; name != "" {
				return fmt.Errorf("%s is set aside and cannot share an output as well; take it back or free it from its group",
					name)
			}
		}
	}
	return nil
}

func describe(pl *plan.Placed, a plan.Assignment) string {
	ports := "output " + a.At().String()
	if o, ok := pl.Output(a.At()); ok {
		ports = o.PortNames(0)
	}
	switch a.State {
	case plan.Assigned:
		return ports
	case plan.Parked:
		return "parked on " + ports
	case plan.Off:
		return "off"
	}
	return "nowhere"
}
