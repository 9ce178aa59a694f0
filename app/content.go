// Package app holds the use cases. It is the only layer that knows both the
// core and the store; the web pages and the command both call it.
package app

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/format/csvrig"
	"hiddenlanes/format/midnam"
	"hiddenlanes/format/sfz"
	"hiddenlanes/format/smf"
	"hiddenlanes/format/soundfont"
	"hiddenlanes/store"
)

// Content is what a file brought in turned out to hold: instruments or a song.
type Content struct {
	Format      string // "soundfont2", "sfz", "midnam", "csv" or "smf"
	Instruments []rig.Instrument
	Sources     []*store.Source // of the instruments that can be written again
	Song        *smf.File
	Warnings    []string
}

var formatNames = map[string]string{"soundfont2": "SoundFont 2", "sfz": "SFZ", "midnam": "MIDI names", "csv": "CSV"}

const whatCanBeRead = "bring a SoundFont 2 (.sf2), an SFZ (.sfz, or a ZIP of its folder), a MIDI name document (.midnam), a CSV or a Standard MIDI File (.mid)"

// Read tells by its first bytes what a file is and decodes it as a stream.
// name is the file's name, for people. Errors are *format.Error, or the
// reader's own.
func Read(r io.Reader, name string, naming midi.Naming) (*Content, error) {
	br := bufio.NewReaderSize(r, 64<<10)
	head, err := br.Peek(4096)
	if err != nil && !errors.Is(err, io.EOF) && len(head) < 4 {
		return nil, err
	}
	base := strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
	c := &Content{}
	switch {
	case bytes.HasPrefix(head, []byte("RIFF")):
		b, err := soundfont.Decode(br)
		if err != nil {
			return nil, err
		}
		if b.Name == "" {
			b.Name = base
		}
		c.Format, c.Instruments, c.Warnings = "soundfont2", b.Rig(), b.Warnings
	case bytes.HasPrefix(head, []byte("MThd")):
		f, err := smf.Decode(br)
		if err != nil {
			return nil, err
		}
		return &Content{Format: "smf", Song: f, Warnings: f.Warnings}, nil
	case bytes.HasPrefix(head, []byte("PK")):
		return readZip(br, name)
	case isXML(head):
		c.Format = "midnam"
		if c.Instruments, c.Warnings, err = midnam.Decode(br); err != nil {
			return nil, err
		}
	case isSFZ(head, name):
		z, err := textFiles(map[string]io.Reader{"main.sfz": br})
		if err != nil {
			return nil, err
		}
		return readSFZ(z, []string{"main.sfz"}, name)
	case isCSV(head, name):
		c.Format = "csv"
		if c.Instruments, c.Warnings, err = csvrig.Decode(br, base, naming); err != nil {
			return nil, err
		}
	default:
		return nil, format.Errorf(filepath.Base(name), "at byte 0", whatCanBeRead, "this is neither an instrument nor a song that can be read here")
	}
	c.signed(name)
	return c, nil
}

// signed notes where instruments came from.
func (c *Content) signed(name string) {
	for i := range c.Instruments {
		c.Instruments[i].Origin = formatNames[c.Format] + ", " + filepath.Base(name)
	}
}

func isXML(head []byte) bool {
	text := strings.TrimLeft(strings.TrimPrefix(string(head), "\xef\xbb\xbf"), " \t\r\n")
	return strings.HasPrefix(text, "<?xml") || strings.HasPrefix(text, "<MIDINameDocument") || strings.HasPrefix(text, "<!DOCTYPE MIDINameDocument")
}

// isText tells whether what was peeked at is text; a rune cut off at the end does
// not count.
func isText(head []byte) bool {
	for cut := 0; cut < 4 && cut <= len(head); cut++ {
		if utf8.Valid(head[:len(head)-cut]) {
			return !bytes.ContainsRune(head, 0)
		}
	}
	return false
}

func isSFZ(head []byte, name string) bool {
	if bytes.ContainsRune(head, 0) {
		return false
	}
	for _, h := range []string{"<region>", "<group>", "<control>", "<global>", "<master>"} {
		if bytes.Contains(head, []byte(h)) {
			return true
		}
	}
	return strings.EqualFold(filepath.Ext(name), ".sfz")
}

func isCSV(head []byte, name string) bool {
	if !isText(head) {
		return false
	}
	line, _, _ := strings.Cut(string(head), "\n")
	c := csv.NewReader(strings.NewReader(strings.ReplaceAll(line, ";", ",")))
	c.LazyQuotes = true
	cells, err := c.Read()
	return err == nil && csvrig.Known(cells) || strings.EqualFold(filepath.Ext(name), ".csv")
}

// ReadPath reads a file, with what it includes from its folder, or a folder.
func ReadPath(file string, naming midi.Naming) (*Content, error) {
	info, err := os.Stat(file)
	if err != nil {
		return nil, err
	}
	if info.IsDir() {
		root, err := os.OpenRoot(file)
		if err != nil {
			return nil, err
		}
		defer root.Close()
		return ReadFolder(root.FS(), file)
	}
	if strings.EqualFold(filepath.Ext(file), ".sfz") {
		root, err := os.OpenRoot(filepath.Dir(file))
		if err != nil {
			return nil, err
		}
		defer root.Close()
		return readSFZ(root.FS(), []string{filepath.Base(file)}, file)
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return Read(f, file, naming)
}

// ReadFolder reads the SFZ instruments of a folder.
func ReadFolder(fsys fs.FS, name string) (*Content, error) {
	files, err := sfz.Main(fsys)
	if err != nil {
		return nil, err
	}
	return readSFZ(fsys, files, name)
}

// readZip puts a ZIP into a file, for it is read from its end, and reads it.
func readZip(r io.Reader, name string) (*Content, error) {
	f, err := os.CreateTemp("", "hiddenlanes-*.zip")
	if err != nil {
		return nil, err
	}
	defer os.Remove(f.Name())
	defer f.Close()
	size, err := io.Copy(f, r)
	if err != nil {
		return nil, err
	}
	z, err := zip.NewReader(f, size)
	if err != nil {
		return nil, format.Errorf(filepath.Base(name), "", "pack the folder again", "the ZIP cannot be opened: %v", err)
	}
	return ReadFolder(z, name)
}

// readSFZ reads SFZ instruments of a file system.
func readSFZ(fsys fs.FS, files []string, name string) (*Content, error) {
	c := &Content{Format: "sfz"}
	for _, p := range files {
		f, err := sfz.Decode(fsys, p)
		if err != nil {
			if len(files) > 1 {
				var bad *format.Error
				if errors.As(err, &bad) {
					c.Warnings = append(c.Warnings, err.Error())
					continue
				}
			}
			return nil, err
		}
		title := strings.TrimSuffix(path.Base(p), path.Ext(p))
		if len(files) == 1 {
			title = strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
		}
		in, _ := f.Rig(strings.ReplaceAll(title, "_", " "))
		var b bytes.Buffer
		if err := sfz.Pack(&b, f.Texts); err != nil {
			return nil, err
		}
		c.Instruments = append(c.Instruments, in)
		c.Sources = append(c.Sources, &store.Source{Format: "sfz", Main: p, Data: b.Bytes()})
		for _, w := range f.Warnings {
			if len(files) > 1 {
				w = path.Base(p) + ": " + w
			}
			c.Warnings = append(c.Warnings, w)
		}
	}
	if len(c.Instruments) == 0 {
		return nil, format.Errorf(filepath.Base(name), "", "see what is wrong with each", "none of its .sfz files can be read: %s", strings.Join(c.Warnings, "; "))
	}
	c.signed(name)
	return c, nil
}

// Folder collects the files of a folder that is uploaded one after the other: the
// texts whole, of samples the head alone.
type Folder struct {
	buf   bytes.Buffer
	zip   *zip.Writer
	texts int64
	n     int
}

const maxTexts = 64 << 20

// Add takes one file, by its path in the folder.
func (f *Folder) Add(name string, r io.Reader) error {
	if f.zip == nil {
		f.zip = zip.NewWriter(&f.buf)
	}
	name = path.Clean(strings.ReplaceAll(name, `\`, "/"))
	if !fs.ValidPath(name) {
		return format.Errorf("folder", name, "choose the folder itself", "this path leads outside the folder")
	}
	limit := int64(64) // enough to see how many channels a sample has
	switch strings.ToLower(path.Ext(name)) {
	case ".sfz", ".txt", ".h", ".inc", ".sfzh", "":
		limit = maxTexts - f.texts + 1
	}
	if f.n++; f.n > 100_000 {
		return format.Errorf("folder", name, "choose the instrument's own folder", "there are more than 100000 files in it")
	}
	w, err := f.zip.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
	if err != nil {
		return err
	}
	n, err := io.Copy(w, io.LimitReader(r, limit))
	if limit > 64 {
		if f.texts += n; f.texts > maxTexts {
			return format.Errorf("folder", name, "choose the instrument's own folder", "the texts in it are larger than %d MiB", maxTexts>>20)
		}
	}
	if err == nil {
		_, err = io.Copy(io.Discard, r)
	}
	return err
}

// Read reads the instruments of the folder.
func (f *Folder) Read(name string) (*Content, error) {
	if f.zip == nil {
		return nil, format.Errorf("folder", "", "choose one that holds an .sfz file", "there is nothing in it")
	}
	if err := f.zip.Close(); err != nil {
		return nil, err
	}
	z, err := sfz.Unpack(f.buf.Bytes())
	if err != nil {
		return nil, err
	}
	return ReadFolder(z, name)
}

// textFiles is a file system of a few texts.
func textFiles(files map[string]io.Reader) (fs.FS, error) {
	var f Folder
	for name, r := range files {
		if err := f.Add(name, r); err != nil {
			return nil, err
		}
	}
	if err := f.zip.Close(); err != nil {
		return nil, err
	}
	return sfz.Unpack(f.buf.Bytes())
}

// Find gives the instrument with the name; case and spaces around it do not matter.
func (c *Content) Find(name string) (rig.Instrument, error) {
	var names []string
	for _, in := range c.Instruments {
		if strings.EqualFold(in.Name, strings.TrimSpace(name)) {
			return in, nil
		}
		names = append(names, in.Name)
	}
	return rig.Instrument{}, fmt.Errorf("no instrument is called %q; the file holds: %s", name, strings.Join(names, ", "))
}

// PlanSong is what the plan keeps of a song: the notes on each address.
func PlanSong(name string, f *smf.File) *plan.Song {
	s := &plan.Song{Name: name}
	for _, c := range f.Channels() {
		s.Channels = append(s.Channels, plan.SongChannel{Address: c.Address, Programs: c.Programs, Keys: c.Keys})
	}
	return s
}
