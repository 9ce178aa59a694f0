package plan

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"testing"
)

// Leaving out the lanes that stand alike changes nothing of what is found to have changed.
func TestChangesOfFewLanesAreThoseOfAll(t *testing.T) {
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
