// Package midnam reads and writes MIDI name documents (MIDINameDocument, DTD 1.0;
// from memory of the published document type): what the keys, channels and
// programs of a device are called.
package midnam

import (
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
)

const name = "MIDI name document"

const (
	maxSize  = 32 << 20
	maxNames = 50_000 // of notes and patches
)

var errNames = errors.New("too many names")

type document struct {
	XMLName xml.Name `xml:"MIDINameDocument"`
	Author  string   `xml:"Author"`
	Masters []master `xml:"MasterDeviceNames"`
	// names of cards and boards that extend a device, and those of a standard mode
	Extending []master `xml:"ExtendingDeviceNames,omitempty"`
	Standard  []master `xml:"StandardDeviceMode,omitempty"`
	// lists outside every device
	Notes   []noteList    `xml:"NoteNameList,omitempty"`
	Patches []patchesList `xml:"PatchNameList,omitempty"`
}

type master struct {
	Manufacturer string        `xml:"Manufacturer"`
	Models       []string      `xml:"Model"`
	Modes        []mode        `xml:"CustomDeviceMode"`
	Sets         []channelSet  `xml:"ChannelNameSet"`
	Notes        []noteList    `xml:"NoteNameList"`
	Patches      []patchesList `xml:"PatchNameList"`
}

type mode struct {
	Name    string   `xml:"Name,attr"`
	Assigns []assign `xml:"ChannelNameSetAssignments>ChannelNameSetAssign"`
}

type assign struct {
	Channel int    `xml:"Channel,attr"`
	NameSet string `xml:"NameSet,attr"`
}

type channelSet struct {
	Name      string      `xml:"Name,attr"`
	Available []available `xml:"AvailableForChannels>AvailableChannel"`
	Uses      *uses       `xml:"UsesNoteNameList"`
	Notes     []noteList  `xml:"NoteNameList"`
	Banks     []bank      `xml:"PatchBank"`
}

type available struct {
	Channel   int    `xml:"Channel,attr"`
	Available string `xml:"Available,attr"`
}

type uses struct {
	Name string `xml:"Name,attr"`
}

type bank struct {
	Name    string        `xml:"Name,attr"`
	Patches []patchesList `xml:"PatchNameList"`
	Uses    *uses         `xml:"UsesPatchNameList"`
}

type patchesList struct {
	Name    string  `xml:"Name,attr"`
	Patches []patch `xml:"Patch"`
}

type patch struct {
	Number  string    `xml:"Number,attr"`
	Name    string    `xml:"Name,attr"`
	Program string    `xml:"ProgramChange,attr,omitempty"`
	Sends   *commands `xml:"PatchMIDICommands"`
	Uses    *uses     `xml:"UsesNoteNameList"`
	Notes   *noteList `xml:"NoteNameList"`
}

type commands struct {
	Programs []struct {
		Number string `xml:"Number,attr"`
	} `xml:"ProgramChange"`
}

type noteList struct {
	Name   string  `xml:"Name,attr"`
	Notes  []note  `xml:"Note"`
	Groups []group `xml:"NoteGroup"`
}

type group struct {
	Name  string `xml:"Name,attr,omitempty"`
	Notes []note `xml:"Note"`
}

type note struct {
	Number string `xml:"Number,attr"`
	Name   string `xml:"Name,attr"`
}

// Decode reads a document: an instrument of voices for each list of note names
// that something uses, and one of parts for the patches of each channel name set.
func Decode(r io.Reader) (ins []rig.Instrument, warnings []string, err error) {
	l := &io.LimitedReader{R: format.Tags(r, maxNames, errNames, "<Note ", "<Patch"), N: maxSize + 1}
	d := xml.NewDecoder(l)
	d.Strict = true
	var doc document
	if err := d.Decode(&doc); err != nil {
		if l.N <= 0 {
			return nil, nil, format.Errorf(name, format.Place{}, "import a smaller file", "it is larger than %d MiB",
				maxSize>>20)
		}
		if errors.Is(err, errNames) {
			return nil, nil, format.Errorf(name, format.Place{}, "split it into several documents",
				"it names more than %d notes and patches",
				maxNames)
		}
		var syntax *xml.SyntaxError
		if errors.As(err, &syntax) {
			return nil, nil, format.Errorf(name, format.AtLine(syntax.Line), "export it again or correct the XML there",
				"it is not XML there")
		}
		if errors.Is(err, io.EOF) {
			return nil, nil, format.Errorf(name, format.Place{}, "export it again", "%v", err)
		}
		return nil, nil, format.Errorf(name, format.Place{}, "import a document whose root is MIDINameDocument",
			"it is laid out in another way than such a document")
	}
	loose := master{Notes: doc.Notes, Patches: doc.Patches}
	for _, m := range slices.Concat(doc.Masters, doc.Extending, doc.Standard, []master{loose}) {
		ins = append(ins, m.instruments(&warnings)...)
	}
	if len(ins) == 0 {
		return nil, nil, format.Errorf(name, format.Place{}, "import one that names notes or patches",
			"it names no note and no patch")
	}
	return ins, warnings, nil
}

func (m master) instruments(warnings *[]string) (out []rig.Instrument) {
	model := m.model()
	lists := m.noteLists()
	for _, s := range m.Sets {
		in := rig.Instrument{Name: label(model, s.Name, len(m.Sets) > 1), Parts: m.parts(s)}
		if len(in.Parts) > 0 {
			out = append(out, in)
		}
	}
	for _, l := range m.loosePatches() {
		in := rig.Instrument{Name: label(model, l.Name, true), Parts: partsOf(l.Patches)}
		if len(in.Parts) > 0 {
			out = append(out, in)
		}
	}
	several := len(lists) > 1 || len(out) > 0
	for _, l := range lists {
		in := rig.Instrument{Name: label(model, l.Name, several), Bank: 128, Voices: l.voices(warnings)}
		if len(in.Voices) > 0 {
			out = append([]rig.Instrument{in}, out...)
		}
	}
	return out
}

// model is what the device is called.
func (m master) model() string {
	model := m.Manufacturer
	if len(m.Models) > 0 && strings.TrimSpace(m.Models[0]) != "" {
		model = m.Models[0]
	}
	return cmp.Or(strings.Join(strings.Fields(model), " "), "MIDI device")
}

// noteLists lists the lists of notes wherever they stand. One that says the same as another of its
// name is left out; one that says something else is called by a number.
func (m master) noteLists() (out []noteList) {
	seen := map[string][]noteList{}
	keep := func(lists ...noteList) {
		for _, l := range lists {
			same := seen[l.Name]
			if slices.ContainsFunc(same, func(x noteList) bool { return reflect.DeepEqual(x, l) }) {
				continue
			}
			seen[l.Name] = append(same, l)
			if n := len(same); n > 0 {
				l.Name = strings.TrimSpace(fmt.Sprintf("%s %d", l.Name, n+1))
			}
			out = append(out, l)
		}
	}
	keep(m.Notes...)
	for _, l := range m.Patches {
		for _, p := range l.Patches {
			if p.Notes != nil {
				keep(*p.Notes)
			}
		}
	}
	for _, s := range m.Sets {
		keep(s.Notes...)
		for _, p := range m.patches(s) {
			if p.Notes != nil {
				keep(*p.Notes)
			}
		}
	}
	return out
}

// patches lists the patches of a set's banks, those of lists that they use included.
func (m master) patches(s channelSet) (out []patch) {
	for _, b := range s.Banks {
		all := b.Patches
		if b.Uses != nil {
			for _, l := range slices.Backward(m.Patches) {
				if l.Name == b.Uses.Name {
					all = append(all, l)
					break
				}
			}
		}
		for _, l := range all {
			out = append(out, l.Patches...)
		}
	}
	return out
}

// loosePatches are the lists of patches that no bank uses.
func (m master) loosePatches() (out []patchesList) {
	used := map[string]bool{}
	for _, s := range m.Sets {
		for _, b := range s.Banks {
			if b.Uses != nil {
				used[b.Uses.Name] = true
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(m.Patches), func(l patchesList) bool { return used[l.Name] })
}

// parts are the patches of a set that name no notes.
func (m master) parts(s channelSet) []rig.Part { return partsOf(m.patches(s)) }

func partsOf(patches []patch) (out []rig.Part) {
	for _, p := range patches {
		if p.Uses == nil && p.Notes == nil {
			out = append(out, part(p, len(out)+1))
		}
	}
	return out
}

// one reports whether a group is one voice on several keys: all of its notes have its name.
func (g group) one() bool {
	return len(g.Notes) > 1 && g.Name != "" && !slices.ContainsFunc(g.Notes, func(n note) bool { return n.Name != g.Name })
}

// voices are the notes of a list, those of its groups included, by key.
func (l noteList) voices(warnings *[]string) (out []rig.Voice) {
	notes := slices.Clone(l.Notes)
	same := map[int]int{} // notes of one voice, by its number
	for i, g := range l.Groups {
		for _, n := range g.Notes {
			if g.one() {
				same[len(notes)] = i + 1
			}
			notes = append(notes, n)
		}
	}
	seen := map[midi.Key]bool{}
	voiceOf := map[int]int{} // the place of a group's voice
	defer func() {
		slices.SortStableFunc(out, func(a, b rig.Voice) int { return cmp.Compare(a.Keys[0], b.Keys[0]) })
	}()
	for i, x := range notes {
		k, err := strconv.Atoi(strings.TrimSpace(x.Number))
		text := strings.Join(strings.Fields(x.Name), " ")
		if err != nil || k < 0 || k > 127 || seen[midi.Key(k)] {
			*warnings = append(*warnings, fmt.Sprintf("note %q of %s is out of range or named twice and was left out",
				x.Number, l.Name))
			continue
		}
		if text == "" {
			continue
		}
		seen[midi.Key(k)] = true
		if at, ok := voiceOf[same[i]]; ok && same[i] > 0 {
			out[at].Keys = append(out[at].Keys, midi.Key(k))
			continue
		}
		voiceOf[same[i]] = len(out)
		keys := []midi.Key{midi.Key(k)}
		g := role.ForPercussion(text, keys)
		out = append(out, rig.Voice{ID: fmt.Sprintf("n%d", k), Name: text, Role: g.Role, Sure: g.Sure,
			Keys: keys, Width: audio.Stereo})
	}
	return out
}

func label(model, list string, several bool) string {
	if list = strings.Join(strings.Fields(list), " "); several && list != "" && !strings.EqualFold(list, model) {
		return model + " " + list
	}
	return model
}

func part(p patch, n int) rig.Part {
	out := rig.Part{ID: fmt.Sprintf("p%d", n), Name: strings.Join(strings.Fields(p.Name), " "),
		Width: audio.Stereo, Program: -1}
	if out.Name == "" {
		out.Name = "Patch " + p.Number
	}
	program := p.Program
	if program == "" && p.Sends != nil && len(p.Sends.Programs) > 0 {
		program = p.Sends.Programs[0].Number
	}
	if k, err := strconv.Atoi(program); err == nil && k >= 0 && k < 128 {
		out.Program = k
	}
	if out.Role = role.GuessName(out.Name, role.OfPart).Role; out.Role == role.Unnamed {
		out.Role = role.FromProgram(out.Program)
	}
	return out
}

func key(n note) int {
	k, _ := strconv.Atoi(n.Number)
	return k
}

// namedNotes is the list of an instrument's voices, and the keys that it names. A voice on several keys
// is a group of its name.
func namedNotes(in rig.Instrument, name string) (noteList, map[midi.Key]bool) {
	list := noteList{Name: name}
	named := map[midi.Key]bool{}
	for _, v := range in.Voices {
		g := group{Name: v.Name}
		for _, k := range slices.Sorted(slices.Values(v.Keys)) {
			if !named[k] {
				named[k] = true
				g.Notes = append(g.Notes, note{strconv.Itoa(int(k)), v.Name})
			}
		}
		if len(g.Notes) > 1 {
			list.Groups = append(list.Groups, g)
		} else {
			list.Notes = append(list.Notes, g.Notes...)
		}
	}
	slices.SortStableFunc(list.Notes, func(a, b note) int { return key(a) - key(b) })
	return list, named
}

// Encode writes an instrument's voices as a list of note names on the percussion
// channel, or on the channels of the parts they belong to, and its parts as
// patches on theirs.
func Encode(w io.Writer, in rig.Instrument) error {
	const notes, set = "Notes", "Names"
	m := master{Manufacturer: "Hidden Lanes", Models: []string{in.Name}}
	list, named := namedNotes(in, notes)
	at := map[int]bool{}
	var patches []patch
	for i, p := range in.Parts {
		if p.Address.Known() {
			at[int(p.Address.Channel)] = true
		}
		x := patch{Number: strconv.Itoa(i + 1), Name: p.Name}
		if p.Program >= 0 {
			x.Program = strconv.Itoa(p.Program)
		}
		patches = append(patches, x)
	}
	if len(at) == 0 && len(named) > 0 {
		at[int(midi.PercussionChannel)] = true
	}
	s := channelSet{Name: set}
	md := mode{Name: in.Name}
	for c := 1; c <= 16; c++ {
		free := "true"
		if len(at) > 0 && !at[c] {
			free = "false"
		} else {
			md.Assigns = append(md.Assigns, assign{c, set})
		}
		s.Available = append(s.Available, available{c, free})
	}
	if len(named) > 0 {
		m.Notes, s.Uses = []noteList{list}, &uses{notes}
	}
	if len(patches) > 0 {
		s.Banks = []bank{{Name: "Parts", Patches: []patchesList{{Name: "Parts", Patches: patches}}}}
	}
	m.Modes, m.Sets = []mode{md}, []channelSet{s}
	if _, err := io.WriteString(w, xml.Header+
		`<!DOCTYPE MIDINameDocument PUBLIC "-//MIDI Manufacturers Association//DTD MIDINameDocument 1.0//EN" "http://www.midi.org/dtds/MIDINameDocument10.dtd">`+"\n"); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(document{Author: "Hidden Lanes", Masters: []master{m}}); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}
