package command_test

import (
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"reflect"
	"strings"
	"testing"
	"unicode"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/demo"
	"hiddenlanes/internal/testkit"
)

var update = flag.Bool("update", false, "write docs/commands.md anew")

// samples are texts that a field of a type can have; what a command asks beyond that
// stands below its own name.
var samples = map[string]string{
	"a whole number": "3", "a level in decibels": "-6", "a feed": "i1:k36", "an output of an instrument": "i1:3",
	"an output": "3L", "lanes, such as 1-3,7": "1-4,9", "a MIDI address": "2:10", "outputs, such as 10x2": "16x2",
	"how feeds are made": "mic", "before or after": "before", "checkbox": "on", "several": "one", "by name": "x",
	"text": "some text",
}

var own = map[string]string{
	"decide to": "park:3", "toggle cell": "i1:k36|3", "wish wish": "2", "send-level level": "-6", "pin at": "one=3L",
	"practise-assign feed": "k36",
	"practise-assign jack": "i1:3", "practise-switch jack": "i1:3", "step step": "kit/kick|-1", "add role": "kit/tom/9",
	"own-profile after": "reopen", "own-profile appears": "made", "axis to": "instrument", "facts base": "12.5",
	"facts outputs": "16x2", "others text": "40-42 Crowd",
	"traits outputnames": "1 Main", "traits player": "on", "traits defaults": "all", "own-profile tracks": "never",
	"own-profile notes": "group", "own-profile midi": "host", "own-profile panlaw": "root", "arrivals lane-*": "4", "move role": "kit/kick",
	"move before": "kit/snare", "colours tint": "shades", "custom order": "outputs", "custom names": "own",
	"order-lanes order": "outputs",
	"order-lanes names": "own", "assign-order feed": "i1:k36", "pin-order feed": "i1:k36", "channel-order feed": "i1:k36",
	"send level": "−6 dB", "widths width": "mono",
	"learned line": "kit/hat|name", "own-profile lanes": "numbered", "split to": "pieces", "add-sample width": "stereo",
}

// whatever ends the names of fields that begin alike.
func whatever(field string) string {
	if field == "lane-*" {
		return "i1:3"
	}
	return "x"
}

// valid is a form that a command reads.
func valid(s *command.Spec) url.Values {
	form := url.Values{command.NameField: {s.Name}, "rev": {"1"}}
	for _, a := range s.Args() {
		text, ok := own[s.Name+" "+a.Field]
		if !ok {
			text = samples[a.Type]
		}
		form.Set(strings.ReplaceAll(a.Field, "*", whatever(a.Field)), text)
	}
	return form
}

func TestEveryCommandIsReadStrictlyAndCanBeEncoded(t *testing.T) {
	seen := map[string]bool{}
	for _, s := range command.Table {
		key := fmt.Sprintf("%s %s", s.On, s.Name)
		if seen[key] {
			t.Errorf("%s is there twice", key)
		}
		seen[key] = true
		if first := []rune(s.Label + " ")[0]; !unicode.IsUpper(first) || strings.HasSuffix(s.Label, ".") {
			t.Errorf("%s has the label %q", key, s.Label)
		}
		_, v, err := command.Read(s.On, valid(s))
		if err != nil {
			t.Errorf("%s: %v is refused: %v", key, valid(s), err)
			continue
		}
		b, err := json.Marshal(v)
		if err != nil {
			t.Errorf("%s: %v", key, err)
			continue
		}
		again := s.New()
		if err := json.Unmarshal(b, again); err != nil || !reflect.DeepEqual(reflect.ValueOf(again).Elem().Interface(), v) {
			t.Errorf("%s: %+v is encoded as %s, which is read as %+v, %v", key, v, b, again, err)
		}
	}
}

func TestFaultsNameTheirField(t *testing.T) {
	fault := func(s *command.Spec, form url.Values, field, why string) {
		t.Helper()
		_, _, err := command.Read(s.On, form)
		var f *command.Fault
		if !errors.As(err, &f) || f.Field != field {
			t.Errorf("%s %s, %s: the fault is %v, want one of the field %q", s.On, s.Name, why, err, field)
		}
	}
	for _, s := range command.Table {
		form := valid(s)
		form.Set("stray", "1")
		fault(s, form, "stray", "with a field that no command knows")
		for _, a := range s.Args() {
			if a.Type == "several" || a.Type == "by name" || a.Type == "checkbox" {
				continue
			}
			form := valid(s)
			form.Add(a.Field, "another")
			fault(s, form, a.Field, "a field that comes twice")
			if !a.Optional {
				form := valid(s)
				form.Del(a.Field)
				fault(s, form, a.Field, "a field that is missing")
			}
			if a.Type != "text" {
				form := valid(s)
				form.Set(a.Field, "what?")
				fault(s, form, a.Field, "a field that cannot be read")
			}
		}
	}
	for _, on := range []command.Document{command.Project, command.Instrument, command.Chart} {
		if _, _, err := command.Read(on, url.Values{command.NameField: {"fly"}}); err == nil {
			t.Errorf("a %s can fly", on)
		}
	}
}

// A command over many that comes with nothing selected says so in words, whatever else it was sent
// with; so does its edit, which scripts and other windows reach without a form.
func TestNothingSelectedIsRefusedInWords(t *testing.T) {
	project, n := sampleProject(t), 0
	for _, s := range command.Table {
		for _, a := range s.Args() {
			if a.Type != "several" || a.Optional {
				continue
			}
			n++
			form := valid(s)
			form.Del(a.Field)
			_, _, err := command.Read(s.On, form)
			var f *command.Fault
			if !errors.As(err, &f) || f.Field != a.Field || !strings.Contains(f.Error(), "is selected; select ") {
				t.Errorf("%s with no %s: got %v; want that nothing is selected", s.Name, a.Field, err)
			}
		}
		edit, ok := s.New().(command.ProjectEdit)
		if !ok {
			continue
		}
		for _, level := range []string{"0", "-6 -3"} { // with nothing but the values that are typed beside lists
			_ = json.Unmarshal([]byte(`{"To":"Plate","Level":"`+level+`","Pan":"`+level+
				`","Name":"X","Pattern":"X","Insert":"limiter"}`), edit)
			if err := tryEdit(edit, project.Clone()); err != nil {
				t.Errorf("%s of nothing: %v", s.Name, err)
			}
		}
	}
	if n < 30 {
		t.Errorf("got %d commands over many; want 30 or more", n)
	}
}

// tryEdit carries an edit out, and gives what it panics with.
func tryEdit(c command.ProjectEdit, p *plan.Project) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("it panics: %v", r)
		}
	}()
	_, _ = c.Edit()(p)
	return nil
}

// sampleProject is the first cue of the sample world, with a song.
func sampleProject(t *testing.T) *plan.Project {
	t.Helper()
	a, err := app.Open(t.Context(), t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { a.Close() })
	if err := demo.Fill(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	p, err := a.Project(t.Context(), 4)
	if err != nil {
		t.Fatal(err)
	}
	return p.Plan
}

func encoded(t *testing.T, p *plan.Project) string {
	t.Helper()
	b, err := json.Marshal(p)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// Two windows that show one state of a project each make a change. Where both are carried out,
// whichever comes first, the project is the same after both; and changes of different lanes are.
func TestChangesOfTwoWindowsCommute(t *testing.T) {
	testkit.Slow(t)
	ctx := t.Context()
	a, err := app.Open(ctx, t.TempDir(), app.Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	if err := demo.Fill(ctx, a); err != nil {
		t.Fatal(err)
	}
	rows, err := a.Projects(ctx)
	if err != nil {
		t.Fatal(err)
	}
	var all []*plan.Project
	for _, row := range rows {
		p, err := a.Project(ctx, row.ID)
		if err != nil {
			t.Fatal(err)
		}
		if len(p.Plan.Placed) > 0 {
			all = append(all, p.Plan)
		}
	}
	all = append(all, testkit.Wide(t, 2, 12))
	begin := func(p *plan.Project) command.Target {
		ids, err := a.CreateProjects(ctx, p.Clone())
		if err != nil {
			t.Fatal(err)
		}
		kept, err := a.Project(ctx, ids[0])
		if err != nil {
			t.Fatal(err)
		}
		return command.Target{ID: ids[0], Base: kept.Revision}
	}
	type change struct {
		spec *command.Spec
		v    command.Value
	}
	r := rand.New(rand.NewPCG(27, 1))
	specs := projectCommands()
	// some are changes of any kind that are taken on a project.
	some := func(p *plan.Project) (out []change) {
		pool := anyValues(p)
		for range 20 * testkit.Of(400, 12) {
			c := specs[r.IntN(len(specs))]
			_, v, err := command.Read(command.Project, anyForm(c, pool, r))
			if err == nil {
				_, err = a.Do(ctx, begin(p), c, v)
			}
			if err == nil {
				out = append(out, change{c, v})
			}
			if len(out) == testkit.Of(400, 12) {
				break
			}
		}
		return out
	}
	accepted := map[*plan.Project][]change{}
	for _, p := range all {
		accepted[p] = some(p)
	}
	pairs, both, kinds := 0, 0, map[string]bool{}
	for want := testkit.Of(5000, 50); both < want && pairs < 6*want; {
		p := all[r.IntN(len(all))]
		x, y := accepted[p][r.IntN(len(accepted[p]))], accepted[p][r.IntN(len(accepted[p]))]
		pairs++
		var after [2]string
		taken := 0
		for i, order := range [][2]change{{x, y}, {y, x}} {
			at := begin(p)
			if _, err := a.Do(ctx, at, order[0].spec, order[0].v); err != nil {
				t.Fatalf("%s is refused, and was taken before: %v", order[0].spec.Name, err)
			}
			_, err := a.Do(ctx, at, order[1].spec, order[1].v)
			if err == nil {
				taken++
			}
			now, err := a.Project(ctx, at.ID)
			if err != nil {
				t.Fatal(err)
			}
			after[i] = encoded(t, now.Plan)
		}
		if taken < 2 {
			continue
		}
		both++
		kinds[fmt.Sprintf("%T", x.v)], kinds[fmt.Sprintf("%T", y.v)] = true, true
		if after[0] != after[1] {
			t.Errorf("%s %+v and %s %+v are both taken, but their order matters:\n%s\n%s", x.spec.Name, x.v, y.spec.Name, y.v,
				after[0], after[1])
		}
	}
	if both < testkit.Of(5000, 50) || len(kinds) < testkit.Of(60, 25) {
		t.Errorf("got %d pairs that were both taken, of %d kinds; want %d of %d", both, len(kinds), testkit.Of(5000, 50),
			testkit.Of(60, 25))
	}
	t.Logf("%d of %d pairs were both taken, of %d kinds", both, pairs, len(kinds))
	lanes := all[0].OwnLanes()
	for i, l := range lanes[:min(len(lanes), 6)] {
		at := begin(all[0])
		other := lanes[len(lanes)-1-i]
		for _, id := range []string{l.ID, other.ID} {
			s, v, err := command.Read(command.Project,
				url.Values{command.NameField: {"name"}, "lane": {id}, "name": {"Renamed " + id}})
			if err == nil {
				_, err = a.Do(ctx, at, s, v)
			}
			if err != nil && l.ID != other.ID {
				t.Errorf("lanes %s and %s are renamed in two windows: %v; want both", l.ID, other.ID, err)
			}
		}
	}
}

func projectCommands() (out []*command.Spec) {
	for _, s := range command.Table {
		if s.On == command.Project {
			out = append(out, s)
		}
	}
	return out
}

// anyForm is a form of a command with texts that fit a project.
func anyForm(s *command.Spec, pool map[string][]string, r *rand.Rand) url.Values {
	form := url.Values{command.NameField: {s.Name}}
	for _, a := range s.Args() {
		list := pool[a.Field]
		if list == nil {
			list = []string{samples[a.Type]}
		}
		for range 1 + r.IntN(2)*len(a.Type)/len("several") {
			if text := list[r.IntN(len(list))]; len(form[a.Field]) == 0 || a.Type == "several" {
				form.Add(a.Field, text)
			}
		}
	}
	return form
}

// anyValues lists texts for the fields of commands that fit the project.
func anyValues(p *plan.Project) map[string][]string {
	pool := map[string][]string{
		"name": {"Alder", "Birch", "Cedar"}, "gain": {"-3", "0", "2.5"}, "colour": {"#123456", "#abcdef"},
		"number": {"3", "40", "41"},
		"placed": {"i1"}, "wish": {"0", "1", "3"}, "level": {"-12", "-6", ""}, "tap": {"before", "after"},
		"to":     {"", "off", "3", "park:4"},
		"sendto": {"Hall", "Drums"}, "pairs": {"0", "1"}, "lanes": {"1-20", "", "30-50"},
		"outputs": {"16x2", "24x1", "12x2"}, "taken": {"50-60", ""},
		"reason": {"as the players say", "a loan"}, "role": {"kit/kick", "kit/hat", ""}, "attribute": {"name", ""},
		"profile": {}, "part": {},
	}
	for _, l := range p.Lanes {
		pool["lane"] = append(pool["lane"], l.ID)
		if l.Kind == plan.Bus {
			pool["bus"] = append(pool["bus"], l.ID)
			pool["to"] = append(pool["to"], l.ID)
		}
	}
	for _, f := range p.Placed[0].AllFeeds() {
		ref := plan.FeedRef{Placed: "i1", Feed: f.ID}.String()
		pool["feed"] = append(pool["feed"], ref, f.ID)
		for _, o := range []string{"2", "5", "7L"} {
			pool["cell"] = append(pool["cell"], ref+"|"+o)
		}
		pool["id"] = append(pool["id"], f.ID)
	}
	for _, o := range p.Placed[0].Outputs {
		pool["output"] = append(pool["output"], plan.OutputRef{Placed: "i1", Output: o.Number}.String(), fmt.Sprint(o.Number))
	}
	for _, st := range runsheet.Make(p) {
		pool["step"] = append(pool["step"], st.Key())
	}
	for name, list := range pool {
		if len(list) == 0 {
			delete(pool, name)
		}
	}
	return pool
}

func TestTheListOfCommandsIsInStep(t *testing.T) {
	const file = "../../docs/commands.md"
	want := listing()
	if *update {
		if err := os.WriteFile(file, []byte(want), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	got, err := os.ReadFile(file)
	if err != nil || string(got) != want {
		t.Errorf("docs/commands.md is not what the table says (%v); run: go test ./app/command -run List -update", err)
	}
}

// listing is docs/commands.md.
func listing() string {
	var b strings.Builder
	b.WriteString("# Commands\n\nEverything that changes a document, as the table in `app/command` has it. A form is " +
		"sent to the address\n" +
		"of its document with the command's name in `do`, the revision it was made for in `rev`, and the fields below;\n" +
		"fields in brackets may be missing. Made by `go test ./app/command -run List -update`.\n")
	for _, on := range []command.Document{command.Project, command.Instrument, command.Chart} {
		address := map[command.Document]string{command.Project: "/projects/{id}/edit",
			command.Instrument: "/instruments/{id}/edit", command.Chart: "/house"}[on]
		fmt.Fprintf(&b, "\n## On the %s: `POST %s`\n\n| do | what it does | fields |\n| --- | --- | --- |\n", on, address)
		for _, s := range command.Table {
			if s.On != on {
				continue
			}
			var fields []string
			for _, a := range s.Args() {
				field := fmt.Sprintf("`%s` %s", a.Field, a.Type)
				if a.Optional {
					field = "[" + field + "]"
				}
				fields = append(fields, field)
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s |\n", s.Name, s.Label, strings.Join(fields, "; "))
		}
	}
	return b.String()
}
