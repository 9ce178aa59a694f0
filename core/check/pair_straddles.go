package check

import (
	"hiddenlanes/core/rig"
)

var pairStraddles = &Rule{
	Code: "pair-straddles", Title: "A stereo output straddles two pairs", Severity: Wrong, Step: AtOutputs,
	Doc: "The output begins on an even port, as the instrument or the host counts, so its sides belong to two " +
		"different pairs of the host: " +
		"left arrives on the right of one, right on the left of the next. Begin it on an odd port.",
	Find: portFaults(rig.Straddles),
}
