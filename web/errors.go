package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"hiddenlanes/app/command"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
)

// status tells which HTTP status an error stands for, and logs what the user cannot mend,
// with what was being done.
func (s *server) status(r *http.Request, err error) int {
	code := statusOf(err)
	if kind := fault.Of(err); code >= 500 {
		args := []any{"kind", kind.String(), "doing", r.Method + " " + r.URL.Path, "do", r.PostForm.Get(command.NameField),
			"error", fault.Detail(err)}
		var e *fault.Error
		if errors.As(err, &e) && e.Stack != nil {
			args = append(args, "stack", string(e.Stack))
		}
		s.log.Error(kind.String()+" error", args...)
	}
	return code
}

// statusOf is the status that an error stands for: what the user can mend is a 4xx.
func statusOf(err error) int {
	var tooLarge *http.MaxBytesError
	var e *fault.Error
	if err == nil {
		return http.StatusOK
	}
	if errors.As(err, &tooLarge) {
		return http.StatusRequestEntityTooLarge
	}
	switch fault.Of(err) {
	case fault.Missing:
		return http.StatusNotFound
	case fault.Conflict:
		return http.StatusConflict
	case fault.Storage:
		if errors.As(err, &e) && e.Full {
			return http.StatusInsufficientStorage
		}
		return http.StatusServiceUnavailable
	case fault.Internal:
		return http.StatusInternalServerError
	}
	return http.StatusUnprocessableEntity
}

// titles are what a page of its own that shows an error is headed by.
var titles = map[fault.Kind]string{
	fault.User:     "That cannot be done",
	fault.Conflict: "Changed in another window",
	fault.Missing:  "Not here",
	fault.Storage:  "The data cannot be reached",
	fault.Internal: "Something broke",
}

// message is an error as a user reads it.
func message(err error) string {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return fmt.Sprintf("The file is larger than %d MiB, which is more than is taken here.", tooLarge.Limit>>20)
	}
	m := fault.Say(err)
	if m == "" {
		return "Something went wrong."
	}
	m = words.Capital(m)
	if !strings.HasSuffix(m, ".") && !strings.HasSuffix(m, "?") {
		m += "."
	}
	return m
}

// fieldAtFault is the field of a form that an error blames, or "".
func fieldAtFault(err error) string {
	var f *command.Fault
	if errors.As(err, &f) {
		return f.Field
	}
	return ""
}

// cellAtFault is the cell of a table that an error blames, or nil.
func cellAtFault(err error) *rig.CellError {
	var c *rig.CellError
	errors.As(err, &c)
	return c
}
