package bundle_test

import (
	"encoding/json"
	"flag"
	"os"
	"path/filepath"
	"testing"

	"hiddenlanes/format/bundle"
)

var update = flag.Bool("update", false, "write the published schemas anew")

// The schemas in docs are those that files are held against.
func TestThePublishedSchemasAreThoseInUse(t *testing.T) {
	for name, s := range bundle.Schemas() {
		got, err := json.MarshalIndent(s, "", " ")
		if err != nil {
			t.Fatal(err)
		}
		path := filepath.Join("..", "..", "docs", name)
		if *update {
			if err := os.WriteFile(path, append(got, '\n'), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(path)
		if err != nil || string(want) != string(got)+"\n" {
			t.Errorf("%s is not the one in use (%v); write it with go test ./format/bundle -run Schemas -update", path, err)
		}
	}
}
