package web

import (
	"net"
	"net/http"
	"net/url"
	"regexp"
	"strings"

	"hiddenlanes/internal/fault"
)

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

// headAsGet answers a request for the head as it would for the whole; the server sends no
// body.
func headAsGet(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead {
			r = r.Clone(r.Context())
			r.Method = http.MethodGet
		}
		next.ServeHTTP(w, r)
	})
}

// withoutSlash leads an address with a slash behind it to the one without, and a project's
// own to the one with it.
func withoutSlash(next http.Handler) http.Handler {
	project := regexp.MustCompile(`^/projects/\d+$`)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			next.ServeHTTP(w, r)
			return
		}
		to := strings.TrimRight(r.URL.Path, "/")
		switch {
		case project.MatchString(to):
			to += "/"
		case to == "":
			to = "/"
		}
		if to == r.URL.Path || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") {
			next.ServeHTTP(w, r)
			return
		}
		u := url.URL{Path: to, RawQuery: r.URL.RawQuery}
		http.Redirect(w, r, u.String(), http.StatusPermanentRedirect)
	})
}
