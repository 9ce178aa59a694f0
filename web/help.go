package web

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
)

// helpPage explains the pages, the words and the problems, and has the settings.
type helpPage struct {
	Rules  []*check.Rule
	Terms  []term
	Pages  []helpEntry
	NoKeys bool
}

// help shows the shortcuts, how to read a map, the words, the problems and the settings.
func (s *server) help(w http.ResponseWriter, r *http.Request) {
	s.showHelp(w, r, http.StatusOK, said{})
}

func (s *server) showHelp(w http.ResponseWriter, r *http.Request, code int, sd said) {
	prefs, err := s.app.Preferences(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, code, "help", frame{Title: "Help and settings", At: "/help", Flash: sd.flash, Refused: sd.refused,
		Data: helpPage{check.Rules, terms, helpList, prefs.NoKeys}})
}

// themes are those that settings take: the system's, paper and asphalt.
var themes = []string{"auto", "light", "dark"}

// settings keeps the theme (in this browser), what middle C is called and which keys are
// shortcuts.
func (s *server) settings(w http.ResponseWriter, r *http.Request) {
	if err := readForm(w, r); err != nil {
		s.fail(w, r, err)
		return
	}
	if t := r.PostForm.Get("theme"); t != "" {
		if !slices.Contains(themes, t) {
			s.fail(w, r, fmt.Errorf("%q is not a theme; choose one of %s", t, strings.Join(themes, ", ")))
			return
		}
		http.SetCookie(w, &http.Cookie{Name: "theme", Value: t, Path: "/", MaxAge: 400 * 24 * 3600,
			SameSite: http.SameSiteStrictMode, HttpOnly: true})
	}
	if c := r.PostForm.Get("middlec"); c != "" {
		n := midi.MiddleC3
		switch c {
		case "C3":
		case "C4":
			n = midi.MiddleC4
		default:
			s.fail(w, r, fmt.Errorf("middle C is called C3 or C4, not %q", c))
			return
		}
		if err := s.app.SetNaming(r.Context(), n); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	if r.PostForm.Has("keys") {
		if !s.keepKeys(w, r) {
			return
		}
	}
	to := r.PostForm.Get("back")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") {
		to = "/help#settings"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// keepKeys keeps the shortcuts of a form; where they cannot be, the page says why, and ok is
// false.
func (s *server) keepKeys(w http.ResponseWriter, r *http.Request) (ok bool) {
	keys, field, err := readKeys(r.PostForm.Get)
	if r.PostForm.Get("keys") == "usual" {
		keys, err = nil, nil
	}
	if err == nil {
		err = s.app.SetKeys(r.Context(), r.PostForm.Get("keys") == "none", keys)
	}
	if err != nil {
		sd := refusedForm(r, err)
		sd.refused.Field = field
		s.showHelp(w, r, s.status(r, err), sd)
		return false
	}
	return true
}
