// Package csvrig reads and writes instruments as CSV (RFC 4180, UTF-8, with a
// header row), so that they can be made in a spreadsheet: a row for each voice,
// microphone, part and return, with the columns of the instrument's own tables.
package csvrig

import (
	"bufio"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
)

const name = "CSV"

const maxRows = 20000

// kinds are the tables that have rows here, in an order in which each can name those before.
var kinds = []string{"return", "microphone", "voice", "part", "effect"}

// written is the order in which they are written.
var written = []string{"voice", "microphone", "part", "return", "effect"}

var tableOf = map[string]string{"microphone": "microphones", "voice": "voices", "part": "parts", "return": "returns",
	"effect": "effects"}

// late are columns that name rows of their own table.
var late = []string{"sums"}

// header lists the columns in the order they are written.
func header() []string {
	out := []string{"instrument", "kind", outputColumn}
	for _, k := range written {
		t, _ := rig.TableNamed(tableOf[k])
		for _, c := range t.Columns(rig.Sheet{Instrument: &rig.Instrument{}}) {
			if !slices.Contains(out, c.Key) {
				out = append(out, c.Key)
			}
		}
	}
	return out
}

// outputColumn says by which output a row leaves as delivered; with the name of a kit or preset
// behind it, "output of Gravel", when that is loaded.
const outputColumn = "output"

// kitOf reports whether a column says where rows leave, and with which kit.
func kitOf(column string) (kit string, ok bool) {
	if column == outputColumn {
		return "", true
	}
	return strings.CutPrefix(column, outputColumn+" of ")
}

// spellings of columns besides their own.
var spellings = map[string]string{
	"key": "keys", "note": "keys", "notes": "keys", "midi note": "keys", "note number": "keys", "number": "keys",
	"voice": "name", "pad": "name", "drum": "name", "microphone": "name", "part": "name", "note name": "name",
	"description": "name",
	"type":        "kind", "heard through": "heard", "mic": "heard", "mics": "heard", "position": "distance",
	"memory": "mib", "memory mib": "mib",
	"gain db": "gain", "pan %": "pan", "midi port": "port", "midi channel": "channel", "choke group": "choke",
	"out": outputColumn, "leaves by": outputColumn, "own voice only": "ownonly", "before the fader": "prefader",
}

// known reports whether a header row is one that can be read here.
func known(cells []string) bool {
	found := map[string]bool{}
	for _, c := range cells {
		found[columnName(c)] = true
	}
	return found["name"] && (found["keys"] || found["kind"] || found["role"])
}

func columnName(c string) string {
	c = strings.ToLower(strings.TrimSpace(strings.TrimPrefix(c, "\ufeff")))
	if s, ok := spellings[c]; ok {
		return s
	}
	return c
}

// Decode reads instruments; instrument names one whose rows name none. Columns it
// does not know are listed as warnings.
func Decode(r io.Reader, instrument string, naming midi.Naming) (ins []rig.Instrument, warnings []string, err error) {
	br := bufio.NewReader(r)
	c := csv.NewReader(br)
	if line, _ := br.Peek(512); separator(string(line)) == ';' {
		c.Comma = ';'
	}
	c.FieldsPerRecord = -1
	c.LazyQuotes = true
	columns, warnings, err := readHeader(c)
	if err != nil {
		return nil, nil, err
	}
	names := &rig.Names{}
	rows, err := readRows(c, columns, names)
	if err != nil {
		return nil, nil, err
	}
	for _, group := range byInstrument(rows, instrument) {
		in, err := group.build(naming)
		if err != nil {
			return nil, nil, err
		}
		ins = append(ins, in)
	}
	if len(ins) == 0 {
		return nil, nil, format.Errorf(name, format.AtLine(2), "write a row for each voice",
			"there are no rows below the header")
	}
	if said := names.Said(); said != "" {
		warnings = append(warnings, said)
	}
	return ins, warnings, nil
}

// readHeader gives the column that each cell of a row belongs to.
func readHeader(c *csv.Reader) (columns, warnings []string, err error) {
	head, err := c.Read()
	if err != nil || !known(head) {
		return nil, nil, format.Errorf(name, format.AtLine(1), "begin with a header row such as kind,name,keys,role",
			"the header row names no column \"name\" with \"keys\", \"kind\" or \"role\"")
	}
	known := header()
	for _, h := range head {
		column := columnName(h)
		columns = append(columns, column)
		_, leaves := kitOf(column)
		if !leaves && !slices.Contains(known, column) && strings.TrimSpace(h) != "" {
			warnings = append(warnings, fmt.Sprintf("column %q is not known and was left out", strings.TrimSpace(h)))
		}
	}
	return columns, warnings, nil
}

// row is one row as it was read.
type row struct {
	line  int
	kind  string
	cells map[string]string // by column
}

// at is the place of a row, for errors.
func at(line int) format.Place { return format.AtLine(line) }

// readRows reads the rows below the header, without the empty ones.
func readRows(c *csv.Reader, columns []string, names *rig.Names) (rows []row, err error) {
	for n := 0; ; n++ {
		cells, err := c.Read()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		line, _ := c.FieldPos(0)
		if err != nil {
			return nil, format.Errorf(name, at(line), "save it from the spreadsheet again", "%v", err)
		}
		if n >= maxRows {
			return nil, format.Errorf(name, at(line), "split it", "there are more than %d rows", maxRows)
		}
		x := row{line, "", map[string]string{}}
		empty := true
		for i, cell := range cells[:min(len(cells), len(columns))] {
			text := rig.CleanName(format.CellText(strings.TrimSpace(cell)))
			if columns[i] == "name" || columns[i] == "instrument" {
				names.Clean(&text)
			}
			x.cells[columns[i]] = text
			empty = empty && x.cells[columns[i]] == ""
		}
		if empty {
			continue
		}
		x.kind = kindOf(x.cells["kind"])
		if tableOf[x.kind] == "" {
			return nil, format.Errorf(name, at(line), "write voice, microphone, part, return or effect", "there is no kind %q",
				x.cells["kind"])
		}
		rows = append(rows, x)
	}
}

// kindOf is what a row is, by its cell.
func kindOf(cell string) string {
	switch kind := strings.ToLower(cell); kind {
	case "":
		return "voice"
	case "mic":
		return "microphone"
	default:
		return kind
	}
}

// group is the rows of one instrument.
type group struct {
	instrument string
	rows       []row
}

// byInstrument groups rows by the instrument they name, in order; fallback is that of rows
// that name none.
func byInstrument(rows []row, fallback string) (out []group) {
	place := map[string]int{}
	for _, x := range rows {
		in := cmp.Or(x.cells["instrument"], fallback)
		i, ok := place[in]
		if !ok {
			i = len(out)
			place[in] = i
			out = append(out, group{instrument: in})
		}
		out[i].rows = append(out[i].rows, x)
	}
	return out
}

// build makes the instrument of a group.
func (g group) build(naming midi.Naming) (in rig.Instrument, err error) {
	in.Name = g.instrument
	layouts := map[string]map[string]rig.Placing{} // by kit, by ID
	w := rig.NewWriter(&in, naming)
	for _, kind := range kinds {
		var places []int
		var rows []row
		for _, x := range g.rows {
			if x.kind != kind {
				continue
			}
			place, id, err := x.addTo(w, &in)
			if err != nil {
				return in, err
			}
			places, rows = append(places, place), append(rows, x)
			if err := x.leaves(id, layouts); err != nil {
				return in, err
			}
		}
		for i, x := range rows {
			for _, key := range late {
				if v := x.cells[key]; v != "" {
					if err := x.set(w, places[i], key, v); err != nil {
						return in, err
					}
				}
			}
		}
	}
	g.positions(&in)
	for _, kit := range slices.Sorted(maps.Keys(layouts)) {
		title := "As in the file"
		if kit != "" {
			title = kit
		}
		l := in.FactoryLayout(title, kit, layouts[kit])
		if in.Layouts = append(in.Layouts, l); kit == "" {
			in.Delivered = rig.Runs(l.Outputs)
		}
	}
	if err := in.Validate(); err != nil {
		return in, format.Errorf(name, format.Place{}, "correct the rows it names", "%v", err)
	}
	return in, nil
}

// positions gives the microphones that parts are heard through, and no voices, their positions by their
// names, where no row says more of them.
func (g group) positions(in *rig.Instrument) {
	var told []row
	for _, x := range g.rows {
		if x.kind == "microphone" {
			told = append(told, x)
		}
	}
	heard := map[string]bool{}
	for _, v := range in.Voices {
		for _, h := range v.Heard {
			heard[h.Microphone] = true
		}
	}
	for i := range in.Microphones {
		m := &in.Microphones[i]
		ofParts := slices.ContainsFunc(in.Parts, func(p rig.Part) bool { return slices.Contains(p.Microphones, m.ID) })
		if !ofParts || heard[m.ID] || told[i].cells["distance"] != "" {
			continue
		}
		m.Position = role.GuessName(m.Name, role.OfPosition).Mic
		if told[i].cells["role"] == "" {
			m.Role = role.Unnamed
		}
	}
}

// leaves notes by which outputs the row leaves, by kit.
func (x row) leaves(id string, layouts map[string]map[string]rig.Placing) error {
	for column, text := range x.cells {
		kit, ok := kitOf(column)
		if !ok || text == "" || x.kind == "effect" {
			continue
		}
		p, err := rig.ParsePlacing(text)
		if err != nil {
			return x.refused(column, text, err)
		}
		if layouts[kit] == nil {
			layouts[kit] = map[string]rig.Placing{}
		}
		layouts[kit][id] = p
	}
	return nil
}

// addTo adds a row to the table of its kind, and gives its place and its ID there.
func (x row) addTo(w *rig.Writer, in *rig.Instrument) (place int, id string, err error) {
	if place, id, err = w.Add(tableOf[x.kind]); err != nil {
		return place, id, format.Errorf(name, at(x.line), "split it", "%v", err)
	}
	said := false
	for _, column := range columnsOf[x.kind] {
		if v := x.cells[column]; v != "" {
			if err := x.set(w, place, column, v); err != nil {
				return place, id, err
			}
			said = true
		}
	}
	if said {
		guess(in, x.kind, x.cells["role"] != "")
	}
	return place, id, nil
}

// set types what the row says into a cell of its table.
func (x row) set(w *rig.Writer, place int, column, value string) error {
	if err := w.Set(tableOf[x.kind], place, column, value); err != nil {
		return x.refused(column, value, err)
	}
	return nil
}

// refused says that a cell of the row cannot hold what it holds.
func (x row) refused(column, value string, err error) error {
	e := format.Errorf(name, format.Place{Line: x.line, Column: column}, "correct that cell", "%v", err)
	e.Value = value
	return e
}

// columnsOf are the columns of each kind of row in the order in which they are said. What voices a
// part plays comes last, for it needs the part's other cells; those that name rows of their own table
// come later still.
var columnsOf = func() map[string][]string {
	const voices = "voices"
	out := map[string][]string{}
	for _, kind := range kinds {
		t, _ := rig.TableNamed(tableOf[kind])
		for _, c := range t.Columns(rig.Sheet{Instrument: &rig.Instrument{}}) {
			if c.Key != voices && !slices.Contains(late, c.Key) {
				out[kind] = append(out[kind], c.Key)
			}
		}
		if kind == "part" {
			out[kind] = append(out[kind], voices)
		}
	}
	return out
}()

// guess gives the row just read a role from its name where it has none.
func guess(in *rig.Instrument, kind string, told bool) {
	switch kind {
	case "voice":
		v := &in.Voices[len(in.Voices)-1]
		if !told {
			g := role.ForPercussion(v.Name, v.Keys)
			v.Role, v.Sure = g.Role, g.Sure
		}
	case "microphone":
		if m := &in.Microphones[len(in.Microphones)-1]; !told {
			m.Role = role.ForMicrophone(m.Name).Role
		}
	case "part":
		p := &in.Parts[len(in.Parts)-1]
		if !told {
			p.Role = role.GuessName(p.Name, role.OfPart).Role
		}
		if p.Width == 0 {
			p.Width = audio.Stereo
		}
	}
}

// separator is what is between cells: a comma, or the semicolon of some
// countries' spreadsheets.
func separator(s string) rune {
	line, _, _ := strings.Cut(s, "\n")
	if strings.Count(line, ";") > strings.Count(line, ",") {
		return ';'
	}
	return ','
}

// Encode writes instruments as Decode reads them.
func Encode(w io.Writer, naming midi.Naming, ins ...rig.Instrument) error {
	c := csv.NewWriter(w)
	c.UseCRLF = true
	columns := header()
	for i := range ins {
		for _, l := range ins[i].Layouts {
			if column := outputColumn + " of " + strings.ToLower(l.Kit); l.Factory && l.Kit != "" && !slices.Contains(columns,
				column) {
				columns = append(columns, column)
			}
		}
	}
	if err := c.Write(columns); err != nil {
		return err
	}
	for i := range ins {
		in := &ins[i]
		sheet := rig.Sheet{Instrument: in, Naming: naming}
		for _, kind := range written {
			t, _ := rig.TableNamed(tableOf[kind])
			for row := range t.Len(in) {
				cells := make([]string, len(columns))
				cells[0], cells[1] = format.PlainCell(in.Name), kind
				for _, x := range t.Columns(sheet) {
					cells[slices.Index(columns, x.Key)] = format.PlainCell(x.Get(sheet, row))
				}
				for i, column := range columns {
					if kit, ok := kitOf(column); ok {
						cells[i] = leavesBy(in, kit, t.ID(in, row))
					}
				}
				if err := c.Write(cells); err != nil {
					return err
				}
			}
		}
	}
	c.Flush()
	return c.Error()
}

// leavesBy is by which output something leaves with a kit, by the factory's layout of it; "" where
// that says nothing.
func leavesBy(in *rig.Instrument, kit, id string) string {
	for _, l := range in.Layouts {
		if p, ok := l.Feeds[id]; ok && l.Factory && strings.EqualFold(l.Kit, kit) {
			return p.Text()
		}
	}
	return ""
}
