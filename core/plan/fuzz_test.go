package plan_test

import (
	"encoding/json"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// Whatever is kept of a project, of whatever version, it is read or refused; what is read
// can be kept and read again and says the same.
func FuzzReadKept(f *testing.F) {
	p := testkit.Mapped(f, plan.Host{FirstLane: 5}, "6x2", sample.FlintTwelve())
	p.Patched = p.AsPlanned()
	whole, err := json.Marshal(p)
	if err != nil {
		f.Fatal(err)
	}
	kept, used, err := p.Keep()
	if err != nil {
		f.Fatal(err)
	}
	f.Add(string(whole), string(used[0].Doc))
	f.Add(string(kept), string(used[0].Doc))
	f.Add(`{"name":"x","placed":[{"id":"i1","instrument":{"name":"y"}}],"chart":{"version":2},"departs":[],"lastId":1,
		"accepted":{"memory-over/memory:0":{"reason":"r","cause":"c"},"a/i1:v1/i1:3L/l4":{}},
		"patched":{"instruments":{"i1":{"setup":null,"on":{"1":true},"feeds":{"v1":"2"}}},"tracks":{"i1:p1":3},
		"lanes":[{"id":"l1","number":1,"sends":[{"to":"l2","pre":true}]},{"id":"l2","number":2}],"checked":"f"}}`, `{}`)
	f.Fuzz(func(t *testing.T, doc, content string) {
		read := func(doc []byte) (*plan.Project, error) {
			return plan.ReadKept(doc, func(string) ([]byte, error) { return []byte(content), nil })
		}
		p, err := read([]byte(doc))
		if err != nil {
			return
		}
		first, used, err := p.Keep()
		if err != nil {
			t.Fatalf("read and not kept: %v", err)
		}
		again, err := plan.ReadKept(first, func(hash string) ([]byte, error) {
			for _, c := range used {
				if c.Hash == hash {
					return c.Doc, nil
				}
			}
			t.Fatalf("it names %s, which it does not keep", hash)
			return nil, nil
		})
		if err != nil {
			t.Fatalf("kept and not read: %v\n%s", err, first)
		}
		if second, _, err := again.Keep(); err != nil || string(second) != string(first) {
			t.Fatalf("kept again it is\n%s\nwas\n%s\n%v", second, first, err)
		}
	})
}
