package role

import (
	"encoding/json"
	"fmt"
)

// TableVersion is the whole table as text: another table, another stamp.
func TableVersion() string {
	text, err := json.Marshal(Table)
	if err != nil {
		panic(fmt.Sprintf("the role table: %v", err)) // it is made of plain values
	}
	return string(text)
}
