package fault_test

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/internal/fault"
)

func TestWhatLibrariesSayIsPutIntoWords(t *testing.T) {
	_, number := strconv.Atoi("twelve")
	_, file := os.Open("/none/such")
	_, pack := zip.NewReader(bytes.NewReader([]byte("no")), 2)
	_, cells := csv.NewReader(strings.NewReader("a,\"b\n")).ReadAll()
	var n int
	for name, c := range map[string]struct {
		err  error
		want string
	}{
		"json":      {json.Unmarshal([]byte(`{"a":`), &n), "it is not JSON from byte 5 on"},
		"json kind": {json.Unmarshal([]byte(`{"a":"x"}`), &struct{ A int }{}), `"A" cannot be a string`},
		"xml":       {xml.Unmarshal([]byte("<a>\n<b></a>"), &struct{}{}), "line 2 is not XML"},
		"xml kind": {xml.Unmarshal([]byte("<a/>"), &struct {
			XMLName xml.Name `xml:"b"`
		}{}), "it is laid out in another way"},
		"csv":        {cells, "line 1, column 6: a quotation mark is not closed"},
		"number":     {number, `"twelve" is not a number`},
		"file":       {file, "/none/such is not there"},
		"named file": {fmt.Errorf("reading /none/such: %w", file), "reading /none/such: it is not there"},
		"zip":        {fmt.Errorf("the kit: %w", pack), "the kit: it is not a whole ZIP"},
		"cut":        {fmt.Errorf("the song: %w", io.ErrUnexpectedEOF), "the song: it ends too early"},
		"several":    {errors.Join(number, errors.New("and a role")), "\"twelve\" is not a number\nand a role"},
		"our own":    {fmt.Errorf("lane %d is taken", 5), "lane 5 is taken"},
	} {
		if got := fault.Say(c.err); !strings.HasPrefix(got, c.want) {
			t.Errorf("%s: %q becomes %q; want %q", name, c.err, got, c.want)
		}
	}
}

func TestAnErrorHasTheKindOfTheFirstThatSaysOne(t *testing.T) {
	storage := &fault.Error{Kind: fault.Storage, Say: "the disk is full", Doing: "INSERT",
		Err: errors.New("database or disk is full (13)")}
	for _, c := range []struct {
		err  error
		want fault.Kind
	}{
		{errors.New("choose a lane"), fault.User},
		{fmt.Errorf("keeping it: %w", storage), fault.Storage},
		{errors.Join(errors.New("x"), storage), fault.Storage},
		{fault.Bug("writing", io.EOF), fault.Internal},
	} {
		if got := fault.Of(c.err); got != c.want {
			t.Errorf("%v is of kind %s; want %s", c.err, got, c.want)
		}
	}
	if said := storage.Error(); strings.Contains(said, "13") {
		t.Errorf("people are told %q", said)
	}
	if detail := fault.Detail(fmt.Errorf("keeping it: %w", storage)); detail != "INSERT: database or disk is full (13)" {
		t.Errorf("the log is told %q", detail)
	}
}

func TestAPanicKeepsTheStackItCameFrom(t *testing.T) {
	caught := func(f func()) (e *fault.Error) {
		defer func() { e = fault.Panicked(recover(), "drawing") }()
		f()
		return nil
	}
	first := caught(func() { panic("no lane") })
	again := caught(func() { panic(first) })
	if again != first || first.Kind != fault.Internal || !bytes.Contains(first.Stack, []byte("TestAPanicKeeps")) ||
		strings.Contains(first.Error(), "no lane") || !strings.Contains(first.Err.Error(), "no lane") {
		t.Errorf("%+v handed on is %+v", first, again)
	}
}
