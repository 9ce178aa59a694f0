// Package web serves the pages: routes, handlers, page models, templates and
// static files. All it knows of the rules it has from the core, by way of app.
package web

import (
	"crypto/sha256"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"hiddenlanes/app"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/store"
)

//go:embed static all:templates
var files embed.FS

// Limits of what may be sent to the server, in bytes.
const (
	maxForm       = 1 << 20
	maxSong       = 64 << 20
	maxInstrument = 512 << 20
)

// server holds what the handlers need.
type server struct {
	app   *app.App
	pages pages
	log   *slog.Logger
}

// New makes the handler for the whole application.
func New(a *app.App, log *slog.Logger) (http.Handler, error) {
	s := &server{app: a, log: log}
	if err := s.pages.parse(); err != nil {
		return nil, err
	}
	static, err := fs.Sub(files, "static")
	if err != nil {
		return nil, err
	}
	r := chi.NewRouter()
	r.Use(s.recoverer, ownHost, headers, http.NewCrossOriginProtection().Handler)
	under := underWay{name: map[string]progress{}}
	r.Use(middleware.Compress(5), under.follow)
	serveStatic, err := staticFiles(static)
	if err != nil {
		return nil, err
	}
	r.Get("/static/*", serveStatic)
	r.Get("/", s.projects)
	r.Get("/help", s.help)
	r.Get("/progress/{name}", under.tell)
	r.Get("/drift", s.drift)
	r.Post("/drift/align", s.align)
	r.Post("/drift/depart", s.depart)
	r.Post("/drift/batches/{id}/undo", s.walkBatch(false))
	r.Post("/drift/batches/{id}/redo", s.walkBatch(true))
	r.Get("/songs", s.songs)
	r.Post("/songs", s.bringSong)
	r.Get("/songs/{id}", s.songFor)
	r.Get("/songs/{id}/rewritten.mid", s.rewritten)
	r.Get("/house", s.house)
	r.Post("/house", s.editHouse)
	r.Post("/house/undo", s.walkHouse(false))
	r.Post("/house/redo", s.walkHouse(true))
	r.Get("/house/learn", s.learn)
	r.Post("/house/learn", s.learnFrom)
	r.Post("/house/accept", s.acceptLearned)
	r.Post("/settings", s.settings)
	r.Get("/instruments", s.shelf)
	r.Post("/instruments", s.importInstruments)
	r.Get("/instruments/{id}", s.instrument)
	r.Post("/instruments/folder", s.importFolder)
	r.Post("/instruments/spelling", s.applySpelling)
	r.Post("/instruments/{id}/remove", s.removeInstrument)
	r.Post("/instruments/{id}/edit", s.editInstrument)
	r.Post("/instruments/{id}/undo", s.walkInstrument(false))
	r.Post("/instruments/{id}/redo", s.walkInstrument(true))
	r.Get("/instruments/{id}/instrument.csv", s.instrumentFile(".csv", "text/csv; charset=utf-8", app.WriteCSV))
	r.Get("/instruments/{id}/names.midnam", s.instrumentFile(".midnam", "application/xml", func(w io.Writer, in rig.Instrument, _ midi.Naming) error { return app.WriteNames(w, in) }))
	r.Get("/ports", s.ports)
	r.Get("/setups", s.setups)
	r.Post("/setups", s.keepSetup)
	r.Post("/setups/{id}/remove", s.removeSetup)
	r.Get("/projects/new", s.newProject)
	r.Post("/projects", s.createProject)
	r.Post("/projects/{id}/remove", s.removeProject)
	r.Post("/projects/{id}/state", s.stateOfProject)
	r.Post("/projects/{id}/duplicate", s.duplicate)
	r.Get("/library.json", s.libraryFile)
	r.Post("/library", s.mergeLibrary)
	r.Route("/projects/{id}", func(r chi.Router) {
		r.Get("/", s.view("map"))
		for _, v := range []string{"feeds", "outputs", "lanes", "parts", "swap", "run", "practice", "check", "sheet", "proposal"} {
			r.Get("/"+v, s.view(v))
		}
		r.Post("/edit", s.edit)
		r.Post("/undo", s.undo)
		r.Post("/redo", s.redo)
		r.Post("/song", s.song)
		r.Post("/swap", s.acceptSwap)
		r.Get("/names/{placed}", s.houseNames)
		r.Get("/template.mid", s.templateSong)
		r.Post("/accept", s.accept)
		r.Post("/accept-all", s.acceptAll)
		r.Get("/routing/{placed}", s.routing)
		r.Get("/patch-sheet.csv", s.patchSheet)
		r.Get("/project.dawproject", s.dawProject)
		r.Get("/map.svg", s.mapSVG)
		r.Get("/project.json", s.bundle)
	})
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, store.ErrNotFound) })
	return r, nil
}

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
		h.Set("Content-Security-Policy", "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; "+
			"connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'")
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
			http.Error(w, "This address is not the one Hidden Lanes listens on. Open the address it printed when it started.", http.StatusMisdirectedRequest)
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

// recoverer turns a panic into a page and a line in the log.
func (s *server) recoverer(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if v := recover(); v != nil {
				if v == http.ErrAbortHandler {
					panic(v)
				}
				s.log.Error("panic", "path", r.URL.Path, "value", v)
				s.fail(w, r, fmt.Errorf("something broke inside; nothing was changed"))
			}
		}()
		next.ServeHTTP(w, r)
	})
}

// status tells which HTTP status an error stands for. What the user can mend is
// a 4xx.
func status(err error) int {
	var tooLarge *http.MaxBytesError
	var stale *store.StaleError
	var previewed *app.PreviewedError
	switch {
	case err == nil:
		return http.StatusOK
	case errors.Is(err, store.ErrNotFound):
		return http.StatusNotFound
	case errors.As(err, &tooLarge):
		return http.StatusRequestEntityTooLarge
	case errors.As(err, &stale), errors.As(err, &previewed):
		return http.StatusConflict
	}
	return http.StatusUnprocessableEntity
}

// message is an error as a user reads it.
func message(err error) string {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return fmt.Sprintf("The file is larger than %d MiB, which is more than is taken here.", tooLarge.Limit>>20)
	}
	m := err.Error()
	if m == "" {
		return "Something went wrong."
	}
	m = strings.ToUpper(m[:1]) + m[1:]
	if !strings.HasSuffix(m, ".") && !strings.HasSuffix(m, "?") {
		m += "."
	}
	return m
}

// Server wraps the handler with the time limits a public port needs; uploads
// may take long.
func Server(h http.Handler) *http.Server {
	return &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
}
