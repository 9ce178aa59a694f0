package drift

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
)

// Facts are kept beside every project and read for all of them at once, so what is packed is
// short, and is read without copying: one line for each thing, its values apart by a
// character that no name holds. What lanes have in common stands once, and a lane that is
// named by its role alone does not say so. The values that are read are parts of the text.
const (
	lineEnd  = "\x1e"
	valueEnd = "\x1f"
	nameEnd  = "\x1d" // between the parts of a name
	roleEnd  = "\x1c" // between the role and the name of one of them
)

// packing counts how facts have been packed; what is packed otherwise is gathered again.
const packing = 4

// PackedNow is how everything begins that Pack writes.
var PackedNow = fmt.Sprintf("facts %d", packing)

// The kinds of lines, by their first value.
const (
	headLine      = "h" // name, version, by microphone
	sourceLine    = "s" // placed, instrument, usual bus, set-up
	laneLine      = "l"
	partLine      = "p"
	setLine       = "m"
	exceptionLine = "d" // as JSON
)

type packer struct{ strings.Builder }

func (b *packer) line(values ...string) {
	b.WriteString(lineEnd)
	for i, v := range values {
		if i > 0 {
			b.WriteString(valueEnd)
		}
		b.WriteString(without(v, lineEnd+valueEnd))
	}
}

// without gives a text with a space for each of some characters that hold values apart;
// names have none of them.
func without(v, marks string) string {
	if !strings.ContainsAny(v, marks) {
		return v
	}
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune(marks, r) {
			return ' '
		}
		return r
	}, v)
}

func flag(b bool) string {
	if b {
		return "1"
	}
	return ""
}

// number is a number as it is packed: 0 is empty.
func number(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// Pack writes the facts for keeping.
func (f *Facts) Pack() ([]byte, error) {
	var b packer
	b.WriteString(PackedNow)
	b.line(headLine, f.Name, number(f.Version), flag(f.ByMic))
	var sources [][4]string
	source := func(placed, instrument, usual, setup string) string {
		if placed == "" {
			return ""
		}
		i := slices.IndexFunc(sources, func(s [4]string) bool { return s[0] == placed && (s[2] != "" || usual == "") })
		if i < 0 {
			i = len(sources)
			sources = append(sources, [4]string{placed, instrument, usual, setup})
			b.line(sourceLine, placed, instrument, usual, setup)
		}
		return strconv.Itoa(i + 1)
	}
	for _, l := range f.Lanes {
		from := source(l.Placed, l.Instrument, l.Usual, l.Setup)
		b.line(laneLine, l.ID, number(int(l.Number)), l.Name, packedParts(l), l.Colour, string(l.Role), string(l.First),
			string(l.Position), number(int(l.Width)), flag(l.IsBus), flag(l.Other), l.To, flag(l.AlsoMain), from, l.Output,
			l.Inserts)
	}
	for _, p := range f.Parts {
		from := source(p.Placed, p.Instrument, "", "")
		b.line(partLine, from, p.ID, p.Name, string(p.Role), number(p.Address.Port), number(int(p.Address.Channel)))
	}
	for _, s := range f.Sets {
		from := source(s.Placed, s.Instrument, "", "")
		b.line(append([]string{setLine, from, string(s.Role)}, s.Names...)...)
	}
	for _, x := range f.Exceptions {
		doc, err := json.Marshal(x)
		if err != nil {
			return nil, err
		}
		b.line(exceptionLine, string(doc))
	}
	return []byte(b.String()), nil
}

// plainName stands for the parts of a lane that is named by its role alone.
const plainName = "-"

func packedParts(l Lane) string {
	if slices.Equal(l.Parts, []plan.NamePart{{Role: l.Role}}) {
		return plainName
	}
	var out []string
	for _, p := range l.Parts {
		out = append(out, string(p.Role)+roleEnd+without(p.Name, nameEnd+roleEnd))
	}
	return strings.Join(out, nameEnd)
}

func unpackedParts(text string) []plan.NamePart {
	out := make([]plan.NamePart, 0, strings.Count(text, nameEnd)+1)
	for one := range strings.SplitSeq(text, nameEnd) {
		r, name, _ := strings.Cut(one, roleEnd)
		out = append(out, plan.NamePart{Role: role.Role(r), Name: name})
	}
	return out
}

// values reads the values of a line one by one; a number that is none is the fault of the
// text.
type values struct {
	rest string
	bad  error
}

func (v *values) text() string {
	s, rest, _ := strings.Cut(v.rest, valueEnd)
	v.rest = rest
	return s
}

func (v *values) number() int {
	s := v.text()
	if s == "" {
		return 0
	}
	n, err := strconv.Atoi(s)
	if err != nil && v.bad == nil {
		v.bad = err
	}
	return n
}

func (v *values) flag() bool { return v.text() != "" }

// plainNames are the names that lanes have by their role alone, one after the other.
type plainNames []plan.NamePart

// lane reads a line of a lane.
func (v *values) lane(source func(int) [4]string, plain *plainNames) Lane {
	l := Lane{ID: v.text(), Number: plan.LaneNumber(v.number()), Name: v.text()}
	parts := v.text()
	l.Colour, l.Role, l.First, l.Position = v.text(), role.Role(v.text()), role.Role(v.text()), role.Position(v.text())
	l.Width, l.IsBus, l.Other = audio.Width(v.number()), v.flag(), v.flag()
	l.To, l.AlsoMain = v.text(), v.flag()
	s := source(v.number())
	l.Placed, l.Instrument, l.Usual, l.Setup, l.Output = s[0], s[1], s[2], s[3], v.text()
	l.Inserts = v.text()
	switch {
	case parts == plainName:
		*plain = append(*plain, plan.NamePart{Role: l.Role})
		n := len(*plain)
		l.Parts = (*plain)[n-1 : n : n]
	case parts != "":
		l.Parts = unpackedParts(parts)
	}
	return l
}

// Unpack reads what Pack has written; what it gives points into the text.
func Unpack(text string) (*Facts, error) {
	begins, rest, _ := strings.Cut(text, lineEnd)
	if begins != PackedNow {
		return nil, fmt.Errorf("facts begin with %q, not %q", short(begins), PackedNow)
	}
	n := strings.Count(rest, lineEnd+laneLine+valueEnd)
	f := &Facts{Lanes: make([]Lane, 0, n)}
	plain := plainNames(make([]plan.NamePart, 0, n))
	if n := strings.Count(rest, lineEnd+partLine+valueEnd); n > 0 {
		f.Parts = make([]Part, 0, n)
	}
	if n := strings.Count(rest, lineEnd+setLine+valueEnd); n > 0 {
		f.Sets = make([]Set, 0, n)
	}
	sources := make([][4]string, 0, 4)
	source := func(i int) [4]string {
		if i < 1 || i > len(sources) {
			return [4]string{}
		}
		return sources[i-1]
	}
	for line := range strings.SplitSeq(rest, lineEnd) {
		v := values{rest: line}
		switch v.text() {
		case headLine:
			f.Name, f.Version, f.ByMic = v.text(), v.number(), v.flag()
		case sourceLine:
			sources = append(sources, [4]string{v.text(), v.text(), v.text(), v.text()})
		case laneLine:
			f.Lanes = append(f.Lanes, v.lane(source, &plain))
		case partLine:
			s := source(v.number())
			f.Parts = append(f.Parts, Part{Placed: s[0], ID: v.text(), Instrument: s[1], Name: v.text(),
				Role: role.Role(v.text()), Address: midi.Address{Port: v.number(), Channel: midi.Channel(v.number())}})
		case setLine:
			s := source(v.number())
			x := Set{Placed: s[0], Instrument: s[1], Role: role.Role(v.text())}
			if v.rest != "" {
				x.Names = strings.Split(v.rest, valueEnd)
			}
			f.Sets = append(f.Sets, x)
		case exceptionLine:
			var x plan.Exception
			if err := json.Unmarshal([]byte(v.text()), &x); err != nil && v.bad == nil {
				v.bad = err
			}
			f.Exceptions = append(f.Exceptions, x)
		default:
			v.bad = fmt.Errorf("there is no line %q", short(line))
		}
		if v.bad != nil {
			return nil, fmt.Errorf("facts cannot be read: %w", v.bad)
		}
	}
	return f, nil
}

func short(s string) string { return s[:min(len(s), 20)] }
