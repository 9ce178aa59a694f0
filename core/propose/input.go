package propose

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
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
	most    int // on how many at the most, those that stay spare left out; 0: all
	wanted  []FeedRow
	unused  []Unused
	told    []string // what the user should know about it
}

func newInput(p *plan.Project, pl *plan.Placed, o Options) (*input, error) {
	in := &input{project: p, placed: pl, options: o, outputs: pl.Usable()}
	n, have := cmp.Or(o.Outputs, pl.Use), usable(pl)
	switch {
	case n > 0 && n < have:
		in.limit = n
	case n > have:
		added, err := addedOutputs(pl, n+len(pl.Outputs)-have)
		if err != nil {
			return nil, err
		}
		in.added, in.outputs = added, append(in.outputs, added...)
	}
	if in.most = in.limit; pl.Spare > 0 && in.limit == 0 {
		if in.most = len(in.outputs) - pl.Spare; in.most < 1 {
			return nil, fmt.Errorf("%d outputs are to stay spare, and there are only %d to use; add outputs or keep fewer spare",
				pl.Spare, len(in.outputs))
		}
	}
	if err := in.sortFeeds(); err != nil {
		return nil, err
	}
	in.tellFree()
	return in, nil
}

// usable is how many outputs a proposal may use: those that are not to stay free or spare.
func usable(pl *plan.Placed) int { return max(0, len(pl.Usable())-pl.Spare) }

// tellFree says what the outputs that stay free come to, and what still arrives on them.
func (in *input) tellFree() {
	pl := in.placed
	if len(pl.KeepFree) == 0 && pl.Spare == 0 {
		return
	}
	first := "?"
	if len(in.outputs) > 0 {
		first = pl.Named(in.outputs[0])
	}
	text := fmt.Sprintf("%s to themselves would need %s and %s, the first on output %s.",
		words.Count(len(in.wanted), "feed", "feeds"),
		words.Count(len(in.wanted)+len(pl.KeepFree)+pl.Spare, "output", "outputs"),
		words.Count(len(in.wanted), "lane", "lanes"), first)
	in.told = append(in.told, text)
	if len(pl.Outputs) == 0 || !pl.KeptFree(pl.Outputs[0].Number) {
		return
	}
	var still, effects []string
	for _, f := range pl.AllFeeds() {
		if f.AlsoMain && pl.Feeds[f.ID].State != plan.Off { // what leaves by it alone moves
			still = append(still, f.Name)
		}
	}
	for _, r := range pl.Instrument.Returns {
		if pl.Feeds[r.ID].State == plan.Undecided {
			still = append(still, r.Name)
		}
	}
	for _, e := range pl.Instrument.Effects {
		if !e.InChannel {
			effects = append(effects, e.Name)
		}
	}
	text = fmt.Sprintf("Output %s stays free.", pl.Named(pl.Outputs[0]))
	if in.project.Host.Behaviour().FirstOnOwn {
		text = fmt.Sprintf("Output %s stays free and arrives on the instrument's own lane.", pl.Named(pl.Outputs[0]))
	}
	if len(still) > 0 {
		text += " Still on it: " + words.Few(still) + "."
	}
	if len(effects) > 0 {
		text += " The instrument's own effects act there: " + words.Few(effects) + "."
	}
	in.told = append(in.told, text)
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
	have := usable(pl)
	if wish <= have {
		return 0
	}
	more := sort.Search(wish-have, func(k int) bool {
		_, err := addedOutputs(pl, len(pl.Outputs)+k+1)
		return err != nil
	})
	if more == wish-have {
		return 0
	}
	return have + more
}

// tellUnheard says why parts that the song does not play are not parked.
func (in *input) tellUnheard(unheard []midi.Address) {
	var on []string
	for _, a := range unheard {
		on = append(on, a.String())
	}
	in.told = append(in.told, fmt.Sprintf("The song has notes on %s, where nobody listens; so parts that it does not "+
		"play are not parked: their channels may be wrong.", strings.Join(on, ", ")))
}

// sortFeeds tells the wanted feeds from the unused ones, and refuses wishes for those
// that are set aside.
func (in *input) sortFeeds() error {
	pl := in.placed
	widest := audio.Mono
	for _, o := range in.outputs {
		widest = max(widest, o.Width)
	}
	aside, grouped := map[string]string{}, map[string]bool{}
	for _, g := range pl.Together {
		for _, id := range g.Feeds {
			grouped[id] = true
		}
	}
	unheard, nobody := in.project.UnheardAddresses(), false
	for _, f := range pl.AllFeeds() {
		a := pl.Feeds[f.ID]
		uses, known := in.project.Uses(f)
		reason, habit := "", house.NoHabit
		switch {
		case a.ByHand && (a.State == plan.Parked || a.State == plan.Off):
			aside[f.ID] = f.Name
			reason = "you set it aside"
			if m := pl.Instrument.Microphone(f.Microphone); m != nil && len(m.Sums) > 0 && a.State == plan.Off {
				reason = "a ready-made mix of what has feeds of its own"
			}
		case pl.House().Habit(f.Role) != house.NoHabit && uses == 0 && a.Pin == nil && !grouped[f.ID]:
			habit = pl.House().Habit(f.Role)
			reason = "usually " + string(habit) + ", by your house chart"
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
			in.unused = append(in.unused, Unused{Feed: f, Reason: reason, Now: describe(pl, a),
				off: habit == house.UsuallyOff})
			continue
		}
		in.wanted = append(in.wanted, FeedRow{Feed: f, At: a, OwnOutput: pl.OwnOutput(f), Uses: uses, Known: known,
			Now: describe(pl, a)})
	}
	if nobody {
		in.tellUnheard(unheard)
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
