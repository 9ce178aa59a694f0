package web

import (
	"io"
	"net/http"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/house"
)

// learnPage shows what projects do already, to be taken line by line.
type learnPage struct {
	*drift.Learned
	Chart *house.Chart
	Files []string
	New   int // lines that the chart does not say yet
	Last  int
}

// Bar is the length of a bar of 60 that shows how many agree.
func (learnPage) Bar(agree, of int) int { return 60 * agree / max(of, 1) }

// usualProjects is how many of the projects changed last are learned from.
const usualProjects = 20

// atLeast reads a whole number from least on, or gives what stands for one that cannot be
// read.
func atLeast(least int, text string, otherwise int) int {
	if n, err := strconv.Atoi(strings.TrimSpace(text)); err == nil && n >= least {
		return n
	}
	return otherwise
}

func (s *server) learn(w http.ResponseWriter, r *http.Request) {
	last := atLeast(0, r.URL.Query().Get("last"), usualProjects)
	s.showLearned(w, r, http.StatusOK, last, nil, nil, nil)
}

// learnFrom takes session files beside the projects. They are looked at, and not kept.
func (s *server) learnFrom(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxInstrument)
	var facts []*drift.Facts
	var names, failed []string
	last := usualProjects
	m, err := r.MultipartReader()
	if err != nil {
		s.showLearned(w, r, http.StatusUnprocessableEntity, last, nil, nil, []string{"No file came along; choose one first."})
		return
	}
	code := http.StatusOK
	for {
		part, err := nextPart(m)
		if err != nil {
			code, failed = s.status(r, err), append(failed, message(err))
		}
		if part == nil {
			break
		}
		if part.FileName() == "" {
			if part.FormName() == "last" {
				b, _ := io.ReadAll(io.LimitReader(part, 16)) // cut short, nextPart says so
				last = atLeast(0, string(b), last)
			}
			continue
		}
		f, err := app.ReadFacts(r.Context(), part, part.FileName())
		if err != nil {
			failed = append(failed, message(err)) // it names the file
			continue
		}
		facts, names = append(facts, f), append(names, part.FileName())
	}
	s.showLearned(w, r, code, last, facts, names, failed)
}

func (s *server) showLearned(w http.ResponseWriter, r *http.Request, code, last int, facts []*drift.Facts, names,
	failed []string) {
	l, err := s.app.Learn(r.Context(), last, facts)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	c, err := s.app.Chart(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := learnPage{Learned: l, Chart: c.House, Files: names, Last: last}
	for _, x := range l.Lines {
		if !x.Same() {
			p.New++
		}
	}
	for _, o := range l.Orders {
		if !o.Same {
			p.New++
		}
	}
	var fl *flash
	if len(failed) > 0 {
		fl = &flash{Bad: true, Text: strings.Join(failed, " ")}
	}
	s.page(w, r, code, "learn", frame{Title: "What your projects do", Section: "house", Flash: fl, Data: p,
		Document: chartDocument(c, "")})
}
