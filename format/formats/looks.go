package formats

import (
	"bytes"
	"fmt"

	"hiddenlanes/format"
)

// UnknownError says what a file looks like that is none that can be imported.
type UnknownError struct {
	Name  string
	Looks look
	For   []format.Holds // what was looked for; none: anything
}

func (e *UnknownError) Error() string {
	what := "This file is of no kind that is known here"
	if e.Looks.what != "" {
		what = fmt.Sprintf("This is %s: %s", e.Looks.what, e.Looks.why)
	}
	return fmt.Sprintf("%s: %s. Import %s.", e.Name, what, importableText(e.For...))
}

// look is what a file looks like, and why it is of no use here.
type look struct{ what, why string }

const (
	recording = "recordings are not instruments"
	picture   = "pictures hold no instrument"
	document  = "documents hold no instrument"
	packed    = "unpack it first"
)

// looks are the marks of kinds of file that people try; from memory of the published
// formats.
var looks = []struct {
	mark string
	at   int // where the mark stands
	look
}{
	{"WAVE", 8, look{"a WAV file", recording}},
	{"AVI ", 8, look{"an AVI film", "films are not instruments"}},
	{"WEBP", 8, look{"a WebP picture", picture}},
	{"RMID", 8, look{"a song wrapped in RIFF", "export it as a Standard MIDI File"}},
	{"RIFF", 0, look{"a RIFF file of another kind", "it is not a bank of voices"}},
	{"RF64", 0, look{"a long WAV file", recording}},
	{"FORM", 0, look{"an AIFF file", recording}},
	{"fLaC", 0, look{"a FLAC file", recording}},
	{"OggS", 0, look{"an Ogg file", recording}},
	{"ID3", 0, look{"an MP3 file", recording}},
	{"\xff\xfb", 0, look{"an MP3 file", recording}},
	{"ftyp", 4, look{"an MP4 file", recording}},
	{"caff", 0, look{"a Core Audio file", recording}},
	{"\x89PNG", 0, look{"a PNG picture", picture}},
	{"\xff\xd8\xff", 0, look{"a JPEG picture", picture}},
	{"GIF8", 0, look{"a GIF picture", picture}},
	{"%PDF", 0, look{"a PDF document", document}},
	{"{\\rtf", 0, look{"an RTF document", document}},
	{"<!DOCTYPE html", 0, look{"a web page", document}},
	{"<html", 0, look{"a web page", document}},
	{"<svg", 0, look{"an SVG picture", picture}},
	{zipMark, 0, look{"a ZIP archive", "there is no instrument, song or session in it"}},
	{"\x1f\x8b", 0, look{"a gzip archive", packed}},
	{"7z\xbc\xaf", 0, look{"a 7z archive", packed}},
	{"Rar!", 0, look{"a RAR archive", packed}},
	{"SQLite format 3", 0, look{"a database", "export a library file instead"}},
	{"MZ", 0, look{"a program", "programs are not imported"}},
	{"\x7fELF", 0, look{"a program", "programs are not imported"}},
}

// looksLike tells what a file looks like by its first bytes.
func looksLike(head []byte) look {
	if len(head) == 0 {
		return look{"an empty file", "there is nothing in it"}
	}
	for _, l := range looks {
		if len(head) >= l.at && bytes.HasPrefix(head[l.at:], []byte(l.mark)) {
			return l.look
		}
	}
	if format.IsText(head) {
		return look{"a text", "its first lines are not a list that can be read here"}
	}
	return look{}
}
