package bundle_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"strings"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format/bundle"
	"hiddenlanes/internal/testkit"
)

type object = map[string]any

// What is wrong with a library file is told once: which project, and what in it, in the product's
// words; of several the first.
func TestALibraryFileIsRefusedOnceAndByName(t *testing.T) {
	testkit.Slow(t)
	l := bundle.NewLibrary()
	for i := range 8 {
		p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
		p.Name = fmt.Sprint("Cue ", i+1)
		l.Projects = append(l.Projects, bundle.LibraryProject{UID: fmt.Sprint(i), Project: p})
	}
	good, err := json.Marshal(l)
	if err != nil {
		t.Fatal(err)
	}
	for says, spoil := range map[string]func(row, p, lane object){
		`lane 1, width cannot be "wide"; it is one of mono, stereo, 5.1 (project 2, Cue 2)`: func(_, _,
			lane object) {
			lane["width"] = "wide"
		},
		`the document holds "zest", which is not known there (project 2, Cue 2)`: func(_, p,
			_ object) {
			p["zest"] = 1
		},
		`name cannot be 12 (project 2)`: func(_, p,
			_ object) {
			p["name"] = 12
		},
		`a project needs a name (project 2)`: func(_, p,
			_ object) {
			p["name"] = ""
		},
		`is routed to a bus that does not exist (project 2, Cue 2)`: func(_, _,
			lane object) {
			lane["to"] = "l99"
		},
		`it has the identity of project 1, Cue 1 (project 2, Cue 2)`: func(row, _,
			_ object) {
			row["uid"] = "0"
		},
		`it has no identity (project 2, Cue 2)`: func(row, _,
			_ object) {
			row["uid"] = ""
		},
		`its state cannot be "lost"; it is one of archived, template (project 2, Cue 2)`: func(row, _,
			_ object) {
			row["state"] = "lost"
		},
		`its song cannot be read: Standard MIDI File`: func(row, _,
			_ object) {
			row["song"] = "AAAA"
		},
		`at most 4000 lanes and buses; this would make 4001 (project 2, Cue 2)`: func(_, p, lane object) {
			var lanes []any
			for i := range plan.MaxLanes + 1 {
				x := maps.Clone(lane)
				delete(x, "sources")
				x["id"], x["number"], x["to"] = fmt.Sprint("x", i), i+1, ""
				lanes = append(lanes, x)
			}
			p["lanes"] = lanes
		},
	} {
		var all object
		if err := json.Unmarshal(good, &all); err != nil {
			t.Fatal(err)
		}
		for i, row := range all["projects"].([]any) {
			if i > 0 { // the first of many that are wrong is named
				p := row.(object)["project"].(object)
				spoil(row.(object), p, p["lanes"].([]any)[0].(object))
			}
		}
		bad, err := json.Marshal(all)
		if err != nil {
			t.Fatal(err)
		}
		_, err = bundle.DecodeLibrary(t.Context(), bytes.NewReader(bad))
		if err == nil || !strings.Contains(err.Error(), says) || strings.Count(err.Error(), "library file") != 1 ||
			strings.Contains(err.Error(), "\n") {
			t.Errorf("it says %v; want once %q", err, says)
		}
	}
}
