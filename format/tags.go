package format

import (
	"bytes"
	"io"
)

// Tags lets no more than so many of some marks of an XML document through, such as "<Note ", so that
// one with very many is refused before all of it is read. Beyond that it ends with tooMany.
func Tags(r io.Reader, most int, tooMany error, tags ...string) io.Reader {
	return &tagCounter{r: r, left: most, tooMany: tooMany, tags: tags}
}

type tagCounter struct {
	r       io.Reader
	left    int
	tooMany error
	tags    []string
	end     []byte // of what was read last, too short for a tag
}

func (c *tagCounter) Read(b []byte) (int, error) {
	n, err := c.r.Read(b)
	seen := append(c.end, b[:n]...)
	keep := 0
	for _, tag := range c.tags {
		c.left -= bytes.Count(seen, []byte(tag))
		keep = max(keep, len(tag)-1)
	}
	// A tag that ends before what is kept was counted; of what is kept none can be whole, if all tags
	// are of one length. Shorter ones may be counted twice at the seam, which is a bound all the same.
	c.end = bytes.Clone(seen[max(0, len(seen)-keep):])
	if c.left < 0 {
		return 0, c.tooMany
	}
	return n, err
}
