package web

import (
	"bytes"
	"net/url"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"hiddenlanes/app/command"
)

// A form that was refused is shown again as it was typed, with the field at fault marked.
// That is done here for every form alike, on the page as it was drawn, so that no template
// needs to know of it: the form is the one whose command and hidden fields are those that
// came, and a table of cells is found by its rows and columns.

// refill puts what was typed back into the page, and marks the field at fault.
func refill(page *bytes.Buffer, r *refused) error {
	root, err := html.Parse(bytes.NewReader(page.Bytes()))
	if err != nil {
		return err
	}
	if form := findForm(root, r); form != nil {
		refillForm(root, form, r)
	} else {
		refillCells(root, r)
	}
	page.Reset()
	return html.Render(page, root)
}

// findForm is the form that was sent, or nil.
func findForm(root *html.Node, r *refused) *html.Node {
	for n := range root.Descendants() {
		if n.Data == "form" && n.Type == html.ElementNode && attr(n, "action") == r.Action && isSent(root, n, r.Form) &&
			(r.Field == "" || hasField(root, n, r.Field)) {
			return n
		}
	}
	return nil
}

// hasField reports whether a form has the field at fault; one that no form has is let pass.
func hasField(root, form *html.Node, fault string) bool {
	for n := range fields(root, form) {
		if atFault(fault, attr(n, "name")) {
			return true
		}
	}
	for n := range root.Descendants() {
		if isField(n) && atFault(fault, attr(n, "name")) {
			return false
		}
	}
	return true
}

// isSent reports whether a form's hidden fields, and the command of it or of one of its
// buttons, are those that came.
func isSent(root, form *html.Node, sent url.Values) bool {
	does := !sent.Has(command.NameField)
	for n := range fields(root, form) {
		name, value := attr(n, "name"), attr(n, "value")
		switch {
		case name == command.NameField:
			does = does || value == sent.Get(name)
		case n.Data == "input" && attr(n, "type") == "hidden" && !slices.Contains(command.Framing, name):
			if !slices.Contains(sent[name], value) {
				return false
			}
		}
	}
	return does
}

// fields goes through the fields of a form, those outside it that name it included.
func fields(root, form *html.Node) func(yield func(*html.Node) bool) {
	id := attr(form, "id")
	return func(yield func(*html.Node) bool) {
		for n := range form.Descendants() {
			if isField(n) && attr(n, "form") == "" && !yield(n) {
				return
			}
		}
		if id == "" {
			return
		}
		for n := range root.Descendants() {
			if isField(n) && attr(n, "form") == id && !yield(n) {
				return
			}
		}
	}
}

func isField(n *html.Node) bool {
	return n.Type == html.ElementNode && slices.Contains([]string{"input", "select", "textarea", "button"}, n.Data)
}

func refillForm(root, form *html.Node, r *refused) {
	for n := range fields(root, form) {
		name := attr(n, "name")
		if name == "" || n.Data == "button" || attr(n, "type") == "hidden" {
			continue
		}
		setTyped(n, r.Form[name])
		if atFault(r.Field, name) {
			markInvalid(n)
		}
	}
}

// atFault reports whether a field is the one at fault; "bus-*" are all that begin so.
func atFault(fault, name string) bool {
	prefix, several := strings.CutSuffix(fault, "*")
	return fault != "" && (name == fault || several && strings.HasPrefix(name, prefix))
}

// setTyped gives a field the values that were sent for it.
func setTyped(n *html.Node, values []string) {
	switch {
	case n.Data == "select":
		for o := range n.Descendants() {
			if o.Data == "option" {
				setFlag(o, "selected", len(values) > 0 && values[0] == optionValue(o))
			}
		}
	case attr(n, "type") == "checkbox" || attr(n, "type") == "radio":
		value := attr(n, "value")
		setFlag(n, "checked", slices.Contains(values, value) || value == "" && len(values) > 0)
	case attr(n, "type") == "file":
	case n.Data == "textarea" && len(values) > 0: // what it holds is its text
		for c := n.FirstChild; c != nil; c = n.FirstChild {
			n.RemoveChild(c)
		}
		n.AppendChild(&html.Node{Type: html.TextNode, Data: strings.ReplaceAll(values[0], "\r\n", "\n")})
	case len(values) > 0:
		if was := attr(n, "value"); was != values[0] {
			set(n, "data-was", was) // what Escape gives back
		}
		set(n, "value", values[0])
	}
}

func optionValue(o *html.Node) string {
	for _, a := range o.Attr {
		if a.Key == "value" {
			return a.Val
		}
	}
	return text(o)
}

// refillCells puts typed cells back into the table that they came from. Where the refusal
// does not say which of them is at fault, all of them are.
func refillCells(root *html.Node, r *refused) {
	sent := r.Form
	rows, columns, values := sent["row"], sent["col"], sent["value"]
	if len(rows) != len(columns) || len(rows) != len(values) {
		return
	}
	typed := map[[2]string]string{}
	for i := range rows {
		typed[[2]string{rows[i], columns[i]}] = values[i]
	}
	for n := range root.Descendants() {
		if n.Data != "td" && n.Data != "th" || attr(n, "data-col") == "" {
			continue
		}
		row, grid := above(n, "tr"), above(n, "table")
		if row == nil || grid == nil || attr(grid, "data-cells") != sent.Get("table") {
			continue
		}
		id, column := attr(row, "data-id"), attr(n, "data-col")
		if value, ok := typed[[2]string{id, column}]; ok {
			set(n, "data-was", text(n))
			for c := n.FirstChild; c != nil; c = n.FirstChild {
				n.RemoveChild(c)
			}
			n.AppendChild(&html.Node{Type: html.TextNode, Data: value})
			if r.Cell == nil || r.Cell.Row == id && r.Cell.Column == column {
				markInvalid(n)
			}
		}
	}
}

// markInvalid says of a field that it is at fault, and where it is said why.
func markInvalid(n *html.Node) {
	set(n, "aria-invalid", "true")
	set(n, "aria-describedby", "flash")
}

func above(n *html.Node, tag string) *html.Node {
	for n = n.Parent; n != nil && n.Data != tag; n = n.Parent {
	}
	return n
}

func text(n *html.Node) string {
	var b strings.Builder
	for c := range n.Descendants() {
		if c.Type == html.TextNode {
			b.WriteString(c.Data)
		}
	}
	return strings.TrimSpace(b.String())
}

func attr(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func set(n *html.Node, key, value string) {
	for i := range n.Attr {
		if n.Attr[i].Key == key {
			n.Attr[i].Val = value
			return
		}
	}
	n.Attr = append(n.Attr, html.Attribute{Key: key, Val: value})
}

func setFlag(n *html.Node, key string, on bool) {
	n.Attr = slices.DeleteFunc(n.Attr, func(a html.Attribute) bool { return a.Key == key })
	if on {
		set(n, key, "")
	}
}
