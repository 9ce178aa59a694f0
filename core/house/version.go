package house

import (
	"encoding/json"

	"hiddenlanes/core/document"
)

// Versions are the versions of a house chart's document.
//
// 1: it says its version. What had been called version before, the number under which the
// chart was kept, is its number.
var Versions = &document.Line{What: "house chart",
	Steps: []func(map[string]any) error{func(c map[string]any) error {
		c["number"] = 0
		if n, ok := c["version"]; ok {
			c["number"] = n
		}
		return nil
	}},
	Of: func(c map[string]json.RawMessage) (version int) {
		if _, ok := c["number"]; ok {
			_ = json.Unmarshal(c["version"], &version) // 0 has no number
		}
		return version
	},
}

// Version is a chart's version field.
type Version = document.Version[mark]

type mark struct{}

func (mark) Line() *document.Line { return Versions }
