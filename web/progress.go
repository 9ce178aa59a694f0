package web

import (
	"encoding/json"
	"net/http"
	"sync"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/internal/progress"
)

// progressHeader names a request whose page asks meanwhile how far it is.
const progressHeader = "X-Progress"

// progressOf is how far a request is.
type progressOf struct {
	What string `json:"what"`
	Done int    `json:"done"`
	Of   int    `json:"of"`
}

// underWay holds how far requests are, by the names they gave themselves.
type underWay struct {
	mu   sync.Mutex
	name map[string]progressOf
}

// follow lets a request that names itself be asked for.
func (u *underWay) follow(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		name := r.Header.Get(progressHeader)
		if name == "" || len(name) > 64 {
			next.ServeHTTP(w, r)
			return
		}
		defer func() {
			u.mu.Lock()
			defer u.mu.Unlock()
			delete(u.name, name)
		}()
		next.ServeHTTP(w, r.WithContext(progress.With(r.Context(), func(what string, done, of int) {
			u.mu.Lock()
			defer u.mu.Unlock()
			u.name[name] = progressOf{what, done, of}
		})))
	})
}

// serve answers how far a request is; of nothing where it is not under way.
func (u *underWay) serve(w http.ResponseWriter, r *http.Request) {
	u.mu.Lock()
	p := u.name[chi.URLParam(r, "name")]
	u.mu.Unlock()
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	_ = json.NewEncoder(w).Encode(p)
}
