package store

import (
	"slices"
	"sync"

	"hiddenlanes/core/plan"
)

// recent remembers the projects that were read or kept last, by their revisions, which never
// change. Large documents take long to decode and to analyse, and are read for every page and
// change. What it gives is shared: nobody may change it.
type recent struct {
	analyse func(*plan.Project) any
	mu      sync.Mutex
	last    []*remembered // the last used at the end
	bytes   int
}

type remembered struct {
	revision int64
	analysed
	bytes int // of its text
}

// analysed is a project that nobody changes, and what is computed from it, once, when it is first
// asked for.
type analysed struct {
	plan     *plan.Project
	analysis func() any
}

const (
	// maxRecent is how much text the documents have together at most, in bytes, but for the last
	// one, which may be as large as it is; in memory they take about ten times as much.
	maxRecent = 8 << 20
	// maxAnalyses is of how many documents the analyses stay: they take as much again.
	maxAnalyses = 8
)

// of is a project that nobody changes from now on.
func (c *recent) of(p *plan.Project) analysed {
	return analysed{p, sync.OnceValue(func() any { return c.analyse(p) })}
}

// get gives a document that is remembered.
func (c *recent) get(revision int64) (p analysed, ok bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	i := slices.IndexFunc(c.last, func(r *remembered) bool { return r.revision == revision })
	if i < 0 {
		return p, false
	}
	r := c.last[i]
	c.use(append(slices.Delete(c.last, i, i+1), r))
	return r.analysed, true
}

// put remembers a document.
func (c *recent) put(revision int64, p analysed, bytes int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if slices.ContainsFunc(c.last, func(r *remembered) bool { return r.revision == revision }) {
		return
	}
	c.use(append(c.last, &remembered{revision, p, bytes}))
	for c.bytes += bytes; c.bytes > maxRecent && len(c.last) > 1; c.last = slices.Delete(c.last, 0, 1) {
		c.bytes -= c.last[0].bytes
	}
}

// use puts the documents in their order; those that were used last keep their analyses.
func (c *recent) use(order []*remembered) {
	c.last = order
	if old := len(order) - maxAnalyses - 1; old >= 0 {
		order[old].analysed = c.of(order[old].plan)
	}
}

// clear forgets all: what is kept now may be something else.
func (c *recent) clear() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.last, c.bytes = nil, 0
}
