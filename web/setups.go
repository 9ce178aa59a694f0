package web

import (
	"net/http"
	"strconv"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/rig"
	"hiddenlanes/draw"
)

// ports answers what a set-up that is being typed looks like on the ports.
func (s *server) ports(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	have, _ := strconv.Atoi(q.Get("ports"))
	v := draw.Ports{Have: have}
	if setup, err := command.ReadPart[choiceForm](q, ""); err != nil {
		v.Err = message(err)
	} else {
		v = draw.NewPorts(rig.Lay(setup.Outputs, max(setup.Port, 1)), have, setup.Offset)
	}
	s.fragment(w, "ports", v)
}

// setupsPage lists the output set-ups that are kept by name.
type setupsPage struct {
	Rows []setupRow
}

type setupRow struct {
	app.KeptSetup
	Outputs int
	Ports   int
	Text    string
}

func (s *server) setups(w http.ResponseWriter, r *http.Request) {
	s.showSetups(w, r, http.StatusOK, said{})
}

func (s *server) showSetups(w http.ResponseWriter, r *http.Request, code int, sd said) {
	all, err := s.app.Setups(r.Context())
	if err != nil {
		s.fail(w, r, err)
		return
	}
	var p setupsPage
	for _, x := range all {
		row := setupRow{KeptSetup: x, Text: x.Outputs}
		if runs, err := rig.ParseRuns(x.Outputs); err == nil {
			outputs := rig.Lay(runs, x.First)
			row.Outputs, row.Ports = len(outputs), rig.PortsOver(outputs)
		}
		p.Rows = append(p.Rows, row)
	}
	s.page(w, r, code, "setups", frame{Title: "Output set-ups", Section: "instruments", Flash: sd.flash,
		Refused: sd.refused, Data: p})
}

// setupForm is an output set-up to be kept by name.
type setupForm struct {
	Name    string    `form:"name"`
	Variant string    `form:"variant,optional"`
	Outputs []rig.Run `form:"outputs"`
	Port    rig.Port  `form:"port,optional" says:"the first port"`
	Default bool      `form:"default"`
}

func (s *server) keepSetup(w http.ResponseWriter, r *http.Request) {
	err := readForm(w, r)
	if err == nil {
		err = s.keepSetupFrom(r)
	}
	if err != nil {
		s.showSetups(w, r, s.status(r, err), refusedForm(r, err))
		return
	}
	http.Redirect(w, r, "/setups", http.StatusSeeOther)
}

func (s *server) keepSetupFrom(r *http.Request) error {
	f, err := command.ReadPart[setupForm](r.PostForm, "")
	if err != nil {
		return err
	}
	x, err := app.NewSetup(f.Name, f.Variant, f.Outputs, max(f.Port, 1), f.Default)
	if err != nil {
		return &command.Fault{Field: "name", Err: err}
	}
	return s.app.KeepSetup(r.Context(), x)
}

func (s *server) removeSetup(w http.ResponseWriter, r *http.Request) {
	if err := s.app.RemoveSetup(r.Context(), idOf(r)); err != nil {
		s.fail(w, r, err)
		return
	}
	http.Redirect(w, r, "/setups", http.StatusSeeOther)
}
