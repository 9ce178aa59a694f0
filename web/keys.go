package web

import (
	"fmt"
	"html/template"
	"strings"

	"hiddenlanes/app"
)

// shortcut is a key that does something on every page, or on every page of a project. The
// user may give it another key, or none.
type shortcut struct {
	Name  string // of the page or the button it presses
	Label string
	Key   string // as it comes
}

// shortcuts lists them, in the order of help and settings.
var shortcuts []shortcut

func init() {
	shortcuts = []shortcut{{"undo", "Undo the last change", "z"}, {"redo", "Redo it", "y"},
		{"search", "Search on the page", "/"}}
	for _, p := range sitePages {
		if p.Key != "" {
			shortcuts = append(shortcuts, shortcut{p.Name, "Open " + lowerFirst(p.Title), p.Key})
		}
	}
	for _, v := range views {
		if v.Key != "" {
			shortcuts = append(shortcuts, shortcut{v.Name, "Open the " + strings.ToLower(v.Title), v.Key})
		}
	}
	for _, s := range stops {
		shortcuts = append(shortcuts, shortcut{s.Shortcut, "Open stage " + s.Key + ", " + strings.ToLower(s.Name), s.Key})
	}
}

func lowerFirst(s string) string { return strings.ToLower(s[:1]) + s[1:] }

// keysOf is what each shortcut is pressed by, by its name; those without a key are left out.
func keysBy(p app.Preferences) map[string]string {
	out := map[string]string{}
	if p.NoKeys {
		return out
	}
	for _, s := range shortcuts {
		key := s.Key
		if own, ok := p.Keys[s.Name]; ok {
			key = own
		}
		if key != "" {
			out[s.Name] = key
		}
	}
	return out
}

// readKeys reads the keys of a form, by the names of shortcuts: one character each, no two
// the same; none switches a shortcut off.
func readKeys(typed func(name string) string) (map[string]string, string, error) {
	out, taken := map[string]string{}, map[string]string{}
	for _, s := range shortcuts {
		key := strings.TrimSpace(typed("key-" + s.Name))
		if n := len([]rune(key)); n > 1 {
			return nil, "key-" + s.Name, fmt.Errorf("%q is not one key. Type one character, or none to switch it off", key)
		}
		if other, ok := taken[key]; ok && key != "" {
			return nil, "key-" + s.Name, fmt.Errorf("%q is the key of two shortcuts: %s, and %s. Give one of them another key",
				key, lowerFirst(other), lowerFirst(s.Label))
		}
		taken[key] = s.Label
		if key != s.Key {
			out[s.Name] = key
		}
	}
	return out, "", nil
}

// KeyOf is the key that presses a shortcut, or "".
func (f frame) KeyOf(name string) string { return f.Keys[name] }

// Press is what an element carries that a key presses.
func (f frame) Press(name string) template.HTMLAttr {
	key := f.Keys[name]
	if key == "" {
		return ""
	}
	return template.HTMLAttr(fmt.Sprintf(` data-key="%[1]s" aria-keyshortcuts="%[1]s"`, template.HTMLEscapeString(key)))
}

// Shortcuts lists the shortcuts, for help and settings.
func (frame) Shortcuts() []shortcut { return shortcuts }
