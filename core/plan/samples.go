package plan

import (
	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
)

// AddSample adds a sample of the user's own to the project's copy of an instrument: it leaves by an output
// of its own. with is the voice it sounds with, "" for none.
func AddSample(placed, name, with string, width audio.Width) Edit {
	return changeSamples(placed, rig.AddSample(name, with, width))
}

// RemoveSample takes such a sample out again, with what is decided of it.
func RemoveSample(placed, id string) Edit { return changeSamples(placed, rig.RemoveSample(id)) }

func changeSamples(placed string, do rig.Edit) Edit {
	return change(placed, func(p *Project, pl *Placed) (label string, err error) {
		err = p.relabel(pl, func() error {
			pl.Instrument.Own()
			if label, err = do(&pl.Instrument); err == nil {
				pl.forgetGone()
			}
			return err
		})
		return label, err
	})
}
