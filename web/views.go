package web

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"hiddenlanes/core/road"
)

// The tables of pages. Routes, navigation, the road, keys, help, the lists in tests and the
// pictures in docs are made from them.

// view is one page of a project.
type view struct {
	Name  string // of its template, and its address below the project's
	Title string
	Key   string // leads there from every page of a project; "": none beside its stops'
	Tool  string // what the tools on top call it, beside its key; "": it is not among them
	Stops []stop // on the road
	Model func(s *server, r *http.Request, p *project, q url.Values) (any, error)
}

// stop is one stop of the road on top: a stage of the job, at its view.
type stop struct {
	Name   string
	Stage  road.Stage
	Anchor string // the part of the view it leads to
	Key    string // by its place on the road
	// Shortcut is the name of its key.
	Shortcut string
	view     *view
}

// views lists the pages of a project. The first is where a project opens.
var views = []*view{
	{Name: "map", Title: "Map", Key: "m", Model: (*server).mapPage},
	{Name: "feeds", Title: "Feeds", Model: (*server).feedsPage, Stops: []stop{{Name: "Feeds", Stage: road.Feeds}}},
	{Name: "inside", Title: "Inside", Key: "i", Tool: "Inside", Model: (*server).insidePage},
	{Name: "start", Title: "How the instruments start", Key: "b", Tool: "Start", Model: (*server).startPage},
	{Name: "outputs", Title: "Outputs", Model: (*server).outputsPage,
		Stops: []stop{{Name: "Outputs", Stage: road.Outputs}}},
	{Name: "lanes", Title: "Lanes", Model: (*server).lanesPage, Stops: []stop{{Name: "Lanes", Stage: road.Lanes},
		{Name: "Buses", Stage: road.Buses, Anchor: "#buses"}}},
	{Name: "parts", Title: "Parts and MIDI channels", Model: (*server).partsPage,
		Stops: []stop{{Name: "Parts", Stage: road.Parts}}},
	{Name: "run", Title: "Run sheet", Model: (*server).runPage, Stops: []stop{{Name: "Run sheet", Stage: road.RunSheet}}},
	{Name: "practice", Title: "Stand-in host", Model: (*server).standInPage},
	{Name: "check", Title: "Check", Model: (*server).checkPage, Stops: []stop{{Name: "Check", Stage: road.Check}}},
	{Name: "sheet", Title: "Patch sheet", Model: (*server).sheetPage,
		Stops: []stop{{Name: "Patch sheet", Stage: road.Sheet}}},
	{Name: "proposal", Title: "Proposal", Key: "p", Tool: "Propose", Model: (*server).proposalPage},
	{Name: "replace", Title: "Replace", Model: (*server).replacePage},
}

// path is where the view stands below the project's address.
func (v *view) path() string {
	if v.Name == "map" {
		return ""
	}
	return v.Name
}

// viewAt finds a view by its path, or gives the first one.
func viewAt(path string) *view {
	for _, v := range views {
		if v.path() == path {
			return v
		}
	}
	return views[0]
}

// page is one page of the site outside projects.
type page struct {
	Name    string // of its template
	Title   string
	Path    string
	Section string // of the navigation on top
	Key     string
	InNav   bool
	Serve   func(s *server, w http.ResponseWriter, r *http.Request)
}

var sitePages = []*page{
	{Name: "projects", Title: "Projects", Path: "/", Section: "projects", InNav: true, Serve: (*server).projects},
	{Name: "instruments", Title: "Instruments", Path: "/instruments", Section: "instruments", InNav: true,
		Serve: (*server).shelf},
	{Name: "house", Title: "House chart", Path: "/house", Section: "house", InNav: true, Serve: (*server).house},
	{Name: "drift", Title: "Drift", Path: "/drift", Section: "drift", InNav: true, Serve: (*server).drift},
	{Name: "songs", Title: "Songs", Path: "/songs", Section: "songs", InNav: true, Serve: (*server).songs},
	{Name: "songs", Title: "Songs", Path: "/songs/{id}", Section: "songs", Serve: (*server).songFor},
	{Name: "learn", Title: "What your projects do", Path: "/house/learn", Section: "house", Serve: (*server).learn},
	{Name: "instrument", Title: "Instrument", Path: "/instruments/{id}", Section: "instruments",
		Serve: (*server).instrument},
	{Name: "setups", Title: "Output set-ups", Path: "/setups", Section: "instruments", Serve: (*server).setups},
	{Name: "backups", Title: "Backups", Path: "/backups", Section: "projects", Serve: (*server).backups},
	{Name: "new-project", Title: "New project", Path: "/projects/new", Section: "projects", Serve: (*server).newProject},
	{Name: "help", Title: "Help and settings", Path: "/help", Key: "?", Serve: (*server).help},
}

// stops lists the stops of the road in order.
var stops = stopsOf(views)

func stopsOf(views []*view) (stops []*stop) {
	for _, v := range views {
		for i := range v.Stops {
			v.Stops[i].view = v
			stops = append(stops, &v.Stops[i])
			v.Stops[i].Key = fmt.Sprint(len(stops))
			v.Stops[i].Shortcut = "stage-" + strings.ReplaceAll(strings.ToLower(v.Stops[i].Name), " ", "-")
		}
	}
	return stops
}

// PageInfo is one page, for those who go through all of them.
type PageInfo struct {
	Name string
	// Path is the page's address, with {id} in place of a number; those of projects begin
	// with /projects/{id}.
	Path string
	Keys []string // each leads there from every page of a project
}

// Pages lists every page there is.
func Pages() (out []PageInfo) {
	for _, p := range sitePages {
		out = append(out, PageInfo{p.Name, p.Path, keysOf(p.Key)})
	}
	for _, v := range views {
		keys := keysOf(v.Key)
		for _, s := range v.Stops {
			keys = append(keys, s.Key)
		}
		out = append(out, PageInfo{v.Name, "/projects/{id}/" + v.path(), keys})
	}
	return out
}

func keysOf(key string) []string {
	if key == "" {
		return nil
	}
	return []string{key}
}

// At is the page's address for a number.
func (p PageInfo) At(id int64) string { return strings.ReplaceAll(p.Path, "{id}", fmt.Sprint(id)) }

// projectPath is an address below a project's.
func projectPath(id int64, below string) string { return fmt.Sprintf("/projects/%d/%s", id, below) }

// addressOf is a path with its query.
func addressOf(path string, q url.Values) string {
	if e := q.Encode(); e != "" {
		return path + "?" + e
	}
	return path
}
