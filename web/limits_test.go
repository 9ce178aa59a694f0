package web

import (
	"archive/zip"
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/testkit"
)

// pads is an instrument of so many mono voices.
func pads(voices int) rig.Instrument {
	in, roles := rig.Instrument{Name: "Wide Pads"}, role.All()
	for v := range voices {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprint("v", v), Name: fmt.Sprint("Pad ", v),
			Role: roles[v%len(roles)],
			Keys: []midi.Key{midi.Key(v % 128)}, Width: audio.Mono})
	}
	return in
}

// atTheLimit are sites with one project each that is as large as projects get.
func atTheLimit(tb testing.TB, kind string) (site, int64) {
	tb.Helper()
	s := start(tb, true)
	var p *plan.Project
	switch kind {
	case "1,024 ports":
		p = &plan.Project{Name: "Ports"}
		testkit.Edit(tb, p, edits.AddInstrument(pads(rig.MaxPorts), rig.Lay([]rig.Run{{Count: rig.MaxPorts,
			Width: audio.Mono}}, 1), 0))
	case "1,024 ports, replaced":
		p = &plan.Project{Name: "Replaced"}
		in := pads(rig.MaxPorts)
		for i := range in.Voices {
			in.Voices[i].Role = role.All()[20+i%3]
		}
		testkit.Edit(tb, p, edits.AddInstrument(in, rig.Lay([]rig.Run{{Count: rig.MaxPorts, Width: audio.Mono}}, 1), 0))
		for i := range in.Voices {
			p.Placed[0].Feeds[in.Voices[i].ID] = plan.Assignment{State: plan.Assigned, Output: i + 1}
		}
	case "4,000 lanes":
		p = testkit.Wide(tb, 8, plan.MaxLanes/8-1)
	case "4,000 lanes, patched":
		p = testkit.Wide(tb, 8, plan.MaxLanes/8-1)
		p.Host.LaneLimit = plan.MaxLanes
		p.Patched, p.StandIn = p.AsPlanned(), p.AsPlanned()
	}
	p.Host.LaneLimit = plan.MaxLanes
	testkit.Edit(tb, p, edits.SetProfile(rig.Profiles[0]))
	if kind == "1,024 ports, replaced" {
		if _, _, err := s.app.AddInstruments(tb.Context(), pads(rig.MaxPorts)); err != nil {
			tb.Fatal(err)
		}
	}
	ids, err := s.app.CreateProjects(tb.Context(), p)
	if err != nil {
		tb.Fatal(err)
	}
	return s, ids[0]
}

var limits = []string{"1,024 ports", "1,024 ports, replaced", "4,000 lanes", "4,000 lanes, patched"}

// What is larger than the limits is refused in words wherever it is typed, and what is as large
// as they are is taken.
func TestLimitsAreToldInWords(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	base := func() string {
		p, err := s.app.Project(t.Context(), 4)
		if err != nil {
			t.Fatal(err)
		}
		return fmt.Sprint(p.Revision)
	}
	for outputs, says := range map[string]string{"4096x1": "more than 1024 ports", "1025x1": "more than 1024 ports",
		"513x2": "more than 1024 ports", "1024x1": ""} {
		code, body := s.post(t, fogBell+"/edit", url.Values{"do": {"outputs"}, "rev": {base()}, "placed": {"i1"},
			"outputs": {outputs}, "port": {"1"}, "offset": {"0"}})
		if says == "" && code != http.StatusOK || says != "" && !strings.Contains(body, says) {
			t.Errorf("outputs=%s: %d, %s; want %q", outputs, code, flashOf(body), says)
		}
	}
	for tracks, want := range map[int]int{20_000: http.StatusUnprocessableEntity, plan.MaxLanes +
		1: http.StatusUnprocessableEntity,
		plan.MaxLanes - 100: http.StatusOK} {
		code, body := s.sendWith(t, fogBell+"/song", "x.dawproject", session(t, tracks), map[string]string{"rev": base(),
			"back": "run"})
		if code != want || code != http.StatusOK && !strings.Contains(body, "more than 4000 tracks with a channel") {
			t.Errorf("a session of %d tracks: %d, %s; want %d", tracks, code, flashOf(body), want)
		}
	}
}

// session is a DAWproject of so many tracks into the main mix.
func session(tb testing.TB, tracks int) []byte {
	tb.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.Create("project.xml")
	if err != nil {
		tb.Fatal(err)
	}
	fmt.Fprint(w, `<Project version="1.0"><Structure><Track><Channel id="m" role="master"/></Track>`)
	for i := range tracks {
		fmt.Fprintf(w, `<Track name="Track %d" color="#0072b2"><Channel id="c%d" destination="m" role="regular" audioChannels="2">`+
			`<Volume value="1" unit="linear"/></Channel></Track>`, i, i)
	}
	fmt.Fprint(w, `</Structure></Project>`)
	if err := z.Close(); err != nil {
		tb.Fatal(err)
	}
	return b.Bytes()
}

// A request for each page, and a change, of the largest projects there can be.
func BenchmarkAtTheLimits(b *testing.B) {
	for _, kind := range limits {
		s, id := atTheLimit(b, kind)
		for _, p := range Pages() {
			if !strings.HasPrefix(p.Path, "/projects/{id}/") && p.Name != "projects" && p.Name != "drift" {
				continue
			}
			b.Run(kind+"/"+p.Name, func(b *testing.B) {
				for b.Loop() {
					if code, _ := s.get(b, p.At(id)); code != http.StatusOK {
						b.Fatal(code)
					}
				}
			})
		}
		n := 0
		client := *s.Client()
		client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
		b.Run(kind+"/edit", func(b *testing.B) {
			for b.Loop() {
				n++
				b.StopTimer()
				p, err := s.app.Project(b.Context(), id)
				if err != nil {
					b.Fatal(err)
				}
				form := url.Values{"do": {"rename"}, "rev": {fmt.Sprint(p.Revision)}, "back": {"lanes"},
					"name": {fmt.Sprint("Name ", n)}}
				b.StartTimer()
				r, err := client.PostForm(s.URL+projectPath(id, "edit"), form)
				if code, body := read(b, r, err); code != http.StatusSeeOther {
					b.Fatal(code, body)
				}
			}
		})
	}
}

// A session that fills a project to the limit is imported, and each page shown with it.
func BenchmarkSessionAtTheLimit(b *testing.B) {
	s := start(b, true)
	data := session(b, plan.MaxLanes-100)
	fields := func() map[string]string { return map[string]string{"rev": s.revision(b, 4), "back": "run"} }
	b.Run("import", func(b *testing.B) {
		for b.Loop() {
			if code, body := s.sendWith(b, fogBell+"/song", "x.dawproject", data, fields()); code != http.StatusOK {
				b.Fatal(code, flashOf(body))
			}
		}
	})
	many := session(b, 20_000)
	b.Run("refuse 20,000 tracks", func(b *testing.B) {
		for b.Loop() {
			if code, body := s.sendWith(b, fogBell+"/song", "x.dawproject", many, fields()); code == http.StatusOK {
				b.Fatal(flashOf(body))
			}
		}
	})
	for _, p := range Pages() {
		if strings.HasPrefix(p.Path, "/projects/{id}/") {
			b.Run(p.Name, func(b *testing.B) {
				for b.Loop() {
					if code, _ := s.get(b, p.At(4)); code != http.StatusOK {
						b.Fatal(code)
					}
				}
			})
		}
	}
}

// Changes that concern much of the largest projects, once each, without the page that comes after.
func BenchmarkLargeChanges(b *testing.B) {
	kit, lane := url.Values{"placed": {"i1"}}, url.Values{"lane": {"l60"}}
	for _, c := range []struct {
		kind, do string
		with     url.Values
	}{{"1,024 ports", "accept-all", kit}, {"1,024 ports, replaced", "as-usual", kit},
		{"1,024 ports, replaced", "assign-again", url.Values{"placed": {"i1"}, "port": {"1"}}},
		{"1,024 ports, replaced", "lanes-as-they-are", kit}, {"4,000 lanes", "as-usual", kit},
		{"4,000 lanes", "move", url.Values{"lane": {"l60"}, "number": {"3000"}}}, {"4,000 lanes", "up", lane},
		{"4,000 lanes", "remove-lanes", lane}, {"4,000 lanes", "practise-all", nil}, {"4,000 lanes", "all-done", nil},
		{"4,000 lanes, patched", "move", url.Values{"lane": {"l60"}, "number": {"3000"}}}} {
		b.Run(c.kind+"/"+c.do, func(b *testing.B) {
			for b.Loop() {
				b.StopTimer()
				s, id := atTheLimit(b, c.kind)
				client := withoutRedirects(s.Client())
				form := url.Values{"do": {c.do}, "rev": {s.revision(b, id)}, "back": {"lanes"}}
				for k, v := range c.with {
					form[k] = v
				}
				b.StartTimer()
				r, err := client.PostForm(s.URL+projectPath(id, "edit"), form)
				if code, body := read(b, r, err); code != http.StatusSeeOther {
					b.Fatal(code, flashOf(body))
				}
			}
		})
	}
}
