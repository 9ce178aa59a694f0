package command

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// An argument of a command is a field of its struct with a tag:
//
//	Number plan.LaneNumber `form:"number" says:"the lane number"`
//
// The tag's options: "optional" lets the field be missing or empty; "min=N" bounds a number
// from below, which is else 0. "says" is what messages call a number. A name that ends in
// "-*" stands for all fields that begin so, in a map. A bool is a checkbox: there or not. An
// embedded struct with the tag "*" has arguments that several commands share.

// arg is one argument of a command.
type arg struct {
	name     string
	index    []int
	optional bool
	min      int
	says     string
	kind     string // for docs
}

func argsOf(t reflect.Type) (out []arg) {
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous { // what several commands have in common
			if f.Tag.Get("form") == "*" {
				for _, a := range argsOf(f.Type) {
					a.index = append([]int{i}, a.index...)
					out = append(out, a)
				}
			}
			continue
		}
		tag, ok := f.Tag.Lookup("form")
		if !ok {
			panic(fmt.Sprintf("command %s: field %s has no form tag", t.Name(), f.Name))
		}
		name, options, _ := strings.Cut(tag, ",")
		a := arg{name: name, index: []int{i}, says: f.Tag.Get("says"), kind: kindOf(f.Type)}
		if a.says == "" {
			a.says = "the " + strings.ReplaceAll(name, "-", " ")
		}
		for o := range strings.SplitSeq(options, ",") {
			switch {
			case o == "optional":
				a.optional = true
			case strings.HasPrefix(o, "min="):
				a.min, _ = strconv.Atoi(o[len("min="):])
			}
		}
		out = append(out, a)
	}
	return out
}

// parsers read a field by the type it is read into. None of them writes anything.
var parsers = map[reflect.Type]parser{
	reflect.TypeFor[audio.Decibels](): reads("a level in decibels", audio.ParseDecibels),
	reflect.TypeFor[plan.FeedRef]():   reads("a feed", plan.ParseFeedRef),
	reflect.TypeFor[plan.OutputRef](): reads("an output of an instrument", plan.ParseOutputRef),
	reflect.TypeFor[plan.Jack]():      reads("an output", plan.ParseJack),
	reflect.TypeFor[plan.Ranges]():    reads("lanes, such as 1-3,7", plan.ParseRanges),
	reflect.TypeFor[midi.Address]():   reads("a MIDI address", midi.ParseAddress),
	reflect.TypeFor[[]rig.Run]():      reads("outputs, such as 10x2", rig.ParseRuns),
	reflect.TypeFor[rig.Mode]():       reads("how feeds are made", rig.ParseMode),
	reflect.TypeFor[plan.Tap]():       reads("before or after", plan.ParseTap),
	reflect.TypeFor[rig.Bleed]():      reads("a bleed", rig.ParseBleed),
}

// parser reads one field.
type parser struct {
	kind  string
	parse func(string) (any, error)
}

func reads[T any](kind string, parse func(string) (T, error)) parser {
	return parser{kind, func(s string) (any, error) { return parse(s) }}
}

// kindOf says what may stand in a field, for docs.
func kindOf(t reflect.Type) string {
	if p, ok := parsers[t]; ok {
		return p.kind
	}
	switch t.Kind() {
	case reflect.Bool:
		return "checkbox"
	case reflect.Slice:
		return "several"
	case reflect.Map:
		return "by name"
	case reflect.Int, reflect.Int64, reflect.Float64:
		return "a whole number"
	}
	return "text"
}

// read reads a form into the command. A field that the command does not know is refused,
// unless it is another's of the same form; so is one that is missing, comes twice, or
// cannot be read.
func (s *Spec) read(form url.Values) (Value, error) {
	if err := s.refuseUnknown(form); err != nil {
		return nil, err
	}
	v := reflect.New(s.typ).Elem()
	for _, a := range s.args {
		if err := a.read(v.FieldByIndex(a.index), form); err != nil {
			return nil, &Fault{Field: a.name, Err: err}
		}
	}
	out := v.Interface().(Value)
	if c, ok := out.(interface{ Check() error }); ok {
		if err := c.Check(); err != nil {
			return nil, s.faultOfCheck(err)
		}
	}
	return out, nil
}

// faultOfCheck blames the field that the check names, or that the table does, or else the
// first one.
func (s *Spec) faultOfCheck(err error) error {
	var f *Fault
	if err = s.Blamed(err); !errors.As(err, &f) {
		err = &Fault{Field: s.args[0].name, Err: err}
	}
	return err
}

// ReadPart reads some fields of a form that are no command by themselves, by the same
// rules, but passes over what it does not know. suffix ends the fields' names, where a form
// has several of a kind.
func ReadPart[T any](form url.Values, suffix string) (T, error) {
	var out T
	v := reflect.ValueOf(&out).Elem()
	for _, a := range argsOf(v.Type()) {
		a.name += suffix
		if err := a.read(v.FieldByIndex(a.index), form); err != nil {
			return out, &Fault{Field: a.name, Err: err}
		}
	}
	return out, nil
}

func (s *Spec) refuseUnknown(form url.Values) error {
	for _, name := range slices.Sorted(maps.Keys(form)) {
		if !slices.Contains(Framing, name) && !s.Takes(name) && !s.besideTakes(name) {
			err := fmt.Errorf("the form has a field %q that %q does not know; reload the page", name, s.Name)
			return &Fault{Field: cmp.Or(name, NameField), Err: err}
		}
	}
	return nil
}

// Takes reports whether a field of a form is an argument of the command.
func (s *Spec) Takes(name string) bool {
	return slices.ContainsFunc(s.args, func(a arg) bool {
		prefix, several := strings.CutSuffix(a.name, "*")
		return a.name == name || several && strings.HasPrefix(name, prefix)
	})
}

// besideTakes reports whether a command of the same form takes a field.
func (s *Spec) besideTakes(name string) bool {
	return s.Form != "" && slices.ContainsFunc(Table, func(o *Spec) bool {
		return o.On == s.On && o.Form == s.Form && o.Takes(name)
	})
}

func (a arg) read(into reflect.Value, form url.Values) error {
	switch {
	case into.Kind() == reflect.Map:
		into.Set(reflect.ValueOf(withPrefix(form, strings.TrimSuffix(a.name, "*"))))
		return nil
	case into.Type() == reflect.TypeFor[[]string]():
		if len(form[a.name]) == 0 && !a.optional {
			return nothingSelected(a.name)
		}
		into.Set(reflect.ValueOf(slices.Clone(form[a.name])))
		return nil
	case into.Kind() == reflect.Bool:
		into.SetBool(form.Has(a.name))
		return nil
	}
	values := form[a.name]
	if len(values) > 1 && !allEqual(values) {
		return fmt.Errorf("%s came twice; reload the page", a.says)
	}
	if len(values) == 0 && !a.optional {
		return fmt.Errorf("%s did not come along; reload the page", a.says)
	}
	text := ""
	if len(values) > 0 {
		text = values[0]
	}
	if a.optional && strings.TrimSpace(text) == "" {
		return nil
	}
	return a.parse(into, text)
}

// listed is what a field that comes several times lists, in words.
var listed = map[string]string{"lane": "lane", "feed": "feed", "finding": "problem", "placed": "instrument",
	"row": "row", "line": "line"}

// nothingSelected refuses a command over many that names none.
func nothingSelected(field string) error {
	if one, ok := listed[field]; ok {
		return fmt.Errorf("no %s is selected; select some first", one)
	}
	return errors.New("nothing is selected; select something first")
}

func (a arg) parse(into reflect.Value, text string) error {
	if p, ok := parsers[into.Type()]; ok {
		x, err := p.parse(text)
		if err == nil {
			into.Set(reflect.ValueOf(x))
		}
		return err
	}
	switch into.Kind() {
	case reflect.String:
		into.SetString(text)
	case reflect.Float64:
		n, err := wholeNumber(text, a.min, a.says)
		into.SetFloat(float64(n))
		return err
	default:
		n, err := wholeNumber(text, a.min, a.says)
		into.SetInt(int64(n))
		return err
	}
	return nil
}

// mostNumber bounds whole numbers in forms.
const mostNumber = 1_000_000

// wholeNumber reads a whole number as people type it, a true minus included.
func wholeNumber(text string, least int, says string) (int, error) {
	n, err := strconv.Atoi(strings.Replace(strings.TrimSpace(text), "−", "-", 1))
	if err != nil || n < least || n > mostNumber {
		return 0, fmt.Errorf("%s is %q; type a whole number", says, text)
	}
	return n, nil
}

func allEqual(values []string) bool {
	return !slices.ContainsFunc(values, func(v string) bool { return v != values[0] })
}

// withPrefix gives the first values of all fields that begin alike, by what follows.
func withPrefix(form url.Values, prefix string) map[string]string {
	out := map[string]string{}
	for name, values := range form {
		if rest, ok := strings.CutPrefix(name, prefix); ok && len(values) > 0 {
			out[rest] = values[0]
		}
	}
	return out
}
