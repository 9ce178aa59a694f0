// Package command is the table of everything that changes a document: what it is called,
// how its form is read strictly into typed arguments, and the edit it makes. Pages, labels,
// tests and docs/commands.md are made from it. A command is a plain value that can be
// encoded. The package knows the core, and of the use cases the interfaces that its commands ask for.
package command

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// Value is a command with its arguments: plain data that can be encoded as JSON. Either it is an
// edit of its document by itself, one of the kinds below, or its row in the table says how it runs.
type Value any

// The kinds of edits.
type (
	// ProjectEdit is an edit of a project.
	ProjectEdit interface{ Edit() plan.Edit }
	// InstrumentEdit is an edit of an instrument of the shelf.
	InstrumentEdit interface{ Edit(midi.Naming) rig.Edit }
	// ChartEdit is an edit of the house chart.
	ChartEdit interface{ Edit(midi.Naming) house.Edit }
)

// Target is the document that a command is for, at the revision the user saw; there is but one
// house chart. Seen says that the command is refused where the user has not seen the newest.
type Target struct {
	ID, Base int64
	Seen     bool
}

// What commands that run ask of the use cases, each for what it needs. They run in one transaction.
type (
	// Editor carries an edit of a project out.
	Editor interface {
		EditAt(ctx context.Context, at Target, edit plan.Edit) error
	}
	// Placer adds instruments of the shelf to projects.
	Placer interface {
		Editor
		PlaceFromShelf(ctx context.Context, instrument int64, runs []rig.Run, first rig.Port, offset int,
			start string) (plan.Edit, error)
	}
	// Shelf has the instruments that those of projects came from.
	Shelf interface {
		Editor
		PlacedIn(ctx context.Context, project int64, placed string) (*plan.Placed, error)
		OnShelf(ctx context.Context, pl *plan.Placed) (rig.Instrument, error)
	}
	// Layouts has layouts of instruments, and keeps them.
	Layouts interface {
		Editor
		PlacedIn(ctx context.Context, project int64, placed string) (*plan.Placed, error)
		LayoutNamed(ctx context.Context, pl *plan.Placed, name string) (rig.Layout, error)
		KeepLayout(ctx context.Context, project, base int64, as rig.Layout, placed string) error
	}
	// Setups has output set-ups, and keeps them.
	Setups interface {
		Editor
		SetupNamed(ctx context.Context, name string) (runs []rig.Run, first rig.Port, err error)
		KeepSetupOf(ctx context.Context, at Target, placed, name string, usual bool) error
	}
	// Profiles has kinds of host, and keeps them.
	Profiles interface {
		Editor
		ProfileNamed(ctx context.Context, name string) (rig.Profile, error)
		UseOwnProfile(ctx context.Context, at Target, p rig.Profile) error
	}
	// RunSheet marks steps as done, and keeps notes on them.
	RunSheet interface {
		TickStep(ctx context.Context, at Target, key string, parts []string) error
		UntickStep(ctx context.Context, at Target, key string) error
		AllStepsDone(ctx context.Context, at Target) error
		NoteStep(ctx context.Context, at Target, placed string, kind rig.StepKind, note string) error
	}
	// Replacer puts instruments in the place of others.
	Replacer interface {
		Replace(ctx context.Context, at Target, r Replacement) error
	}
	// Orderer orders the lanes of instruments, in the house chart too.
	Orderer interface {
		OrderLanes(ctx context.Context, at Target, placed string, as house.Custom, chart bool) error
	}
	// Tables has the tables of instruments of the shelf.
	Tables interface {
		SetCells(ctx context.Context, id, base int64, table string, cells []tabular.Cell) error
	}
	// Charts has the house chart and its versions.
	Charts interface {
		EditChart(ctx context.Context, base int64, edit house.Edit) error
		UsedRoles(ctx context.Context) ([]role.Role, error)
		KeepChart(ctx context.Context, base int64, note string) (number int, err error)
		RestoreChart(ctx context.Context, base int64, number int) error
	}
)

// Document says what a command changes.
type Document string

// What there is to change.
const (
	Project    Document = "project"
	Instrument Document = "instrument"
	Chart      Document = "house chart"
)

// Spec is one row of the table.
type Spec struct {
	Name  string   // as forms, tests and docs call it; once for each document
	On    Document // what it changes
	Label string   // what it does, for people: "Rename a lane"
	Form  string   // commands of one form, whose buttons choose between them, have one name
	Blame string   // the field at fault where the edit itself is refused; "": none
	Seen  bool     // it goes by all there is: it is refused where the user has not seen the newest
	Apart bool     // it runs in a transaction of its own, since much is worked out before
	args  []arg
	typ   reflect.Type
	asks  reflect.Type // what it asks of the use cases; nil: nothing, it is an edit
	run   func(ctx context.Context, at Target, app any, v Value) (said string, err error)
}

// Asks is the interface that the command asks of the use cases; nil where it is an edit by itself.
func (s *Spec) Asks() reflect.Type { return s.asks }

// Run runs a command that is more than an edit on the use cases, which have what it Asks. It says
// what came of it, or "".
func (s *Spec) Run(ctx context.Context, at Target, app any, v Value) (said string, err error) {
	return s.run(ctx, at, app, v)
}

// Arg is one argument of a command, for docs and tests.
type Arg struct {
	Field    string // its name in the form
	Type     string // what may stand in it
	Optional bool
}

// Args lists the arguments.
func (s *Spec) Args() []Arg {
	out := make([]Arg, len(s.args))
	for i, a := range s.args {
		out[i] = Arg{a.name, a.kind, a.optional}
	}
	return out
}

// New is the command with no arguments yet, as a pointer to be decoded into.
func (s *Spec) New() any { return reflect.New(s.typ).Interface() }

// Named finds the command of a document by its name, or gives nil.
func Named(on Document, name string) *Spec {
	i := slices.IndexFunc(Table, func(s *Spec) bool { return s.On == on && s.Name == name })
	if i < 0 {
		return nil
	}
	return Table[i]
}

// OfForm lists the commands of a document that one form has buttons for.
func OfForm(on Document, form string) (out []*Spec) {
	for _, s := range Table {
		if s.On == on && s.Form == form && form != "" {
			out = append(out, s)
		}
	}
	return out
}

// Read reads a form into a command of a document. A button may carry arguments of its own
// beside the name, "close?lane=l3". Every fault is a *Fault.
func Read(on Document, form url.Values) (*Spec, Value, error) {
	form = withArguments(form)
	s := Named(on, form.Get(NameField))
	if s == nil {
		return nil, nil, &Fault{Field: NameField, Err: fmt.Errorf("there is no change called %q", form.Get(NameField))}
	}
	v, err := s.read(form)
	return s, v, err
}

// withArguments is a form with the arguments that its command's name carries.
func withArguments(form url.Values) url.Values {
	name, query, carries := strings.Cut(form.Get(NameField), "?")
	if !carries {
		return form
	}
	out := maps.Clone(form)
	out.Set(NameField, name)
	more, err := url.ParseQuery(query)
	if err != nil {
		return out // the command will miss what it needs
	}
	for field, values := range more {
		out[field] = append(slices.Clone(out[field]), values...)
	}
	return out
}

// NameField is the field of a form that names its command; Framing are those that belong
// to the page and not to a command.
const NameField = "do"

// Framing lists them.
var Framing = []string{NameField, "rev", "back"}

// Fault is what is wrong with one field of a form.
type Fault struct {
	Field string
	Err   error
}

func (f *Fault) Error() string { return f.Err.Error() }

func (f *Fault) Unwrap() error { return f.Err }

// Blamed says which field is at fault where a command's edit was refused; an error that
// says so itself stays as it is.
func (s *Spec) Blamed(err error) error {
	var f *Fault
	if err == nil || s.Blame == "" || errors.As(err, &f) {
		return err
	}
	return &Fault{Field: s.Blame, Err: err}
}

// of makes a row of the table for a type of command.
func of[T Value](on Document, name, label string, options ...func(*Spec)) *Spec {
	t := reflect.TypeFor[T]()
	s := &Spec{Name: name, On: on, Label: label, typ: t, args: argsOf(t)}
	for _, o := range options {
		o(s)
	}
	return s
}

// runs makes a row of the table for a command that is more than an edit.
func runs[T Value, Asks any](on Document, name, label string, options []func(*Spec),
	run func(T, context.Context, Target, Asks) (said string, err error)) *Spec {
	s := of[T](on, name, label, options...)
	s.asks = reflect.TypeFor[Asks]()
	s.run = func(ctx context.Context, at Target, app any, v Value) (string, error) {
		return run(v.(T), ctx, at, app.(Asks))
	}
	return s
}

func with(options ...func(*Spec)) []func(*Spec) { return options }

func form(name string) func(*Spec)   { return func(s *Spec) { s.Form = name } }
func seen(s *Spec)                   { s.Seen = true }
func apart(s *Spec)                  { s.Apart = true }
func blame(field string) func(*Spec) { return func(s *Spec) { s.Blame = field } }

// Selection says which rows of a proposal are accepted.
func selection(outputs, unused, closing []string) propose.Selection {
	set := func(list []string) map[string]bool {
		out := map[string]bool{}
		for _, x := range list {
			out[x] = true
		}
		return out
	}
	return propose.Selection{Outputs: set(outputs), Unused: set(unused), Closing: set(closing)}
}
