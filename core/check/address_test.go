package check_test

import (
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// A part without an address is offered the first one of the song that no part plays, each part
// another, and without a song the next that is free; pressing it gives just that.
func TestAnAddressIsOfferedThatNobodyHas(t *testing.T) {
	none := func(t *testing.T, song *plan.Song, parts ...int) *plan.Project {
		p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "8x2", sample.ReedCabinet())
		for _, n := range parts {
			testkit.Edit(t, p, edits.SetAddress(plan.FeedRef{Placed: "i1", Feed: p.Placed[0].Instrument.Parts[n].ID},
				midi.Address{}))
		}
		p.Song = song
		return p
	}
	at := func(n int) midi.Address { return midi.Address{Port: 1, Channel: midi.Channel(n)} }
	channel := func(n int) plan.SongChannel {
		return plan.SongChannel{Address: at(n), Keys: map[midi.Key]int{60: 4}}
	}
	song := &plan.Song{Name: "Cue", Channels: []plan.SongChannel{channel(2), channel(12), channel(14)}}
	for _, c := range []struct {
		name  string
		song  *plan.Song
		parts []int
		want  []midi.Address
	}{
		{"no song", nil, []int{1}, []midi.Address{at(2)}},
		{"a song with two addresses that nobody plays", song, []int{3, 4}, []midi.Address{at(12), at(14)}},
		{"one more part than the song has addresses", song, []int{2, 3, 4}, []midi.Address{at(12), at(14), at(3)}},
	} {
		p := none(t, c.song, c.parts...)
		var got []midi.Address
		for _, f := range check.Project(p) {
			if f.Rule.Code != "part-no-address" {
				continue
			}
			q := p.Clone()
			testkit.Edit(t, q, check.Fix(f.Key(), 0))
			for _, part := range q.Placed[0].Instrument.Parts {
				if part.ID == f.FeedRef().Feed {
					got = append(got, part.Address.Norm())
					if want := "Give it " + part.Address.String(); f.Mend() != want {
						t.Errorf("%s: the button says %q and gives %s", c.name, f.Mend(), part.Address)
					}
				}
			}
		}
		if len(got) != len(c.want) {
			t.Errorf("%s: got %v; want %v", c.name, got, c.want)
			continue
		}
		for i := range got {
			if got[i] != c.want[i] {
				t.Errorf("%s: part %d gets %v; want %v", c.name, i, got[i], c.want[i])
			}
		}
	}
}

// What was marked as intended is known by its key, so that stays: a layer of two parts is known by the
// second, one of three by all but the first.
func TestALayerIsKnownByAllButTheFirst(t *testing.T) {
	for n := 2; n <= 3; n++ {
		p := testkit.Mapped(t, plan.Host{FirstLane: 3}, "8x2", sample.ReedCabinet())
		parts := p.Placed[0].Instrument.Parts
		want := "midi-layer"
		for i := 1; i < n; i++ {
			testkit.Edit(t, p, edits.SetAddress(testkit.Feed(parts[i].ID), parts[0].Address))
			want += " " + string(plan.FeedEntity(testkit.Feed(parts[i].ID)))
		}
		if got := only(t, p, "midi-layer").Key(); got != want {
			t.Errorf("a layer of %d is known as %q; want %q", n, got, want)
		}
	}
}
