package house

import (
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// Edit changes a chart and says what it did. One that fails may leave the chart half
// changed; the caller then throws that copy away.
type Edit func(*Chart) (label string, err error)

// Field is one column of the chart's page.
type Field struct {
	Key, Title string
	// Own is what the chart itself says, Effective what counts with all that is
	// inherited; both as text that Set reads.
	Own, Effective func(c *Chart, r role.Role, n midi.Naming) string
	set            func(e *Entry, text string, n midi.Naming) error
}

// Fields lists the columns.
var Fields = []*Field{
	textField("name", "Lane name", func(e *Entry) *string { return &e.Name }, (*Chart).Label),
	textField("short", "Short", func(e *Entry) *string { return &e.Short }, (*Chart).Short),
	{Key: "colour", Title: "Colour", Own: func(c *Chart, r role.Role, _ midi.Naming) string { return c.At(r).Colour },
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return c.Colour(r) },
		set:       func(e *Entry, text string, _ midi.Naming) error { e.Colour = strings.ToLower(text); return nil }},
	textField("bus", "Bus", func(e *Entry) *string { return &e.Bus }, (*Chart).FamilyBus),
	{Key: "width", Title: "Width",
		Own:       func(c *Chart, r role.Role, _ midi.Naming) string { return widthText(c.At(r).Width) },
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return widthText(c.Width(r)) },
		set: func(e *Entry, text string, _ midi.Naming) (err error) {
			e.Width = 0
			if text != "" {
				e.Width, err = audio.ParseWidth(text)
			}
			return err
		}},
	{Key: "wish", Title: "Own output", Own: func(c *Chart, r role.Role, _ midi.Naming) string {
		if w := c.At(r).OwnOutput; w != nil {
			return OwnOutputTexts[*w]
		}
		return ""
	},
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return OwnOutputTexts[c.OwnOutput(r, "")] },
		set: func(e *Entry, text string, _ midi.Naming) error {
			e.OwnOutput = nil
			if text == "" {
				return nil
			}
			w, err := ParseOwnOutput(text)
			if err == nil {
				e.OwnOutput = &w
			}
			return err
		}},
	{Key: "keys", Title: "Keys", Own: keysText, Effective: keysText,
		set: func(e *Entry, text string, n midi.Naming) (err error) {
			e.Keys, err = midi.ParseKeys(text, n)
			return err
		}},
	{Key: "address", Title: "MIDI", Own: addressText, Effective: addressText,
		set: func(e *Entry, text string, _ midi.Naming) (err error) {
			e.Address, err = midi.ParseAddress(text)
			return err
		}},
	namesField("microphones", "Microphones", func(e *Entry) *[]string { return &e.Microphones }),
	namesField("useful", "Most useful first", func(e *Entry) *[]string { return &e.Useful }),
	{Key: "habit", Title: "Usually",
		Own:       func(c *Chart, r role.Role, _ midi.Naming) string { return string(c.At(r).Habit) },
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return string(c.Habit(r)) },
		set: func(e *Entry, text string, _ midi.Naming) error {
			h := Habit(strings.ToLower(text))
			if h != NoHabit && !slices.Contains(habits, h) {
				return fmt.Errorf("a role is usually used, parked or off, not %q", text)
			}
			e.Habit = h
			return nil
		}},
	insertsField("inserts", "Inserts", func(e *Entry) *[]rig.Insert { return &e.Inserts }, (*Chart).Inserts),
	insertsField("businserts", "Inserts of the bus", func(e *Entry) *[]rig.Insert { return &e.BusInserts },
		(*Chart).BusInserts),
	{Key: "divider", Title: "Divider", Own: func(c *Chart, r role.Role, _ midi.Naming) string {
		if d := c.At(r).Divider; d != nil {
			return yesNo(*d)
		}
		return ""
	},
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return yesNo(c.Divides(r)) },
		set: func(e *Entry, text string, _ midi.Naming) error {
			on := true
			switch strings.ToLower(text) {
			case "":
				e.Divider = nil
				return nil
			case "no":
				on = false
			case "yes":
			default:
				return fmt.Errorf("a divider is yes or no, not %q", text)
			}
			e.Divider = &on
			return nil
		}},
}

// namesField is a list of names of microphones, which a role has here or from above.
func namesField(key, title string, of func(*Entry) *[]string) *Field {
	return &Field{Key: key, Title: title,
		Own: func(c *Chart, r role.Role, _ midi.Naming) string {
			e := c.At(r)
			return strings.Join(*of(&e), ", ")
		},
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string {
			return strings.Join(listFrom(c, r, func(e Entry) []string { return *of(&e) }), ", ")
		},
		set: func(e *Entry, text string, _ midi.Naming) error {
			*of(e) = nil
			for m := range strings.SplitSeq(text, ",") {
				if m = rig.CleanName(m); m != "" && !slices.Contains(*of(e), m) {
					*of(e) = append(*of(e), m)
				}
			}
			return nil
		}}
}

func insertsField(key, title string, of func(*Entry) *[]rig.Insert,
	effective func(*Chart, role.Role) []rig.Insert) *Field {
	return &Field{Key: key, Title: title,
		Own: func(c *Chart, r role.Role, _ midi.Naming) string {
			e := c.At(r)
			return rig.InsertsText(*of(&e))
		},
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return rig.InsertsText(effective(c, r)) },
		set: func(e *Entry, text string, _ midi.Naming) (err error) {
			*of(e), err = rig.ParseInserts(text)
			return err
		}}
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

func widthText(w audio.Width) string {
	if w == 0 {
		return ""
	}
	return w.String()
}

func keysText(c *Chart, r role.Role, n midi.Naming) string { return midi.FormatKeys(c.At(r).Keys, n) }

func addressText(c *Chart, r role.Role, _ midi.Naming) string {
	if a := c.At(r).Address; a.Known() {
		return a.String()
	}
	return ""
}

func textField(key, title string, of func(*Entry) *string, effective func(*Chart, role.Role) string) *Field {
	return &Field{Key: key, Title: title,
		Own:       func(c *Chart, r role.Role, _ midi.Naming) string { e := c.At(r); return *of(&e) },
		Effective: func(c *Chart, r role.Role, _ midi.Naming) string { return effective(c, r) },
		set: func(e *Entry, text string, _ midi.Naming) error {
			if text = rig.CleanName(text); len([]rune(text)) > rig.MaxName {
				return fmt.Errorf("that is longer than %d characters; shorten it", rig.MaxName)
			}
			*of(e) = text
			return nil
		}}
}

// FieldNamed finds a column by its key.
func FieldNamed(key string) (*Field, error) {
	for _, f := range Fields {
		if f.Key == key {
			return f, nil
		}
	}
	return nil, fmt.Errorf("the house chart has no column %q", key)
}

// Changes counts the cells and the orders of branches by which two charts differ.
func Changes(a, b *Chart, n midi.Naming) (changes int) {
	rows, branches := map[role.Role]bool{}, map[role.Role]bool{}
	for _, c := range []*Chart{a, b} {
		if c == nil {
			continue
		}
		for r := range c.Entries {
			rows[r] = true
		}
		for r := range c.Order {
			branches[r] = true
		}
	}
	instruments := map[string]bool{}
	for _, c := range []*Chart{a, b} {
		if c != nil {
			for _, x := range c.Instruments {
				instruments[strings.ToLower(x.Instrument)] = true
			}
		}
	}
	for name := range instruments {
		if x, y := a.CustomOf(name), b.CustomOf(name); x.Order != y.Order || x.Names != y.Names {
			changes++
		}
	}
	for r := range rows {
		for _, f := range Fields {
			if f.Own(a, r, n) != f.Own(b, r, n) {
				changes++
			}
		}
	}
	for r := range branches {
		if !slices.Equal(a.Below(r), b.Below(r)) {
			changes++
		}
	}
	return changes
}

// sheet is a chart as it is typed into: the naming says how keys are called.
type sheet struct {
	*Chart
	naming midi.Naming
}

// typed is the chart as a table: a row for each role.
var typed = &tabular.Table[sheet, role.Role]{Key: "chart", Many: "house chart", Again: true,
	Columns: func(sheet) (out []tabular.Column[sheet, role.Role]) {
		for _, f := range Fields {
			out = append(out, tabular.Column[sheet, role.Role]{Key: f.Key, Title: f.Title, Set: f.into})
		}
		return out
	},
	Rows: func(sheet) func(string) (role.Role, error) {
		return func(id string) (role.Role, error) {
			r, err := role.Parse(id)
			if err != nil || r == role.Unnamed {
				return "", fmt.Errorf("%q is not a role of the tree", id)
			}
			return r, nil
		}
	},
	Where: func(c sheet, r role.Role, title, _ string, _ int) string { return title + " of " + c.Label(r) },
}

// into types a text into the cell of a role.
func (f *Field) into(c sheet, r role.Role, text string) (string, error) {
	text = strings.Join(strings.Fields(text), " ")
	e := c.Entries[r]
	if err := f.set(&e, text, c.naming); err != nil {
		return "", err
	}
	if c.Entries == nil {
		c.Entries = map[role.Role]Entry{}
	}
	if c.Entries[r] = e; e.empty() {
		delete(c.Entries, r)
	}
	if text == "" {
		return fmt.Sprintf("let %s inherit its %s", r, strings.ToLower(f.Title)), nil
	}
	return fmt.Sprintf("%s of %s: %s", strings.ToLower(f.Title), r, text), nil
}

// SetCells types into cells, by role and field, all or none, in one change; "" gives a cell back to
// what is above. A *tabular.Error names the cell that was refused.
func SetCells(cells []tabular.Cell, n midi.Naming) Edit {
	return func(c *Chart) (string, error) { return typed.Type(sheet{c, n}, cells) }
}

// Move puts a role before another one of the same branch, or at its end where before
// is Unnamed. more are the roles that are shown beside those the chart knows.
func Move(r, before role.Role, more ...role.Role) Edit {
	return func(c *Chart) (string, error) {
		parent := r.Parent()
		order := c.Below(parent, append(more, r)...)
		if before != role.Unnamed && (before.Parent() != parent || !slices.Contains(order, before)) {
			return "", fmt.Errorf("%s moves among its neighbours in %s only", c.Label(r), c.Label(parent))
		}
		if before == r {
			return "", fmt.Errorf("%s is there already", c.Label(r))
		}
		order = slices.DeleteFunc(order, func(x role.Role) bool { return x == r })
		at := len(order)
		if before != role.Unnamed {
			at = slices.Index(order, before)
		}
		c.SetOrder(parent, slices.Insert(order, at, r))
		if before == role.Unnamed {
			return fmt.Sprintf("move %s to the end", c.Label(r)), nil
		}
		return fmt.Sprintf("move %s before %s", c.Label(r), c.Label(before)), nil
	}
}

// Step moves a role one place up (by -1) or down (by +1) in its branch.
func Step(r role.Role, by int, more ...role.Role) Edit {
	return func(c *Chart) (string, error) {
		order := c.Below(r.Parent(), append(more, r)...)
		at := slices.Index(order, r)
		to := at + by
		if to < 0 || to >= len(order) {
			return "", fmt.Errorf("%s is at the end of its branch already", c.Label(r))
		}
		before := role.Unnamed
		if by < 0 {
			before = order[to]
		} else if to+1 < len(order) {
			before = order[to+1]
		}
		return Move(r, before, more...)(c)
	}
}

// SetOrder gives the order of the roles right below one.
func (c *Chart) SetOrder(parent role.Role, order []role.Role) {
	if c.Order == nil {
		c.Order = map[role.Role][]role.Role{}
	}
	c.Order[parent] = order
}

// Restore makes the chart say again what a kept version said; it stays the version that
// it is.
func Restore(old *Chart) Edit {
	return func(c *Chart) (string, error) {
		at := c.Number
		*c = *old.Clone()
		c.Number = at
		return fmt.Sprintf("restore version %d", old.Number), nil
	}
}

// MoveBefore is Move, where what a role is moved before may stand within one of its
// neighbours.
func MoveBefore(at, before role.Role, shown ...role.Role) Edit {
	parent := at.Parent()
	if before != role.Unnamed && before.Under(parent) && before != parent {
		before = before.Toward(parent)
	}
	return Move(at, before, shown...)
}
