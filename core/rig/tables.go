package rig

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// An instrument is edited as tables, on the page and as CSV alike. The registry
// below says what each cell holds and how it is typed.

// Sheet is an instrument as it is typed into: the naming says how keys are called.
type Sheet struct {
	*Instrument
	Naming midi.Naming
}

// Column is one column of a table; rows are by their places.
type Column = tabular.Column[Sheet, int]

// Table is one table of an instrument.
type Table struct {
	Key     string
	Title   string
	One     string // what a row is
	Columns func(Sheet) []Column
	len     func(in *Instrument) int
	id      func(in *Instrument, row int) string
	add     func(in *Instrument, id string)
	remove  func(in *Instrument, row int)
}

// typed is the table as it is typed into.
func (t *Table) typed() *tabular.Table[Sheet, int] {
	return &tabular.Table[Sheet, int]{Key: t.Key, Many: strings.ToLower(t.Title), Columns: t.Columns, Again: true,
		Rows: func(in Sheet) func(string) (int, error) {
			rows := map[string]int{}
			for i := range t.len(in.Instrument) {
				rows[t.id(in.Instrument, i)] = i
			}
			return func(id string) (int, error) {
				row, ok := rows[id]
				if !ok {
					return 0, fmt.Errorf("that row does not exist any more; reload the page")
				}
				return row, nil
			}
		},
		Says: func(in Sheet, row int, c Column) string {
			return fmt.Sprintf("set %s of %s %d to %s", strings.ToLower(c.Title), t.One, row+1, c.Get(in, row))
		},
		Where: func(_ Sheet, row int, title, _ string, _ int) string { return fmt.Sprintf("row %d, %s", row+1, title) }}
}

// Len counts the rows.
func (t *Table) Len(in *Instrument) int { return t.len(in) }

// ID names a row; it stays when others come and go.
func (t *Table) ID(in *Instrument, row int) string { return t.id(in, row) }

// CanAdd reports whether rows come and go here.
func (t *Table) CanAdd() bool { return t.add != nil }

// Tables lists the tables of an instrument.
var Tables = []*Table{voicesTable, microphonesTable, pickupTable, trimsTable, partsTable, returnsTable, effectsTable,
	variantsTable}

// TableNamed finds a table.
func TableNamed(key string) (*Table, error) {
	for _, t := range Tables {
		if t.Key == key {
			return t, nil
		}
	}
	return nil, fmt.Errorf("there is no table %q", key)
}

// Edit changes an instrument and says what it did.
type Edit func(*Instrument) (label string, err error)

// SetCells types texts into cells of a table, all or none; a *tabular.Error names the cell that was
// refused.
func SetCells(key string, cells []tabular.Cell, n midi.Naming) Edit {
	return func(in *Instrument) (string, error) {
		t, err := TableNamed(key)
		if err != nil {
			return "", err
		}
		return t.typed().Type(Sheet{in, n}, cells)
	}
}

// maxTableRows bounds the rows of a table.
const maxTableRows = 20_000

var errTableFull = fmt.Errorf("the table is full: it holds %d rows", maxTableRows)

// AddRow adds an empty row to a table.
func AddRow(key string) Edit {
	return func(in *Instrument) (string, error) {
		t, err := TableNamed(key)
		if err != nil || t.add == nil {
			return "", fmt.Errorf("rows cannot be added to %q", key)
		}
		if t.len(in) >= maxTableRows {
			return "", errTableFull
		}
		t.add(in, in.newID(t.Key[:1]))
		return "add a " + t.One, nil
	}
}

// RemoveRows takes rows out of a table, with what refers to them.
func RemoveRows(key string, ids []string) Edit {
	return func(in *Instrument) (string, error) {
		t, err := TableNamed(key)
		if err != nil || t.remove == nil {
			return "", fmt.Errorf("rows cannot be removed from %q", key)
		}
		taken := 0
		for i := t.len(in) - 1; i >= 0; i-- {
			if slices.Contains(ids, t.id(in, i)) {
				t.remove(in, i)
				taken++
			}
		}
		if taken == 0 {
			return "", fmt.Errorf("select the rows to remove first")
		}
		in.forget(ids)
		if taken == 1 {
			return "take a " + t.One + " out", nil
		}
		return fmt.Sprintf("take %d %s out", taken, strings.ToLower(t.Title)), nil
	}
}

// forget takes out references to rows that are gone.
func (in *Instrument) forget(ids []string) {
	gone := func(id string) bool { return slices.Contains(ids, id) }
	for i := range in.Voices {
		in.Voices[i].Heard = slices.DeleteFunc(in.Voices[i].Heard, func(h Heard) bool { return gone(h.Microphone) })
	}
	for i := range in.Parts {
		in.Parts[i].Voices = slices.DeleteFunc(in.Parts[i].Voices, gone)
		in.Parts[i].Microphones = slices.DeleteFunc(in.Parts[i].Microphones, gone)
	}
	for i := range in.Effects {
		in.Effects[i].Covers = slices.DeleteFunc(in.Effects[i].Covers, gone)
	}
	for i := range in.Microphones {
		in.Microphones[i].Sums = slices.DeleteFunc(in.Microphones[i].Sums, gone)
	}
	for x := range in.EachSource() {
		x.Returns = slices.DeleteFunc(x.Returns, func(s InsideSend) bool { return gone(s.Return) })
	}
}

// newID gives an ID that no row has.
func (in *Instrument) newID(prefix string) string {
	used := map[string]bool{}
	for _, t := range Tables {
		for i := range t.len(in) {
			used[t.id(in, i)] = true
		}
	}
	for k := 1; ; k++ {
		if id := fmt.Sprintf("%s%d", prefix, k); !used[id] {
			return id
		}
	}
}

// Facts changes what is said of the instrument as a whole.
func Facts(name, delivered string, fixed bool, ports int, pans bool, base float64) Edit {
	return func(in *Instrument) (string, error) {
		name, err := ParseName("an instrument", name)
		if err != nil {
			return "", err
		}
		var runs []Run
		if strings.TrimSpace(delivered) != "" {
			var err error
			if runs, err = ParseRuns(delivered); err != nil {
				return "", err
			}
		}
		if fixed && len(runs) == 0 {
			return "", fmt.Errorf("say which outputs the instrument has, for they are fixed")
		}
		if ports < 0 || ports > MaxPorts || !(base >= 0 && base < 1e7) {
			return "", fmt.Errorf("ports go from 0 to %d, and memory from 0 MiB", MaxPorts)
		}
		in.Name, in.Delivered, in.Fixed, in.Ports, in.Pans, in.BaseMiB = name, runs, fixed, ports, pans, base
		return "change what is known of " + name, nil
	}
}

// SetLayout keeps a layout on the instrument under its name; one of the user's
// own with that name is replaced, one of the factory's is not.
func SetLayout(l Layout) Edit {
	return func(in *Instrument) (string, error) {
		var err error
		if l.Name, err = ParseName("a layout", l.Name); err != nil {
			return "", err
		}
		in.Layouts = slices.Clone(in.Layouts)
		if old := in.Layout(l.Name); old != nil {
			if old.Factory && !l.Factory {
				return "", fmt.Errorf("%s is one of the factory's; choose another name", old.Name)
			}
			*old = l
			in.deliver(l)
			return "keep the layout " + l.Name + " again", nil
		}
		in.Layouts = append(in.Layouts, l)
		in.deliver(l)
		return "keep the layout " + l.Name, nil
	}
}

// deliver takes the outputs of a factory layout for those that the instrument comes with, where
// these are unknown.
func (in *Instrument) deliver(l Layout) {
	if l.Factory && l.Kit == "" && len(in.Delivered) == 0 {
		in.Delivered = Runs(l.Outputs)
	}
}

// RemoveLayout takes one of the user's own layouts away.
func RemoveLayout(name string) Edit {
	return func(in *Instrument) (string, error) {
		l := in.Layout(name)
		if l == nil {
			return "", fmt.Errorf("there is no layout %q", name)
		}
		if l.Factory {
			return "", fmt.Errorf("%s is one of the factory's and stays", l.Name)
		}
		in.Layouts = slices.DeleteFunc(in.Layouts, func(x Layout) bool { return strings.EqualFold(x.Name, name) })
		return "take the layout " + name + " away", nil
	}
}

// The cells.

type (
	ref[T any] func(*Instrument, int) *T
)

func column[T any](key, title string, at ref[T], get func(*T) string, set func(*T, string) error) Column {
	return cell(key, title, func(in Sheet, i int) string { return get(at(in.Instrument, i)) },
		func(in Sheet, i int, v string) error { return set(at(in.Instrument, i), v) })
}

// numeric is a column of numbers, and among one of which few texts may be typed.
func numeric(c Column) Column { c.Number = true; return c }

func among(c Column, options ...string) Column { c.Options = options; return c }

// cell is a column of which the table says what typing did.
func cell(key, title string, get func(in Sheet, row int) string,
	set func(in Sheet, row int, typed string) error) Column {
	return Column{Key: key, Title: title, Get: get,
		Set: func(in Sheet, i int, v string) (string, error) { return "", set(in, i, v) }}
}

func nameColumn[T any](at ref[T], of func(*T) *string) Column {
	return column("name", "Name", at, func(t *T) string { return *of(t) }, func(t *T, v string) error {
		v, err := ParseName("it", v)
		if err == nil {
			*of(t) = v
		}
		return err
	})
}

// guessingColumn is nameColumn for what has a role: a name that is typed is guessed like an imported
// one, unless somebody has said the role.
func guessingColumn[T any](at ref[T], of func(*T) *string, roleOf func(*T) *role.Role,
	guess func(*T) role.Role) Column {
	return column("name", "Name", at, func(t *T) string { return *of(t) }, func(t *T, v string) error {
		v, err := ParseName("it", v)
		if err != nil {
			return err
		}
		before := *roleOf(t)
		ours := before == role.Unnamed || before == guess(t)
		if *of(t) = v; ours {
			*roleOf(t) = guess(t)
		}
		return nil
	})
}

func roleColumn[T any](at ref[T], of func(*T) *role.Role) Column {
	return column("role", "Role", at, func(t *T) string { return string(*of(t)) }, func(t *T, v string) error {
		r, err := role.Parse(strings.ToLower(v))
		if err == nil {
			*of(t) = r
		}
		return err
	})
}

func widthColumn[T any](at ref[T], of func(*T) *audio.Width) Column {
	return among(column("width", "Width", at, func(t *T) string { return of(t).String() }, func(t *T, v string) error {
		w, err := audio.ParseWidth(strings.ToLower(v))
		if err == nil {
			*of(t) = w
		}
		return err
	}), "mono", "stereo", "5.1")
}

func intColumn[T any](key, title string, at ref[T], of func(*T) *int, most int) Column {
	return countColumn(key, title, at, func(t *T) int { return *of(t) }, func(t *T, n int) { *of(t) = n }, most,
		fmt.Sprintf("%%q is not a number from 0 to %d", most))
}

// countColumn holds a number from 1 to most, or nothing; otherwise says what is wrong with a text.
func countColumn[T any](key, title string, at ref[T], get func(*T) int, set func(*T, int), most int,
	otherwise string) Column {
	return numeric(column(key, title, at, func(t *T) string { return orNothing(get(t)) }, func(t *T, v string) error {
		n, err := 0, error(nil)
		if v != "" {
			n, err = strconv.Atoi(v)
		}
		if err != nil || n < 0 || n > most {
			return fmt.Errorf(otherwise, v)
		}
		set(t, n)
		return nil
	}))
}

func orNothing(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// Number reads a decimal as people write it: a comma or a true minus will do.
func Number(v string) (float64, error) {
	x, err := strconv.ParseFloat(strings.NewReplacer("−", "-", ",", ".", "dB", "", "MiB", "", "%", "", " ",
		"").Replace(v), 64)
	if err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
		return 0, fmt.Errorf("%q is not a number", v)
	}
	return x, nil
}

func trim(x float64) string { return strconv.FormatFloat(math.Round(x*100)/100, 'f', -1, 64) }

func decimalColumn[T any, N ~float64](key, title string, at ref[T], of func(*T) *N, scale, lo, hi float64) Column {
	return numeric(column(key, title, at, func(t *T) string {
		if *of(t) == 0 {
			return ""
		}
		return trim(float64(*of(t)) * scale)
	}, func(t *T, v string) error {
		x, err := 0.0, error(nil)
		if v != "" {
			if x, err = Number(v); err == nil && (x < lo || x > hi) {
				err = fmt.Errorf("%s is not between %s and %s", trim(x), trim(lo), trim(hi))
			}
		}
		if err == nil {
			*of(t) = N(x / scale)
		}
		return err
	}))
}

func flagColumn[T any](key, title string, at ref[T], of func(*T) *bool) Column {
	return among(column(key, title, at, func(t *T) string {
		if *of(t) {
			return "yes"
		}
		return "no"
	}, func(t *T, v string) error {
		switch strings.ToLower(v) {
		case "yes", "y", "1", "true":
			*of(t) = true
		case "no", "n", "0", "", "false":
			*of(t) = false
		default:
			return fmt.Errorf("%q is neither yes nor no", v)
		}
		return nil
	}), "no", "yes")
}

// listColumn holds names of other rows, with commas between.
func listColumn[T any](key, title string, at ref[T], of func(*T) *[]string,
	names func(*Instrument) (ids, names []string)) Column {
	return cell(key, title,
		func(in Sheet, i int) string {
			ids, known := names(in.Instrument)
			var out []string
			for _, id := range *of(at(in.Instrument, i)) {
				if k := slices.Index(ids, id); k >= 0 {
					out = append(out, known[k])
				}
			}
			return strings.Join(out, ", ")
		},
		func(in Sheet, i int, v string) error {
			ids, known := names(in.Instrument)
			var out []string
			for _, n := range splitList(v) {
				k := slices.IndexFunc(known, func(x string) bool { return strings.EqualFold(x, n) })
				if k < 0 {
					return fmt.Errorf("there is no %q; there are %s", n, strings.Join(known, ", "))
				}
				out = append(out, ids[k])
			}
			*of(at(in.Instrument, i)) = out
			return nil
		})
}

func splitList(v string) (out []string) {
	for n := range strings.SplitSeq(strings.ReplaceAll(v, ";", ","), ",") {
		if n = strings.TrimSpace(n); n != "" {
			out = append(out, n)
		}
	}
	return out
}

func microphoneNames(in *Instrument) (ids, names []string) {
	for _, m := range in.Microphones {
		ids, names = append(ids, m.ID), append(names, m.Name)
	}
	return ids, names
}

func voiceNames(in *Instrument) (ids, names []string) {
	for _, v := range in.Voices {
		ids, names = append(ids, v.ID), append(names, v.Name)
	}
	return ids, names
}

func coveredNames(in *Instrument) (ids, names []string) {
	ids, names = voiceNames(in)
	a, b := microphoneNames(in)
	ids, names = append(ids, a...), append(names, b...)
	for _, p := range in.Parts {
		ids, names = append(ids, p.ID), append(names, p.Name)
	}
	return ids, names
}

// heardText prints a row of the pick-up table in one cell: "Kick In, Room -12".
func (in *Instrument) heardText(v Voice) string {
	var out []string
	for _, h := range v.Heard {
		if m := in.Microphone(h.Microphone); m != nil {
			s := m.Name
			if h.Level != 0 || h.Trim != 0 {
				s += " " + trim(float64(h.Level))
			}
			if h.Trim != 0 {
				s += trimWord + trim(float64(h.Trim))
			}
			out = append(out, s)
		}
	}
	return strings.Join(out, ", ")
}

// trimIn is by how much the bleed of a voice in a microphone is trimmed.
func (v *Voice) trimIn(microphone string) audio.Decibels {
	for _, h := range v.Heard {
		if h.Microphone == microphone {
			return h.Trim
		}
	}
	return 0
}

// trimWord stands between the level and the trim of a bleed where both are typed in one cell.
const trimWord = " trim "

// setHeard reads what HeardText prints. Trims of which it says nothing stay.
func (in *Instrument) setHeard(v *Voice, text string) error {
	ids, names := microphoneNames(in)
	find := func(n string) int {
		return slices.IndexFunc(names, func(x string) bool { return strings.EqualFold(x, strings.TrimSpace(n)) })
	}
	var out []Heard
	for _, part := range splitList(text) {
		name, trimmed, told := part, audio.Decibels(0), false
		if i := strings.LastIndex(part, trimWord); i > 0 && find(part) < 0 {
			if x, err := ParseGain(strings.TrimSpace(part[i+len(trimWord):])); err == nil {
				name, trimmed, told = part[:i], x, true
			}
		}
		k, level := find(name), 0.0
		if i := strings.LastIndexByte(name, ' '); k < 0 && i > 0 {
			if x, err := Number(name[i+1:]); err == nil {
				name, level = name[:i], x
				k = find(name)
			}
		}
		if k < 0 {
			return fmt.Errorf("there is no microphone %q; there are %s", name, strings.Join(names, ", "))
		}
		if level < -120 || level > 24 {
			return fmt.Errorf("%s dB is not between -120 and 24", trim(level))
		}
		if !told {
			trimmed = v.trimIn(ids[k])
		}
		out = append(out, Heard{ids[k], audio.Decibels(level), trimmed})
	}
	v.Heard = out
	return nil
}

func voiceAt(in *Instrument, i int) *Voice           { return &in.Voices[i] }
func microphoneAt(in *Instrument, i int) *Microphone { return &in.Microphones[i] }
func partAt(in *Instrument, i int) *Part             { return &in.Parts[i] }
func returnAt(in *Instrument, i int) *Return         { return &in.Returns[i] }
func effectAt(in *Instrument, i int) *Effect         { return &in.Effects[i] }
func variantAt(in *Instrument, i int) *Variant       { return &in.Variants[i] }

// insideColumns are those that voices, microphones and parts have alike.
func insideColumns[T any](at ref[T], of func(*T) *Inside) []Column {
	return []Column{
		flagColumn("inverted", "Inverted", at, func(t *T) *bool { return &of(t).Inverted }),
		flagColumn("closed", "Closed", at, func(t *T) *bool { return &of(t).Closed }),
		flagColumn("main", "Main too", at, func(t *T) *bool { return &of(t).AlsoMain }),
		cell("returns", "Sends to returns",
			func(in Sheet, i int) string { return in.returnsText(of(at(in.Instrument, i)).Returns) },
			func(in Sheet, i int, v string) (err error) {
				of(at(in.Instrument, i)).Returns, err = in.parseReturns(v)
				return err
			}),
	}
}

// orNone are texts to choose from, and none.
func orNone[S ~string](list []S) []string {
	out := []string{""}
	for _, s := range list {
		out = append(out, string(s))
	}
	return out
}

func fixed(columns ...Column) func(Sheet) []Column {
	return func(Sheet) []Column { return columns }
}

var voicesTable = &Table{Key: "voices", Title: "Voices", One: "voice",
	Columns: fixed(append([]Column{
		column("name", "Name", voiceAt, func(v *Voice) string { return v.Name }, func(v *Voice, typed string) error {
			name, err := ParseName("it", typed)
			if err == nil && name != v.Name {
				if v.Name = name; v.Sure != role.Told {
					g := role.ForPercussion(v.Name, v.Keys)
					v.Role, v.Sure = g.Role, g.Sure
				}
			}
			return err
		}),
		cell("role", "Role",
			func(in Sheet, i int) string { return string(in.Voices[i].Role) },
			func(in Sheet, i int, v string) error {
				r, err := role.Parse(strings.ToLower(v))
				if err == nil {
					in.Voices[i].Role, in.Voices[i].Sure = r, role.Told
				}
				return err
			}),
		cell("keys", "Keys",
			func(in Sheet, i int) string { return midi.FormatKeys(in.Voices[i].Keys, in.Naming) },
			func(in Sheet, i int, v string) error {
				keys, err := midi.ParseKeys(v, in.Naming)
				if err == nil {
					in.Voices[i].Keys = keys
				}
				return err
			}),
		widthColumn(voiceAt, func(v *Voice) *audio.Width { return &v.Width }),
		intColumn("choke", "Choke", voiceAt, func(v *Voice) *int { return &v.Choke }, math.MaxInt32),
		intColumn("slot", "Leaves with", voiceAt, func(v *Voice) *int { return &v.Slot }, maxSlot),
		decimalColumn("gain", "Gain dB", voiceAt, func(v *Voice) *audio.Decibels { return &v.Gain }, 1, -120, 24),
		decimalColumn("pan", "Pan %", voiceAt, func(v *Voice) *float64 { return &v.Pan }, 100, -100, 100),
		cell("heard", "Heard through",
			func(in Sheet, i int) string { return in.heardText(in.Voices[i]) },
			func(in Sheet, i int, v string) error { return in.setHeard(&in.Voices[i], v) }),
	}, insideColumns(voiceAt, func(v *Voice) *Inside { return &v.Inside })...)...),
	len: func(in *Instrument) int { return len(in.Voices) },
	id:  func(in *Instrument, i int) string { return in.Voices[i].ID },
	add: func(in *Instrument, id string) {
		in.Voices = append(in.Voices, Voice{ID: id, Name: "New voice", Width: audio.Mono})
	},
	remove: func(in *Instrument, i int) { in.Voices = slices.Delete(in.Voices, i, i+1) },
}

var microphonesTable = &Table{Key: "microphones", Title: "Microphones", One: "microphone",
	Columns: fixed(slices.Concat([]Column{
		guessingColumn(microphoneAt, func(m *Microphone) *string { return &m.Name },
			func(m *Microphone) *role.Role { return &m.Role },
			func(m *Microphone) role.Role { return role.ForMicrophone(m.Name).Role }),
		roleColumn(microphoneAt, func(m *Microphone) *role.Role { return &m.Role }),
	}, standsColumns(), []Column{
		among(column("distance", "Distance", microphoneAt, func(m *Microphone) string { return string(m.Position) },
			func(m *Microphone, v string) error {
				p, err := role.ParsePosition(v)
				if err == nil {
					m.Position = p
				}
				return err
			}), orNone(role.Positions())...),
		widthColumn(microphoneAt, func(m *Microphone) *audio.Width { return &m.Width }),
		decimalColumn("mib", "Memory MiB", microphoneAt, func(m *Microphone) *float64 { return &m.MiB }, 1, 0, 1e6),
		decimalColumn("mibrooms", "MiB, bleed in rooms", microphoneAt, func(m *Microphone) *float64 { return &m.MiBRooms }, 1,
			0, 1e6),
		decimalColumn("mibnone", "MiB, no bleed", microphoneAt, func(m *Microphone) *float64 { return &m.MiBNone }, 1, 0,
			1e6),
		flagColumn("ownonly", "Bleed off", microphoneAt, func(m *Microphone) *bool { return &m.BleedOff }),
		flagColumn("splits", "Splits", microphoneAt, func(m *Microphone) *bool { return &m.Splits }),
		decimalColumn("gain", "Gain dB", microphoneAt, func(m *Microphone) *audio.Decibels { return &m.Gain }, 1, -120, 24),
		decimalColumn("pan", "Pan %", microphoneAt, func(m *Microphone) *float64 { return &m.Pan }, 100, -100, 100),
		listColumn("sums", "Ready-made mix of", microphoneAt, func(m *Microphone) *[]string { return &m.Sums },
			microphoneNames),
		column("remark", "Note", microphoneAt, func(m *Microphone) string { return m.Note },
			func(m *Microphone, v string) (err error) {
				m.Note, err = ParseNote(v)
				return err
			}),
	}, insideColumns(microphoneAt, func(m *Microphone) *Inside { return &m.Inside }))...),
	len: func(in *Instrument) int { return len(in.Microphones) },
	id:  func(in *Instrument, i int) string { return in.Microphones[i].ID },
	add: func(in *Instrument, id string) {
		in.Microphones = append(in.Microphones, Microphone{ID: id, Name: "New microphone", Width: audio.Mono})
	},
	remove: func(in *Instrument, i int) { in.Microphones = slices.Delete(in.Microphones, i, i+1) },
}

// pickupTable has a row for each voice and a column for each microphone; a cell
// holds the level in dB, or nothing where the microphone does not hear the voice.
var pickupTable = &Table{Key: "pickup", Title: "Pick-up", One: "voice",
	Columns: func(in Sheet) (out []Column) {
		for _, m := range in.Microphones {
			out = append(out, numeric(cell(m.ID, m.Name,
				func(in Sheet, i int) string {
					for _, h := range in.Voices[i].Heard {
						if h.Microphone == m.ID {
							return trim(float64(h.Level))
						}
					}
					return ""
				},
				func(in Sheet, i int, v string) error {
					voice := &in.Voices[i]
					heard := slices.DeleteFunc(slices.Clone(voice.Heard), func(h Heard) bool { return h.Microphone == m.ID })
					if v != "" {
						x, err := Number(v)
						if err != nil || x < -120 || x > 24 {
							return fmt.Errorf("%q is not a level from -120 to 24 dB; leave it empty where nothing is heard", v)
						}
						at := slices.IndexFunc(voice.Heard, func(h Heard) bool { return h.Microphone == m.ID })
						if at < 0 {
							at = len(heard)
						}
						heard = slices.Insert(heard, at, Heard{m.ID, audio.Decibels(x), voice.trimIn(m.ID)})
					}
					voice.Heard = heard
					return nil
				})))
		}
		return out
	},
	len: func(in *Instrument) int {
		if len(in.Microphones) == 0 {
			return 0
		}
		return len(in.Voices)
	},
	id: func(in *Instrument, i int) string { return in.Voices[i].ID },
}

// trimsTable has the rows and columns of the pick-up; a cell holds by how much the bleed of a
// voice in a microphone is turned down, in dB.
var trimsTable = &Table{Key: "trims", Title: "Trims of bleed", One: "voice",
	Columns: func(in Sheet) (out []Column) {
		for _, m := range in.Microphones {
			at := func(v *Voice) int {
				return slices.IndexFunc(v.Heard, func(h Heard) bool { return h.Microphone == m.ID })
			}
			out = append(out, numeric(cell(m.ID, m.Name,
				func(in Sheet, i int) string {
					if k := at(&in.Voices[i]); k >= 0 && in.Voices[i].Heard[k].Trim != 0 {
						return trim(float64(in.Voices[i].Heard[k].Trim))
					}
					return ""
				},
				func(in Sheet, i int, typed string) error {
					gain, err := ParseGain(typed)
					v := &in.Voices[i]
					k := at(v)
					switch {
					case err != nil:
						return err
					case gain == 0 && k < 0:
						return nil
					case k < 0 || !m.Bleeds(*v):
						return fmt.Errorf("%s does not bleed into %s; only bleed is trimmed", v.Name, m.Name)
					}
					v.Heard = slices.Clone(v.Heard)
					v.Heard[k].Trim = gain
					return nil
				})))
		}
		return out
	},
	len: func(in *Instrument) int {
		if !in.hasBleed() {
			return 0
		}
		return len(in.Voices)
	},
	id: func(in *Instrument, i int) string { return in.Voices[i].ID },
}

// hasBleed reports whether some microphone hears a voice of another piece.
func (in *Instrument) hasBleed() bool {
	for _, m := range in.Microphones {
		for _, v := range in.Voices {
			if m.Bleeds(v) && slices.ContainsFunc(v.Heard, func(h Heard) bool { return h.Microphone == m.ID }) {
				return true
			}
		}
	}
	return false
}

var partsTable = &Table{Key: "parts", Title: "Parts", One: "part",
	Columns: fixed(append([]Column{
		guessingColumn(partAt, func(p *Part) *string { return &p.Name }, func(p *Part) *role.Role { return &p.Role },
			func(p *Part) role.Role { return role.GuessName(p.Name, role.OfPart).Role }),
		roleColumn(partAt, func(p *Part) *role.Role { return &p.Role }),
		widthColumn(partAt, func(p *Part) *audio.Width { return &p.Width }),
		intColumn("port", "MIDI port", partAt, func(p *Part) *int { return &p.Address.Port }, 64),
		countColumn("channel", "Channel", partAt, func(p *Part) int { return int(p.Address.Channel) }, func(p *Part, n int) {
			if p.Address.Channel = midi.Channel(n); n > 0 {
				p.Address.Port = max(p.Address.Port, 1)
			}
		}, 16, "%q is not a MIDI channel; they go from 1 to 16"),
		countColumn("program", "Program", partAt, func(p *Part) int { return p.Program + 1 },
			func(p *Part, n int) { p.Program = n - 1 }, 128, "%q is not a program; they go from 1 to 128"),
		listColumn("voices", "Voices", partAt, func(p *Part) *[]string { return &p.Voices }, voiceNames),
		listColumn("microphones", "Microphones", partAt, func(p *Part) *[]string { return &p.Microphones }, microphoneNames),
		decimalColumn("gain", "Gain dB", partAt, func(p *Part) *audio.Decibels { return &p.Gain }, 1, -120, 24),
		decimalColumn("pan", "Pan %", partAt, func(p *Part) *float64 { return &p.Pan }, 100, -100, 100),
		flagColumn("all", "All channels", partAt, func(p *Part) *bool { return &p.AllChannels }),
		column("articulations", "Articulations", partAt, func(p *Part) string { return p.Articulations },
			func(p *Part, v string) (err error) {
				p.Articulations, err = ParseNote(v)
				return err
			}),
	}, insideColumns(partAt, func(p *Part) *Inside { return &p.Inside })...)...),
	len: func(in *Instrument) int { return len(in.Parts) },
	id:  func(in *Instrument, i int) string { return in.Parts[i].ID },
	add: func(in *Instrument, id string) {
		in.Parts = append(in.Parts, Part{ID: id, Name: "New part", Width: audio.Stereo, Program: -1})
	},
	remove: func(in *Instrument, i int) { in.Parts = slices.Delete(in.Parts, i, i+1) },
}

var returnsTable = &Table{Key: "returns", Title: "Returns", One: "return",
	Columns: fixed(
		guessingColumn(returnAt, func(r *Return) *string { return &r.Name }, func(r *Return) *role.Role { return &r.Role },
			func(r *Return) role.Role { return cmp.Or(role.GuessName(r.Name, role.OfReturn).Role, role.Effects) }),
		roleColumn(returnAt, func(r *Return) *role.Role { return &r.Role }),
		widthColumn(returnAt, func(r *Return) *audio.Width { return &r.Width }),
		flagColumn("prefader", "Before the fader", returnAt, func(r *Return) *bool { return &r.PreFader }),
	),
	len: func(in *Instrument) int { return len(in.Returns) },
	id:  func(in *Instrument, i int) string { return in.Returns[i].ID },
	add: func(in *Instrument, id string) {
		in.Returns = append(in.Returns, Return{ID: id, Name: "New return", Role: role.Effects, Width: audio.Stereo})
	},
	remove: func(in *Instrument, i int) { in.Returns = slices.Delete(in.Returns, i, i+1) },
}

var effectsTable = &Table{Key: "effects", Title: "Effects inside", One: "effect",
	Columns: fixed(
		nameColumn(effectAt, func(e *Effect) *string { return &e.Name }),
		among(column("effect", "Kind", effectAt, func(e *Effect) string { return string(e.Kind) },
			func(e *Effect, v string) (err error) {
				if e.Kind = ""; v != "" {
					e.Kind, err = ParseEffectKind(v)
				}
				return err
			}), orNone(EffectKinds)...),
		flagColumn("inchannel", "In the channel", effectAt, func(e *Effect) *bool { return &e.InChannel }),
		listColumn("covers", "On (nothing: all)", effectAt, func(e *Effect) *[]string { return &e.Covers }, coveredNames),
	),
	len:    func(in *Instrument) int { return len(in.Effects) },
	id:     func(in *Instrument, i int) string { return in.Effects[i].ID },
	add:    func(in *Instrument, id string) { in.Effects = append(in.Effects, Effect{ID: id, Name: "New effect"}) },
	remove: func(in *Instrument, i int) { in.Effects = slices.Delete(in.Effects, i, i+1) },
}

var variantsTable = &Table{Key: "variants", Title: "Versions", One: "version",
	Columns: fixed(
		nameColumn(variantAt, func(v *Variant) *string { return &v.Name }),
		intColumn("ports", "Ports", variantAt, func(v *Variant) *int { return &v.Ports }, MaxPorts),
	),
	len: func(in *Instrument) int { return len(in.Variants) },
	// Variants are named by their place: nothing refers to a row.
	id:     func(in *Instrument, i int) string { return fmt.Sprintf("format%d", i+1) },
	add:    func(in *Instrument, _ string) { in.Variants = append(in.Variants, Variant{Name: "New version"}) },
	remove: func(in *Instrument, i int) { in.Variants = slices.Delete(in.Variants, i, i+1) },
}
