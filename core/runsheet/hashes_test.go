package runsheet_test

import (
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"hash"
	"math/rand/v2"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/format"
	"hiddenlanes/format/formats"
)

var hashes = flag.Int("hashes", 0,
	"print hashes of what so many generated projects come to, to compare two releases by")

// What generated projects come to, in one line a kind: documents, problems by key, steps by key and
// by text, exports, and the state after half of the steps were ticked. Where behaviour is meant to stay,
// two releases print the same.
func TestHashesOfGeneratedProjects(t *testing.T) {
	if *hashes == 0 {
		t.Skip("go test ./core/runsheet -run Hashes -hashes 2000 -v prints them")
	}
	kinds := []string{"documents", "problems", "steps", "texts", "ticked", "exports"}
	sums := map[string]hash.Hash{}
	for _, k := range kinds {
		sums[k] = sha256.New()
	}
	doc := func(kind string, v any) {
		b, err := json.Marshal(v)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = sums[kind].Write(b)
	}
	for seed := range uint64(*hashes) {
		rng := rand.New(rand.NewPCG(seed, 26))
		p := generated(t, rng, rig.Profiles[seed%uint64(len(rig.Profiles))])
		doc("documents", p)
		for _, f := range check.Project(p) {
			fmt.Fprintln(sums["problems"], f.Key())
		}
		for _, f := range formats.Table {
			if f.As == "" || f.As == "svg" { // a drawing is looked at
				continue
			}
			if err := f.Encode(sums["exports"], format.Export{Project: p, Naming: midi.MiddleC3}); err != nil {
				t.Fatal(f.As, err)
			}
		}
		steps := runsheet.Make(p)
		for _, st := range steps {
			fmt.Fprintln(sums["steps"], st.Key())
			fmt.Fprintln(sums["texts"], st.Text, st.Count)
		}
		for range len(steps) / 2 {
			left := runsheet.Make(p)
			if len(left) == 0 {
				break
			}
			if _, err := runsheet.Tick(left[rng.IntN(len(left))].Key())(p); err != nil {
				t.Fatal(err)
			}
		}
		doc("ticked", p.Patched)
		for _, f := range check.Project(p) {
			fmt.Fprintln(sums["problems"], f.Key())
		}
	}
	for _, k := range kinds {
		fmt.Printf("%-10s %x\n", k, sums[k].Sum(nil)[:12])
	}
}
