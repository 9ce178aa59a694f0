package namelist_test

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/format/namelist"
	"hiddenlanes/internal/testkit"
)

func decode(t *testing.T, text string) *rig.Instrument {
	t.Helper()
	in, _, err := namelist.Decode(strings.NewReader(text), "Tern Kit", midi.MiddleC3)
	if err != nil {
		t.Fatal(err)
	}
	return in
}

// feeds says what comes out of an instrument: name, role and width.
func feeds(in *rig.Instrument) string {
	var out []string
	for _, f := range in.Feeds() {
		out = append(out, fmt.Sprintf("%s %s %s", f.Name, f.Role, f.Width))
	}
	return strings.Join(out, "; ")
}

// A list of microphones alone is an instrument with a feed for each, and a proposal gives each
// its lane.
func TestMicrophonesAreFeedsWithoutVoices(t *testing.T) {
	in := decode(t, "\ufeffMicrophones:\n1. Kick In, mono\n2. Kick Out\n- Snare Top\n\nHat\tmono\nOverheads st\nRoom "+
		"Far, stereo\n")
	want := "Kick In kit/kick/in mono; Kick Out kit/kick/out mono; Snare Top kit/snare/top mono; Hat kit/hat mono; " +
		"Overheads kit/overhead stereo; Room Far kit/room/far stereo"
	if got := feeds(in); got != want {
		t.Errorf("the feeds are\n%s, want\n%s", got, want)
	}
	p := testkit.Project(t, plan.Host{FirstLane: 3}, "6x2", *in)
	p.Song = &plan.Song{Name: "some", Channels: []plan.SongChannel{{Address: midi.Address{Port: 1, Channel: 10},
		Keys: map[midi.Key]int{36: 4}}}}
	pr := testkit.Propose(t, p, "i1")
	if len(pr.Rows) != 6 || pr.Cost != 0 {
		t.Errorf("with a song of the kick the proposal has %d outputs; want one for each of six microphones", len(pr.Rows))
	}
}

func TestWhatStandsBehindANameIsUnderstood(t *testing.T) {
	for text, want := range map[string]string{
		"Pad 1 key 36 out 3":                 "voice Pad 1 mono [36] ch 0 out 3",
		"Pad 1 out 3, key C1":                "voice Pad 1 mono [36] ch 0 out 3",
		"Trumpet ch 2":                       "part Trumpet stereo [] ch 2 out 0",
		"Trumpet, MIDI channel 2, mono":      "part Trumpet mono [] ch 2 out 0",
		"Overhead Mono, mono":                "microphone Overhead Mono mono [] ch 0 out 0",
		"voices\nStereo":                     "voice Stereo mono [] ch 0 out 0",
		"voices\nKick, st":                   "voice Kick stereo [] ch 0 out 0",
		"parts\nHorn 2":                      "part Horn 2 stereo [] ch 0 out 0",
		"Close Room stereo output 12":        "microphone Close Room stereo [] ch 0 out 12",
		"Kick, note 35\nAnother":             "voice Kick mono [35] ch 0 out 0",
		"microphones\nOut\nvoices\nIn key 1": "voice In mono [1] ch 0 out 0",
	} {
		in := decode(t, text)
		got := ""
		at := func(id string) int {
			if len(in.Layouts) == 0 {
				return 0
			}
			return in.Layouts[0].Feeds[id].Output
		}
		switch {
		case len(in.Voices) > 0:
			v := in.Voices[0]
			got = fmt.Sprintf("voice %s %s %v ch 0 out %d", v.Name, v.Width, v.Keys, at(v.ID))
		case len(in.Parts) > 0:
			x := in.Parts[0]
			got = fmt.Sprintf("part %s %s [] ch %d out %d", x.Name, x.Width, x.Address.Channel, at(x.ID))
		default:
			m := in.Microphones[0]
			got = fmt.Sprintf("microphone %s %s [] ch 0 out %d", m.Name, m.Width, at(m.ID))
		}
		if got != want {
			t.Errorf("%q is read as %s; want %s", text, got, want)
		}
	}
}

// The outputs that are named are the factory layout, from which the run sheet starts.
func TestNamedOutputsAreTheFactoryLayout(t *testing.T) {
	in := decode(t, "Kick out 1\nSnare out 2\nFloor 1 out 3\nFloor 2 out 3\nGong out 5, stereo\nTriangle\n")
	if runs := rig.FormatRuns(in.Delivered); runs != "4x1+1x2" {
		t.Errorf("the outputs are %s; want four mono, the fourth empty, and a stereo one", runs)
	}
	l := in.Layouts[0]
	if len(l.Feeds) != 5 || l.Feeds[in.Microphones[2].ID] != l.Feeds[in.Microphones[3].ID] || !l.Factory {
		t.Errorf("the layout is %+v", l)
	}
}

func TestALineThatIsNotUnderstoodIsNamed(t *testing.T) {
	for text, want := range map[string][]string{
		"":                                     {"no names"},
		"Kick\nSnare, loud":                    {"line 2", "loud", "mono, stereo"},
		"Kick\n\nHorn ch 99":                   {"line 3"},
		"voices\nKick key 300":                 {"line 2"},
		", mono":                               {"line 1"},
		"Kick out 99999":                       {"line 1", "no output"},
		strings.Repeat("x", 500):               {"longer than 400"},
		strings.Repeat("Pad\n", 1001):          {"line 1001", "more than 1000"},
		"Kick\nOne more name, mono, out of it": {"line 2", "out of it"},
	} {
		_, _, err := namelist.Decode(strings.NewReader(text), "x", midi.MiddleC3)
		var bad *format.Error
		if !errors.As(err, &bad) {
			t.Errorf("%.40q is taken: %v", text, err)
			continue
		}
		for _, w := range want {
			if !strings.Contains(bad.Error(), w) {
				t.Errorf("%.40q is refused with %q; want %q in it", text, bad, w)
			}
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte("microphones\nKick In, mono\nOverheads st\nvoices:\nPad 1 key 36 out 3\nparts\nTrumpet ch 2\n"))
	f.Add([]byte("1. a;b\t,\n- =x out 1, out 2\n\xff\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		in, _, err := namelist.Decode(bytes.NewReader(data), "x", midi.MiddleC3)
		var bad *format.Error
		if err != nil && !errors.As(err, &bad) {
			t.Fatal(err)
		}
		if in != nil {
			if err := in.Validate(); err != nil {
				t.Fatal(err)
			}
		}
	})
}

// Every start is a list that is read without a doubt about what it names, with as many as asked for.
func TestStartsAreReadWithoutDoubt(t *testing.T) {
	for _, s := range namelist.Starts {
		for _, n := range []int{1, s.Usual, s.Most, s.Most + 5} {
			rows, err := namelist.Read(strings.NewReader(s.Names(n)), midi.MiddleC3)
			if err != nil {
				t.Fatalf("%s for %d: %v", s.Key, n, err)
			}
			counted := 0
			for _, r := range rows {
				if s.Key == "kit" && (!r.Sure || r.Role == "") {
					t.Errorf("%s: %s is read as %q, and not surely", s.Key, r.Name, r.Role)
				}
				if r.Kind != "position" {
					counted++
				}
			}
			if want := min(n, s.Most); counted != want {
				t.Errorf("%s for %d has %d names", s.Key, want, counted)
			}
		}
	}
}

func TestRolesAndPositionsAreWritten(t *testing.T) {
	list := "parts\nLow Reeds, ch 2, woodwind/bassoon\nHigh Reeds ch 1\nOdd One, role percussion\npositions\nClose, " +
		"stereo\nFar, stereo\n"
	in, _, err := namelist.Decode(strings.NewReader(list), "Reeds", midi.MiddleC3)
	if err != nil {
		t.Fatal(err)
	}
	if r := in.Parts[0]; r.Role != "woodwind/bassoon" || r.Name != "Low Reeds" || r.Address.Channel != 2 ||
		len(r.Microphones) != 2 {
		t.Errorf("the first part is %+v", r)
	}
	if in.Parts[2].Role != "percussion" || len(in.Feeds()) != 6 {
		t.Errorf("the third is %s, and there are %d feeds; each part through each position is one", in.Parts[2].Role,
			len(in.Feeds()))
	}
	if _, _, err := namelist.Decode(strings.NewReader("Kick, kit/nothing\n"), "Kit", midi.MiddleC3); err != nil &&
		!strings.Contains(err.Error(), "line 1") {
		t.Errorf("a role that is not in the tree: %v", err)
	}
}
