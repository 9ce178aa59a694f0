package web

import (
	"net/http"
	"strings"

	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
)

// help shows the shortcuts, how to read a map, the findings and the settings.
func (s *server) help(w http.ResponseWriter, r *http.Request) {
	s.page(w, r, http.StatusOK, "help", frame{Title: "Keys and help", Data: check.Rules})
}

// settings keeps the theme (in this browser) and what middle C is called.
func (s *server) settings(w http.ResponseWriter, r *http.Request) {
	if err := readForm(w, r); err != nil {
		s.fail(w, r, err)
		return
	}
	if t := r.PostForm.Get("theme"); t != "" {
		http.SetCookie(w, &http.Cookie{Name: "theme", Value: t, Path: "/", MaxAge: 400 * 24 * 3600,
			SameSite: http.SameSiteStrictMode, HttpOnly: true})
	}
	if c := r.PostForm.Get("middlec"); c != "" {
		n := midi.MiddleC3
		if c == "C4" {
			n = midi.MiddleC4
		}
		if err := s.app.SetNaming(r.Context(), n); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	to := r.PostForm.Get("back")
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") {
		to = "/help"
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
}
