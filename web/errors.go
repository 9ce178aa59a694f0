package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"

	"hiddenlanes/app/command"
	"hiddenlanes/core/tabular"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
)

// status tells which HTTP status an error stands for, and logs what the user cannot mend,
// with what was being done.
func (s *server) status(r *http.Request, err error) int {
	code := statusOf(err)
	if code == statusGone {
		s.log.Debug("the client has gone", "doing", r.Method+" "+r.URL.Path)
		return code
	}
	if kind := fault.Of(err); code >= 500 {
		args := []any{"asked", r.Method + " " + r.URL.Path}
		if do := r.PostForm.Get(command.NameField); do != "" {
			args = append(args, "change", do)
		}
		args = append(args, "reason", fault.Say(err), "detail", fault.Detail(err))
		var e *fault.Error
		if errors.As(err, &e) && e.Stack != nil {
			args = append(args, "stack", string(e.Stack))
		}
		level := slog.LevelError
		if errors.Is(err, context.DeadlineExceeded) {
			level = slog.LevelWarn
		}
		s.log.Log(r.Context(), level, loggedAs(kind, err), args...)
	}
	return code
}

// loggedAs says in the log what happened.
func loggedAs(kind fault.Kind, err error) string {
	switch {
	case errors.Is(err, context.DeadlineExceeded):
		return "a request took too long and was stopped"
	case kind == fault.Storage:
		return "the data could not be reached"
	}
	return "something in Hidden Lanes itself broke"
}

// statusGone is for a client that hung up: nobody reads it.
const statusGone = 499

// statusOf is the status that an error stands for: what the user can mend is a 4xx.
func statusOf(err error) int {
	var tooLarge *http.MaxBytesError
	var e *fault.Error
	switch {
	case err == nil:
		return http.StatusOK
	case errors.Is(err, context.Canceled):
		return statusGone
	case errors.Is(err, context.DeadlineExceeded):
		return http.StatusServiceUnavailable
	case errors.Is(err, errTooSlow):
		return http.StatusRequestTimeout
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
	if errors.Is(err, context.DeadlineExceeded) {
		return "This took longer than it may and was stopped. Nothing was changed. Try again with less at a time."
	}
	if errors.Is(err, errTooSlow) {
		err = errTooSlow
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
func cellAtFault(err error) *tabular.Error {
	var c *tabular.Error
	errors.As(err, &c)
	return c
}
