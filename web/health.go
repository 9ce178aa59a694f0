package web

import (
	"fmt"
	"io"
	"net/http"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/internal/fault"
)

// healthy answers those that watch over the process: "ok" where the data can be read.
func (s *server) healthy(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/plain; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	if err := s.app.Healthy(r.Context()); err != nil {
		w.WriteHeader(http.StatusServiceUnavailable)
		_, _ = io.WriteString(w, message(err)+"\n")
		return
	}
	_, _ = io.WriteString(w, "ok\n")
}

// noSuchMethod says that an address is there, but not for what was asked of it.
func (s *server) noSuchMethod(routes chi.Routes) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if routes.Match(chi.NewRouteContext(), http.MethodGet, r.URL.Path) {
			w.Header().Add("Allow", http.MethodGet)
			w.Header().Add("Allow", http.MethodHead) // see headAsGet
		}
		if routes.Match(chi.NewRouteContext(), http.MethodPost, r.URL.Path) {
			w.Header().Add("Allow", http.MethodPost)
		}
		s.page(w, r, http.StatusMethodNotAllowed, "error", frame{Title: titles[fault.User],
			Data: fmt.Sprintf("%s is nothing that this address takes. Open it, or send a form from its page.", r.Method)})
	}
}
