package bundle

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"
	"sync"

	"github.com/google/jsonschema-go/jsonschema"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// bundleFile is a project bundle for its schema.
type bundleFile struct {
	Format  string        `json:"format"`
	Version int           `json:"version"`
	Project *plan.Project `json:"project"`
	Song    *Song         `json:"song,omitempty"`
}

// Schemas gives the JSON Schemas of our own files, by file name, made from the types
// that are written and read. They are the ones published in docs.
var Schemas = sync.OnceValue(func() map[string]*jsonschema.Schema {
	object := func(of *jsonschema.Schema, names string) *jsonschema.Schema {
		return &jsonschema.Schema{Type: "object", AdditionalProperties: of, PropertyNames: &jsonschema.Schema{Pattern: names}}
	}
	words := func(list ...any) *jsonschema.Schema { return &jsonschema.Schema{Type: "string", Enum: list} }
	var sure []any
	for s := role.NoIdea; s <= role.Told; s++ {
		sure = append(sure, s.String())
	}
	options := &jsonschema.ForOptions{TypeSchemas: map[reflect.Type]*jsonschema.Schema{
		reflect.TypeFor[audio.Width]():      words("mono", "stereo", "5.1"),
		reflect.TypeFor[plan.Version]():     versionOf(plan.Versions),
		reflect.TypeFor[rig.Version]():      versionOf(rig.Versions),
		reflect.TypeFor[house.Version]():    versionOf(house.Versions),
		reflect.TypeFor[plan.State]():       words("", string(plan.Assigned), string(plan.Parked), string(plan.Off)),
		reflect.TypeFor[plan.LaneKind]():    words(string(plan.Regular), string(plan.Bus)),
		reflect.TypeFor[plan.Owner]():       words(string(plan.ByPlan), string(plan.Found)),
		reflect.TypeFor[plan.Tap]():         words(string(plan.AfterFader), string(plan.BeforeFader)),
		reflect.TypeFor[rig.Side]():         words("", string(rig.Left), string(rig.Right)),
		reflect.TypeFor[rig.Mode]():         words("", string(rig.OnItsOwn), string(rig.ByMic), string(rig.Each)),
		reflect.TypeFor[rig.Axis]():         words("", string(rig.ByInstrument), string(rig.ByMicrophone)),
		reflect.TypeFor[role.Sureness]():    {Type: "string", Enum: sure},
		reflect.TypeFor[plan.Ranges]():      {Type: "string", Description: "lane numbers such as 1–4, 9"},
		reflect.TypeFor[map[midi.Key]int](): object(&jsonschema.Schema{Type: "integer"}, `^\d+$`),
		reflect.TypeFor[map[int]bool]():     object(&jsonschema.Schema{Type: "boolean"}, `^-?\d+$`),
		reflect.TypeFor[[]byte]():           {Types: []string{"string", "null"}, ContentEncoding: "base64"},
		reflect.TypeFor[map[string]int](): {Types: []string{"object", "null"},
			AdditionalProperties: &jsonschema.Schema{Type: "integer"}},
		reflect.TypeFor[map[string]rig.Mode](): {Types: []string{"object", "null"},
			AdditionalProperties: words("", string(rig.OnItsOwn), string(rig.ByMic), string(rig.Each))},
	}}
	// A template of the host holds what was patched when it was kept; that is not checked a second time.
	options.TypeSchemas[reflect.TypeFor[plan.MixerTemplate]()] = &jsonschema.Schema{Types: []string{"object", "null"}}
	patched, err := jsonschema.For[plan.PatchedSettings](options)
	if err != nil {
		panic(fmt.Sprintf("the schema of what is patched: %v", err))
	}
	options.TypeSchemas[reflect.TypeFor[plan.Patched]()] = patched
	out := map[string]*jsonschema.Schema{}
	add := func(file, title, format string, version int, s *jsonschema.Schema, err error) {
		if err != nil {
			panic(fmt.Sprintf("the schema of %s: %v", file, err)) // it is made of our own types
		}
		needOnly(s)
		s.Schema, s.ID, s.Title = "https://json-schema.org/draft/2020-12/schema", "urn:hiddenlanes:"+
			strings.TrimSuffix(file, ".schema.json"), title
		var f, v any = format, version
		s.Properties["format"] = &jsonschema.Schema{Const: &f}
		s.Properties["version"] = &jsonschema.Schema{Const: &v}
		out[file] = s
	}
	project, err := jsonschema.For[bundleFile](options)
	add("project.schema.json", "A project of Hidden Lanes", bundleFormat, bundleVersion, project, err)
	library, err := jsonschema.For[Library](options)
	add("library.schema.json", "A library of Hidden Lanes", libraryFormat, libraryVersion, library, err)
	return out
})

// versionOf is the schema of a document's version field.
func versionOf(l *document.Line) *jsonschema.Schema {
	var v any = l.Current()
	return &jsonschema.Schema{Const: &v, Description: "of the " + l.What + "'s document"}
}

// needed are the fields that a file must have where its kind of thing has them; without
// any other, what it is for is nothing.
var needed = []string{"format", "version", "project", "projects", "uid", "name", "id", "instrument", "chart", "number",
	"kind", "data"}

// needOnly lets a schema, and all below it, require nothing but what is needed.
func needOnly(s *jsonschema.Schema) {
	if s == nil {
		return
	}
	s.Required = slices.DeleteFunc(s.Required, func(name string) bool { return !slices.Contains(needed, name) })
	for _, below := range s.Properties {
		needOnly(below)
	}
	needOnly(s.Items)
	needOnly(s.AdditionalProperties)
}

// shape is a schema ready for holding documents against.
type shape struct{ *jsonschema.Resolved }

func newShape(s *jsonschema.Schema) shape {
	r, err := s.CloneSchemas().Resolve(nil)
	if err != nil {
		panic("a schema of our own: " + err.Error())
	}
	return shape{r}
}

// read decodes a document that the schema allows, and refuses every other in words.
func (s shape) read(data []byte, into any) error {
	if tooManyValues(data) {
		return fmt.Errorf("it has more than %d values", maxValues)
	}
	var doc any
	if err := parse(data, &doc); err != nil {
		return err
	}
	if err := s.Validate(doc); err != nil {
		return cmp.Or(complaint(s.Schema(), doc, ""), errors.New("it is not laid out as such a file is"))
	}
	return strictly(data, into)
}

// parse is json.Unmarshal, which tells of a text that is cut off.
func parse(data []byte, into any) error {
	err := json.Unmarshal(data, into)
	var syntax *json.SyntaxError
	if errors.As(err, &syntax) && syntax.Offset >= int64(len(data)) {
		return io.ErrUnexpectedEOF
	}
	return err
}

// complaint finds what a schema does not allow in a document and says it in words; place
// is where in the file the document stands. It gives nil where it finds nothing.
func complaint(s *jsonschema.Schema, doc any, place string) error {
	where := placeInWords(place)
	shown, _ := json.Marshal(doc)
	is := words.Short(40, string(shown))
	switch {
	case s.Const != nil && fmt.Sprint(*s.Const) != fmt.Sprint(doc):
		return fmt.Errorf("%s is %s, not %v", where, is, *s.Const)
	case s.Enum != nil && !slices.Contains(s.Enum, doc):
		return fmt.Errorf("%s cannot be %s; it is one of %s", where, is, choices(s.Enum))
	}
	switch v := doc.(type) {
	case map[string]any:
		if allows(s, "object") {
			return complaintInObject(s, v, place)
		}
	case []any:
		if allows(s, "array") {
			return complaintInList(s, v, place)
		}
	case string:
		if allows(s, "string") {
			return nil
		}
	case float64:
		if allows(s, "number") || allows(s, "integer") && v == math.Trunc(v) {
			return nil
		}
	case bool:
		if allows(s, "boolean") {
			return nil
		}
	case nil:
		if allows(s, "null") {
			return nil
		}
	}
	return fmt.Errorf("%s cannot be %s", where, is)
}

// inOne are lists of things, and what one of them is called.
var inOne = map[string]string{"lanes": "lane", "voices": "voice", "microphones": "microphone", "parts": "part",
	"placed": "instrument", "outputs": "output", "charts": "version of the house chart", "exceptions": "exception",
	"setups": "set-up", "profiles": "kind of host", "sends": "send", "inserts": "insert", "returns": "return",
	"effects": "effect",
	"layouts": "layout", "channels": "channel", "variants": "version", "keys": "key"}

// inside stands in a place between a thing and what is in it; keys of objects do not have it.
const inside = "\x00"

// placeInWords says where in a document something stands: "lane 3, width". The document itself
// is named by whoever reads it.
func placeInWords(place string) string {
	var parts []string
	for i, p := range strings.Split(place, inside) {
		list, at, numbered := strings.Cut(p, " ")
		switch one, known := inOne[list]; {
		case i == 0 && (p == "project" || p == "instrument"):
			continue
		case numbered && known:
			p = one + " " + at
		}
		parts = append(parts, p)
	}
	return cmp.Or(strings.Join(parts, ", "), "the document")
}

// choices lists what a value may be, as people read it; the empty one is left out.
func choices(of []any) string {
	var out []string
	for _, x := range of {
		if s := fmt.Sprint(x); s != "" {
			out = append(out, s)
		}
	}
	return strings.Join(out, ", ")
}

func complaintInObject(s *jsonschema.Schema, v map[string]any, place string) error {
	where := placeInWords(place)
	for _, name := range s.Required {
		if _, ok := v[name]; !ok {
			return fmt.Errorf("%s lacks %q", where, name)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(v)) {
		below, ok := s.Properties[name]
		if !ok {
			below = s.AdditionalProperties
		}
		if below == nil {
			continue
		}
		if below.Not != nil { // nothing is allowed
			return fmt.Errorf("%s holds %q, which is not known there", where, words.Short(40, name))
		}
		if err := complaint(below, v[name], strings.TrimPrefix(place+inside+name, inside)); err != nil {
			return err
		}
	}
	return nil
}

func complaintInList(s *jsonschema.Schema, v []any, place string) error {
	if s.Items == nil {
		return nil
	}
	for i, x := range v {
		if err := complaint(s.Items, x, fmt.Sprintf("%s %d", place, i+1)); err != nil {
			return err
		}
	}
	return nil
}

// allows reports whether a schema takes values of a JSON type.
func allows(s *jsonschema.Schema, kind string) bool {
	return s.Type == "" && len(s.Types) == 0 || s.Type == kind || slices.Contains(s.Types, kind)
}

// shapes are the schemas of a bundle without its project, of that project, of a library
// file, and of one instrument and one project of that, so that a large library is never
// held twice.
var shapes = sync.OnceValue(func() (out struct{ frame, bundle, library, instrument, project shape }) {
	all := Schemas()
	frame := all["project.schema.json"].CloneSchemas()
	for _, later := range []string{"format", "version", "project"} { // are looked at by themselves
		frame.Properties[later] = &jsonschema.Schema{}
	}
	frame.Required = nil
	out.frame = newShape(frame)
	out.bundle = newShape(all["project.schema.json"].Properties["project"])
	out.library = newShape(all["library.schema.json"])
	part := all["library.schema.json"].Properties
	out.instrument, out.project = newShape(part["instruments"].Items), newShape(part["projects"].Items)
	return out
})
