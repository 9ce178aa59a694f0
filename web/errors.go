package web

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/app/command"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// status tells which HTTP status an error stands for. What the user can mend is
// a 4xx.
func status(err error) int {
	var tooLarge *http.MaxBytesError
	var stale *app.StaleError
	var previewed *app.PreviewedError
	switch {
	case err == nil:
		return http.StatusOK
	case errors.Is(err, app.ErrNotFound):
		return http.StatusNotFound
	case errors.As(err, &tooLarge):
		return http.StatusRequestEntityTooLarge
	case errors.As(err, &stale), errors.As(err, &previewed):
		return http.StatusConflict
	}
	return http.StatusUnprocessableEntity
}

// message is an error as a user reads it.
func message(err error) string {
	var tooLarge *http.MaxBytesError
	if errors.As(err, &tooLarge) {
		return fmt.Sprintf("The file is larger than %d MiB, which is more than is taken here.", tooLarge.Limit>>20)
	}
	m := err.Error()
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
