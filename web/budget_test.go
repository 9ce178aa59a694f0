package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"hiddenlanes/app"
)

// A body that comes too slowly is cut off and told so; one that keeps its pace is taken whole.
func TestSlowBodiesAreCutOff(t *testing.T) {
	pace := newPace(time.Minute, 1000)
	if a, b := pace(0), pace(5000); b.Sub(a) != 5*time.Second {
		t.Errorf("5,000 bytes at 1,000 a second give %v more; want 5 s", b.Sub(a))
	}
	got := make(chan string, 1)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		control := http.NewResponseController(w)
		over := time.Now().Add(-time.Second) // what is to come is late already
		due := func(read int64) time.Time {
			if read < 5 {
				return time.Now().Add(time.Minute)
			}
			return over
		}
		body, err := io.ReadAll(&hurried{ReadCloser: r.Body, deadline: control.SetReadDeadline, due: due})
		got <- fmt.Sprintf("%s %d %s", body, statusOf(err), message(err))
	}))
	defer s.Close()
	c, err := net.Dial("tcp", s.Listener.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	fmt.Fprintf(c, "POST / HTTP/1.1\r\nHost: %s\r\nContent-Length: 10\r\n\r\nhello", s.Listener.Addr())
	if said := <-got; !strings.HasPrefix(said, "hello 408 What was sent came too slowly and was cut off") {
		t.Errorf("a body that stops halfway: %q; want it cut off, in words", said)
	}
}

// Every request has an end, imports a later one, and what is stopped by it is told in words and
// logged as a warning; a client that hangs up is no error at all.
func TestRequestsHaveABudget(t *testing.T) {
	for path, want := range map[string]time.Duration{"GET /projects/4/lanes": usualTime,
		"POST /projects/4/edit": usualTime,
		"POST /library":         longTime, "GET /library.json": longTime, "POST /projects/4/song": longTime,
		"POST /instruments/folder": longTime,
		"POST /drift/align":        longTime, "GET /": usualTime} {
		method, at, _ := strings.Cut(path, " ")
		h := budget(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			end, ok := r.Context().Deadline()
			if left := time.Until(end); !ok || left > want || left < want-time.Minute && want > time.Minute {
				t.Errorf("%s has %v left, %v; want %v", path, left, ok, want)
			}
		}))
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(method, at, strings.NewReader("x")))
	}
	var log bytes.Buffer
	s := startIn(t, sampleFolder(t), app.Options{}, &log)
	for _, c := range []struct {
		end  func(context.Context) (context.Context, context.CancelFunc)
		code int
		says string
		logs string
	}{{func(ctx context.Context) (context.Context, context.CancelFunc) {
		return context.WithDeadline(ctx, time.Now().Add(-time.Second))
	}, http.StatusServiceUnavailable, "took longer than it may",
		"level=WARN msg=\"a request took too long and was stopped\""},
		{func(ctx context.Context) (context.Context, context.CancelFunc) {
			ctx, cancel := context.WithCancel(ctx)
			cancel()
			return ctx, cancel
		}, statusGone, "", ""}} {
		log.Reset()
		h, err := New(s.app, slog.New(slog.NewTextHandler(&log, nil)))
		if err != nil {
			t.Fatal(err)
		}
		for _, path := range []string{"/", "/projects/4/", "/projects/4/lanes", "/drift?all=1"} {
			ctx, done := c.end(t.Context())
			r := httptest.NewRequest(http.MethodGet, "http://127.0.0.1:80"+path, nil)
			r = r.WithContext(context.WithValue(ctx, http.LocalAddrContextKey, &net.TCPAddr{IP: net.IPv4(127, 0, 0, 1),
				Port: 80}))
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			done()
			if w.Code != c.code || !strings.Contains(w.Body.String(), c.says) {
				t.Errorf("%s answers %d, %s; want %d, %q", path, w.Code, shown(w.Body.String()), c.code, c.says)
			}
		}
		if l := log.String(); c.logs == "" && l != "" || !strings.Contains(l, c.logs) || strings.Contains(l, "level=ERROR") {
			t.Errorf("the log says %q; want %q and no error", l, c.logs)
		}
	}
}

// An import whose client hangs up stops, leaves nothing, and is no error in the log.
func TestAnImportWithoutAClientStops(t *testing.T) {
	file := libraryOf(t, 60)
	var log buffer
	s := startIn(t, t.TempDir(), app.Options{}, &log)
	ctx, hangUp := context.WithCancel(t.Context())
	body, w := io.Pipe()
	go func() {
		_, err := io.WriteString(w, "--x\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a.json\"\r\n\r\n")
		if err == nil {
			_, err = w.Write(file[:len(file)-20])
		}
		if err == nil {
			hangUp() // before the end
		}
		w.CloseWithError(context.Canceled) // or the client waits for the rest of what it sends
	}()
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, s.URL+"/library", body)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "multipart/form-data; boundary=x")
	if _, err := s.Client().Do(r); !errors.Is(err, context.Canceled) {
		t.Fatalf("the client that hung up is told %v", err)
	}
	s.Close() // waits for what is under way
	rows, err := s.app.Projects(t.Context())
	if err != nil || len(rows) > 0 {
		t.Errorf("%d projects are there, %v; want none", len(rows), err)
	}
	if l := log.String(); strings.Contains(l, "level=ERROR") {
		t.Errorf("the log says %q; want no error", l)
	}
}

// An address that is there but not for what is asked says what it takes.
func TestHealthSaysWhenTheDataIsGone(t *testing.T) {
	s := start(t, true)
	if code, body := s.get(t, "/healthz"); code != http.StatusOK || body != "ok\n" {
		t.Errorf("it answers %d %q; want ok", code, body)
	}
	s.app.Close()
	if code, body := s.get(t, "/healthz"); code != http.StatusServiceUnavailable || body == "ok\n" {
		t.Errorf("without data it answers %d %q; want 503 and why", code, body)
	}
}
