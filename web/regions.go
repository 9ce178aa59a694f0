package web

import (
	"bytes"
	"encoding/base64"
	"hash/fnv"
	"net/http"
	"net/url"
	"strings"

	"golang.org/x/net/html"
)

// A change exchanges the regions of a page that it changed, and no others. A region is any
// element with an id and the attribute data-region; a row of a table, the count of problems,
// the line of undo. Each page is drawn whole, as for a first visit, and then taken apart:
// every region carries the hash of what it shows, without the regions within it. The
// browser sends the hashes that it has, and gets those regions that differ. So no page and
// no command says what it changes, and what another window changed comes along.

// region is one region of a page that was drawn.
type region struct {
	id         string
	start, end int // in the page
	mark       int // where its attribute stands
	hash       string
	in         []*region
}

// regionAttr is what marks a region in a template.
const regionAttr = "data-region"

// regionsHeader is how the browser says which regions it has: id=hash, by spaces; pageHeader
// is the page that they are of, and revisionHeader the revision it shows.
const (
	regionsHeader  = "Regions"
	pageHeader     = "Page"
	revisionHeader = "Revision"
)

// revision is what every form carries and no region is another for.
var revision = []byte(`name="rev" value="`)

// regionsOf takes a page apart.
func regionsOf(page []byte) (outer []*region) {
	var around []*region
	scan(page, func(_ string, start, end int) any {
		tag := page[start:end]
		m := attrIn(tag, regionAttr)
		if m < 0 {
			return nil
		}
		id, _ := attrOf(tag, "id")
		p := &region{id: id, start: start, mark: start + m}
		if len(around) > 0 {
			last := around[len(around)-1]
			last.in = append(last.in, p)
		} else {
			outer = append(outer, p)
		}
		around = append(around, p)
		return p
	}, func(held any, _, end int) {
		p := held.(*region)
		around = around[:len(around)-1]
		p.end = end
		p.hash = regionHash(page, p)
	})
	return outer
}

// regionHash is over what a region shows: neither the regions within it, but for their ids, nor
// the revision that its forms were made for.
func regionHash(page []byte, p *region) string {
	h := fnv.New64a()
	write := func(b []byte) {
		for {
			i := bytes.Index(b, revision)
			if i < 0 {
				break
			}
			_, _ = h.Write(b[:i])
			b = b[i+len(revision):]
			b = bytes.TrimLeft(b, "0123456789")
		}
		_, _ = h.Write(b)
	}
	at := p.start
	for _, in := range p.in {
		write(page[at:in.start])
		write([]byte(in.id))
		at = in.end
	}
	write(page[at:p.end])
	return base64.RawURLEncoding.EncodeToString(h.Sum(nil)[2:])
}

// withHashes is the page, or a region of it, with the hashes in the marks of its regions.
func withHashes(page []byte, from, to int, regions []*region) []byte {
	out := make([]byte, 0, to-from+32*len(regions))
	at := from
	var walk func(list []*region)
	walk = func(list []*region) {
		for _, p := range list {
			if p.start < from || p.start >= to {
				continue
			}
			out = append(out, page[at:p.mark+len(regionAttr)]...)
			out = append(out, `="`+p.hash+`"`...)
			at = p.mark + len(regionAttr)
			walk(p.in)
		}
	}
	walk(regions)
	return append(out, page[at:to]...)
}

// changed lists the outermost regions that a browser has not, or otherwise.
func changed(regions []*region, has map[string]string) (out []*region) {
	for _, p := range regions {
		if has[p.id] == p.hash {
			out = append(out, changed(p.in, has)...)
		} else {
			out = append(out, p)
		}
	}
	return out
}

// exchange is the answer to a browser that has a page already: the regions that differ,
// each to take the place of its own.
func exchange(page []byte, title, said string, has map[string]string) []byte {
	var b bytes.Buffer
	b.WriteString("<title>" + html.EscapeString(title) + "</title>")
	for _, p := range changed(regionsOf(page), has) {
		b.WriteString("<template>")
		b.Write(withHashes(page, p.start, p.end, []*region{p}))
		b.WriteString("</template>")
	}
	if said != "" {
		b.WriteString("<output>" + html.EscapeString(said) + "</output>")
	}
	return b.Bytes()
}

// exchanges reports whether a browser asks for the regions that differ.
func exchanges(r *http.Request) bool { return r.Header.Get(regionsHeader) != "" }

// regionsSent reads which regions a browser has of a page; ok reports whether it asks for an
// exchange at all.
func regionsSent(r *http.Request, page string) (has map[string]string, ok bool) {
	has = map[string]string{}
	sent := r.Header.Get(regionsHeader)
	if sent == "" {
		return nil, false
	}
	if r.Header.Get(pageHeader) != page {
		return has, true // another page: all of it
	}
	for one := range strings.FieldsSeq(sent) {
		if i := strings.LastIndexByte(one, '='); i > 0 {
			if id, err := url.PathUnescape(one[:i]); err == nil {
				has[id] = one[i+1:]
			}
		}
	}
	return has, true
}
