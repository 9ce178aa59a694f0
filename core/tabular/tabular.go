// Package tabular is what all tables that are typed into have in common: a column says what a
// cell shows and what typing into it does, and what a cell shows can be typed into it again.
package tabular

import (
	"fmt"
	"slices"
	"strings"
)

// Cell is a text for one cell: the row by its ID, the column by its key.
type Cell struct{ Row, Column, Value string }

// At is a text for the cell of a row and a column.
func At(row, column, value string) Cell { return Cell{row, column, value} }

// Error says which cell a text cannot go into, and why.
type Error struct {
	Row, Column string
	Value       string // that was typed
	Err         error
}

func (e *Error) Error() string { return e.Err.Error() }

func (e *Error) Unwrap() error { return e.Err }

// Column is one column of the tables of a kind of document.
type Column[On, Row any] struct {
	Key, Title string
	Options    []string // what may be typed, where that is a short list
	Number     bool     // stands on the right
	Get        func(On, Row) string
	// Set types a text and says what that did; "": in the words of the table.
	Set func(on On, row Row, typed string) (label string, err error)
}

// Table is one table of a kind of document.
type Table[On, Row any] struct {
	Key     string
	Many    string // what its rows are
	Columns func(On) []Column[On, Row]
	// Rows gives what finds the rows of a document by their IDs.
	Rows func(On) func(id string) (Row, error)
	// Says says what typing into a cell did, where its column does not.
	Says func(on On, row Row, c Column[On, Row]) string
	// Where says of a cell that was refused, among so many, which it is; "" where nobody asks.
	Where func(on On, row Row, title, typed string, among int) string
	// Again: typing what a cell shows already says something.
	Again bool
}

// Texts gives what says of a row what its cells show, by column; those of a row that is gone nothing.
func (t *Table[On, Row]) Texts(on On) func(id string) []string {
	columns, find := t.Columns(on), t.Rows(on)
	return func(id string) []string {
		out := make([]string, len(columns))
		if row, err := find(id); err == nil {
			for i, c := range columns {
				out[i] = c.Get(on, row)
			}
		}
		return out
	}
}

// Type types texts into cells, all or none, and says what that did; an *Error names the cell that
// was refused.
func (t *Table[On, Row]) Type(on On, cells []Cell) (label string, err error) {
	if len(cells) == 0 {
		return "", fmt.Errorf("no cell is selected")
	}
	columns, find, changed := t.Columns(on), t.Rows(on), 0
	for _, cell := range cells {
		i := slices.IndexFunc(columns, func(c Column[On, Row]) bool { return c.Key == cell.Column })
		if i < 0 {
			return "", fmt.Errorf("the %s have no column %q to type into", t.Many, cell.Column)
		}
		c, typed := columns[i], strings.TrimSpace(cell.Value)
		row, err := find(cell.Row)
		if err == nil && !t.Again && typed == c.Get(on, row) {
			continue // a row that is saved whole has changed in some cells only
		}
		changed++
		if err == nil {
			if label, err = c.Set(on, row, typed); err != nil && t.Where != nil {
				if at := t.Where(on, row, strings.ToLower(c.Title), cell.Value, len(cells)); at != "" {
					err = fmt.Errorf("%s: %w", at, err)
				}
			}
		}
		if err != nil {
			return "", &Error{Row: cell.Row, Column: cell.Column, Value: cell.Value, Err: err}
		}
		if label == "" {
			label = t.Says(on, row, c)
		}
	}
	if changed > 1 {
		label = fmt.Sprintf("change %d cells of the %s", changed, t.Many)
	}
	return label, nil
}
