package web

import (
	"bytes"
	"iter"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// Pages that were drawn are read by places in their text, and no tree is made of them: regions are cut
// out of them, and refused forms filled in. What is read is what our templates write: "<" stands in
// front of tags only, everywhere else it is escaped, and values of attributes stand in double quotes.

// void are the elements without an end.
var void = []string{"area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source",
	"track", "wbr"}

// scan goes through the elements of a page. begin gets the name of each and where its start tag lies,
// and gives what is held for its end, or nil; finish gets that, and where the end tag lies.
func scan(page []byte, begin func(name string, start, end int) any, finish func(held any, start, end int)) {
	type element struct {
		name string
		held any
	}
	var open []element
	for at := 0; ; {
		i := bytes.IndexByte(page[at:], '<')
		if i < 0 {
			return
		}
		at += i
		size := bytes.IndexByte(page[at:], '>') + 1
		if size == 0 {
			return
		}
		tag := page[at : at+size]
		name := tagName(tag)
		switch {
		case name == "":
		case tag[1] == '/':
			for len(open) > 0 {
				e := open[len(open)-1]
				open = open[:len(open)-1]
				if e.held != nil {
					finish(e.held, at, at+size)
				}
				if e.name == name {
					break
				}
			}
		default:
			held := begin(name, at, at+size)
			if !bytes.HasSuffix(tag, []byte("/>")) && !slices.Contains(void, name) {
				open = append(open, element{name, held})
			}
		}
		at += size
	}
}

func tagName(tag []byte) string {
	from := 1
	if len(tag) > 1 && tag[1] == '/' {
		from = 2
	}
	to := from
	for to < len(tag) && (tag[to] >= 'a' && tag[to] <= 'z' || tag[to] >= 'A' && tag[to] <= 'Z' || tag[to] >= '0' &&
		tag[to] <= '9') {
		to++
	}
	return string(tag[from:to])
}

// attrIn is where an attribute stands in a tag, after a space or the end of a line; −1: it has
// none.
func attrIn(tag []byte, attr string) int {
	for at := 0; ; {
		i := bytes.Index(tag[at:], []byte(attr))
		if i < 0 {
			return -1
		}
		at += i
		if at > 0 && (tag[at-1] == ' ' || tag[at-1] == '\n') {
			return at
		}
		at += len(attr)
	}
}

// tagAttribute is one of a tag: where it lies, and its value as it is written.
type tagAttribute struct {
	key      string
	from, to int
	value    []byte
}

// attributes goes through the attributes of a start tag.
func attributes(tag []byte) iter.Seq[tagAttribute] {
	return func(yield func(tagAttribute) bool) {
		at := bytes.IndexAny(tag, " \n")
		for at >= 0 && at < len(tag) {
			for at < len(tag) && (tag[at] == ' ' || tag[at] == '\n' || tag[at] == '\t') {
				at++
			}
			a := tagAttribute{from: at}
			for at < len(tag) && !bytes.ContainsRune([]byte(" \n\t=>"), rune(tag[at])) {
				at++
			}
			a.key = string(tag[a.from:at])
			if a.key == "" || a.key == "/" {
				return
			}
			if at+1 < len(tag) && tag[at] == '=' && tag[at+1] == '"' {
				value, _, _ := bytes.Cut(tag[at+2:], []byte(`"`))
				a.value = value
				at += 2 + len(value) + 1
			}
			if a.to = min(at, len(tag)); !yield(a) {
				return
			}
		}
	}
}

// attrOf is the value of an attribute of a tag.
func attrOf(tag []byte, key string) (value string, ok bool) {
	for a := range attributes(tag) {
		if a.key == key {
			return html.UnescapeString(string(a.value)), true
		}
	}
	return "", false
}

// element is an element of a page that is filled in: its start tag is page[start:open], what it holds
// page[open:end].
type element struct {
	name             string
	start, open, end int
	parent           *element
	tag              []byte // as it is to be; nil: as it is
	text             *string
}

// markup is a page with those of its elements that can be filled in, in their order.
type markup struct {
	page     []byte
	elements []*element
}

// fillable are the elements that a refused form, or a table of cells, is found by.
var fillable = []string{"form", "input", "select", "option", "textarea", "button", "table", "tr", "td", "th"}

func markupOf(page []byte) *markup {
	d := &markup{page: page}
	var parent *element
	scan(page, func(name string, start, end int) any {
		if !slices.Contains(fillable, name) {
			return nil
		}
		e := &element{name: name, start: start, open: end, end: end, parent: parent}
		d.elements = append(d.elements, e)
		if slices.Contains(void, name) {
			return nil
		}
		parent = e
		return e
	}, func(held any, start, _ int) {
		e := held.(*element)
		e.end, parent = start, e.parent
	})
	return d
}

// named goes through the elements with one of some names.
func (d *markup) named(names ...string) iter.Seq[*element] {
	return func(yield func(*element) bool) {
		for _, e := range d.elements {
			if slices.Contains(names, e.name) && !yield(e) {
				return
			}
		}
	}
}

// attr is the value of an attribute of an element, or "".
func (d *markup) attr(e *element, key string) string {
	value, _ := attrOf(d.page[e.start:e.open], key)
	return value
}

// set gives an element an attribute, in place of the one it has.
func (d *markup) set(e *element, key, value string) {
	d.remove(e, key)
	at := len(e.tag) - 1
	e.tag = slices.Concat(e.tag[:at], []byte(" "+key+`="`+html.EscapeString(value)+`"`), e.tag[at:])
}

// remove takes an attribute of an element out, with a value or without.
func (d *markup) remove(e *element, key string) {
	if e.tag == nil {
		e.tag = slices.Clone(d.page[e.start:e.open])
	}
	for a := range attributes(e.tag) {
		if a.key == key {
			e.tag = slices.Concat(e.tag[:a.from-1], e.tag[a.to:])
			return
		}
	}
}

// setFlag gives an element an attribute without a value, or takes it out.
func (d *markup) setFlag(e *element, key string, on bool) {
	d.remove(e, key)
	if on {
		at := len(e.tag) - 1
		e.tag = slices.Concat(e.tag[:at], []byte(" "+key), e.tag[at:])
	}
}

// text is what an element holds, without its tags.
func (d *markup) text(e *element) string {
	var b strings.Builder
	inside := d.page[e.open:e.end]
	for len(inside) > 0 {
		text, rest, _ := bytes.Cut(inside, []byte("<"))
		b.Write(text)
		_, inside, _ = bytes.Cut(rest, []byte(">"))
	}
	return strings.TrimSpace(html.UnescapeString(b.String()))
}

// above is the nearest element with a name around another, or nil.
func above(e *element, name string) *element {
	for e = e.parent; e != nil && e.name != name; e = e.parent {
	}
	return e
}

// filled is the page with what was set.
func (d *markup) filled() []byte {
	out := make([]byte, 0, len(d.page)+1024)
	at := 0
	for _, e := range d.elements {
		if e.tag != nil && e.start >= at {
			out = append(append(out, d.page[at:e.start]...), e.tag...)
			at = e.open
		}
		if e.text != nil && e.open >= at {
			out = append(append(out, d.page[at:e.open]...), html.EscapeString(*e.text)...)
			at = e.end
		}
	}
	return append(out, d.page[at:]...)
}
