package fault

import (
	"archive/zip"
	"bufio"
	"context"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"reflect"
	"strconv"
	"strings"
)

// Say is what an error says to people: its own text, in which that of libraries is put
// into words.
func Say(err error) string {
	text := err.Error()
	each(err, func(e error) {
		said := plain(e)
		if said == "" {
			return
		}
		var path *fs.PathError
		if as(e, &path) && strings.Count(text, path.Path) > 1 { // whoever passed it on named it
			said = "it " + fileTrouble(path.Err)
		}
		text = strings.Replace(text, e.Error(), said, 1)
	})
	return text
}

// each goes through an error and all it wraps, the outer ones first.
func each(err error, visit func(error)) {
	if err == nil {
		return
	}
	visit(err)
	switch e := err.(type) {
	case interface{ Unwrap() error }:
		each(e.Unwrap(), visit)
	case interface{ Unwrap() []error }:
		for _, x := range e.Unwrap() {
			each(x, visit)
		}
	}
}

// sentinels are the errors of libraries that are single values.
var sentinels = map[error]string{
	zip.ErrFormat:            "it is not a whole ZIP",
	zip.ErrAlgorithm:         "it is packed in a way that is not read here",
	zip.ErrChecksum:          "it is damaged",
	io.EOF:                   "it ends too early",
	io.ErrUnexpectedEOF:      "it ends too early",
	bufio.ErrTooLong:         "a line of it is too long",
	csv.ErrFieldCount:        "a line has another number of cells than the first",
	csv.ErrQuote:             "a quotation mark is not closed",
	csv.ErrBareQuote:         "a quotation mark is inside a cell",
	context.Canceled:         "it was stopped",
	context.DeadlineExceeded: "it took too long",
}

// plain is an error of a library in words; of others it is "".
func plain(e error) string {
	var (
		syntax  *json.SyntaxError
		kind    *json.UnmarshalTypeError
		markup  *xml.SyntaxError
		cells   *csv.ParseError
		number  *strconv.NumError
		path    *fs.PathError
		library = e
	)
	switch {
	case as(library, &syntax):
		return fmt.Sprintf("it is not JSON from byte %d on", syntax.Offset)
	case as(library, &kind) && kind.Field == "":
		return fmt.Sprintf("it cannot be a %s", kind.Value)
	case as(library, &kind):
		return fmt.Sprintf("%q cannot be a %s", kind.Field, kind.Value)
	case as(library, &markup):
		return fmt.Sprintf("line %d is not XML", markup.Line)
	case as(library, &cells):
		return fmt.Sprintf("line %d, column %d: %s", cells.Line, cells.Column, sentinels[cells.Err])
	case as(library, &number):
		return fmt.Sprintf("%q is not a number", number.Num)
	case as(library, &path):
		return fmt.Sprintf("%s %s", path.Path, fileTrouble(path.Err))
	}
	if _, ok := e.(xml.UnmarshalError); ok {
		return "it is laid out in another way than such a document"
	}
	t := reflect.TypeOf(e)
	if t.Comparable() {
		if said, ok := sentinels[e]; ok {
			return said
		}
	}
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch from := t.PkgPath(); {
	case from == "" || from == "main" || from == "errors" || from == "fmt" || strings.HasPrefix(from, "hiddenlanes"):
		return ""
	}
	return "it failed"
}

// as is errors.As for the error itself alone.
func as[T any](e error, into *T) bool {
	v, ok := e.(T)
	if ok {
		*into = v
	}
	return ok
}

func fileTrouble(err error) string {
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return "is not there"
	case errors.Is(err, fs.ErrPermission):
		return "may not be read or written"
	case errors.Is(err, fs.ErrExist):
		return "is there already"
	}
	return "cannot be read or written"
}
