package web

import (
	"fmt"
	"html/template"
	"io/fs"
	"path"
	"regexp"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/draw"
)

// templates are the parsed pages, one set for each with the common pieces.
type templates map[string]*template.Template

func parseTemplates(linked *statics) (templates, error) {
	names, err := fs.Glob(files, "templates/*.html")
	if err != nil {
		return nil, err
	}
	common := template.New("").Funcs(templateFuncs).Funcs(template.FuncMap{"static": linked.url})
	var pages []string
	for _, n := range names {
		if !strings.HasPrefix(path.Base(n), "_") {
			pages = append(pages, n)
			continue
		}
		if err := parseInto(common.New(path.Base(n)), n); err != nil {
			return nil, err
		}
	}
	out := templates{}
	for _, n := range pages {
		set, err := common.Clone()
		if err != nil {
			return nil, err
		}
		if err := parseInto(set.New(path.Base(n)), n); err != nil {
			return nil, err
		}
		out[strings.TrimSuffix(path.Base(n), ".html")] = set
	}
	return out, nil
}

// indent is what begins a line of a template: for those who read it, not for the page.
var indent = regexp.MustCompile(`\n[ \t]+`)

// parseInto parses a file without its indentation, which would make up half of a page.
func parseInto(t *template.Template, name string) error {
	text, err := fs.ReadFile(files, name)
	if err != nil {
		return err
	}
	_, err = t.Parse(indent.ReplaceAllString(string(text), "\n"))
	return err
}

var templateFuncs = template.FuncMap{
	"keys":    midi.FormatKeysInShort,
	"inserts": rig.InsertsText,
	"wishes":  func() []string { return house.OwnOutputTexts },
	"pan":     rig.PanText,
	"list":    func(items ...any) []any { return items },
	"add":     func(a, b int) int { return a + b },
	"mul":     func(a, b int) int { return a * b },
	"plural":  plural,
	"short":   short,
	"fit":     draw.Fit,
	"lower":   strings.ToLower,
	"join":    strings.Join,
	"strip":   strip,
	"ordinal": func(i int) int { return i + 1 },
	"deref": func(p *int) int {
		if p == nil {
			return -1
		}
		return *p
	},
	"form":     formOf,
	"forms":    formOfSeveral,
	"listform": listFormOf,
	"stepform": stepFormOf,
	"rows":     rowsFormOf,
	"word":     wordOf,
	"termid":   termID,
	"empty":    emptyOf,
	"upload":   uploadOf,
	"class":    func(c string, f *formView) *formView { f.Class = c; return f },
	"id":       func(id string, f *formView) *formView { f.ID = id; return f },
	"plain":    func(f *formView) *formView { f.Exchange = false; return f },
	"boxes":    func(f *formView) *formView { f.Several = true; return f },
	"tracked":  func(f *formView) *formView { f.Upload = true; return f },
	"does":     does,
	// of what refers to something of an instrument, "i1:3": the instrument, and the output
	"placedof": func(ref string) string { placed, _, _ := strings.Cut(ref, ":"); return placed },
	"jackof":   func(ref string) string { _, jack, _ := strings.Cut(ref, ":"); return jack },
	"wishtext": func(w int) string { return house.OwnOutputTexts[w] },
	"accepts":  app.Accepts,
	"kinds":    app.Kinds,
}

// formView is a form as the pieces of templates open it: hidden fields, revision, target.
type formView struct {
	Action    string
	Method    string
	Class, ID string
	Hidden    []hiddenField
	Exchange  bool // answered by exchanging the page, so that focus and scroll stay
	Upload    bool // shows how far it is, and can be stopped
	Several   bool // it has several buttons: the Enter key presses none of them
	Files     bool
}

type hiddenField struct{ Name, Value string }

// hidden pairs names and values up.
func hidden(pairs []any) (out []hiddenField, err error) {
	if len(pairs)%2 != 0 {
		return nil, fmt.Errorf("hidden fields come in pairs of name and value, not %v", pairs)
	}
	for i := 0; i < len(pairs); i += 2 {
		out = append(out, hiddenField{fmt.Sprint(pairs[i]), fmt.Sprint(pairs[i+1])})
	}
	return out, nil
}

// documentForm is a form that changes the page's document.
func documentForm(d *document, pairs []any) (*formView, error) {
	if d == nil {
		return nil, fmt.Errorf("the page has no document to change")
	}
	fields, err := hidden(pairs)
	if err != nil {
		return nil, err
	}
	return &formView{Action: d.Edit, Method: "post", Hidden: append(d.hidden(), fields...), Exchange: true}, nil
}

// hidden are the fields that every form of a document carries.
func (d *document) hidden() []hiddenField {
	return []hiddenField{{"rev", fmt.Sprint(d.Revision.Revision)}, {"back", d.Back}}
}

// formOf is the form of one command, with its arguments that are settled already.
func formOf(d *document, name string, pairs ...any) (*formView, error) {
	f, err := documentForm(d, pairs)
	if err != nil {
		return nil, err
	}
	s := command.Named(d.On, name)
	if s == nil {
		return nil, fmt.Errorf("no command on a %s is called %q", d.On, name)
	}
	for i := 0; i < len(pairs); i += 2 {
		if field := fmt.Sprint(pairs[i]); !s.Takes(field) {
			return nil, fmt.Errorf("the command %q takes no %q", name, field)
		}
	}
	f.Hidden = append(f.Hidden, hiddenField{command.NameField, name})
	return f, nil
}

// formOfSeveral is a form whose buttons choose between commands; see does.
func formOfSeveral(d *document, group string, pairs ...any) (*formView, error) {
	if d != nil && len(command.OfForm(d.On, group)) == 0 {
		return nil, fmt.Errorf("no commands on a %s have the form %q", d.On, group)
	}
	return severalButtons(documentForm(d, pairs))
}

// severalButtons says of a form that none of its buttons is the one that the Enter key presses.
func severalButtons(f *formView, err error) (*formView, error) {
	if err == nil {
		f.Several = true
	}
	return f, err
}

// does lets a button of a form of several carry out one command.
func does(d *document, name string) (template.HTMLAttr, error) {
	if d == nil || command.Named(d.On, name) == nil {
		return "", fmt.Errorf("no command is called %q", name)
	}
	return template.HTMLAttr(fmt.Sprintf(`name="%s" value="%s"`, command.NameField, template.HTMLEscapeString(name))), nil
}

// listFormOf is a form beside a list: no document, no revision.
func listFormOf(action string, pairs ...any) (*formView, error) {
	fields, err := hidden(pairs)
	return &formView{Action: action, Method: "post", Hidden: fields}, err
}

// stepFormOf is a form that undoes or redoes.
func stepFormOf(d *document, which string) (*formView, error) {
	f, err := documentForm(d, nil)
	if err == nil {
		f.Action = d.Path + "/" + which
	}
	return f, err
}

// rowsFormOf is the form that the buttons in rows belong to; each carries its command with
// its arguments.
func rowsFormOf(d *document) (*formView, error) {
	f, err := severalButtons(documentForm(d, nil))
	if err == nil {
		f.ID = "rows"
	}
	return f, err
}

// emptyView is what is where there is nothing yet: what that means, and the first step.
type emptyView struct{ Title, Text, Href, Act string }

func emptyOf(title, text, href, act string) emptyView { return emptyView{title, text, href, act} }

// uploadOf is a form that sends a file, for a document or, with nil, for none.
func uploadOf(action string, d *document) *formView {
	f := &formView{Action: action, Method: "post", Upload: true, Files: true}
	if d != nil {
		f.Hidden = d.hidden()
	}
	return f
}

// strip draws lanes' colours side by side, narrower where they are many.
func strip(colours string) template.HTML {
	var b strings.Builder
	all := strings.Fields(colours)
	fmt.Fprintf(&b, `<g transform="scale(%.3g 1)">`, min(1, stripWidth/float64(7*len(all)+1)))
	for i, c := range all {
		if plainColour(c) {
			fmt.Fprintf(&b, `<path d="M%d 1v10" stroke="%s"/>`, 3+7*i, c)
		}
	}
	b.WriteString("</g>")
	return template.HTML(b.String()) // nothing but numbers and colours that were looked at
}

// stripWidth is how wide the strip of lanes is in a list, in CSS pixels.
const stripWidth = 160

func plainColour(c string) bool {
	return len(c) == 7 && c[0] == '#' && strings.Trim(c[1:], "0123456789abcdefABCDEF") == ""
}
