package app

import (
	"io"

	"hiddenlanes/core/plan"
	"hiddenlanes/format/midnam"
)

// WriteHouseNames writes a MIDI name document with the house's names.
func WriteHouseNames(w io.Writer, pl *plan.Placed) error { return midnam.Encode(w, pl.HouseNames()) }
