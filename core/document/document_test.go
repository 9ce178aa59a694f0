package document

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
)

// things is a line of three versions: names were called titles, and grew a count.
var things = &Line{What: "thing", Steps: []func(map[string]any) error{
	func(d map[string]any) error { d["name"] = d["title"]; delete(d, "title"); return nil },
	func(d map[string]any) error { d["count"] = 1; return nil },
}}

type thingMark struct{}

func (thingMark) Line() *Line { return things }

type thing struct {
	Version Version[thingMark] `json:"version"`
	Name    string             `json:"name"`
	Count   int                `json:"count"`
}

func TestOlderVersionsAreReadAndNewerOnesRefused(t *testing.T) {
	for text, want := range map[string]thing{
		`{"title":"Fog"}`:                        {Name: "Fog", Count: 1},
		`{"version":1,"name":"Fog"}`:             {Name: "Fog", Count: 1},
		`{"version":2,"name":"Fog","count":7}`:   {Name: "Fog", Count: 7},
		` { "name":"Fog","count":7,"version":2}`: {Name: "Fog", Count: 7},
	} {
		var got thing
		if err := things.Read([]byte(text), &got); err != nil || got != want {
			t.Errorf("%s is read as %+v, %v; want %+v", text, got, err, want)
		}
	}
	var newer *NewerError
	if err := things.Read([]byte(`{"version":3,"name":"Fog"}`), &thing{}); !errors.As(err, &newer) || newer.Version != 3 {
		t.Errorf("version 3 gives %v; want it refused as newer", err)
	}
	for _, bad := range []string{`{"version":-1}`, `{"version":"2"}`, `[]`, `{`} {
		if err := things.Read([]byte(bad), &thing{}); err == nil {
			t.Errorf("%s is read; want it refused", bad)
		}
	}
	if doc, err := json.Marshal(thing{}); err != nil || !strings.HasPrefix(string(doc), `{"version":2,`) {
		t.Errorf("a thing is written as %s, %v; want version 2 first", doc, err)
	}
}

// anything makes a random JSON value; what is in lists has IDs half of the time.
func anything(r *rand.Rand, deep int) any {
	switch n := r.IntN(7); {
	case n < 2 || deep == 0:
		return []any{nil, true, "a", "b", json.Number("1"), json.Number("-0.25")}[r.IntN(6)]
	case n < 5:
		m := map[string]any{}
		for range r.IntN(4) {
			m[string(rune('a'+r.IntN(4)))] = anything(r, deep-1)
		}
		if r.IntN(2) == 0 {
			m["id"] = string(rune('p' + r.IntN(6)))
		}
		return m
	}
	list := []any{}
	for range r.IntN(4) {
		list = append(list, anything(r, deep-1))
	}
	return list
}

// bent is a value with a change somewhere.
func bent(r *rand.Rand, v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for k, x := range v {
			if out[k] = x; k != "id" && r.IntN(2) == 0 {
				out[k] = bent(r, x)
			}
		}
		return out
	case []any:
		out := append([]any{}, v...)
		for i := range out {
			if r.IntN(2) == 0 {
				out[i] = bent(r, out[i])
			}
		}
		return out
	}
	return anything(r, 1)
}

func TestAnOverlayGivesBackWhatWasChanged(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for range 5000 {
		a := anything(r, 4)
		b := anything(r, 4)
		if r.IntN(4) > 0 {
			b = bent(r, a)
		}
		from, _ := json.Marshal(a)
		to, _ := json.Marshal(b)
		o, err := Diff(from, to)
		if err != nil {
			t.Fatal(err)
		}
		if o == nil {
			if !reflect.DeepEqual(a, b) {
				t.Fatalf("%s and %s are said to be the same", from, to)
			}
			continue
		}
		got, err := Apply(from, o)
		if err != nil {
			t.Fatalf("%s over %s: %v", o, from, err)
		}
		if x, _ := decode(got); !reflect.DeepEqual(x, b) {
			t.Fatalf("%s over %s gives %s; want %s", o, from, got, to)
		}
	}
}

func TestAnOverlayHoldsOnlyWhatChanged(t *testing.T) {
	base := `{"name":"Reeds","parts":[{"id":"p1","name":"Flute","address":{"port":1,"channel":2}},{"id":"p2","name":"Oboe"}]}`
	changed := strings.Replace(base, `"channel":2`, `"channel":9`, 1)
	o, err := Diff([]byte(base), []byte(changed))
	want := `{"fields":{"parts":{"items":{"p1":{"fields":{"address":{"fields":{"channel":{"set":9}}}}}}}}}`
	if err != nil || string(o) != want {
		t.Errorf("the overlay is %s, %v; want %s", o, err, want)
	}
	for _, bad := range []string{`{"items":{"p9":{"set":1}}}`, `{"fields":{"name":{"fields":{}}}}`, `{"bend":1}`, `7`} {
		if got, err := Apply([]byte(base), []byte(bad)); err == nil {
			t.Errorf("the overlay %s gives %s; want it refused", bad, got)
		}
	}
}

// An overlay from anywhere is laid over, or refused; what comes of it is a document.
func FuzzApply(f *testing.F) {
	f.Add(`{"name":"a","parts":[{"id":"p1","n":1},{"id":"p2"}]}`,
		`{"fields":{"parts":{"items":{"p1":{"set":7}}}},"without":["name"]}`)
	f.Add(`[]`, `{"set":null}`)
	f.Add(`{}`, `{"fields":{"a":null}}`)
	f.Fuzz(func(t *testing.T, base, changes string) {
		out, err := Apply([]byte(base), []byte(changes))
		if err == nil && !json.Valid(out) {
			t.Fatalf("%s over %s gives %q", changes, base, out)
		}
	})
}
