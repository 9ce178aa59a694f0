package draw

import (
	"fmt"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
)

// Ports is outputs drawn on their ports.
type Ports struct {
	Width, Height int
	Rows          []int // y of each row of ports
	Cells         []PortCell
	Outputs       []PortBar
	Faults        []rig.PortFault
	Err           string
	Count         int // outputs
	Used          int // ports that carry one
	Have          int // ports there are; 0: not known
	Host          bool
}

type PortCell struct {
	X, Y     int
	Number   rig.Port
	Host     int
	Past     bool // there is no such port
	PairEnd  bool
	Occupied int
}

// PortBar is one output, or the piece of it in one row of ports.
type PortBar struct {
	X, Y, W, TextX, TextY int
	Label                 string
	Width                 audio.Width
	Bad                   bool
	Title                 string
}

// Sizes of the drawing of ports, in CSS pixels.
const (
	portW      = 30
	portRow    = 32 // ports in a row
	portRowH   = 74
	portBarH   = 24
	portLeft   = 2
	mostDrawn  = 256
	barGap     = 2
	labelBelow = 17
)

// bars draws an output as a bar in each row of ports that it lies on, so far down; why says what is
// wrong with it. lanes are the rows of bars in each row of ports.
func (v *Ports) bars(o rig.Output, d int, why string, lanes map[int]int) {
	for from := o.First; from <= o.Last(); {
		row := (int(from) - 1) / portRow
		to := min(o.Last(), rig.Port((row+1)*portRow))
		if int(to) > mostDrawn {
			break
		}
		bar := PortBar{X: portLeft + (int(from)-1)%portRow*portW + barGap, Y: d, W: (int(to-from)+1)*portW - 2*barGap,
			Width: o.Width, Label: o.Label(),
			Title: fmt.Sprintf("output %s, %s, ports %s", o.Label(), o.Width, o.PortNames(0))}
		if why != "" {
			bar.Bad, bar.Title = true, why
		}
		bar.TextX = bar.X + bar.W/2
		bar.TextY = row // until the rows have their places
		lanes[row] = max(lanes[row], d+1)
		v.Outputs = append(v.Outputs, bar)
		from = to + 1
	}
}

// NewPorts lays outputs on rows of ports; those on one port stand one below the
// other.
func NewPorts(outputs []rig.Output, ports, offset int) Ports {
	v := Ports{Faults: rig.PortFaults(outputs, ports, offset), Count: len(outputs), Have: ports, Host: offset != 0}
	last := rig.PortsOver(outputs)
	n := max(last, min(ports, mostDrawn), 2)
	n = min(n+n%2, mostDrawn)
	depth := map[rig.Port]int{}
	lanes := map[int]int{} // rows of bars in a row of ports
	bad := map[int]string{}
	for _, f := range v.Faults {
		bad[f.Output] = f.Why
	}
	for _, o := range outputs {
		d := 0
		for _, p := range o.Ports() {
			d = max(d, depth[p])
		}
		for _, p := range o.Ports() {
			if depth[p] == 0 {
				v.Used++
			}
			depth[p] = d + 1
		}
		v.bars(o, d, bad[o.Number], lanes)
	}
	y := 4
	rows := (n + portRow - 1) / portRow
	for row := range rows {
		v.Rows = append(v.Rows, y)
		y += max(1, lanes[row])*portBarH + labelBelow + 12
		if offset != 0 {
			y += 14
		}
	}
	for i := range v.Outputs {
		b := &v.Outputs[i]
		row := b.TextY
		b.Y = v.Rows[row] + b.Y*portBarH
		b.TextY = b.Y + 16
	}
	for p := rig.Port(1); int(p) <= n; p++ {
		row := (int(p) - 1) / portRow
		v.Cells = append(v.Cells, PortCell{X: portLeft + (int(p)-1)%portRow*portW, Y: v.Rows[row] +
			max(1, lanes[row])*portBarH, Number: p, Host: int(p) + offset,
			Past: ports > 0 && int(p) > ports, PairEnd: p%2 == 0, Occupied: depth[p]})
	}
	v.Height, v.Width = y, portLeft*2+min(n, portRow)*portW
	return v
}
