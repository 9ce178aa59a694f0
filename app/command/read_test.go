package command_test

import (
	"errors"
	"net/url"
	"reflect"
	"strings"
	"testing"

	"hiddenlanes/app/command"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// do reads a form of a project.
func do(t *testing.T, query string) (command.Value, error) {
	t.Helper()
	form, err := url.ParseQuery(query)
	if err != nil {
		t.Fatal(err)
	}
	_, v, err := command.Read(command.Project, form)
	return v, err
}

// What people type is read as they mean it, and into the type that it is.
func TestFormsAreReadIntoTypedArguments(t *testing.T) {
	for query, want := range map[string]command.Value{
		"do=name&lane=l2&name=Kick+In": command.NameLane{Lane: "l2", Name: "Kick In"},
		"do=send&lane=l2&sendto=Hall&level=−3.5+dB": command.AddSend{Lanes: []string{"l2"}, To: "Hall", Level: "−3.5 dB",
			Tap: ""},
		"do=close%3Flane%3Dl2":        command.CloseLane{Lane: "l2"}, // a button's own argument
		"do=move&lane=l2&number=+12+": command.MoveLane{Lane: "l2", Number: 12},
		"do=point&lane=l2&output=i1:3L": command.PointLane{Lane: "l2",
			Output: plan.OutputRef{Placed: "i1", Output: 3, Side: rig.Left}},
		"do=point&lane=l2&output=":       command.PointLane{Lane: "l2"},
		"do=arrive&output=i1:3":          command.ArriveOn{Output: plan.OutputRef{Placed: "i1", Output: 3}},
		"do=route&lane=l2&lane=l3&to=l9": command.Route{Lanes: []string{"l2", "l3"}, To: "l9"},
		"do=outputs&placed=i1&outputs=2x2&offset=−4": command.SetOutputs{Placed: "i1",
			Outputs: []rig.Run{{Count: 2, Width: 2}}, Offset: -4},
		"do=host&first=5&memory=&sides=on": command.SetHost{First: 5, Sides: true},
		"do=host&rev=3&back=outputs":       command.SetHost{},
		"do=off&placed=i1&feed=k36&rev=4":  command.SwitchOff{Placed: "i1", Feeds: []string{"k36"}},
	} {
		got, err := do(t, query)
		if err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s\ngot  %#v, %v\nwant %#v", query, got, err, want)
		}
	}
	got, err := do(t, "do=accept-all&placed=i1&cut-i1=9&cut-i2=4")
	c, ok := got.(command.Accept)
	if err != nil || !ok || c.Cut["i1"] != "9" || c.Cut["i2"] != "4" || len(c.Cut) != 2 {
		t.Errorf("fields that begin alike are %+v, %v", got, err)
	}
}

// A form with buttons for several commands may carry the fields of all of them, and no
// others.
func TestFormsOfSeveralCommandsShareTheirFields(t *testing.T) {
	if _, err := do(t, "do=park&placed=i1&feed=k36&to=3&at=k36%3D2"); err != nil {
		t.Errorf("the field of the button beside it is refused: %v", err)
	}
	if _, err := do(t, "do=name&lane=l2&name=x&to=3"); err == nil || !strings.Contains(err.Error(), `"to"`) {
		t.Errorf("a stray field is taken: %v", err)
	}
}

// Each reason says what was typed or is missing, so that it can be understood beside the
// field.
func TestReasonsSpeakOfWhatWasTyped(t *testing.T) {
	for query, want := range map[string][2]string{
		"do=move&lane=l2&number=twelve":       {"number", `the lane number is "twelve"; type a whole number`},
		"do=move&lane=l2&number=9999999":      {"number", "type a whole number"},
		"do=move&lane=l2&number=-1":           {"number", "type a whole number"},
		"do=move&lane=l2":                     {"number", "did not come along"},
		"do=send&sendto=x&lane=l2&level=loud": {"level", "type decibels"},
		"do=name&lane=l2&lane=l3&name=x":      {"lane", "came twice"},
		"do=outputs&placed=i1&outputs=many":   {"outputs", "count x width"},
		"do=decide&feed=nonsense&to=1":        {"feed", "names no feed"},
		"do=decide&feed=i1:k36&to=everywhere": {"to", "everywhere"},
		"do=address&part=i1:p1&address=99":    {"address", "99"},
		"do=host&taken=9+and+up":              {"taken", "9 and up"},
		"do=voices&placed=i1&to=loud":         {"to", "loud"},
		"do=fly":                              {"do", `no change called "fly"`},
	} {
		_, err := do(t, query)
		var f *command.Fault
		if !errors.As(err, &f) || f.Field != want[0] || !strings.Contains(f.Error(), want[1]) {
			t.Errorf("%s: %v, want %q blamed for the field %q", query, err, want[1], want[0])
		}
	}
}

// Fields that belong to something else are read by the same rules, and passed over where
// they are not known.
func TestPartsOfOtherFormsAreReadAlike(t *testing.T) {
	type choice struct {
		Outputs []rig.Run `form:"outputs"`
		Port    rig.Port  `form:"port,optional,min=1"`
	}
	form := url.Values{"outputs-4": {"8x2"}, "port-4": {"3"}, "outputs-5": {"?"}, "name": {"Cue"}}
	got, err := command.ReadPart[choice](form, "-4")
	if err != nil || got.Port != 3 || len(got.Outputs) != 1 {
		t.Errorf("got %+v, %v; want got.Port 3, len(got.Outputs) 1", got, err)
	}
	var f *command.Fault
	if _, err := command.ReadPart[choice](form, "-5"); !errors.As(err, &f) || f.Field != "outputs-5" {
		t.Errorf("%v, want a fault of outputs-5", err)
	}
	form.Set("port-4", "0")
	if _, err := command.ReadPart[choice](form, "-4"); !errors.As(err, &f) || f.Field != "port-4" {
		t.Errorf("%v, want a fault of port-4", err)
	}
}

// Whatever is sent, reading answers with a command or with a fault of one field.
func FuzzRead(f *testing.F) {
	f.Add("do=send&lane=l2&sendto=x&level=-3", 0)
	f.Add("do=cells&table=voices&row=v1&col=name&value=x", 1)
	f.Add("do=step&step=kit/kick|-1", 2)
	f.Add("do=accept-all&placed=i1&cut-i1=9&cut-=x", 0)
	documents := []command.Document{command.Project, command.Instrument, command.Chart}
	f.Fuzz(func(t *testing.T, query string, on int) {
		form, err := url.ParseQuery(query)
		if err != nil {
			return
		}
		s, v, err := command.Read(documents[(on%3+3)%3], form)
		var fault *command.Fault
		switch {
		case err != nil && (!errors.As(err, &fault) || fault.Field == "" || fault.Error() == ""):
			t.Errorf("%q: %v is not a fault of a field", query, err)
		case err == nil && (s == nil || v == nil):
			t.Errorf("%q is read as nothing", query)
		}
	})
}
