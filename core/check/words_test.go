package check

import (
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// Verbs agree with their number, and what is aside is said as it is.
func TestSentencesAgreeInNumber(t *testing.T) {
	for want, names := range map[string][]string{"Kick sends to it": {"Kick"},
		"Kick and Snare send to it": {"Kick", "Snare"}} {
		if got := sendOf(names); got != want {
			t.Errorf("got %q; want %q", got, want)
		}
	}
	feed := func(s plan.State) (f trace.Feed) {
		f.At = plan.Assignment{State: s, Output: 3}
		return f
	}
	off, parked := feed(plan.Off), feed(plan.Parked)
	for _, c := range []struct {
		feeds []trace.Feed
		want  string
	}{{[]trace.Feed{off}, "it is switched off"}, {[]trace.Feed{parked}, "it is parked on output 3"},
		{[]trace.Feed{off, off}, "all its microphones are off"},
		{[]trace.Feed{off, parked, off}, "of its feeds 2 are off and 1 is parked"}} {
		if got := asideInWords(c.feeds); got != c.want {
			t.Errorf("got %q; want %q", got, c.want)
		}
	}
}
