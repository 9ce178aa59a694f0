package web

import (
	"context"
	"errors"
	"io"
	"net/http"
	"os"
	"strings"
	"time"
)

// How long a request may take: what is sent must come at least so fast, and what is done with it
// must be done in its time.
const (
	usualTime = 30 * time.Second
	longTime  = 10 * time.Minute // imports, exports of all there is, backups, changes over many projects
	// patience is how long a body may take however small it is, and leastRate how many bytes must
	// have come in each second on top of it.
	patience  = 20 * time.Second
	leastRate = 64 << 10
	// tailTime is how long the answer may take to be fetched.
	tailTime = 2 * time.Minute
)

// long are the beginnings of addresses whose work may take long.
var long = []string{"/library", "/instruments", "/backups", "/drift", "/house/learn", "/sample"}

// budget gives every request its time. Its context ends with it, and with it all that looks at the
// context: decoders, the database, changes over many projects.
func budget(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		given := timeFor(r)
		ctx, done := context.WithTimeout(r.Context(), given)
		defer done()
		control := http.NewResponseController(w)
		_ = control.SetWriteDeadline(time.Now().Add(given + tailTime)) // a test's recorder has none
		r = r.WithContext(ctx)
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &hurried{ReadCloser: r.Body, deadline: control.SetReadDeadline, due: newPace(patience, leastRate)}
		}
		next.ServeHTTP(w, r)
	})
}

// newPace gives until when so many bytes must have come.
func newPace(patience time.Duration, bytesInSecond int64) func(read int64) time.Time {
	began := time.Now()
	return func(read int64) time.Time {
		return began.Add(patience + time.Duration(read)*time.Second/time.Duration(bytesInSecond))
	}
}

// timeFor is how long a request may take.
func timeFor(r *http.Request) time.Duration {
	if r.Method == http.MethodPost && strings.HasSuffix(r.URL.Path, "/song") { // songs and sessions
		return longTime
	}
	for _, at := range long {
		if r.URL.Path == at || strings.HasPrefix(r.URL.Path, at+"/") || strings.HasPrefix(r.URL.Path, at+".") {
			return longTime
		}
	}
	return usualTime
}

// hurried is a body that must come fast enough.
type hurried struct {
	io.ReadCloser
	deadline func(time.Time) error
	due      func(read int64) time.Time
	read     int64
}

func (h *hurried) Read(b []byte) (int, error) {
	_ = h.deadline(h.due(h.read))
	n, err := h.ReadCloser.Read(b)
	h.read += int64(n)
	if err != nil { // from here on the connection is only watched for its end
		_ = h.deadline(time.Time{})
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		err = errTooSlow
	}
	return n, err
}

// errTooSlow says that a body came too slowly.
var errTooSlow = errors.New("what was sent came too slowly and was cut off; nothing was changed. Try again")
