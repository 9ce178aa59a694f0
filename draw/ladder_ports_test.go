package draw_test

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/demo/sample"
	"hiddenlanes/draw"
	"hiddenlanes/internal/testkit"
)

// Outputs on one port stand one below the other, and none overlap in the drawing.
func TestOutputsAreDrawnApart(t *testing.T) {
	runs, err := rig.ParseRuns("3x2+2x2@3+1x6@30")
	if err != nil {
		t.Fatal(err)
	}
	v := draw.NewPorts(rig.Lay(runs, 1), 40, 10)
	if len(v.Faults) == 0 || len(v.Rows) != 2 || len(v.Outputs) != 7 { // the 5.1 output goes on in the next row
		t.Errorf("%d faults, %d rows, %d bars", len(v.Faults), len(v.Rows), len(v.Outputs))
	}
	for i, a := range v.Outputs {
		for _, b := range v.Outputs[:i] {
			if a.X < b.X+b.W && b.X < a.X+a.W && a.Y < b.Y+21 && b.Y < a.Y+21 {
				t.Errorf("output %s covers %s", a.Label, b.Label)
			}
		}
		if a.X+a.W > v.Width || a.Y+21 > v.Height {
			t.Errorf("output %s is outside", a.Label)
		}
	}
	if p := v.Cells[12]; p.Number != 13 || p.Host != 23 {
		t.Errorf("got %+v; want p.Number 13, p.Host 23", p)
	}
}

// The ladder is as tall as the feeds, its lines end where others begin, and the cut
// stands on the proposal.
func TestTheLadderIsDrawnWhole(t *testing.T) {
	p := testkit.Mapped(t, plan.Host{}, "10x2", sample.BrineworkKit())
	steps, err := testkit.Propose(t, p, "i1").Ladder()
	if err != nil {
		t.Fatal(err)
	}
	v := draw.NewLadder(steps, 16)
	if v.CutAt != 10 || len(v.Dots) != 10 || len(v.Names) != 18 || len(v.Columns) != 18 || v.More != 11 ||
		v.Fewer != 9 || v.Beyond == 0 {
		t.Errorf("cut at %d, %d dots, %d names, %d columns, more %d, fewer %d", v.CutAt, len(v.Dots), len(v.Names),
			len(v.Columns), v.More, v.Fewer)
	}
	ends, begins := map[string]int{}, map[string]int{}
	number := regexp.MustCompile(`[\d.]+`)
	for _, l := range v.Lines {
		n := number.FindAllString(l.D, -1)
		to := n[len(n)-2:]
		if strings.Contains(l.D, "H") {
			to = []string{n[2], n[1]}
		}
		begins[n[0]+" "+n[1]]++
		ends[strings.Join(to, " ")]++
	}
	left, right := strconv.Itoa(v.Columns[0].Mid), v.Columns[17].Mid
	for at := range begins {
		if !strings.HasPrefix(at, left+" ") && ends[at] == 0 {
			t.Errorf("a line begins at %s, where none ends", at)
		}
	}
	for at := range ends {
		if !strings.HasPrefix(at, strconv.Itoa(right)+" ") && begins[at] == 0 {
			t.Errorf("a line ends at %s, where none begins", at)
		}
	}
	if draw.NewLadder(steps[:1], 0) != nil {
		t.Error("a ladder of one step")
	}
}

func BenchmarkProposalPage128On64(b *testing.B) {
	in := rig.Instrument{Name: "Big"}
	kit := sample.BrineworkKit().Feeds()
	for i := range 128 {
		in.Voices = append(in.Voices, rig.Voice{ID: fmt.Sprintf("v%d", i), Name: fmt.Sprintf("Voice %d", i),
			Role: kit[i%len(kit)].Role, Keys: []midi.Key{midi.Key(i)}, Width: audio.Mono})
	}
	p := testkit.Project(b, plan.Host{}, "64x2", in)
	b.ReportAllocs()
	for b.Loop() {
		pr := testkit.Propose(b, p, "i1")
		steps, err := pr.Ladder()
		if err != nil || draw.NewLadder(steps, 0) == nil {
			b.Fatal(err)
		}
	}
}
