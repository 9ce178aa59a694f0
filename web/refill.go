package web

import (
	"bytes"
	"iter"
	"net/url"
	"slices"
	"strings"

	"hiddenlanes/app/command"
)

// A form that was refused is shown again as it was typed, with the field at fault marked.
// That is done here for every form alike, on the page as it was drawn, so that no template
// needs to know about it: the form is the one whose command and hidden fields are those that
// came, and a table of cells is found by its rows and columns.

// refill puts what was typed back into the page, and marks the field at fault.
func refill(page *bytes.Buffer, r *refused) {
	d := markupOf(slices.Clone(page.Bytes()))
	if form := d.refusedForm(r); form != nil {
		d.refillForm(form, r)
	} else {
		d.refillCells(r)
	}
	page.Reset()
	page.Write(d.filled())
}

// refusedForm is the form that was sent, or nil.
func (d *markup) refusedForm(r *refused) *element {
	for form := range d.named("form") {
		if d.attr(form, "action") == r.Action && d.isSent(form, r.Form) && (r.Field == "" || d.hasField(form, r.Field)) {
			return form
		}
	}
	return nil
}

// hasField reports whether a form has the field at fault; one that no form has is let pass.
func (d *markup) hasField(form *element, fault string) bool {
	for e := range d.fields(form) {
		if atFault(fault, d.attr(e, "name")) {
			return true
		}
	}
	for e := range d.named(fieldNames...) {
		if atFault(fault, d.attr(e, "name")) {
			return false
		}
	}
	return true
}

// isSent reports whether a form's hidden fields, and the command of it or of one of its
// buttons, are those that came.
func (d *markup) isSent(form *element, sent url.Values) bool {
	does := !sent.Has(command.NameField)
	for e := range d.fields(form) {
		name, value := d.attr(e, "name"), d.attr(e, "value")
		switch {
		case name == command.NameField:
			does = does || value == sent.Get(name)
		case e.name == "input" && d.attr(e, "type") == "hidden" && !slices.Contains(command.Framing, name):
			if !slices.Contains(sent[name], value) {
				return false
			}
		}
	}
	return does
}

var fieldNames = []string{"input", "select", "textarea", "button"}

// fields goes through the fields of a form, those outside it that name it included.
func (d *markup) fields(form *element) iter.Seq[*element] {
	id := d.attr(form, "id")
	return func(yield func(*element) bool) {
		for e := range d.named(fieldNames...) {
			of := d.attr(e, "form")
			if (of == "" && above(e, "form") == form || of != "" && of == id) && !yield(e) {
				return
			}
		}
	}
}

func (d *markup) refillForm(form *element, r *refused) {
	found := false
	for e := range d.fields(form) {
		name := d.attr(e, "name")
		if name == "" || e.name == "button" || d.attr(e, "type") == "hidden" {
			continue
		}
		d.setTyped(e, r.Form[name])
		if atFault(r.Field, name) {
			d.markInvalid(e)
			d.setFlag(e, "autofocus", !found) // without script, too
			found = true
		}
	}
}

// atFault reports whether a field is the one at fault; "bus-*" are all that begin so.
func atFault(fault, name string) bool {
	prefix, several := strings.CutSuffix(fault, "*")
	return fault != "" && (name == fault || several && strings.HasPrefix(name, prefix))
}

// setTyped gives a field the values that were sent for it.
func (d *markup) setTyped(e *element, values []string) {
	kind, was := d.attr(e, "type"), d.attr(e, "value")
	switch {
	case e.name == "select":
		for o := range d.named("option") {
			if o.parent == e {
				d.setFlag(o, "selected", len(values) > 0 && values[0] == d.optionValue(o))
			}
		}
	case kind == "checkbox" || kind == "radio":
		d.setFlag(e, "checked", slices.Contains(values, was) || was == "" && len(values) > 0)
	case kind == "file" || len(values) == 0:
	case e.name == "textarea": // what it holds is its text
		text := "\n" + strings.ReplaceAll(values[0], "\r\n", "\n") // the first line end is none of it
		e.text = &text
	default:
		if was != values[0] {
			d.set(e, "data-was", was) // what Escape gives back
		}
		d.set(e, "value", values[0])
	}
}

func (d *markup) optionValue(o *element) string {
	if value, ok := attrOf(d.page[o.start:o.open], "value"); ok {
		return value
	}
	return d.text(o)
}

// refillCells puts typed cells back into the table that they came from. Where the refusal
// does not say which of them is at fault, all of them are.
func (d *markup) refillCells(r *refused) {
	sent := r.Form
	rows, columns, values := sent["row"], sent["col"], sent["value"]
	if len(rows) != len(columns) || len(rows) != len(values) {
		return
	}
	typed := map[[2]string]string{}
	for i := range rows {
		typed[[2]string{rows[i], columns[i]}] = values[i]
	}
	for e := range d.named("td", "th") {
		row, grid := above(e, "tr"), above(e, "table")
		column := d.attr(e, "data-col")
		if column == "" || row == nil || grid == nil || d.attr(grid, "data-cells") != sent.Get("table") {
			continue
		}
		id := d.attr(row, "data-id")
		if value, ok := typed[[2]string{id, column}]; ok {
			d.set(e, "data-was", d.text(e))
			e.text = &value
			if r.Cell == nil || r.Cell.Row == id && r.Cell.Column == column {
				d.markInvalid(e)
			}
		}
	}
}

// markInvalid says of a field that it is at fault, and where it is said why.
func (d *markup) markInvalid(e *element) {
	d.set(e, "aria-invalid", "true")
	d.set(e, "aria-describedby", "flash")
}
