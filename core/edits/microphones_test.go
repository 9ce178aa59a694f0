package edits

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// dock is a kit with one stereo microphone over four voices, a close one at the snare, in a project where the first
// two leave by outputs.
func dock(t *testing.T) *plan.Project {
	t.Helper()
	p := &plan.Project{Name: "Dock", Host: plan.Host{FirstLane: 1}}
	in := rig.Instrument{Name: "Kit", Microphones: []rig.Microphone{
		{ID: "oh", Name: "Overhead", Role: "kit/overhead", Width: audio.Stereo},
		{ID: "top", Name: "Snare Top", Role: "kit/snare/top", Width: audio.Mono}}}
	for i, r := range []role.Role{"kit/kick", "kit/snare", "kit/tom/floor", "kit/cymbal/ride"} {
		v := rig.Voice{ID: fmt.Sprint("v", i), Name: fmt.Sprint("V", i), Role: r, Keys: []midi.Key{midi.Key(36 + i)},
			Heard: rig.HeardThrough("oh")}
		if i == 1 {
			v.Heard = rig.HeardThrough("oh", "top")
		}
		in.Voices = append(in.Voices, v)
	}
	do(t, p, AddInstrument(in, rig.Lay([]rig.Run{{Count: 4, Width: audio.Stereo}}, 1), 0))
	do(t, p, AssignInOrder([]plan.FeedRef{{Placed: "i1", Feed: "oh"}, {Placed: "i1", Feed: "top"}}, InOrder{Output: 2,
		Lane: 5}))
	return p
}

// where says of each feed the keys that sound in it and where it goes.
func where(p *plan.Project) string {
	var out []string
	for _, f := range p.Placed[0].AllFeeds() {
		out = append(out, fmt.Sprintf("%s %v %s", f.ID, f.Keys, p.Placed[0].Feeds[f.ID].At()))
	}
	slices.Sort(out)
	return strings.Join(out, "; ")
}

// A microphone is split by kinds, then by names of the user's; what has no name stays in it. Every group
// goes where the microphone went until somebody says otherwise, and joined it has its output again.
func TestAMicrophoneIsSplitByGroupsOfVoices(t *testing.T) {
	p := dock(t)
	before, lanes := where(p), len(p.Lanes)
	is := func(want string) {
		t.Helper()
		if got := where(p); got != want {
			t.Errorf("got  %s\nwant %s", got, want)
		}
	}
	is("oh [36 37 38 39] 2; top [37] 3")
	do(t, p, SplitMicrophone("i1", "oh", rig.ByPieces))
	is("oh.cymbal [39] 2; oh.kick [36] 2; oh.snare [37] 2; oh.tom [38] 2; top [37] 3")
	do(t, p, NameGroups("i1", "oh", nil)) // begins with the groups there are
	if got := p.Placed[0].View.Split["oh"].Of; !maps.Equal(got, map[string]string{"v0": "kick", "v1": "snare",
		"v2": "toms",
		"v3": "cymbals"}) {
		t.Errorf("the groups begin as %v; want the kinds", got)
	}
	do(t, p, NameGroups("i1", "oh", map[string]string{"v0": " Low skins ", "v2": "Low skins", "v3": "Żele"}))
	is("oh [37] 2; oh.ele [39] 2; oh.low-skins [36 38] 2; top [37] 3")
	do(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: "oh.low-skins"}, plan.Assigned, plan.Jack{Output: 4}))
	do(t, p, SplitMicrophone("i1", "oh", rig.ByShells))
	do(t, p, JoinMicrophone("i1", "oh"))
	if got := where(p); got != before || len(p.Lanes) != lanes {
		t.Errorf("joined it is %s with %d lanes; want %s with %d", got, len(p.Lanes), before, lanes)
	}
	refuse(t, p, SplitMicrophone("i1", "top", rig.ByVoices), "nothing to split")
	refuse(t, p, SplitMicrophone("i1", "gone", rig.ByVoices), "does not exist any more")
	refuse(t, p, SplitMicrophone("i1", "oh", "colour"), "cannot be split by")
	refuse(t, p, NameGroups("i1", "oh", map[string]string{"v0": strings.Repeat("a", 81)}), "longer than")
}

// A sample of the user's own takes the keys of the voice it sounds with and leaves by an output of its
// own, whatever microphones there are; removed, nothing of it is left.
func TestASampleOfTheUsersOwnHasAnOutput(t *testing.T) {
	p := dock(t)
	do(t, p, AddSample("i1", "Thump", "v0", audio.Mono))
	do(t, p, Decide(plan.FeedRef{Placed: "i1", Feed: "own1"}, plan.Assigned, plan.Jack{Output: 4}))
	if got, want := where(p), "oh [36 37 38 39] 2; own1 [36] 4; top [37] 3"; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
	if v := p.Placed[0].Instrument.Voices[4]; v.Role != "kit/kick" || !v.Added {
		t.Errorf("the sample is %+v; want it to be a kick as what it sounds with", v)
	}
	refuse(t, p, RemoveSample("i1", "v0"), "does not exist any more") // the instrument's own
	refuse(t, p, AddSample("i1", " ", "", audio.Mono), "needs a name")
	refuse(t, p, AddSample("i1", "Thump", "v9", audio.Mono), "does not exist any more")
	do(t, p, RemoveSample("i1", "own1"))
	if _, left := p.Placed[0].Feeds["own1"]; left || len(p.Placed[0].Instrument.Voices) != 4 {
		t.Errorf("removed, %+v is left", p.Placed[0].Feeds)
	}
}
