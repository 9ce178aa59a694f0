package rig

import (
	"fmt"
	"strconv"
	"strings"

	"hiddenlanes/core/midi"
)

// Writer fills the tables of an instrument that is being made, row by row; it does what AddRow and
// SetCells do without looking the instrument through each time.
type Writer struct {
	in      Sheet
	used    map[string]bool // IDs
	next    map[string]int  // the number of the next ID, by its letter
	tables  map[string]*Table
	columns map[string]map[string]Column
}

// NewWriter fills the tables of an instrument; keys are named as the naming says.
func NewWriter(in *Instrument, naming midi.Naming) *Writer {
	w := &Writer{Sheet{in, naming}, map[string]bool{}, map[string]int{}, map[string]*Table{},
		map[string]map[string]Column{}}
	for _, t := range Tables {
		for i := range t.len(in) {
			w.used[t.id(in, i)] = true
		}
		w.tables[t.Key], w.columns[t.Key] = t, map[string]Column{}
		for _, c := range t.Columns(w.in) {
			w.columns[t.Key][c.Key] = c
		}
	}
	return w
}

// Add adds an empty row to a table and gives its place and its ID.
func (w *Writer) Add(table string) (row int, id string, err error) {
	t := w.tables[table]
	if t == nil || t.add == nil {
		return 0, "", fmt.Errorf("rows cannot be added to %q", table)
	}
	if row = t.len(w.in.Instrument); row >= maxTableRows {
		return 0, "", errTableFull
	}
	letter := t.Key[:1]
	for id == "" || w.used[id] {
		w.next[letter]++
		id = letter + strconv.Itoa(w.next[letter])
	}
	w.used[id] = true
	t.add(w.in.Instrument, id)
	return row, id, nil
}

// Set types a text into a cell of a row.
func (w *Writer) Set(table string, row int, column, value string) error {
	c, ok := w.columns[table][column]
	if !ok {
		return fmt.Errorf("the table has no column %q", column)
	}
	if _, err := c.Set(w.in, row, strings.TrimSpace(value)); err != nil {
		return fmt.Errorf("%s: %w", strings.ToLower(c.Title), err)
	}
	return nil
}
