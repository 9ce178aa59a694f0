// Package namelist reads an instrument as one reads it off a screen: a name a line, with what
// is known about it behind, such as "Kick In, mono", "Overheads st", "Trumpet ch 2" or "Pad 1 key
// 36 out 3", or "Boom kit/kick" with its role. Lines "microphones", "voices", "parts" and
// "positions" say what follows; positions are microphones that every part is heard through. Without
// such a line, one with a MIDI channel is a part, one with a key a voice, and others are as the
// rest, or microphones.
package namelist

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
	"hiddenlanes/format/csvrig"
)

const name = "list of names"

// Limits of a list.
const (
	MaxLines = 1000
	MaxLine  = 400 // bytes
)

// Format is the list of names among the others.
var Format = &format.Format{
	Name: "list", Title: "list of names", Extensions: []string{".txt"}, Holds: format.Instruments,
	Sniff: func(head []byte, file string) bool { return format.IsText(head) && format.HasExtension(file, ".txt") },
	Decode: func(in *format.Input) (*format.Content, error) {
		x, warnings, err := Decode(in.Reader, format.Base(in.Name), in.Naming)
		if err != nil {
			return nil, err
		}
		return &format.Content{Instruments: []rig.Instrument{*x}, Warnings: warnings}, nil
	},
}

// The kinds of what a line names, as csvrig calls them.
const (
	microphone = "microphone"
	voice      = "voice"
	part       = "part"
	position   = "position" // a microphone that every part is heard through
)

var sections = map[string]string{"microphones": microphone, "microphone": microphone, "mics": microphone,
	"voices": voice,
	"voice":  voice, "pads": voice, "parts": part, "part": part, "positions": position, "position": position}

// line is what one line says.
type line struct {
	at                  int
	kind, name          string
	width, channel, key string
	role                string // "": to be guessed
	out                 int    // 0: not said
}

// Decode reads the list; instrument is what it is called. Errors are *format.Errors.
func Decode(r io.Reader, instrument string, naming midi.Naming) (*rig.Instrument, []string, error) {
	lines, err := read(r)
	if err != nil {
		return nil, nil, err
	}
	if len(lines) == 0 {
		return nil, nil, format.Errorf(name, format.Place{}, "write one name a line, such as “Kick In, mono”",
			"there are no names in it")
	}
	settle(lines)
	var table bytes.Buffer
	w := csv.NewWriter(&table)
	var positions []string
	for _, l := range lines {
		if l.kind == position {
			positions = append(positions, l.name)
		}
	}
	rows := [][]string{{"kind", "name", "width", "keys", "channel", "role", "microphones"}}
	for _, l := range lines {
		row := []string{l.kind, format.PlainCell(l.name), l.width, l.key, l.channel, l.role, ""}
		switch l.kind {
		case position:
			row[0] = microphone
		case part:
			row[6] = strings.Join(positions, ", ")
		}
		rows = append(rows, row)
	}
	if err := w.WriteAll(rows); err != nil {
		return nil, nil, err
	}
	ins, warnings, err := csvrig.Decode(&table, instrument, naming)
	var bad *format.Error
	if errors.As(err, &bad) {
		return nil, nil, here(bad, lines)
	}
	if err != nil {
		return nil, nil, err
	}
	in := ins[0]
	if err := layOut(&in, lines); err != nil {
		return nil, nil, err
	}
	kinds := map[string]bool{}
	for _, l := range lines {
		kinds[l.kind] = true
	}
	if kinds[microphone] && kinds[voice] {
		warnings = append(warnings,
			"the list does not say which microphones hear the voices: fill in “Heard through” on the "+
				"page of the instrument")
	}
	return &in, warnings, nil
}

var marks = regexp.MustCompile(`^(?:[-*•]|\d+[.)])\s+`)

// read takes the lines apart.
func read(r io.Reader) (lines []line, err error) {
	in := bufio.NewScanner(r)
	in.Buffer(make([]byte, 0, MaxLine), MaxLine)
	section := ""
	for at := 1; in.Scan(); at++ {
		text := strings.TrimSpace(strings.TrimPrefix(in.Text(), "\ufeff"))
		text = strings.TrimSpace(marks.ReplaceAllString(text, ""))
		if text == "" {
			continue
		}
		if kind, ok := sections[strings.ToLower(strings.TrimSuffix(text, ":"))]; ok {
			section = kind
			continue
		}
		if len(lines) == MaxLines {
			return nil, format.Errorf(name, place(at), "split it", "there are more than %d names", MaxLines)
		}
		l, err := readLine(text, at)
		if err != nil {
			return nil, err
		}
		l.kind = section
		lines = append(lines, l)
	}
	if errors.Is(in.Err(), bufio.ErrTooLong) {
		return nil, format.Errorf(name, format.Place{}, "write one name a line", "a line is longer than %d bytes", MaxLine)
	}
	return lines, in.Err()
}

func place(at int) format.Place { return format.AtLine(at) }

// facts are what can stand behind a name, each with what it sets.
var facts = []struct {
	is  *regexp.Regexp
	set func(l *line, value string)
	has func(l *line) bool
}{
	{regexp.MustCompile(`(?i)(?:^|\s)(mono|stereo|st)$`), func(l *line, v string) {
		if l.width = strings.ToLower(v); l.width == "st" {
			l.width = audio.Stereo.String()
		}
	}, func(l *line) bool { return l.width != "" }},
	{regexp.MustCompile(`(?i)(?:^|\s)(role [a-z]+|(?:role )?[a-z]+(?:/[a-z0-9-]+)+)$`), func(l *line, v string) {
		l.role = strings.TrimPrefix(strings.ToLower(v), "role ")
	}, func(l *line) bool { return l.role != "" }},
	{regexp.MustCompile(`(?i)(?:^|\s)(?:midi )?(?:channel|ch)\.? ?(\d+)$`), func(l *line, v string) { l.channel = v },
		func(l *line) bool { return l.channel != "" }},
	{regexp.MustCompile(`(?i)(?:^|\s)(?:key|note) ?(-?\d+|[a-g][#b]?-?\d)$`), func(l *line, v string) { l.key = v },
		func(l *line) bool { return l.key != "" }},
	{regexp.MustCompile(`(?i)(?:^|\s)(?:output|out) ?(\d+)$`), func(l *line, v string) { l.out, _ = strconv.Atoi(v) },
		func(l *line) bool { return l.out != 0 }},
}

// fact takes what is said last off a text, unless it was said already: “Overhead Mono, mono” is
// called Overhead Mono. It reports whether there was something.
func (l *line) fact(text string) (rest string, ok bool) {
	for _, f := range facts {
		if m := f.is.FindStringSubmatchIndex(text); m != nil && !f.has(l) {
			f.set(l, text[m[2]:m[3]])
			return strings.TrimSpace(text[:m[0]]), true
		}
	}
	return text, false
}

var between = regexp.MustCompile(`[,;\t]`)

// readLine reads one line: a name, and behind it, with commas or without, what is known about it.
func readLine(text string, at int) (line, error) {
	l := line{at: at}
	fields := between.Split(text, -1)
	for i := len(fields) - 1; i >= 0; i-- {
		field := strings.Join(strings.Fields(fields[i]), " ")
		rest, ok := field, true
		for rest != "" && ok {
			before := l
			next, more := l.fact(rest)
			if more && i == 0 && next == "" { // a name alone, such as “Stereo”
				l, more = before, false
			}
			if ok = more; ok {
				rest = next
			}
		}
		switch {
		case i == 0:
			l.name = rest
		case rest != "":
			return l, format.Errorf(name, place(at), "write mono, stereo, ch 1, key 36 or out 3",
				"“%s” behind the name is not understood", rest)
		}
	}
	if l.name == "" {
		return l, format.Errorf(name, place(at), "begin the line with a name", "there is no name in it")
	}
	if l.out > rig.MaxPorts/2 {
		return l, format.Errorf(name, place(at), fmt.Sprintf("write an output up to %d", rig.MaxPorts/2),
			"there is no output %d", l.out)
	}
	return l, nil
}

// settle says what the lines outside a section are: parts with channels, voices with keys, and
// the rest as most of the others.
func settle(lines []line) {
	rest := microphone
	for _, l := range lines {
		switch {
		case l.kind != "":
		case l.channel != "":
			rest = part
		case l.key != "" && rest == microphone:
			rest = voice
		}
	}
	for i := range lines {
		l := &lines[i]
		switch {
		case l.kind != "":
		case l.channel != "":
			l.kind = part
		case l.key != "":
			l.kind = voice
		default:
			l.kind = rest
		}
	}
}

// here says an error of the table in terms of the list.
func here(bad *format.Error, lines []line) error {
	out := *bad
	out.Format = name
	if row := bad.At.Line; row >= 2 && row-2 < len(lines) {
		out.At, out.Do = place(lines[row-2].at), "correct that line"
	}
	return &out
}

// layOut makes the outputs that the lines name, as a layout of the factory.
func layOut(in *rig.Instrument, lines []line) error {
	at, next := map[string]rig.Placing{}, map[string]int{}
	for _, l := range lines {
		id, _, _ := l.of(in, next)
		if l.out > 0 {
			at[id] = rig.Placing{Output: l.out}
		}
	}
	if len(at) == 0 {
		return nil
	}
	layout := in.FactoryLayout("As listed", "", at)
	in.Layouts, in.Delivered = []rig.Layout{layout}, rig.Runs(layout.Outputs)
	if err := in.Validate(); err != nil {
		return format.Errorf(name, format.Place{}, "correct the outputs it names", "%v", err)
	}
	return nil
}

// of finds what a line made, of those made of lines before it: next counts them by kind.
func (l line) of(in *rig.Instrument, next map[string]int) (id string, r role.Role, w audio.Width) {
	kind := l.kind
	if kind == position {
		kind = microphone
	}
	k := next[kind]
	next[kind]++
	switch kind {
	case microphone:
		m := in.Microphones[k]
		return m.ID, m.Role, m.Width
	case voice:
		v := in.Voices[k]
		return v.ID, v.Role, v.Width
	}
	p := in.Parts[k]
	return p.ID, p.Role, p.Width
}

var kindOf = map[string]role.NameKind{microphone: role.OfMicrophone, voice: role.OfVoice, part: role.OfPart,
	position: role.OfPosition}

// Named is what a line was read as.
type Named struct {
	Line  int         `json:"line"` // from 1
	Kind  string      `json:"kind"`
	Name  string      `json:"name"`
	Role  role.Role   `json:"role"`
	Width audio.Width `json:"width"`
	Told  bool        `json:"told"` // the line says the role
	Sure  bool        `json:"sure"` // it does, or the name leaves no doubt
}

// Read tells what each line of a list is read as, with the roles as they are guessed.
func Read(r io.Reader, naming midi.Naming) ([]Named, error) {
	text, err := io.ReadAll(io.LimitReader(r, MaxLines*MaxLine))
	if err != nil {
		return nil, err
	}
	in, _, err := Decode(bytes.NewReader(text), "list", naming)
	if err != nil {
		return nil, err
	}
	lines, err := read(bytes.NewReader(text))
	if err != nil {
		return nil, err
	}
	settle(lines)
	next, out := map[string]int{}, make([]Named, len(lines))
	for i, l := range lines {
		_, as, w := l.of(in, next)
		sure := l.role != "" || as != role.Unnamed && role.GuessName(l.name, kindOf[l.kind]).Sure == role.Sure
		out[i] = Named{l.at, l.kind, l.name, as, w, l.role != "", sure}
	}
	return out, nil
}
