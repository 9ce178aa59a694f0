package check

import (
	"hiddenlanes/core/rig"
)

var portsPastEnd = &Rule{
	Code: "ports-past-end", Title: "An output is past the last port", Severity: Silent, Step: AtOutputs,
	Doc: "The loaded version has fewer ports than the set-up asks for; what leaves by the outputs past the end " +
		"is silent. Use fewer or narrower outputs, or a format with more ports.",
	Find: portFaults(rig.OffTheEnd),
}
