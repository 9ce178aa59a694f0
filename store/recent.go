package store

import (
	"slices"
	"sync"

	"hiddenlanes/core/plan"
)

// recent remembers the projects that were read or kept last, by their revisions, which never
// change. Large documents take long to decode, and are read for every page and change.
type recent struct {
	mu    sync.Mutex
	last  []remembered // the last used at the end
	bytes int
}

type remembered struct {
	revision int64
	plan     *plan.Project // nobody else has it
	bytes    int           // of its text
}

// maxRecent is how much text the documents have together at most, in bytes; in memory they
// take about ten times as much.
const maxRecent = 8 << 20

// get gives a copy of a document that is remembered.
func (c *recent) get(revision int64, into *plan.Project) bool {
	c.mu.Lock()
	i := slices.IndexFunc(c.last, func(r remembered) bool { return r.revision == revision })
	if i < 0 {
		c.mu.Unlock()
		return false
	}
	r := c.last[i]
	c.last = append(slices.Delete(c.last, i, i+1), r)
	c.mu.Unlock()
	*into = *r.plan.Clone()
	return true
}

// put remembers a copy of a document.
func (c *recent) put(revision int64, p *plan.Project, bytes int) {
	if bytes > maxRecent/2 {
		return
	}
	copied := p.Clone()
	c.mu.Lock()
	defer c.mu.Unlock()
	if slices.ContainsFunc(c.last, func(r remembered) bool { return r.revision == revision }) {
		return
	}
	c.last = append(c.last, remembered{revision, copied, bytes})
	for c.bytes += bytes; c.bytes > maxRecent; c.last = slices.Delete(c.last, 0, 1) {
		c.bytes -= c.last[0].bytes
	}
}

// clear forgets all: what is kept now may be something else.
func (c *recent) clear() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.last, c.bytes = nil, 0
}
