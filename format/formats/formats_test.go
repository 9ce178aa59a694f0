package formats_test

import (
	"bytes"
	"context"
	"errors"
	"io"
	"mime"
	"strings"
	"testing"
	"testing/fstest"

	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/format"
	"hiddenlanes/format/formats"
	"hiddenlanes/internal/testkit"
)

// readers are formats that only people read, and those that read them again.
var readers = map[string]string{"template-song": "smf", "svg": ""}

// What a format writes is known by its first bytes, whatever the file is called, and read
// again.
func TestWhatIsWrittenIsKnownAgain(t *testing.T) {
	in := sample.BrineworkKit()
	p := testkit.Mapped(t, plan.Host{}, "10x2", in)
	p.Name = "Cue"
	names, files := map[string]bool{}, map[string]bool{}
	for _, f := range formats.Table {
		if names[f.Name] || f.Title == "" || f.Decode == nil && f.Encode == nil {
			t.Errorf("%q is there twice, has no title, or neither reads nor writes", f.Name)
		}
		names[f.Name] = true
		if f.As != "" {
			if _, _, err := mime.ParseMediaType(f.MediaType); err != nil || f.File == "" || files[f.File] ||
				!strings.Contains(f.Suffix, ".") {
				t.Errorf("%s is taken away as %q, %q, %q: %v", f.Name, f.File, f.Suffix, f.MediaType, err)
			}
			files[f.File] = true
		}
		if f.Encode == nil || f.Holds == format.Library {
			continue
		}
		var b bytes.Buffer
		if err := f.Encode(&b, format.Export{Project: p, Instrument: &in}); err != nil {
			t.Errorf("%s: %v", f.Name, err)
			continue
		}
		want, other := readers[f.Name]
		if !other {
			want = f.Name
		}
		got, err := formats.Detect(t.Context(), bytes.NewReader(b.Bytes()), "a file")
		if want == "" {
			if err == nil {
				t.Errorf("%s is taken for %s", f.Name, got.Format.Name)
			}
			continue
		}
		if err != nil || got.Format.Name != want {
			t.Errorf("%s is taken for %+v, %v", f.Name, got, err)
			continue
		}
		if got.Format.Decode != nil {
			if _, err := got.Decode(t.Context(), 0); err != nil {
				t.Errorf("%s is not read again: %v", f.Name, err)
			}
		}
		got.Close()
	}
}

// An unknown file is told what it looks like, and what can be imported. The marks are those
// of the published formats, from memory.
func TestAnUnknownFileIsToldWhatItIs(t *testing.T) {
	for says, head := range map[string]string{
		"Take.wav: This is a WAV file: recordings are not instruments. Import SoundFont 2 (.sf2, .sf3)": "RIFF\x24\x00\x00\x00WAVEfmt ",
		"This is a FLAC file: recordings are not instruments":                                           "fLaC\x00\x00\x00\x22",
		"This is an Ogg file":               "OggS\x00\x02",
		"This is an AIFF file":              "FORM\x00\x00\x00\x00AIFF",
		"This is an MP3 file":               "ID3\x04\x00",
		"This is a PNG picture":             "\x89PNG\r\n\x1a\n",
		"This is a PDF document":            "%PDF-1.7\n",
		"This is a web page":                "<!DOCTYPE html><html>",
		"This is an empty file":             "",
		"This is a text":                    "Dear all,\nplease find the stems below.\n",
		"This file is of no kind that is":   "\x00\x01\x02\x03\x04\x05\x06\x07",
		"the ZIP cannot be opened":          "PK\x03\x04 and no more",
		"This is a RIFF file of another":    "RIFF\x24\x00\x00\x00abcd",
		"This is a gzip archive: unpack it": "\x1f\x8b\x08\x00",
	} {
		_, err := formats.Detect(t.Context(), strings.NewReader(head), "/home/me/Take.wav")
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v, want %q", head, err, says)
			continue
		}
		var unknown *formats.UnknownError
		if errors.As(err, &unknown) {
			for _, f := range formats.Table {
				if lists := strings.Contains(err.Error(), f.Title+" ("); lists != (f.Decode != nil) {
					t.Errorf("%s can be imported: %t, but %q", f.Title, f.Decode != nil, err)
				}
			}
		}
	}
	_, err := formats.DetectFolder(fstest.MapFS{"notes.txt": {Data: []byte("x")}}, "Take folder")
	if err == nil || !strings.Contains(err.Error(), "Take folder: This is a folder: there is no instrument file in it") {
		t.Errorf("got %v; want an error, err.Error() with \"Take folder: This is a folder: there is no instrument file in "+
			"it\"", err)
	}
}

func FuzzDetect(f *testing.F) {
	f.Add([]byte("RIFF\x00\x00\x00\x00sfbk"), "x")
	f.Add([]byte("PK\x03\x04"), "x.zip")
	f.Add([]byte("name,keys\nKick,36\n"), "x.csv")
	f.Fuzz(func(t *testing.T, data []byte, name string) {
		file, err := formats.Detect(t.Context(), bytes.NewReader(data), name)
		if err != nil {
			if err.Error() == "" {
				t.Error("refused without a word")
			}
			return
		}
		defer file.Close()
		if file.Format == nil {
			t.Error("known, but as nothing")
		}
	})
}

// counted counts what is read of a file.
type counted struct {
	io.Reader
	n int
}

func (c *counted) Read(b []byte) (int, error) {
	n, err := c.Reader.Read(b)
	c.n += n
	return n, err
}

// When whoever wants a file has gone, its decoder ends, whatever the format, and a stream is not
// read on.
func TestDecodersEndWhenNobodyWaits(t *testing.T) {
	in := sample.BrineworkKit()
	p := testkit.Mapped(t, plan.Host{}, "10x2", in)
	p.Name = "Cue"
	tried := map[string]bool{}
	for _, f := range formats.Table {
		if f.Encode == nil {
			continue
		}
		var b bytes.Buffer
		if err := f.Encode(&b, format.Export{Project: p, Instrument: &in}); err != nil {
			t.Fatal(f.Name, err)
		}
		ctx, leave := context.WithCancel(t.Context())
		// What is behind a long gap has not been read when the format is known.
		r := &counted{Reader: &b}
		if !bytes.HasPrefix(b.Bytes(), []byte("PK")) { // an archive is read whole to be known
			r.Reader = io.MultiReader(&b, strings.NewReader(strings.Repeat(" ", 1<<20)))
		}
		got, err := formats.Detect(ctx, r, "a file")
		leave()
		if err != nil || got.Format.Decode == nil {
			continue
		}
		before := r.n
		_, err = got.Decode(ctx, 0)
		if !errors.Is(err, context.Canceled) || r.n > before {
			t.Errorf("%s: with nobody waiting it gives %v and reads %d bytes on; want none", got.Format.Name, err, r.n-before)
		}
		tried[got.Format.Name] = true
		got.Close()
	}
	ctx, leave := context.WithCancel(t.Context())
	kit, err := formats.DetectFolder(fstest.MapFS{"kit.sfz": {Data: []byte("<region> key=36 sample=a.wav")}}, "Kit")
	leave()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := kit.Decode(ctx, 0); !errors.Is(err, context.Canceled) {
		t.Errorf("a folder: with nobody waiting it gives %v", err)
	}
	if len(tried) < 5 {
		t.Errorf("only %v were tried", tried)
	}
}
