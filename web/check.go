package web

import (
	"net/http"
	"net/url"

	"hiddenlanes/core/check"
)

// checkPage has the problems that are on the page, and those that are marked as intended.
type checkPage struct {
	Problems []check.Problem
	Window   window
	Intended []check.Problem
}

func (s *server) checkPage(_ *http.Request, p *project, q url.Values) (any, error) {
	w := windowOf(projectPath(p.ID, "check"), q, "from", len(p.Problems), windowRows)
	w.Many = "problems"
	return checkPage{p.Problems[w.From:w.To], w, p.Intended}, nil
}
