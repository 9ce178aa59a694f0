package plan

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"
)

// changesOfAll finds how a state became another by what is kept of both, written and read.
func changesOfAll(before, after *Patched) ([]Change, error) {
	a, err := before.tree()
	if err != nil {
		return nil, err
	}
	b, err := after.tree()
	if err != nil {
		return nil, err
	}
	var out []Change
	for _, kind := range keysOf(a, b) {
		for _, id := range keysOf(a[kind], b[kind]) {
			was, had := a[kind][id]
			is, has := b[kind][id]
			if id != "" && had != has {
				c := Change{Kind: kind, ID: id}
				if had {
					c.Before, err = json.Marshal(was)
				} else {
					c.After, err = json.Marshal(is)
				}
				if err != nil {
					return nil, err
				}
				out = append(out, c)
				continue
			}
			for _, attr := range keysOf(was, is) {
				if !bytes.Equal(was[attr], is[attr]) {
					out = append(out, Change{kind, id, attr, was[attr], is[attr]})
				}
			}
		}
	}
	return out, nil
}

// What is found to have changed is what differs in what is kept.
func TestChangesAreWhatDiffersInWhatIsKept(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	state := func() *Patched {
		s := &Patched{Instruments: map[string]InstrumentState{}, Tracks: map[string]Track{}, Muted: map[string]bool{},
			Soloed: map[string]bool{}, Unknown: map[Key]bool{}}
		for i := range 12 {
			l := Lane{ID: fmt.Sprint("l", i), Number: LaneNumber(i + 1), Name: fmt.Sprint("Lane ", i), Width: 2}
			if i%3 == 0 {
				l.Sends = []Send{{To: "l11", Level: -6}}
			}
			s.Lanes = append(s.Lanes, l)
		}
		return s
	}
	differ := 0
	for range 400 {
		a := state()
		b := a.Clone()
		b.Checked, b.Template = []string{"", "x"}[rng.IntN(2)], []string{"", "t"}[rng.IntN(2)]
		b.Chain(2, rng.IntN(2) == 0)
		b.Instruments["i1"] = InstrumentState{Name: "Kit", On: map[int]bool{1: rng.IntN(2) == 0},
			Feeds: map[string]string{"v1": "2"}}
		for range rng.IntN(4) {
			for _, s := range []*Patched{a, b} {
				i := rng.IntN(len(s.Lanes))
				id := s.Lanes[i].ID
				switch rng.IntN(8) {
				case 0:
					s.Lanes[i].Name += "x"
				case 1:
					s.Lanes = append(s.Lanes[:i:i], s.Lanes[i+1:]...)
				case 2:
					s.Mute(id, true)
				case 3:
					s.Solo(id, true)
				case 4:
					s.Forget(LaneEntity(id), AttrName)
				case 5:
					s.Lanes[i].Sends = []Send{{To: "l10", Level: 0}}
				case 6:
					s.Forget(SendEntity(id, "l11"), AttrLevel)
				case 7:
					s.Lanes = append(s.Lanes, Lane{ID: fmt.Sprint("n", rng.IntN(3)), Name: "New", Number: 99, Width: 1})
				}
			}
		}
		want, errWant := changesOfAll(a, b)
		got, err := ChangesOf(a, b)
		if err != nil || errWant != nil || !reflect.DeepEqual(got, want) {
			t.Fatalf("it finds %+v, %v; want %+v, %v", got, err, want, errWant)
		}
		if len(want) > 0 {
			differ++
		}
	}
	if differ < 200 {
		t.Errorf("only %d of 400 pairs differ", differ)
	}
}

// Two lanes that differ in any field are not alike.
func TestLanesThatDifferInAFieldAreNotAlike(t *testing.T) {
	for i := range reflect.TypeFor[Lane]().NumField() {
		a, b := Lane{ID: "l1"}, Lane{ID: "l1"}
		f := reflect.ValueOf(&b).Elem().Field(i)
		switch f.Kind() {
		case reflect.String:
			f.SetString("x")
		case reflect.Int, reflect.Int64:
			f.SetInt(7)
		case reflect.Float64:
			f.SetFloat(0.5)
		case reflect.Bool:
			f.SetBool(true)
		case reflect.Slice:
			f.Set(reflect.MakeSlice(f.Type(), 1, 1))
		case reflect.Struct:
			f.Field(0).SetBool(true)
		case reflect.Pointer:
			f.Set(reflect.New(f.Type().Elem()))
		default:
			t.Fatalf("a field of kind %v: set it here, and compare it in same", f.Kind())
		}
		if a.same(&b) {
			t.Errorf("lanes with another %s are taken to be alike", reflect.TypeFor[Lane]().Field(i).Name)
		}
	}
	if a := (&Lane{ID: "l1"}); !a.same(&Lane{ID: "l1"}) {
		t.Error("equal lanes are not alike")
	}
}

func keysOf[V any](a, b map[string]V) []string {
	all := maps.Clone(a)
	if all == nil {
		all = map[string]V{}
	}
	maps.Copy(all, b)
	return slices.Sorted(maps.Keys(all))
}
