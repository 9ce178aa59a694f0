package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/rig"
	"hiddenlanes/store"
)

// portsView draws outputs on ports.
type portsView struct {
	Width, Height int
	Rows          []int // y of each row of ports
	Ports         []portCell
	Outputs       []portBar
	Faults        []rig.PortFault
	Err           string
	Count         int // outputs
	Used          int // ports that carry one
	Have          int // ports there are; 0: not known
	Host          bool
}

type portCell struct {
	X, Y     int
	Number   rig.Port
	Host     int
	Past     bool // there is no such port
	PairEnd  bool
	Occupied int
}

// portBar is one output, or the piece of it in one row of ports.
type portBar struct {
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

// drawPorts lays outputs on rows of ports; those on one port stand one below the
// other.
func drawPorts(outputs []rig.Output, ports, offset int) portsView {
	v := portsView{Faults: rig.PortFaults(outputs, ports, offset), Count: len(outputs), Have: ports, Host: offset != 0}
	last := int(rig.PastLast(outputs)) - 1
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
		for from := o.First; from <= o.Last(); {
			row := (int(from) - 1) / portRow
			to := min(o.Last(), rig.Port((row+1)*portRow))
			if int(to) > mostDrawn {
				break
			}
			bar := portBar{X: portLeft + (int(from)-1)%portRow*portW + barGap, Y: d, W: (int(to-from)+1)*portW - 2*barGap, Width: o.Width, Label: o.Label(),
				Title: fmt.Sprintf("output %s, %s, ports %s", o.Label(), o.Width, o.PortNames(0))}
			if why := bad[o.Number]; why != "" {
				bar.Bad, bar.Title = true, why
			}
			bar.TextX = bar.X + bar.W/2
			bar.TextY = row // until the rows have their places
			lanes[row] = max(lanes[row], d+1)
			v.Outputs = append(v.Outputs, bar)
			from = to + 1
		}
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
		v.Ports = append(v.Ports, portCell{X: portLeft + (int(p)-1)%portRow*portW, Y: v.Rows[row] + max(1, lanes[row])*portBarH, Number: p, Host: int(p) + offset,
			Past: ports > 0 && int(p) > ports, PairEnd: p%2 == 0, Occupied: depth[p]})
	}
	v.Height, v.Width = y, portLeft*2+min(n, portRow)*portW
	return v
}

// ports answers what a set-up that is being typed looks like on the ports.
func (s *server) ports(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	have, _ := strconv.Atoi(q.Get("ports"))
	v := portsView{Have: have}
	setup, err := readSetup(q.Get("outputs"), q.Get("port"), q.Get("offset"))
	if err != nil {
		v.Err = message(err)
	} else {
		v = drawPorts(rig.Lay(setup.Outputs, setup.FirstPort), have, setup.Offset)
	}
	s.fragment(w, "ports", v)
}

// setupsPage lists the output set-ups that are kept by name.
type setupsPage struct {
	Rows []setupRow
}

type setupRow struct {
	store.Setup
	Outputs int
	Ports   int
	Text    string
}

func (s *server) setups(w http.ResponseWriter, r *http.Request) {
	s.showSetups(w, r, http.StatusOK, nil)
}

func (s *server) showSetups(w http.ResponseWriter, r *http.Request, code int, fl *flash) {
	all, err := s.app.Setups(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var p setupsPage
	for _, x := range all {
		row := setupRow{Setup: x, Text: x.Outputs}
		if runs, err := rig.ParseRuns(x.Outputs); err == nil {
			outputs := rig.Lay(runs, x.First)
			row.Outputs, row.Ports = len(outputs), int(rig.PastLast(outputs))-1
		}
		p.Rows = append(p.Rows, row)
	}
	s.page(w, r, code, "setups", frame{Title: "Output set-ups", Section: "instruments", Flash: fl, Data: p})
}

func (s *server) keepSetup(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, maxForm)
	err := r.ParseForm()
	if err == nil {
		var x store.Setup
		if x, err = setupFrom(r.PostForm.Get("name"), r.PostForm.Get("variant"), r.PostForm.Get("outputs"), r.PostForm.Get("port"), r.PostForm.Has("default")); err == nil {
			err = s.app.KeepSetup(r.Context(), x)
		}
	}
	if err != nil {
		s.showSetups(w, r, status(err), &flash{Bad: true, Text: message(err)})
		return
	}
	http.Redirect(w, r, "/setups", http.StatusSeeOther)
}

func setupFrom(name, variant, outputs, port string, def bool) (x store.Setup, err error) {
	x = store.Setup{Name: strings.Join(strings.Fields(name), " "), Variant: strings.Join(strings.Fields(variant), " "), Default: def}
	if x.Name == "" || len([]rune(x.Name)) > 80 || len([]rune(x.Variant)) > 80 {
		return x, fmt.Errorf("a set-up needs a name of up to 80 characters")
	}
	s, err := readSetup(outputs, port, "")
	x.Outputs, x.First = rig.FormatRuns(s.Outputs), s.FirstPort
	return x, err
}

func (s *server) removeSetup(w http.ResponseWriter, r *http.Request) {
	if err := s.app.RemoveSetup(r.Context(), idOf(r)); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/setups", http.StatusSeeOther)
}
