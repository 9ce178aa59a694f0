package web

import (
	"fmt"
	"net/http"
	"net/url"
	"testing"
	"time"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/testkit"
)

func bigInstrument(name string, voices int) rig.Instrument {
	in := rig.Instrument{Name: name}
	roles := role.All()
	for v := range voices {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", v), Name: fmt.Sprintf("Voice %d", v), Role: roles[v%len(roles)], Keys: []midi.Key{midi.Key(v % 128)}, Width: audio.Mono})
	}
	return in
}

func TestZZPages(t *testing.T) {
	for _, c := range []string{"fresh1024", "fresh128on1024", "wide1x1000", "wide4x950", "wide4x950done"} {
		s := start(t, true)
		var p *plan.Project
		switch c {
		case "fresh1024":
			p = &plan.Project{Name: c}
			testkit.Edit(t, p, plan.Place(bigInstrument("Big", 1024), rig.Lay([]rig.Run{{Count: 1024, Width: audio.Mono}}, 1), 0))
		case "fresh128on1024":
			p = &plan.Project{Name: c}
			testkit.Edit(t, p, plan.Place(bigInstrument("Big", 128), rig.Lay([]rig.Run{{Count: 1024, Width: audio.Mono}}, 1), 0))
		case "wide1x1000":
			p = testkit.Wide(t, 1, 500)
		case "wide4x950", "wide4x950done":
			p = testkit.Wide(t, 8, 475)
		}
		p.Name = c
		p.Host.LaneLimit = 4000
		testkit.Edit(t, p, plan.SetProfile(rig.Profiles[0]))
		if strings.HasSuffix(c, "done") {
			p.Practice = p.AsPlanned()
			p.Patched = p.AsPlanned()
		}
		begin := time.Now()
		ids, err := s.app.CreateProjects(t.Context(), p)
		if err != nil {
			t.Fatal(err)
		}
		t.Logf("%s: create %v", c, time.Since(begin))
		id := ids[0]
		for _, pg := range append(Pages(), PageInfo{Name: "home", Path: "/"}, PageInfo{Name: "csv", Path: "/projects/{id}/patch-sheet.csv"}, PageInfo{Name: "bundle", Path: "/projects/{id}/bundle.json"}) {
			if !strings.HasPrefix(pg.Path, "/projects/{id}/") && pg.Name != "home" && pg.Name != "drift" && pg.Name != "projects" {
				continue
			}
			begin := time.Now()
			code, body := s.get(t, pg.At(id))
			if d := time.Since(begin); d > 300*time.Millisecond || code != 200 {
				t.Logf("%s %s: %d %v %d bytes", c, pg.Name, code, d, len(body))
			}
		}
		pr, err := s.app.Project(t.Context(), id)
		if err != nil {
			t.Fatal(err)
		}
		begin = time.Now()
		if _, err := s.app.Edit(t.Context(), id, pr.Revision, plan.Rename("Other")); err != nil {
			t.Fatal(err)
		}
		t.Logf("%s edit %v", c, time.Since(begin))
		begin = time.Now()
		if _, err := s.app.Undo(t.Context(), id, pr.Revision+1); err != nil {
			t.Fatal(err)
		}
		t.Logf("%s undo %v", c, time.Since(begin))
		if strings.HasPrefix(c, "fresh") {
			pr, _ = s.app.Project(t.Context(), id)
			begin = time.Now()
			form := url.Values{"do": {"accept"}, "base": {fmt.Sprint(pr.Revision)}, "placed": {"i1"}}
			_ = form
			_ = http.StatusOK
		}
	}
}
