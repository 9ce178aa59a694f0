package web

import (
	"net/url"
	"testing"
)

func BenchmarkZE(b *testing.B) {
	for _, c := range []struct{ kind string; do url.Values }{{"1,024 ports, replaced", url.Values{"do": {"as-usual"}, "placed": {"i1"}}}, {"1,024 ports, replaced", url.Values{"do": {"assign-again"}, "placed": {"i1"}, "port": {"1"}}}, {"4,000 lanes", url.Values{"do": {"all-done"}}}} {
		b.Run(c.do.Get("do"), func(b *testing.B) {
			s, id := atTheLimit(b, c.kind)
			client := withoutRedirects(s.Client())
			for b.Loop() {
				c.do["rev"] = []string{s.revision(b, id)}
				r, err := client.PostForm(s.URL+projectPath(id, "edit"), c.do)
				read(b, r, err)
			}
		})
	}
}
