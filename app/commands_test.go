package app_test

import (
	"errors"
	"net/url"
	"reflect"
	"strings"
	"testing"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/tabular"
)

// read reads a form that a page could send.
func read(t *testing.T, on command.Document, query string) (*command.Spec, command.Value) {
	t.Helper()
	form, err := url.ParseQuery(query)
	if err != nil {
		t.Fatal(err)
	}
	s, v, err := command.Read(on, form)
	if err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return s, v
}

// blamed is the field that an error blames, or "".
func blamed(err error) string {
	var f *command.Fault
	if errors.As(err, &f) {
		return f.Field
	}
	return ""
}

// A command on a project is one revision, undone in one step; where its edit refuses, the
// field at fault is named, and nothing is kept.
func TestCommandsOnProjectsAreRevisions(t *testing.T) {
	a := sampleWorld(t)
	ctx := t.Context()
	do := func(query string) error {
		t.Helper()
		p, err := a.Project(ctx, 4)
		if err != nil {
			t.Fatal(err)
		}
		s, v := read(t, command.Project, query)
		_, err = a.Do(ctx, command.Target{ID: 4, Base: p.Revision}, s, v)
		return err
	}
	before, err := a.Project(ctx, 4)
	if err != nil {
		t.Fatal(err)
	}
	lane := before.Plan.Lanes[0]
	if err := do("do=name&lane=" + lane.ID + "&name=BD"); err != nil {
		t.Fatal(err)
	}
	after, err := a.Project(ctx, 4)
	if err != nil || after.Plan.Lane(lane.ID).Name != "BD" || !strings.Contains(after.Label, "BD") {
		t.Errorf("the lane is %q, the change %q, %v", after.Plan.Lane(lane.ID).Name, after.Label, err)
	}
	for query, field := range map[string]string{
		"do=name&lane=" + lane.ID + "&name=":                         "name",
		"do=cells&table=lanes&row=" + lane.ID + "&col=gain&value=99": "value",
		"do=move&lane=" + lane.ID + "&number=2":                      "number",
		"do=decide&feed=i1:kin&to=99":                                "to",
		"do=keep-layout&placed=i1&name=":                             "name",
		"do=setup&placed=i1&setup=Gone":                              "setup",
		"do=differ&role=kit/kick&attribute=name&reason=":             "reason",
		"do=replace&placed=i1&to=2&hand-kin=pad1&hand-hat=pad1":      "",
	} {
		was, _ := a.Project(ctx, 4)
		err := do(query)
		if err == nil || blamed(err) != field && field != "" {
			t.Errorf("%s: %v blames %q, want %q", query, err, blamed(err), field)
		}
		if now, _ := a.Project(ctx, 4); now.Revision != was.Revision {
			t.Errorf("%s is refused, and the project is another", query)
		}
	}
	// A stale command is a conflict, and no field is to blame.
	s, v := read(t, command.Project, "do=name&lane="+lane.ID+"&name=Later")
	_, err = a.Do(ctx, command.Target{ID: 4, Base: before.Revision}, s, v)
	var stale *app.StaleError
	if !errors.As(err, &stale) || blamed(err) != "" {
		t.Errorf("got %v; want errors.As(err, &stale), blamed(err) \"\"", err)
	}
	if _, err := a.Do(ctx, command.Target{ID: 99}, s, v); !errors.Is(err, app.ErrNotFound) || blamed(err) != "" {
		t.Errorf("got %v; want errors.Is(err, app.ErrNotFound), blamed(err) \"\"", err)
	}
	if undone, err := a.Undo(ctx, 4, after.Revision); err != nil || undone.Plan.Lane(lane.ID).Name != lane.Name {
		t.Errorf("got %+v, %v; want undone.Plan.Lane(lane.ID).Name %v", undone, err, lane.Name)
	}
}

// A difference that is meant is told of no more, and counted again when that is taken back.
func TestExceptionsAreMadeByCommand(t *testing.T) {
	a := sampleWorld(t)
	drifting := func() int {
		t.Helper()
		lib, err := a.Library(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		return lib.Entry(4).Drift
	}
	do := func(query string) {
		t.Helper()
		p, err := a.Project(t.Context(), 4)
		if err != nil {
			t.Fatal(err)
		}
		s, v := read(t, command.Project, query)
		if _, err := a.Do(t.Context(), command.Target{ID: 4, Base: p.Revision}, s, v); err != nil {
			t.Fatalf("%s: %v", query, err)
		}
	}
	before := drifting()
	do("do=differ&reason=a+loan")
	if got := drifting(); got != 0 || before == 0 {
		t.Errorf("%d differences count, of %d, with all of them meant", got, before)
	}
	do("do=differ-not")
	if got := drifting(); got != before {
		t.Errorf("%d differences count again, want %d", got, before)
	}
}

// Commands on the shelf's instruments and on the chart name their fields and cells as those
// on projects do.
func TestCommandsOnInstrumentsAndTheChart(t *testing.T) {
	a := sampleWorld(t)
	ctx := t.Context()
	in, err := a.Instrument(ctx, 1)
	if err != nil {
		t.Fatal(err)
	}
	voice := in.Rig.Voices[1].ID
	s, v := read(t, command.Instrument, "do=cells&table=voices&row="+voice+"&col=width&value=wide")
	_, err = a.Do(ctx, command.Target{ID: 1, Base: in.Revision}, s, v)
	var cell *tabular.Error
	if !errors.As(err, &cell) || cell.Row != voice || cell.Column != "width" || blamed(err) != "value" {
		t.Errorf("a refused cell: %+v, %v", cell, err)
	}
	s, v = read(t, command.Instrument, "do=cells&table=voices&row="+voice+"&col=name&value=Caisse")
	if _, err := a.Do(ctx, command.Target{ID: 1, Base: in.Revision}, s, v); err != nil {
		t.Fatal(err)
	}
	if in, err = a.Instrument(ctx, 1); err != nil || in.Rig.Voices[1].Name != "Caisse" {
		t.Errorf("got %q, %v; want in.Rig.Voices[1].Name \"Caisse\"", in.Rig.Voices[1].Name, err)
	}
	c, err := a.Chart(ctx)
	if err != nil {
		t.Fatal(err)
	}
	s, v = read(t, command.Chart, "do=cells&row=kit/kick&row=kit/snare&col=name&col=wish&value=BD&value=7")
	_, err = a.Do(ctx, command.Target{Base: c.Revision}, s, v)
	if cell = nil; !errors.As(err, &cell) || cell.Row != "kit/snare" || cell.Column != "wish" {
		t.Errorf("a refused cell of the chart: %+v, %v", cell, err)
	}
	if now, err := a.Chart(ctx); err != nil || now.House.Label("kit/kick") != c.House.Label("kit/kick") {
		t.Errorf("a cell beside the refused one was kept: %q, %v", now.House.Label("kit/kick"), err)
	}
	s, v = read(t, command.Chart, "do=cells&row=kit/kick&col=name&value=BD")
	if _, err := a.Do(ctx, command.Target{Base: c.Revision}, s, v); err != nil {
		t.Fatal(err)
	}
	if now, err := a.Chart(ctx); err != nil || now.House.Label("kit/kick") != "BD" {
		t.Errorf("got %q, %v; want now.House.Label(\"kit/kick\") \"BD\"", now.House.Label("kit/kick"), err)
	}
	s, v = read(t, command.Chart, "do=restore&version=99")
	if _, err := a.Do(ctx, command.Target{Base: c.Revision + 1}, s, v); err == nil {
		t.Error("a version that is not kept is gone back to")
	}
}

// A file of the wrong kind is told where it belongs, and one that cannot be imported what
// can be.
func TestAFileOfAnotherKindIsToldWhereItBelongs(t *testing.T) {
	a := sampleWorld(t)
	ctx := t.Context()
	library := string(whole(t, a))
	csv := "name,keys\nKick,36\n"
	for _, c := range []struct {
		text, name, says string
		to               func(r *strings.Reader, name string) error
	}{
		{library, "all.json", "a library", func(r *strings.Reader, name string) error {
			_, err := a.ImportInstruments(ctx, r, name)
			return err
		}},
		{csv, "kit.csv", "an instrument (CSV)", func(r *strings.Reader, name string) error {
			_, err := a.KeepSong(ctx, r, name)
			return err
		}},
		{"MThd no more", "x.mid", "x.mid", func(r *strings.Reader, name string) error {
			_, err := a.ImportInstruments(ctx, r, name)
			return err
		}},
		{"fLaC....", "take.flac",
			"This is a FLAC file: recordings are not instruments. Import Standard MIDI File (.mid, .midi, .rmi).",
			func(r *strings.Reader, name string) error {
				_, err := a.KeepSong(ctx, r, name)
				return err
			}},
	} {
		err := c.to(strings.NewReader(c.text), c.name)
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q", c.name, err, c.says)
		}
	}
	if rows, err := a.Shelf(ctx); err != nil || len(rows) != 4 {
		t.Errorf("%d instruments are on the shelf, want the 4 there were, %v", len(rows), err)
	}
}

// What commands ask for there is: the use cases have every interface of every row.
func TestTheUseCasesHaveWhatCommandsAskFor(t *testing.T) {
	have := reflect.TypeFor[*app.App]()
	for _, s := range command.Table {
		_, isEdit := s.New().(command.ProjectEdit)
		_, ofInstrument := s.New().(command.InstrumentEdit)
		_, ofChart := s.New().(command.ChartEdit)
		isEdit = isEdit || ofInstrument || ofChart
		switch asks := s.Asks(); {
		case asks == nil && !isEdit:
			t.Errorf("%s %q is no edit and does not say how it runs", s.On, s.Name)
		case asks != nil && isEdit:
			t.Errorf("%s %q is an edit, and asks for %s as well", s.On, s.Name, asks)
		case asks != nil && !have.Implements(asks):
			t.Errorf("%s %q asks for %s, which the use cases do not have", s.On, s.Name, asks)
		}
	}
}
