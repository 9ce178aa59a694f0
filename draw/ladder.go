package draw

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/propose"
	"hiddenlanes/internal/words"
)

// Ladder is what joins when outputs get fewer: from every feed alone on
// the left to all on one output on the right, with the cut where the user stands.
type Ladder struct {
	Width, Height int
	Names         []LadderName
	Lines         []LadderLine
	Columns       []LadderColumn
	Dots          []LadderDot
	CutX          int
	CutAt         int
	Axis          int // y of the line of numbers
	More, Fewer   int // the steps the arrow keys lead to; 0: none
	Most          int
	Beyond        int // x up to which the instrument cannot have so many outputs; 0: nowhere
	BeyondWhy     string
	Said          []LadderSaid
}

type LadderName struct {
	Y    int
	Name string
}

type LadderLine struct {
	D      string
	Colour string
	Weight string
	Past   bool // on the far side of the cut
}

type LadderColumn struct {
	X, W, Mid int
	Outputs   int
	Cost      string
	Label     bool
	Here      bool
	Possible  bool
	Link      bool // it leads to a proposal on so many outputs
	Title     string
}

type LadderDot struct {
	X, Y   int
	R      string
	Colour string
	Title  string
}

// LadderSaid is one line of what other numbers of outputs would change.
type LadderSaid struct {
	Outputs int
	Delta   string
	Cost    int64
	Text    string
	Here    bool
}

const (
	// Past so many feeds not every column is a link, and past so many groups they have no dots.
	ladderLinks  = 128
	ladderDots   = 200
	ladderWidth  = 1236
	ladderNames  = 150 // feed names end here
	ladderTop    = 12
	ladderMostH  = 264
	ladderRow    = 13
	ladderLabels = 12 // a row as high as this can carry a name
)

// NewLadder lays the ladder out. most is how many outputs the instrument can
// have; 0: any number.
func NewLadder(steps []propose.Step, most int) *Ladder {
	n := len(steps)
	if n < 2 {
		return nil
	}
	v := &Ladder{Width: ladderWidth, Most: n}
	row := min(float64(ladderRow), float64(ladderMostH)/float64(n))
	rows := map[string]float64{} // y of each feed
	last := steps[n-1]
	for _, s := range steps {
		if s.Possible && len(s.Groups) > len(last.Groups) || !last.Possible {
			last = s
		}
	}
	i := 0
	for _, g := range last.Groups {
		for _, f := range g {
			y := ladderTop + (float64(i)+0.5)*row
			rows[f.ID] = y
			if row >= ladderLabels {
				v.Names = append(v.Names, LadderName{int(y) + 4, f.Name})
			}
			i++
		}
	}
	v.Axis = ladderTop + int(row*float64(n)) + 8
	v.Height = v.Axis + 44
	step := float64(ladderWidth-ladderNames-46) / float64(n-1)
	x := func(outputs int) int { return ladderNames + 14 + int(float64(n-outputs)*step) }
	height := func(g []propose.FeedRow) float64 {
		sum := 0.0
		for _, f := range g {
			sum += rows[f.ID]
		}
		return sum / float64(len(g))
	}
	for _, s := range steps {
		if s.Here {
			v.CutAt, v.CutX = s.Outputs, x(s.Outputs)
		}
	}
	v.lines(steps, x, height)
	v.columns(steps, step, x, height)
	if most > 0 && most < n {
		v.Beyond, v.BeyondWhy = x(most)-int(step/2), fmt.Sprintf("it has %d at most", most)
	}
	v.say(steps, most)
	return v
}

// columns marks each number of outputs, and what each group is where the cut is.
func (v *Ladder) columns(steps []propose.Step, step float64, x func(int) int,
	height func([]propose.FeedRow) float64) {
	n := len(steps)
	every := max(1, int(34/step+0.999))
	for k := n; k >= 1; k-- {
		s := steps[k-1]
		c := LadderColumn{X: x(k) - int(step/2), W: max(int(step), 1), Mid: x(k), Outputs: k, Here: s.Here,
			Possible: s.Possible, Link: s.Possible && (n <= ladderLinks || s.Here || k%every == 0), Label: s.Here ||
				(k%every == 0 || k == 1) && max(x(k)-v.CutX, v.CutX-x(k)) > 24 ||
				v.CutAt == 0 && k%every == 0,
			Title: fmt.Sprintf("%s: not possible with what is asked", words.Count(k, "output", "outputs"))}
		if s.Possible {
			c.Cost, c.Title = fmt.Sprint(s.Cost), fmt.Sprintf("%s: cost %d", words.Count(k, "output", "outputs"), s.Cost)
		}
		v.Columns = append(v.Columns, c)
		if s.Here && len(s.Groups) <= ladderDots {
			for _, g := range s.Groups {
				v.Dots = append(v.Dots, LadderDot{x(k), int(height(g)), fmt.Sprintf("%.1f", 3+float64(min(len(g), 5))/2),
					house.Colour(propose.Common(g)), propose.Names(g)})
			}
		}
	}
}

// joins draws the curves to a group that is new with k outputs from those of the step before that meet in it.
func (v *Ladder) joins(before *propose.Step, k int, g []propose.FeedRow, x func(int) int,
	height func([]propose.FeedRow) float64) {
	in := map[string]bool{}
	for _, f := range g {
		in[f.ID] = true
	}
	x1, x2, y2 := x(before.Outputs), x(k), height(g)
	for _, from := range before.Groups {
		meets := false
		for _, f := range from {
			meets = meets || in[f.ID]
		}
		if meets {
			y1, bend := height(from), float64(x2-x1)*0.5
			v.Lines = append(v.Lines, LadderLine{fmt.Sprintf("M%d %.1fC%.1f %.1f %.1f %.1f %d %.1f", x1, y1, float64(x1)+bend,
				y1, float64(x2)-bend, y2, x2, y2),
				house.Colour(propose.Common(from)), weight(from), k < v.CutAt})
		}
	}
}

// lines draws each group level for as long as it stays the same, and curves to
// the group it joins.
func (v *Ladder) lines(steps []propose.Step, x func(int) int, height func([]propose.FeedRow) float64) {
	key := func(g []propose.FeedRow) string {
		var b strings.Builder
		for _, f := range g {
			b.WriteString(f.ID)
			b.WriteByte(' ')
		}
		return b.String()
	}
	type run struct {
		from, to int
		group    []propose.FeedRow
	}
	open := map[string]*run{}
	close := func(r *run) {
		if r.from != r.to {
			y := height(r.group)
			// The cut parts what is from what fewer outputs would bring.
			for _, piece := range [][2]int{{r.from, max(r.to, min(r.from, v.CutAt))}, {min(r.from, max(r.to, v.CutAt)), r.to}} {
				if piece[0] != piece[1] {
					v.Lines = append(v.Lines, LadderLine{fmt.Sprintf("M%d %.1fH%d", x(piece[0]), y, x(piece[1])),
						house.Colour(propose.Common(r.group)), weight(r.group), piece[0] <= v.CutAt})
				}
			}
		}
	}
	var before *propose.Step
	for k := len(steps); k >= 1; k-- {
		s := &steps[k-1]
		if !s.Possible {
			continue
		}
		now := map[string]*run{}
		for _, g := range s.Groups {
			id := key(g)
			if r := open[id]; r != nil {
				r.to = k
				now[id] = r
				continue
			}
			now[id] = &run{k, k, g}
			if before == nil {
				continue
			}
			v.joins(before, k, g, x, height)
		}
		for _, id := range slices.Sorted(maps.Keys(open)) {
			if now[id] == nil {
				close(open[id])
			}
		}
		open, before = now, s
	}
	for _, id := range slices.Sorted(maps.Keys(open)) {
		close(open[id])
	}
}

func weight(g []propose.FeedRow) string {
	return fmt.Sprintf("%.1f", 1.6+0.5*float64(min(len(g)-1, 6)))
}

// say answers what more outputs would buy and fewer would cost, unasked.
func (v *Ladder) say(steps []propose.Step, most int) {
	if v.CutAt == 0 {
		return
	}
	here := steps[v.CutAt-1]
	can := func(k int) bool { return k >= 1 && k <= len(steps) && steps[k-1].Possible && (most == 0 || k <= most) }
	for _, d := range []struct {
		by   int
		word string
	}{{2, "two more"}, {1, "one more"}, {0, "here"}, {-1, "one fewer"}} {
		k := v.CutAt + d.by
		if !can(k) {
			continue
		}
		if d.by == 1 {
			v.More = k
			if can(k + 1) {
				continue
			}
		}
		if d.by == -1 {
			v.Fewer = k
		}
		said := LadderSaid{Outputs: k, Delta: d.word, Cost: steps[k-1].Cost, Here: d.by == 0}
		if d.by == 0 {
			said.Text = "each alone"
			if shares := here.Shares(); len(shares) > 0 {
				if len(shares) > 5 {
					shares = append(shares[:4:4], fmt.Sprintf("and %d more groups", len(shares)-4))
				}
				said.Text = "together " + strings.Join(shares, "; ")
			}
		} else if said.Text = propose.Difference(here, steps[k-1]); said.Text == "" {
			said.Text = "nothing changes"
		}
		v.Said = append(v.Said, said)
	}
	if most > 0 && v.CutAt == most && most < len(steps) {
		v.Said = append([]LadderSaid{{Outputs: most, Delta: "at most", Cost: here.Cost,
			Text: "the instrument can have no more outputs than this"}}, v.Said...)
	}
}
