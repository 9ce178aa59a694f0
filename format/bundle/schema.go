package bundle

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"sync"

	"github.com/google/jsonschema-go/jsonschema"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
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
		reflect.TypeFor[plan.State]():       words("", string(plan.Assigned), string(plan.Parked), string(plan.Off)),
		reflect.TypeFor[plan.LaneKind]():    words(string(plan.Regular), string(plan.Bus)),
		reflect.TypeFor[rig.Side]():         words("", string(rig.Left), string(rig.Right)),
		reflect.TypeFor[rig.Mode]():         words("", string(rig.Own), string(rig.ByMic), string(rig.Each)),
		reflect.TypeFor[rig.Axis]():         words("", string(rig.ByInstrument), string(rig.ByMicrophone)),
		reflect.TypeFor[role.Sureness]():    {Type: "string", Enum: sure},
		reflect.TypeFor[plan.Ranges]():      {Type: "string", Description: "lane numbers such as 1–4, 9"},
		reflect.TypeFor[map[midi.Key]int](): object(&jsonschema.Schema{Type: "integer"}, `^\d+$`),
		reflect.TypeFor[map[int]bool]():     object(&jsonschema.Schema{Type: "boolean"}, `^-?\d+$`),
		reflect.TypeFor[[]byte]():           {Types: []string{"string", "null"}, ContentEncoding: "base64"},
		reflect.TypeFor[map[string]int](): {Types: []string{"object", "null"},
			AdditionalProperties: &jsonschema.Schema{Type: "integer"}},
		reflect.TypeFor[map[string]rig.Mode](): {Types: []string{"object", "null"},
			AdditionalProperties: words("", string(rig.Own), string(rig.ByMic), string(rig.Each))},
	}}
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

// needed are the fields that a file must have where its kind of thing has them; without
// any other, what it stands for is nothing.
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

func (s shape) check(data []byte) error {
	var doc any
	if err := json.Unmarshal(data, &doc); err != nil {
		return err
	}
	return s.Validate(doc)
}

// shapes are the schemas of whole files, and of one instrument and one project of a
// library, so that a large library is never held twice.
var shapes = sync.OnceValue(func() (out struct{ bundle, library, instrument, project shape }) {
	all := Schemas()
	out.bundle, out.library = newShape(all["project.schema.json"]), newShape(all["library.schema.json"])
	part := all["library.schema.json"].Properties
	out.instrument, out.project = newShape(part["instruments"].Items), newShape(part["projects"].Items)
	return out
})
