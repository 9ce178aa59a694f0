// Package format holds what the file formats share: what a format is, what is in a file,
// and the error that a decoder gives. Each format is a package below it; package formats
// lists them.
package format

import (
	"bytes"
	"fmt"
	"path/filepath"
	"strings"
	"unicode/utf8"

	"hiddenlanes/internal/fault"
)

// Error says what is wrong with a file, where, and what to do about it. All
// decoders refuse bad input with one.
type Error struct {
	Format string // "SoundFont 2"
	At     Place
	Value  string // what was read there, where it is that
	What   string // "a preset points past the last zone"
	Do     string // "export the file again"
	Err    error  // what lies beneath; What says it too
}

// Place is where in a file something is; the zero value is the file as a whole.
type Place struct {
	File   string // within a folder or an archive
	Line   int    // from 1
	Column string // of a table, by its title
	Byte   int    // from 1, though messages count from 0
	Entity string // "in chunk phdr", "instrument 3"
}

// InFile is the place of a file within a folder or an archive.
func InFile(name string) Place { return Place{File: name} }

// AtLine is the place of a line, from 1.
func AtLine(n int) Place { return Place{Line: n} }

// AtByte is the place of a byte, from 0.
func AtByte(n int) Place { return Place{Byte: n + 1} }

// Of is the place of a thing, as messages name it.
func Of(entity string) Place { return Place{Entity: entity} }

func (p Place) String() string {
	var out []string
	if p.File != "" {
		out = append(out, p.File)
	}
	if p.Line > 0 {
		out = append(out, fmt.Sprintf("line %d", p.Line))
	}
	if p.Byte > 0 {
		out = append(out, fmt.Sprintf("at byte %d", p.Byte-1))
	}
	if p.Entity != "" {
		out = append(out, p.Entity)
	}
	return strings.Join(out, ", ")
}

func (e *Error) Unwrap() error { return e.Err }

func (e *Error) Error() string {
	s := e.Format + ": " + e.What
	if at := e.At.String(); at != "" {
		s += " (" + at + ")"
	}
	if e.Do != "" {
		s += "; " + e.Do
	}
	return s
}

// Errorf makes an Error whose What is formatted; an error among the arguments lies beneath
// it, and is said in words where it is a library's.
func Errorf(format string, at Place, do, what string, args ...any) *Error {
	e := &Error{Format: format, At: at, Do: do}
	for i, a := range args {
		if err, ok := a.(error); ok {
			e.Err, args[i] = err, fault.Say(err)
		}
	}
	e.What = fmt.Sprintf(what, args...)
	return e
}

// PlainCell keeps a spreadsheet from taking a CSV cell for a formula: a leading
// apostrophe makes it text.
func PlainCell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// CellText is the inverse of PlainCell.
func CellText(s string) string {
	if t, ok := strings.CutPrefix(s, "'"); ok && PlainCell(t) != t {
		return t
	}
	return s
}

// Base is a file's name without folder and extension.
func Base(name string) string {
	return strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
}

// HasExtension reports whether a file's name ends in one of the extensions.
func HasExtension(name string, extensions ...string) bool {
	for _, x := range extensions {
		if strings.EqualFold(filepath.Ext(name), x) {
			return true
		}
	}
	return false
}

// IsText reports whether the first bytes of a file are UTF-8 text; a rune cut off at the
// end does not count.
func IsText(head []byte) bool {
	for cut := 0; cut < 4 && cut <= len(head); cut++ {
		if utf8.Valid(head[:len(head)-cut]) {
			return !bytes.ContainsRune(head, 0)
		}
	}
	return false
}
