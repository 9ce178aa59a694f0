// Package web serves the pages: routes, handlers, page models, templates and
// static files. All it knows of the rules it has from the core, by way of app.
package web

import (
	"embed"
	"io/fs"
	"log/slog"
	"net/http"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"hiddenlanes/app"
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
	app       *app.App
	templates templates
	log       *slog.Logger
}

// assets are made of the embedded files, and never change.
type assets struct {
	statics   *statics
	templates templates
}

// embedded packs the static files and parses the templates, once a process.
var embedded = sync.OnceValues(func() (out assets, err error) {
	static, err := fs.Sub(files, "static")
	if err != nil {
		return out, err
	}
	if out.statics, err = newStatics(static); err != nil {
		return out, err
	}
	out.templates, err = parseTemplates(out.statics)
	return out, err
})

// New makes the handler for the whole application.
func New(a *app.App, log *slog.Logger) (http.Handler, error) {
	linked, err := embedded()
	if err != nil {
		return nil, err
	}
	s := &server{app: a, log: log, templates: linked.templates}
	r := chi.NewRouter()
	r.Use(s.recoverer, budget, ownHost, headers, http.NewCrossOriginProtection().Handler)
	under := underWay{name: map[string]progressOf{}}
	r.Use(headAsGet, withoutSlash, middleware.Compress(5), under.follow)
	r.Method(http.MethodGet, "/static/*", linked.statics)
	r.Get("/progress/{name}", under.serve)
	for _, p := range sitePages {
		r.Get(p.Path, func(w http.ResponseWriter, r *http.Request) { p.Serve(s, w, r) })
	}
	s.siteRoutes(r)
	r.Route("/projects/{id}", s.projectRoutes)
	r.Get("/healthz", s.healthy)
	r.MethodNotAllowed(s.noSuchMethod(r))
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.fail(w, r, app.ErrNotFound) })
	return r, nil
}

// siteRoutes are those outside projects, beside the pages.
func (s *server) siteRoutes(r chi.Router) {
	r.Post("/drift/align", s.align)
	r.Post("/drift/edit", s.editFromDrift)
	r.Post("/drift/batches/{id}/undo", s.stepBatch(app.Back))
	r.Post("/drift/batches/{id}/redo", s.stepBatch(app.Forward))
	r.Post("/songs", s.importSong)
	r.Get("/songs/{id}/rewritten.mid", s.rewritten)
	r.Post("/house", s.editChart)
	r.Post("/house/undo", s.stepChart(app.Back))
	r.Post("/house/redo", s.stepChart(app.Forward))
	r.Post("/house/learn", s.learnFrom)
	r.Post("/settings", s.settings)
	r.Post("/sample", s.addSample)
	r.Post("/sample/remove", s.removeSample)
	r.Get("/instruments/example.csv", s.exampleCSV)
	r.Post("/instruments", s.importInstruments)
	r.Post("/instruments/folder", s.importFolder)
	r.Post("/instruments/list", s.listInstrument)
	r.Post("/instruments/list/roles", s.readList)
	r.Post("/instruments/spelling", s.applySpelling)
	r.Post("/instruments/{id}/remove", s.removeInstrument)
	r.Post("/instruments/{id}/edit", s.editInstrument)
	r.Post("/instruments/{id}/undo", s.stepInstrument(app.Back))
	r.Post("/instruments/{id}/redo", s.stepInstrument(app.Forward))
	r.Get("/instruments/{id}/instrument.csv", s.instrumentFile(".csv", "text/csv; charset=utf-8", "csv"))
	r.Get("/instruments/{id}/names.midnam", s.instrumentFile(".midnam", "application/xml", "midnam"))
	r.Get("/ports", s.ports)
	r.Post("/setups", s.keepSetup)
	r.Post("/setups/{id}/remove", s.removeSetup)
	r.Post("/projects", s.createProject)
	r.Post("/projects/{id}/remove", s.removeProject)
	r.Post("/projects/{id}/state", s.stateOfProject)
	r.Post("/projects/{id}/duplicate", s.duplicate)
	r.Get("/library.json", s.libraryFile)
	r.Post("/backups", s.makeBackup)
	r.Get("/backups/{name}", s.downloadBackup)
	r.Post("/backups/{name}/restore", s.restoreBackup)
	r.Post("/backups/{name}/remove", s.removeBackup)
	r.Post("/library", s.mergeLibrary)
}

// projectRoutes are those below a project's address.
func (s *server) projectRoutes(r chi.Router) {
	for _, v := range views {
		r.Get("/"+v.path(), s.serveView(v))
	}
	r.Post("/edit", s.edit)
	r.Post("/undo", s.step(app.Back))
	r.Post("/redo", s.step(app.Forward))
	r.Post("/song", s.importForProject)
	r.Get("/names/{placed}", s.houseNames)
	r.Get("/routing/{placed}", s.routing)
	for _, f := range app.ProjectFiles() {
		r.Get("/"+f.File, s.download(f))
	}
}

// Server wraps the handler with the time limits that a port needs; how long a body and an answer
// may take is for each request to say (budget). What clients do wrong is logged for those who ask.
func Server(h http.Handler, log *slog.Logger) *http.Server {
	return &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 64 << 10, ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelDebug)}
}
