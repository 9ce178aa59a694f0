package check

import (
	"hiddenlanes/core/rig"
)

var portsOverlap = &Rule{
	Code: "ports-overlap", Title: "Two outputs are on one port", Severity: Wrong, Step: AtOutputs,
	Doc: "Two outputs of an instrument share a port, so what leaves by one is heard on the other as well. Place " +
		"them one after the other.",
	Find: portFaults(rig.Overlaps),
}
