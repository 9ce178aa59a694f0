package runsheet

import (
	"errors"
	"fmt"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/tables"
	"hiddenlanes/core/tabular"
)

// Working the stand-in host by hand. Its state is kept beside what is patched, in the
// project, so that undo takes back what was practised.

// practise is an edit that does something on the stand-in host.
func practise(do func(p *plan.Project, h *host.Host) (label string, err error)) plan.Edit {
	return func(p *plan.Project) (string, error) {
		state := p.WithOthers(p.StandIn)
		label, err := do(p, host.New(state, p.Host.Behaviour()))
		if err != nil {
			return "", err
		}
		p.StandIn = state
		return "practise: " + label, nil
	}
}

// OnStandIn is the edit that does one thing on the stand-in host, or says why that does
// not let one. label says what, for the list of changes.
func OnStandIn(label string, action host.Action) plan.Edit {
	return practise(func(_ *plan.Project, h *host.Host) (string, error) { return label, h.Do(action) })
}

// StandInMute mutes a lane that is not muted, and the other way round.
func StandInMute(lane string) plan.Edit {
	return practise(func(_ *plan.Project, h *host.Host) (string, error) {
		return "mute", h.Do(host.Mute{Lane: lane, On: !h.State.Muted[lane]})
	})
}

// StandInSolo solos a lane that is not soloed, and the other way round.
func StandInSolo(lane string) plan.Edit {
	return practise(func(_ *plan.Project, h *host.Host) (string, error) {
		return "solo", h.Do(host.Solo{Lane: lane, On: !h.State.Soloed[lane]})
	})
}

// StandInChain chains a block of lanes into the main mix, or takes it out.
func StandInChain(block int) plan.Edit {
	return practise(func(_ *plan.Project, h *host.Host) (string, error) {
		return "chain", h.Do(host.ChainBlock{Block: block, Off: h.State.IsChained(block)})
	})
}

// StandInLoad loads an instrument of the project, with the outputs it comes with.
func StandInLoad(placed string) plan.Edit {
	return practise(func(p *plan.Project, h *host.Host) (string, error) {
		pl := p.Find(placed)
		if pl == nil {
			return "", errors.New("that instrument is not in this project")
		}
		outputs, halved, feeds := pl.Begins()
		v, _ := pl.LoadedVersion()
		return "load", h.Do(host.Load{Instrument: placed, Name: pl.Instrument.Name, Outputs: outputs, Halved: halved,
			Feeds: feeds, Inside: pl.InsideDelivered(), Version: v.Name})
	})
}

// StandInNext does the next step of the run sheet.
func StandInNext() plan.Edit {
	return practise(func(p *plan.Project, h *host.Host) (string, error) {
		steps, err := stepsLeft(p, h)
		if err != nil {
			return "", err
		}
		return steps[0].Text, doSteps(h, steps[:1])
	})
}

// StandInAll does every step of the run sheet.
func StandInAll() plan.Edit {
	return practise(func(p *plan.Project, h *host.Host) (string, error) {
		steps, err := stepsLeft(p, h)
		if err != nil {
			return "", err
		}
		return "do every step", doSteps(h, steps)
	})
}

func stepsLeft(p *plan.Project, h *host.Host) ([]Step, error) {
	steps := From(p, h.State)
	if len(steps) == 0 {
		return nil, errors.New("nothing is left to do: everything is patched as planned")
	}
	return steps, nil
}

func doSteps(h *host.Host, steps []Step) error {
	for _, st := range steps {
		for _, a := range st.Actions {
			if err := h.Do(a); err != nil {
				return fmt.Errorf("%s: %w", st.Text, err)
			}
		}
	}
	return nil
}

// StandInBreak puts one of the usual mistakes into the stand-in host.
func StandInBreak() plan.Edit {
	return practise(func(_ *plan.Project, h *host.Host) (string, error) { return h.Break() })
}

// StandInAnew empties the stand-in host.
func StandInAnew() plan.Edit {
	return func(p *plan.Project) (string, error) {
		p.StandIn = nil
		return "practise from the beginning", nil
	}
}

// NothingPatched is the edit that says that nothing is patched in the host yet.
func NothingPatched() plan.Edit {
	return func(p *plan.Project) (string, error) {
		p.Patched = nil
		return "nothing is patched in the host yet", nil
	}
}

// StandInInside types into a column of what is set inside an instrument of the stand-in, as
// the plan's table of the inside has it.
func StandInInside(placed, source, column, typed string) plan.Edit {
	return practise(func(p *plan.Project, h *host.Host) (string, error) {
		pl := p.Find(placed)
		in, loaded := h.State.Instruments[placed]
		if pl == nil || !loaded {
			return "", fmt.Errorf("the instrument is not loaded")
		}
		now := *pl
		now.Instrument = pl.Instrument.WithInside(in.Inside)
		trial := &plan.Project{Placed: []plan.Placed{now}}
		cell := tabular.Cell{Row: plan.FeedRef{Placed: placed, Feed: source}.String(), Column: column, Value: typed}
		label, err := tables.SetCells("inside", []tabular.Cell{cell})(trial)
		if err != nil {
			return "", err
		}
		if label == "" {
			return "", fmt.Errorf("it is set so already")
		}
		want := trial.Placed[0].Instrument.InsideSettings()
		for _, k := range rig.ChangedInside(want, in.Inside) {
			if err := h.Do(host.SetInside{Instrument: placed, Key: k, Value: want[k]}); err != nil {
				return "", err
			}
		}
		return label, nil
	})
}
