// Package csvrig reads and writes instruments as CSV (RFC 4180, UTF-8, with a
// header row), so that they can be made in a spreadsheet: a row for each voice,
// microphone, part and return, with the columns of the instrument's own tables.
package csvrig

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
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

// kinds are the tables that have rows here, microphones first so that the others
// can name them.
var kinds = []string{"microphone", "voice", "part", "return"}

var tableOf = map[string]string{"microphone": "microphones", "voice": "voices", "part": "parts", "return": "returns"}

// header lists the columns in the order they are written.
func header() []string {
	out := []string{"instrument", "kind"}
	for _, k := range []string{"voice", "microphone", "part", "return"} {
		t, _ := rig.TableNamed(tableOf[k])
		for _, c := range t.Columns(&rig.Instrument{}) {
			if !slices.Contains(out, c.Key) {
				out = append(out, c.Key)
			}
		}
	}
	return out
}

// spellings of columns besides their own.
var spellings = map[string]string{
	"key": "keys", "note": "keys", "notes": "keys", "midi note": "keys", "note number": "keys", "number": "keys",
	"voice": "name", "pad": "name", "drum": "name", "microphone": "name", "part": "name", "note name": "name", "description": "name",
	"type": "kind", "heard through": "heard", "mic": "heard", "mics": "heard", "position": "distance", "memory": "mib", "memory mib": "mib",
	"gain db": "gain", "pan %": "pan", "midi port": "port", "midi channel": "channel", "choke group": "choke", "own voice only": "ownonly", "before the fader": "prefader",
}

// Known tells whether a header row is one that can be read here.
func Known(cells []string) bool {
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
	head, err := c.Read()
	if err != nil || !Known(head) {
		return nil, nil, format.Errorf(name, "line 1", "begin with a header row such as kind,name,keys,role", "the header row names no column \"name\" with \"keys\", \"kind\" or \"role\"")
	}
	columns := make([]string, len(head))
	known := header()
	for i, h := range head {
		columns[i] = columnName(h)
		if !slices.Contains(known, columns[i]) && strings.TrimSpace(h) != "" {
			warnings = append(warnings, fmt.Sprintf("column %q is not known and was left out", strings.TrimSpace(h)))
		}
	}
	type row struct {
		line  int
		cells map[string]string
	}
	rows := map[string]map[string][]row{} // by instrument and kind
	var order []string
	for n := 0; ; n++ {
		cells, err := c.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := c.FieldPos(0)
		if err != nil {
			return nil, nil, format.Errorf(name, fmt.Sprintf("line %d", line), "save it from the spreadsheet again", "%v", err)
		}
		if n >= maxRows {
			return nil, nil, format.Errorf(name, fmt.Sprintf("line %d", line), "split it", "there are more than %d rows", maxRows)
		}
		x := row{line, map[string]string{}}
		empty := true
		for i, cell := range cells {
			if i < len(columns) {
				x.cells[columns[i]] = format.CellText(strings.TrimSpace(cell))
				empty = empty && x.cells[columns[i]] == ""
			}
		}
		if empty {
			continue
		}
		in := x.cells["instrument"]
		if in == "" {
			in = instrument
		}
		kind := strings.ToLower(x.cells["kind"])
		if kind == "mic" {
			kind = "microphone"
		}
		if kind == "" {
			kind = "voice"
		}
		if tableOf[kind] == "" {
			return nil, nil, format.Errorf(name, fmt.Sprintf("line %d", line), "write voice, microphone, part or return", "there is no kind %q", x.cells["kind"])
		}
		if rows[in] == nil {
			order = append(order, in)
			rows[in] = map[string][]row{}
		}
		rows[in][kind] = append(rows[in][kind], x)
	}
	for _, n := range order {
		in := rig.Instrument{Name: n}
		for _, kind := range kinds {
			t, _ := rig.TableNamed(tableOf[kind])
			for _, x := range rows[n][kind] {
				if _, err := rig.AddRow(t.Key)(&in); err != nil {
					return nil, nil, format.Errorf(name, fmt.Sprintf("line %d", x.line), "split it", "%v", err)
				}
				id := t.ID(&in, t.Len(&in)-1)
				var cells []rig.Cell
				for _, c := range t.Columns(&in) {
					if v := x.cells[c.Key]; v != "" && c.Key != "voices" {
						cells = append(cells, rig.Cell{Row: id, Column: c.Key, Value: v})
					}
				}
				if kind == "part" && x.cells["voices"] != "" {
					cells = append(cells, rig.Cell{Row: id, Column: "voices", Value: x.cells["voices"]})
				}
				if len(cells) == 0 {
					continue
				}
				if _, err := rig.SetCells(t.Key, cells, naming)(&in); err != nil {
					_, what, _ := strings.Cut(err.Error(), ", ")
					return nil, nil, format.Errorf(name, fmt.Sprintf("line %d", x.line), "mend that cell", "%s", what)
				}
				guess(&in, kind, x.cells["role"] != "")
			}
		}
		if err := in.Validate(); err != nil {
			return nil, nil, format.Errorf(name, "", "mend the rows it names", "%v", err)
		}
		ins = append(ins, in)
	}
	if len(ins) == 0 {
		return nil, nil, format.Errorf(name, "line 2", "write a row for each voice", "there are no rows below the header")
	}
	return ins, warnings, nil
}

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
			m.Role = role.FromName(m.Name).Role
		}
	case "part":
		p := &in.Parts[len(in.Parts)-1]
		if !told {
			p.Role = role.FromName(p.Name).Role
		}
		if p.Width == 0 {
			p.Width = audio.Stereo
		}
	}
}

// separator is what stands between cells: a comma, or the semicolon of some
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
	if err := c.Write(columns); err != nil {
		return err
	}
	for i := range ins {
		in := &ins[i]
		for _, kind := range []string{"voice", "microphone", "part", "return"} {
			t, _ := rig.TableNamed(tableOf[kind])
			for row := range t.Len(in) {
				cells := make([]string, len(columns))
				cells[0], cells[1] = format.PlainCell(in.Name), kind
				for _, x := range t.Columns(in) {
					cells[slices.Index(columns, x.Key)] = format.PlainCell(x.Get(in, row, naming))
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
