package web

import (
	"fmt"
	"net/url"
	"testing"
	"time"
	"strings"
	"net/http"
)

func TestZZEdits(t *testing.T) {
	for kind, edits := range map[string][]url.Values{
		"1,024 ports": {{"do": {"accept-all"}, "placed": {"i1"}}, {"do": {"as-usual"}, "placed": {"i1"}}, {"do": {"lanes-as-they-are"}, "placed": {"i1"}}, {"do": {"all-done"}}, {"do": {"practise-all"}}, {"do": {"practise-next"}}, {"do": {"divide"}, "placed": {"i1"}, "number": {"4"}}, {"do": {"outputs"}, "placed": {"i1"}, "outputs": {"512x2"}, "port": {"1"}, "offset": {"0"}}, {"do": {"assign-again"}, "placed": {"i1"}, "port": {"1"}}, {"do":{"replace"},"placed":{"i1"},"to":{"2"}}},
		"4,000 lanes": {{"do": {"all-done"}}, {"do": {"practise-all"}}, {"do": {"practise-next"}}, {"do": {"not-patched"}}, {"do": {"name"}, "lane": {"l40"}, "name": {"X"}}, {"do": {"remove-lanes"}, "lane": {"l40", "l41"}}, {"do": {"bus"}, "name": {"B"}, "lane": {"l50", "l51"}, "number": {"3999"}}, {"do": {"move"}, "lane": {"l60"}, "number": {"3000"}}, {"do": {"up"}, "lane": {"l61"}}, {"do": {"route"}, "lane": {"l62"}, "to": {""}}, {"do": {"move-block"}, "lane": {"l70", "l71", "l72"}, "number-to": {"2000"}},
			{"do": {"as-usual"}, "placed": {"i1"}}, {"do": {"decide"}, "feed": {"i1:v3"}, "to": {"park"}}, {"do": {"host"}, "first": {"1"}, "taken": {""}, "limit": {"4000"}}},
	} {
		s, id := atTheLimit(t, kind)
		client := withoutRedirects(s.Client())
		for _, form := range edits {
			form["rev"] = []string{s.revision(t, id)}
			form["back"] = []string{"lanes"}
			begin := time.Now()
			r, err := client.PostForm(s.URL+projectPath(id, "edit"), form)
			code, body := read(t, r, err)
			d := time.Since(begin)
			msg := ""
			if code != http.StatusSeeOther {
				msg = strings.TrimSpace(flashOf(body))
				if len(msg) > 150 { msg = msg[:150] }
			}
			fmt.Println(kind, form["do"], code, d.Round(time.Millisecond), msg)
		}
	}
}
