package web

import (
	"bytes"
	"iter"
	"net/url"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"hiddenlanes/core/tabular"
)

// page is a page with forms that are alike: told apart by command and hidden fields.
const samplePage = `<!DOCTYPE html><html><body><p id="flash">no</p>
<form action="/e"><input type="hidden" name="rev" value="8"><input type="hidden" name="lane" value="l1">
 <input type="hidden" name="do" value="name"><input name="name" value="Kick"></form>
<form action="/e"><input type="hidden" name="rev" value="8"><input type="hidden" name="lane" value="l2">
 <input type="hidden" name="do" value="name"><input name="name" value="Snare"></form>
<form action="/e"><input type="hidden" name="lane" value="l2"><input type="hidden" name="do" value="gain">
 <input name="gain" value="0.0 dB"></form>
<form action="/e" id="more"><input type="hidden" name="rev" value="8"><input name="at" value="1">
 <select name="to"><option value="">main</option><option value="b1">Drums</option><option>Hall</option></select>
 <label><input type="checkbox" name="mark" value="a" checked></label><input type="checkbox" name="mark" value="b">
 <input type="checkbox" name="sides" checked>
 <button name="do" value="park">Park</button><button name="do" value="off">Off</button></form>
<input name="outside" form="more" value="was">
<table data-cells="voices"><tr data-id="v1"><td data-col="name">Kick</td><td data-col="width">mono</td></tr>
<tr data-id="v2"><td data-col="name">Snare</td><td data-col="width">mono</td></tr></table></body></html>`

// refilled is the sample page after a refusal.
func refilled(t *testing.T, r *refused) *html.Node {
	t.Helper()
	b := bytes.NewBufferString(samplePage)
	refill(b, r)
	root, err := html.Parse(b)
	if err != nil {
		t.Fatal(err)
	}
	return root
}

// marked lists what is marked as at fault, by its name or text.
func marked(root *html.Node) string {
	var out []string
	for n := range root.Descendants() {
		if n.Type == html.ElementNode && attr(n, "aria-invalid") == "true" {
			out = append(out, attr(n, "name")+text(n))
		}
	}
	return strings.Join(out, ",")
}

// values lists the values of fields with a name.
func values(root *html.Node, name string) (out []string) {
	for n := range root.Descendants() {
		if n.Type != html.ElementNode || attr(n, "name") != name {
			continue
		}
		on := false
		for _, a := range n.Attr {
			on = on || a.Key == "checked"
		}
		switch {
		case n.Data == "select":
			for o := range n.Descendants() {
				for _, a := range o.Attr {
					if a.Key == "selected" {
						out = append(out, optionValue(o))
					}
				}
			}
		case attr(n, "type") == "checkbox" && !on:
			out = append(out, "not "+attr(n, "value"))
		default:
			out = append(out, attr(n, "value"))
		}
	}
	return out
}

// Only the form that was sent is shown as typed, among others of the same command.
func TestTheRefusedFormIsFoundAmongOthers(t *testing.T) {
	root := refilled(t, &refused{Action: "/e", Field: "name",
		Form: url.Values{"do": {"name"}, "lane": {"l2"}, "rev": {"7"}, "name": {` "><b> `}}})
	if got := values(root, "name"); len(got) != 2 || got[0] != "Kick" || got[1] != ` "><b> ` {
		t.Errorf("the names are %q", got)
	}
	if got := marked(root); got != "name" {
		t.Errorf("marked: %s", got)
	}
	// Of two forms on one lane it is the one of the command that was sent.
	root = refilled(t, &refused{Action: "/e", Field: "gain", Form: url.Values{"do": {"gain"}, "lane": {"l2"},
		"gain": {"loud"}}})
	if got := values(root, "gain"); marked(root) != "gain" || got[0] != "loud" || values(root, "name")[1] != "Snare" {
		t.Errorf("the level is %q, marked %s, and the names are %q", got, marked(root), values(root, "name"))
	}
	// A form that is not there any more changes nothing.
	root = refilled(t, &refused{Action: "/e", Field: "name", Form: url.Values{"do": {"name"}, "lane": {"l9"},
		"name": {"x"}}})
	if got := values(root, "name"); marked(root) != "" || got[0] != "Kick" || got[1] != "Snare" {
		t.Errorf("a form of another page was filled in: %q", got)
	}
}

// Choices, marks, checkboxes and fields outside their form come back as they were sent.
func TestEveryKindOfFieldIsFilledIn(t *testing.T) {
	root := refilled(t, &refused{Action: "/e", Field: "to", Form: url.Values{"do": {"off"}, "rev": {"8"}, "at": {"9"},
		"to": {"Hall"}, "mark": {"b"}, "outside": {"typed"}}})
	for name, want := range map[string]string{"at": "9", "to": "Hall", "mark": "not a b", "sides": "not ",
		"outside": "typed"} {
		if got := strings.Join(values(root, name), " "); got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if got := marked(root); !strings.HasPrefix(got, "to") || strings.Contains(got, ",") {
		t.Errorf("marked: %s", got)
	}
	root = refilled(t, &refused{Action: "/e", Field: "out*", Form: url.Values{"do": {"park"}, "outside": {"x"}}})
	if got := marked(root); got != "outside" {
		t.Errorf("marked of all that begin so: %s", got)
	}
}

// Typed cells come back to their table; the one at fault is marked, or all where none is
// named.
func TestRefusedCellsAreShownAsTyped(t *testing.T) {
	sent := url.Values{"do": {"cells"}, "table": {"voices"}, "row": {"v1", "v2"}, "col": {"width", "width"},
		"value": {"stereo", "wide"}}
	cells := func(root *html.Node) (out []string) {
		for n := range root.Descendants() {
			if n.Data == "td" {
				out = append(out, text(n)+attr(n, "data-was"))
			}
		}
		return out
	}
	root := refilled(t, &refused{Action: "/instruments/1/edit", Form: sent,
		Cell: &tabular.Error{Row: "v2", Column: "width"}})
	if got := strings.Join(cells(root), " "); got != "Kick stereomono Snare widemono" || marked(root) != "wide" {
		t.Errorf("the cells are %q, marked %s", got, marked(root))
	}
	root = refilled(t, &refused{Action: "/instruments/1/edit", Form: sent})
	if got := marked(root); got != "stereo,wide" {
		t.Errorf("marked: %s", got)
	}
	sent.Set("table", "parts")
	if root = refilled(t, &refused{Action: "/instruments/1/edit", Form: sent}); marked(root) != "" {
		t.Errorf("cells of another table are marked: %s", marked(root))
	}
}

// A form opened by a piece names a command that there is, with arguments that it takes;
// a slip is an error when the page is drawn, and not a button that does nothing.
func TestPiecesOfFormsKnowTheirCommands(t *testing.T) {
	d := &document{Path: "/projects/4", Edit: "/projects/4/edit", On: "project", Back: "lanes"}
	d.Revision.Revision = 12
	f, err := formOf(d, "move", "lane", "l2")
	if err != nil || f.Action != "/projects/4/edit" || !f.Exchange {
		t.Fatalf("got %+v, %v; want f.Action \"/projects/4/edit\", f.Exchange", f, err)
	}
	got := map[string]string{}
	for _, h := range f.Hidden {
		got[h.Name] = h.Value
	}
	for name, want := range map[string]string{"do": "move", "rev": "12", "back": "lanes", "lane": "l2"} {
		if got[name] != want {
			t.Errorf("the hidden field %s is %q, want %q", name, got[name], want)
		}
	}
	for why, open := range map[string]func() (*formView, error){
		"called":   func() (*formView, error) { return formOf(d, "fly", "lane", "l2") },
		"takes no": func() (*formView, error) { return formOf(d, "move", "wing", "l2") },
		"in pairs": func() (*formView, error) { return formOf(d, "move", "lane") },
		"document": func() (*formView, error) { return formOf(nil, "move", "lane", "l2") },
		"the form": func() (*formView, error) { return formOfSeveral(d, "nests") },
	} {
		if _, err := open(); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%v, want %q", err, why)
		}
	}
	if _, err := does(d, "fly"); err == nil {
		t.Error("a button can do what there is not")
	}
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

func optionValue(o *html.Node) string {
	for _, a := range o.Attr {
		if a.Key == "value" {
			return a.Val
		}
	}
	return text(o)
}

func nodeAbove(n *html.Node, tag string) *html.Node {
	for n = n.Parent; n != nil && n.Data != tag; n = n.Parent {
	}
	return n
}

// fieldsOf goes through the fields of a form, those outside it that name it included.
func fieldsOf(root, form *html.Node) iter.Seq[*html.Node] {
	return func(yield func(*html.Node) bool) {
		for n := range root.Descendants() {
			if n.Type != html.ElementNode || !slices.Contains(fieldNames, n.Data) {
				continue
			}
			of := attr(n, "form")
			if (of == "" && nodeAbove(n, "form") == form || of != "" && of == attr(form, "id")) && !yield(n) {
				return
			}
		}
	}
}
