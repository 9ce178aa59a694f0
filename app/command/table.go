package command

import (
	"errors"
	"slices"

	"hiddenlanes/core/tabular"
)

// Table lists every command. A new one is a type with its arguments and its edit, and a row
// in the list of its file.
var Table []*Spec

func init() {
	Table = slices.Concat(laneCommands, feedCommands, placedCommands, startCommands, runCommands, instrumentCommands,
		chartCommands)
}

// Cells are texts for cells of a table: rows by their IDs, columns by their keys.
type Cells struct {
	Table   string   `form:"table,optional"`
	Rows    []string `form:"row"`
	Columns []string `form:"col"`
	Values  []string `form:"value"`
}

// list gives the cells one by one.
func (c Cells) list() []tabular.Cell {
	out := make([]tabular.Cell, len(c.Rows))
	for i := range c.Rows {
		out[i] = tabular.At(c.Rows[i], c.Columns[i], c.Values[i])
	}
	return out
}

// Check refuses cells that came incomplete.
func (c Cells) Check() error {
	if len(c.Rows) != len(c.Columns) || len(c.Rows) != len(c.Values) {
		return errors.New("the cells did not arrive whole; try again")
	}
	return nil
}
