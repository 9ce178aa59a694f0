package web

import (
	"bytes"
	"errors"
	"io"
	"mime"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
	"hiddenlanes/core/plan"
)

// download serves a project as a file of one format.
func (s *server) download(f *app.Format) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		p, err := s.app.Project(r.Context(), idOf(r))
		var b bytes.Buffer
		if err == nil {
			err = s.app.ExportAs(r.Context(), &b, p.Plan, f.As)
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
		sendFile(w, p.Plan.Name+f.Suffix, f.MediaType, b.Bytes())
	}
}

// placedOf gives the instrument of a project that an address names.
func (s *server) placedOf(r *http.Request) (*plan.Placed, error) {
	p, err := s.app.Project(r.Context(), idOf(r))
	if err != nil {
		return nil, err
	}
	id := strings.TrimSuffix(chi.URLParam(r, "placed"), ".midnam")
	if pl := p.Plan.Find(id); pl != nil {
		return pl, nil
	}
	return nil, errors.New("that instrument is not in this project")
}

// routing sends the SFZ an instrument was read from, routed as planned.
func (s *server) routing(w http.ResponseWriter, r *http.Request) {
	pl, err := s.placedOf(r)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	out, err := s.app.RouteSFZ(r.Context(), pl)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	kind := "text/plain; charset=utf-8"
	if strings.HasSuffix(out.Name, ".zip") {
		kind = "application/zip"
	}
	sendFile(w, out.Name, kind, out.Data)
}

// houseNames sends an instrument's MIDI name document with the house's names.
func (s *server) houseNames(w http.ResponseWriter, r *http.Request) {
	pl, err := s.placedOf(r)
	var b bytes.Buffer
	if err == nil {
		err = app.WriteHouseNames(&b, pl)
	}
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendFile(w, pl.Instrument.Name+".midnam", "application/xml", b.Bytes())
}

// instrumentFile sends an instrument of the shelf as a file of a format.
func (s *server) instrumentFile(suffix, kind, format string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		in, err := s.app.Instrument(r.Context(), idOf(r))
		var b bytes.Buffer
		if err == nil {
			err = s.app.ExportInstrument(r.Context(), &b, in.Rig, format)
		}
		if err != nil {
			s.fail(w, r, err)
			return
		}
		sendFile(w, in.Name+suffix, kind, b.Bytes())
	}
}

// libraryFile sends the whole library as one file.
func (s *server) libraryFile(w http.ResponseWriter, r *http.Request) {
	var b bytes.Buffer
	left, err := s.app.WriteLibrary(r.Context(), io.Writer(&b))
	if err != nil {
		s.fail(w, r, err)
		return
	}
	if len(left) > 0 { // the file says so too
		s.log.Warn("the library was exported without what is damaged", "left out", left)
	}
	sendFile(w, "hidden-lanes-library.json", "application/json", b.Bytes())
}

// sendFile sends bytes to be kept under a name.
func sendFile(w http.ResponseWriter, name, kind string, data []byte) {
	name = strings.Map(func(c rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, c) || c < ' ' {
			return '-'
		}
		return c
	}, name)
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	_, _ = w.Write(data)
}

// exampleCSV sends an instrument as CSV to begin from, with something in every column.
func (s *server) exampleCSV(w http.ResponseWriter, r *http.Request) {
	var b bytes.Buffer
	if err := app.ExampleCSV(&b); err != nil {
		s.fail(w, r, err)
		return
	}
	sendFile(w, "example-instrument.csv", "text/csv; charset=utf-8", b.Bytes())
}
