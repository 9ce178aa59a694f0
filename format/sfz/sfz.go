// Package sfz reads SFZ files, an open text format of sample instruments
// (version 1 with the headers and labels that came later; from memory of the
// published description), finds the voices in them, and writes them again with
// other outputs and every other byte as it was. It never reads a sample, only
// how many channels it has, and never a file outside the folder it was given.
package sfz

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"path"
	"regexp"
	"slices"
	"strings"

	"hiddenlanes/format"
)

// Limits of what is read; docs/limits.md states them.
const (
	maxFile       = 16 << 20 // bytes of one text
	maxTotal      = 64 << 20 // bytes of all texts, and of what they come to with each included as often as it is named
	maxDepth      = 32       // of texts that include each other
	maxInclusions = 10_000
	maxDefines    = 4096
	maxRegions    = 50_000
	maxControls   = 1000
	maxOpcodes    = 500_000
	maxInHeader   = 2048 // opcodes of one header
	maxValue      = 4096 // bytes of a value
	maxStatement  = 2 * maxValue
	// Of all instruments of a folder together.
	maxAllScanned = 4 * maxTotal
	maxAllOpcodes = 4 * maxOpcodes
	maxAllRegions = 4 * maxRegions
)

const name = "SFZ"

// Text is one of the text files an instrument is made of.
type Text struct {
	Path string
	Data []byte
}

// opcode is one name=value, with the place of its value in its file.
type opcode struct {
	name, value string
	file        int
	from, to    int
}

// header is one <region>, <group> and so on with its opcodes.
type header struct {
	kind    string
	opcodes []opcode
	file    int
	end     int // offset just past the header's mark
}

// get gives the last value of an opcode.
func (h *header) get(name string) (string, bool) {
	if h == nil {
		return "", false
	}
	for i := len(h.opcodes) - 1; i >= 0; i-- {
		if h.opcodes[i].name == name {
			return h.opcodes[i].value, true
		}
	}
	return "", false
}

// region is a region with the headers it inherits from, nearest first, and how many <control> headers
// stand before it.
type region struct {
	own, group, master, global *header
	controls                   int
}

func (r region) get(name string) string {
	for _, h := range [...]*header{r.own, r.group, r.master, r.global} {
		if v, ok := h.get(name); ok {
			return v
		}
	}
	return ""
}

// controlled gives what the <control> headers before a region say of an opcode; a later one replaces an
// earlier one.
func (f *File) controlled(r region, name string) (string, bool) {
	for _, c := range slices.Backward(f.control[:r.controls]) {
		if v, ok := c.get(name); ok {
			return v, true
		}
	}
	return "", false
}

// File is a decoded SFZ instrument.
type File struct {
	Texts    []Text // the file itself first, then what it includes
	Warnings []string

	control []*header
	regions []region
	fsys    fs.FS
}

// Decode reads the instrument at a path of a file system, and what it includes.
// Errors are *format.Error, or those of the file system.
func Decode(ctx context.Context, fsys fs.FS, file string) (*File, error) {
	return decodeWithin(fsys, file, &budget{ctx: ctx})
}

// budget is what several instruments of one folder have spent together.
type budget struct {
	ctx              context.Context
	scanned, opcodes int
	regions          int
}

// errSpent lies beneath the refusal of a folder that is too much as a whole.
var errSpent = errors.New("too much together")

// enough reports whether the next text may be read.
func (b *budget) enough(where format.Place) error {
	if b.ctx != nil && b.ctx.Err() != nil {
		return b.ctx.Err()
	}
	for _, x := range []struct {
		n, most int
		what    string
	}{{b.scanned, maxAllScanned, "bytes with all that is included"}, {b.opcodes, maxAllOpcodes, "opcodes"},
		{b.regions, maxAllRegions, "regions"}} {
		if x.n > x.most {
			e := format.Errorf(name, where, "import fewer of its instruments at a time",
				"the instruments of this folder have more than %d %s together", x.most, x.what)
			e.Err = errSpent
			return e
		}
	}
	return nil
}

func decodeWithin(fsys fs.FS, file string, spent *budget) (*File, error) {
	f := &File{fsys: fsys}
	d := decoder{f: f, spent: spent, root: path.Dir(file), defines: map[string]string{}, texts: map[string]int{},
		unknown: map[string]int{}, known: map[string]bool{}}
	if err := d.include(file, 0); err != nil {
		return nil, err
	}
	if len(f.regions) == 0 {
		return nil, format.Errorf(name, format.InFile(path.Base(file)),
			"import the .sfz file that holds the <region> headers",
			"there is no region in it")
	}
	d.warnOfUnknown()
	return f, nil
}

// mainFile finds the instrument files of a folder: the .sfz files that no other one
// includes, by name.
func mainFile(fsys fs.FS) ([]string, error) {
	var all []string
	included := map[string]bool{}
	err := fs.WalkDir(fsys, ".", func(p string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !isInstrument(p) {
			return err
		}
		if len(all) >= 1000 {
			return format.Errorf(name, format.InFile(p), "import fewer at a time", "there are more than 1000 .sfz files in it")
		}
		all = append(all, p)
		data, err := read(fsys, p, maxFile)
		if err != nil {
			return err
		}
		for _, m := range includeLine.FindAllSubmatch(data, -1) {
			included[strings.ToLower(path.Join(path.Dir(p), slash(string(m[1]))))] = true
		}
		return nil
	})
	all = slices.DeleteFunc(all, func(p string) bool { return included[strings.ToLower(p)] })
	if err == nil && len(all) == 0 {
		err = format.Errorf(name, format.Place{}, "import the folder or ZIP that holds the .sfz file",
			"there is no .sfz file in it")
	}
	return all, err
}

var includeLine = regexp.MustCompile(`(?:^|[\r\n])\s*#include\s+"([^"\r\n]+)"`)

func slash(s string) string { return strings.ReplaceAll(s, `\`, "/") }

// read reads a whole text file, up to a limit.
func read(fsys fs.FS, p string, limit int64) ([]byte, error) {
	r, err := fsys.Open(p)
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err != nil {
		return nil, err
	}
	if int64(len(data)) > limit {
		return nil, format.Errorf(name, format.InFile(path.Base(p)), "split it into included files",
			"it is larger than %d MiB", limit>>20)
	}
	return data, nil
}

type decoder struct {
	f       *File
	spent   *budget
	room    []opcode // where opcodes are kept; those of the header that is being read are the last
	root    string   // the folder that includes are named from
	defines map[string]string
	names   []string       // of defines, the longest first
	texts   map[string]int // files read, by path
	total   int64
	counts  // of what has limits
	unknown map[string]int
	known   map[string]bool

	now                   *header
	group, master, global *header
}

// counts are how many there are of what has limits.
type counts struct {
	inclusions, scanned, opcodes int
}

// tooMany is the refusal of a file with more than a limit allows.
func tooMany(where format.Place, most int, what string) error {
	return format.Errorf(name, where, "split it into several instruments", "there are more than %d %s in it", most, what)
}

// include reads one file where the reading stands.
func (d *decoder) include(file string, depth int) error {
	if depth > maxDepth {
		return format.Errorf(name, format.InFile(path.Base(file)), "take the circle of #include lines out",
			"files include each other without end")
	}
	if d.inclusions++; d.inclusions > maxInclusions {
		return format.Errorf(name, format.InFile(path.Base(file)), "take the #include lines out that repeat",
			"files are included more than %d times", maxInclusions)
	}
	i, seen := d.texts[file]
	if !seen {
		data, err := read(d.f.fsys, file, min(maxFile, maxTotal-d.total))
		var bad *fs.PathError
		if errors.As(err, &bad) && depth > 0 {
			d.f.Warnings = append(d.f.Warnings,
				fmt.Sprintf("the included file %s does not exist; import the whole folder or a ZIP of it", file))
			return nil
		}
		if err != nil {
			return err
		}
		if slices.Contains(data[:min(len(data), 4096)], 0) {
			return format.Errorf(name, format.InFile(path.Base(file)), "import the text file that ends in .sfz",
				"this is not text")
		}
		d.total += int64(len(data))
		i = len(d.f.Texts)
		d.texts[file] = i
		d.f.Texts = append(d.f.Texts, Text{file, data})
	}
	return d.scan(i, depth)
}

// scan reads the tokens of a file.
func (d *decoder) scan(file, depth int) error {
	text := string(d.f.Texts[file].Data)
	d.spent.scanned += len(text)
	if err := d.spent.enough(format.InFile(path.Base(d.f.Texts[file].Path))); err != nil {
		return err
	}
	if d.scanned += len(text); d.scanned > maxTotal {
		return format.Errorf(name, format.InFile(path.Base(d.f.Texts[file].Path)), "take the #include lines out that repeat",
			"with all that is included it is larger than %d MiB", maxTotal>>20)
	}
	if strings.HasPrefix(text, "\xef\xbb\xbf") {
		text = "   " + text[3:]
	}
	where := func(at int) format.Place {
		before := text[:at]
		lines := 1 + strings.Count(before, "\n") + strings.Count(before, "\r") - strings.Count(before, "\r\n")
		return format.Place{File: path.Base(d.f.Texts[file].Path), Line: lines}
	}
	var err error
	for at := 0; at < len(text); {
		c := text[at]
		switch {
		case c == ' ' || c == '\t' || c == '\r' || c == '\n':
			at++
		case strings.HasPrefix(text[at:], "//"):
			at = lineEnd(text, at)
		case strings.HasPrefix(text[at:], "/*"):
			end := strings.Index(text[at:], "*/")
			if end < 0 {
				return nil // an open comment hides the rest
			}
			at += end + 2
		case strings.HasPrefix(text[at:], "#define"):
			at, err = d.define(text, at, where)
		case strings.HasPrefix(text[at:], "#include"):
			at, err = d.includeLine(text, at, depth, where)
		case c == '<':
			at, err = d.header(text, at, file, where)
		default:
			at, err = d.nextOpcode(text, at, file, where)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// define reads a #define at a place in a text, and gives the place behind it.
func (d *decoder) define(text string, at int, where func(int) format.Place) (int, error) {
	end := statementEnd(text, at)
	parts := strings.Fields(text[at+7 : end])
	if len(parts) < 2 || !strings.HasPrefix(parts[0], "$") || len(parts[1]) > maxValue {
		return at, format.Errorf(name, where(at), "write #define $NAME value", "this #define has no name and value")
	}
	if _, ok := d.defines[parts[0]]; !ok {
		if d.names = append(d.names, parts[0]); len(d.names) > maxDefines {
			return at, tooMany(where(at), maxDefines, "#define lines")
		}
		slices.SortFunc(d.names, func(a, b string) int { return len(b) - len(a) })
	}
	d.defines[parts[0]] = d.expand(parts[1])
	// Opcodes may follow on the same line.
	at += 7 + strings.Index(text[at+7:end], parts[0]) + len(parts[0])
	return at + strings.Index(text[at:end], parts[1]) + len(parts[1]), nil
}

// includeLine reads an #include, and the file that it names.
func (d *decoder) includeLine(text string, at, depth int, where func(int) format.Place) (int, error) {
	end := statementEnd(text, at)
	q := strings.SplitN(text[at:end], `"`, 3)
	if len(q) < 3 || q[1] == "" {
		return at, format.Errorf(name, where(at), `write #include "file.sfz"`, "this #include names no file")
	}
	target := path.Join(d.root, slash(d.expand(q[1])))
	if !fs.ValidPath(target) {
		return at, format.Errorf(name, where(at), "keep all its files in one folder",
			"%q is outside the imported folder", q[1])
	}
	return at + len(q[0]) + len(q[1]) + 2, d.include(target, depth+1)
}

// header reads a header, such as <region>.
func (d *decoder) header(text string, at, file int, where func(int) format.Place) (int, error) {
	end := strings.IndexByte(text[at:], '>')
	if end < 0 || end > 32 {
		return at, format.Errorf(name, where(at), "close the header with >", "a header is not closed")
	}
	had := len(d.f.regions)
	d.begin(strings.ToLower(strings.TrimSpace(text[at+1:at+end])), file, at+end+1)
	d.spent.regions += len(d.f.regions) - had
	switch {
	case len(d.f.regions) > maxRegions:
		return at, tooMany(where(at), maxRegions, "regions")
	case len(d.f.control) > maxControls:
		return at, tooMany(where(at), maxControls, "<control> headers")
	}
	return at + end + 1, nil
}

// nextOpcode reads an opcode, or passes over what is none.
func (d *decoder) nextOpcode(text string, at, file int, where func(int) format.Place) (int, error) {
	n := opcodeName(text, at)
	if n == at {
		return nextToken(text, at), nil
	}
	op := opcode{name: strings.ToLower(d.expand(text[at:n])), file: file, from: n + 1}
	end := valueEnd(text, op.from, op.name)
	op.to = op.from + len(strings.TrimRight(text[op.from:end], " \t\r"))
	if op.to-op.from > maxValue {
		return at, format.Errorf(name, where(at), "shorten it", "the value of %s is longer than %d bytes", op.name, maxValue)
	}
	op.value = d.expand(strings.TrimSpace(text[op.from:op.to]))
	d.opcode(op)
	d.spent.opcodes++
	if d.opcodes++; d.opcodes > maxOpcodes {
		return at, tooMany(where(at), maxOpcodes, "opcodes")
	}
	if len(d.now.opcodes) > maxInHeader {
		return at, tooMany(where(at), maxInHeader, "opcodes of one header")
	}
	return end, nil
}

// lineEnd finds the end of a line, which CR alone ends as well.
func lineEnd(text string, at int) int {
	for at < len(text) { // a piece at a time, so that the search for one mark does not go past the other
		piece := text[at:min(len(text), at+maxValue)]
		lf := strings.IndexByte(piece, '\n')
		if lf >= 0 {
			piece = piece[:lf]
		}
		if cr := strings.IndexByte(piece, '\r'); cr >= 0 {
			return at + cr
		}
		if at += len(piece); lf >= 0 {
			return at
		}
	}
	return at
}

// statementEnd is lineEnd for what is read of a line, which is no longer than a value may be.
func statementEnd(text string, at int) int {
	return lineEnd(text[:min(len(text), at+maxStatement)], at)
}

func nextToken(text string, at int) int {
	for at < len(text) && !strings.ContainsRune(" \t\r\n<", rune(text[at])) {
		at++
	}
	if at < len(text) && text[at] == '<' {
		return at
	}
	return min(at+1, len(text))
}

// opcodeName finds the end of an opcode's name, where its "=" stands, or at.
func opcodeName(text string, at int) int {
	for i := at; i < len(text); i++ {
		switch c := text[i]; {
		case c == '=' && i > at:
			return i
		case c == '_' || c == '$' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '#' && i > at || c >= '0' &&
			c <= '9' && i > at:
		default:
			return at
		}
	}
	return at
}

// spaced are the opcodes whose values may hold spaces and slashes.
func spaced(name string) bool {
	return name == "sample" || name == "default_path" || strings.HasSuffix(name, "_label") ||
		strings.HasPrefix(name, "label_") || strings.HasPrefix(name, "image")
}

// valueEnd finds where a value ends: at the line's end, before the next opcode,
// header or comment.
func valueEnd(text string, from int, name string) int {
	end := statementEnd(text, from)
	line := text[from:end]
	if !spaced(name) {
		if i := strings.IndexAny(line, " \t\r"); i >= 0 {
			line = line[:i]
		}
		for _, stop := range []string{"//", "/*", "<"} {
			if i := strings.Index(line, stop); i >= 0 {
				line = line[:i]
			}
		}
		return from + len(line)
	}
	for i := 1; i < len(line); i++ { // the next opcode after a space ends it
		if (line[i-1] == ' ' || line[i-1] == '\t') && opcodeName(line, i) > i {
			line = line[:i-1]
			break
		}
	}
	for _, stop := range []string{" //", "\t//", " /*", "\t/*", " <", "\t<"} {
		if i := strings.Index(line, stop); i >= 0 {
			line = line[:i]
		}
	}
	for _, h := range []string{"<region>", "<group>", "<master>", "<global>", "<control>"} {
		if i := strings.Index(line, h); i >= 0 {
			line = line[:i]
		}
	}
	return from + len(line)
}

// expand puts the defined values in, the longest name first, once.
func (d *decoder) expand(s string) string {
	if len(d.names) == 0 || !strings.Contains(s, "$") {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		n := ""
		if s[i] == '$' {
			for _, x := range d.names {
				if strings.HasPrefix(s[i:], x) {
					n = x
					break
				}
			}
		}
		if n == "" || b.Len() > maxValue {
			b.WriteByte(s[i])
			i++
			continue
		}
		b.WriteString(d.defines[n])
		i += len(n)
	}
	return b.String()
}

func (d *decoder) begin(kind string, file, end int) {
	h := &header{kind: kind, file: file, end: end, opcodes: d.room[len(d.room):]}
	d.now = h
	switch kind {
	case "control":
		d.f.control = append(d.f.control, h)
	case "global":
		d.global, d.master, d.group = h, nil, nil
	case "master":
		d.master, d.group = h, nil
	case "group":
		d.group = h
	case "region":
		d.f.regions = append(d.f.regions, region{h, d.group, d.master, d.global, len(d.f.control)})
	case "curve", "effect", "midi", "sample":
	default:
		d.unknown["<"+kind+">"]++
	}
}

func (d *decoder) opcode(op opcode) {
	if d.now == nil {
		d.begin("control", op.file, op.from)
	}
	is, seen := d.known[op.name]
	if !seen {
		is = known(op.name)
		d.known[op.name] = is
	}
	if !is {
		d.unknown[op.name]++
	}
	// Opcodes stand one behind the other in large pieces: many headers have few each.
	if len(d.room) == cap(d.room) {
		d.room = append(make([]opcode, 0, roomFor), d.now.opcodes...)
		d.now.opcodes = d.room
	}
	d.room = append(d.room, op)
	d.now.opcodes = d.room[len(d.room)-len(d.now.opcodes)-1:]
}

// roomFor is how many opcodes a piece has room for; no header has more.
const roomFor = 2 * maxInHeader

// warnOfUnknown lists what was kept but not understood.
func (d *decoder) warnOfUnknown() {
	var list []string
	for n, k := range d.unknown {
		if k > 1 {
			n += fmt.Sprintf(" (%d times)", k)
		}
		list = append(list, n)
	}
	slices.Sort(list)
	if n := len(list); n > 40 {
		list = append(list[:40], fmt.Sprintf("and %d more", n-40))
	}
	if len(list) > 0 {
		d.f.Warnings = append(d.f.Warnings, "unknown opcodes, kept as they are: "+strings.Join(list, ", "))
	}
}

// known reports whether an opcode belongs to version 1, or to the later ones that
// are read here. From memory; controller numbers at the end do not count.
func known(n string) bool {
	base := strings.TrimRight(n, "0123456789")
	if i := strings.Index(n, "_oncc"); i > 0 {
		base = n[:i]
	}
	base = strings.TrimSuffix(base, "_cc")
	return slices.Contains(opcodes, n) || slices.Contains(opcodes, base) ||
		slices.Contains(opcodes, strings.TrimSuffix(base, "cc")) ||
		strings.HasPrefix(n, "label_") || strings.HasPrefix(n, "eg") && strings.Contains(n, "_")
}

var opcodes = strings.Fields(`
sample default_path note_offset octave_offset set_cc set_hdcc lochan hichan lokey hikey key lovel hivel lobend
hibend lochanaft hichanaft lopolyaft hipolyaft lorand hirand lobpm hibpm seq_length seq_position sw_lokey
sw_hikey sw_last sw_down sw_up sw_previous sw_vel sw_default sw_label trigger group off_by off_mode on_locc
on_hicc locc hicc rt_decay polyphony note_polyphony delay delay_random offset offset_random end count loop_mode
loop_start loop_end loopmode loopstart loopend sync_beats sync_offset transpose tune pitch_keycenter
pitch_keytrack pitch_veltrack pitch_random bend_up bend_down bend_step bendup benddown pitcheg_delay
pitcheg_start pitcheg_attack pitcheg_hold pitcheg_decay pitcheg_sustain pitcheg_release pitcheg_depth
pitchlfo_delay pitchlfo_fade pitchlfo_freq pitchlfo_depth fil_type cutoff resonance fil_keytrack fil_keycenter
fil_veltrack fil_random fileg_delay fileg_start fileg_attack fileg_hold fileg_decay fileg_sustain fileg_release
fileg_depth fillfo_delay fillfo_fade fillfo_freq fillfo_depth volume amplitude pan width position amp_keytrack
amp_keycenter amp_veltrack amp_velcurve_ amp_random rt_decay output gain_ xfin_lokey xfin_hikey xfout_lokey
xfout_hikey xf_keycurve xfin_lovel xfin_hivel xfout_lovel xfout_hivel xf_velcurve xfin_locc xfin_hicc xfout_locc
xfout_hicc xf_cccurve ampeg_delay ampeg_start ampeg_attack ampeg_hold ampeg_decay ampeg_sustain ampeg_release
ampeg_vel2delay ampeg_vel2attack ampeg_vel2hold ampeg_vel2decay ampeg_vel2sustain ampeg_vel2release amplfo_delay
amplfo_fade amplfo_freq amplfo_depth effect1 effect2 egN_ eq1_freq eq1_bw eq1_gain eq2_freq eq2_bw eq2_gain
eq3_freq eq3_bw eq3_gain global_label master_label group_label region_label global_volume master_volume
group_volume global_amplitude master_amplitude group_amplitude`)
