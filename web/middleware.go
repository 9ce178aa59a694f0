package web

import (
	"crypto/sha256"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/internal/fault"
)

// staticFiles serves the embedded files with a tag made of their content, so
// that a browser asks again and is told that nothing has changed.
func staticFiles(static fs.FS) (http.HandlerFunc, error) {
	tags := map[string]string{}
	err := fs.WalkDir(static, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(static, path)
		tags[path] = fmt.Sprintf(`"%x"`, sha256.Sum256(b))
		return err
	})
	files := http.StripPrefix("/static/", http.FileServerFS(static))
	return func(w http.ResponseWriter, r *http.Request) {
		if tag, ok := tags[chi.URLParam(r, "*")]; ok {
			w.Header().Set("ETag", tag)
			w.Header().Set("Cache-Control", "no-cache")
		}
		files.ServeHTTP(w, r)
	}, err
}

// headers sets what every answer carries: nothing from outside, nothing inline.
func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; "+
			"img-src 'self' data:; font-src 'self'; connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri "+
			"'none'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

// ownHost refuses a Host header that is not the address the request came to, so
// that a name somebody points at this machine does not reach the data.
func ownHost(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		local, ok := r.Context().Value(http.LocalAddrContextKey).(net.Addr)
		if !ok || !hostIs(r.Host, local.String()) {
			http.Error(w, "This address is not the one Hidden Lanes listens on. "+
				"Open the address it printed when it started.", http.StatusMisdirectedRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

func hostIs(host, local string) bool {
	if host == local {
		return true
	}
	ip, port, err := net.SplitHostPort(local)
	if err != nil {
		return false
	}
	h, p, err := net.SplitHostPort(host)
	if err != nil {
		h, p = strings.Trim(host, "[]"), "80"
	}
	addr := net.ParseIP(ip)
	if p != port || addr == nil {
		return false
	}
	return addr.Equal(net.ParseIP(h)) || addr.IsLoopback() && strings.EqualFold(h, "localhost")
}

// recoverer turns a panic, here or in a goroutine that handed it on, into a page and a line
// in the log.
func (s *server) recoverer(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if v := recover(); v != nil {
				if v == http.ErrAbortHandler {
					panic(v)
				}
				s.fail(w, r, fault.Panicked(v, r.Method+" "+r.URL.Path))
			}
		}()
		next.ServeHTTP(w, r)
	})
}
