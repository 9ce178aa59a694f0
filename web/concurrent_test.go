package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"hiddenlanes/app"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// libraryOf is a library file of so many projects of 48 lanes and buses.
func libraryOf(tb testing.TB, n int) []byte {
	tb.Helper()
	a, err := app.Open(tb.Context(), tb.TempDir(), app.Options{})
	if err != nil {
		tb.Fatal(err)
	}
	defer a.Close()
	p := testkit.Mapped(tb, plan.Host{}, "19x2", sample.BrineworkKit(), sample.SaltpanSection())
	for len(p.Lanes) < 48 {
		testkit.Edit(tb, p, edits.AddLane(plan.OutputRef{}, 0, fmt.Sprint("Spare ", len(p.Lanes))))
	}
	all := make([]*plan.Project, n)
	for i := range all {
		all[i] = p.Clone()
		all[i].Name = fmt.Sprintf("Reel %04d", i)
	}
	var b bytes.Buffer
	_, err = a.CreateProjects(tb.Context(), all...)
	if err == nil {
		_, err = a.WriteLibrary(tb.Context(), &b)
	}
	if err != nil {
		tb.Fatal(err)
	}
	return b.Bytes()
}

// rename changes the name of a project over HTTP, without looking at the page that comes after.
func (s site) rename(client *http.Client, id, revision int64, name string) (code int, err error) {
	r, err := client.PostForm(s.URL+projectPath(id, "edit"), url.Values{"do": {"rename"}, "rev": {fmt.Sprint(revision)},
		"back": {"lanes"}, "name": {name}})
	if err != nil {
		return 0, err
	}
	_, err = io.Copy(io.Discard, r.Body)
	return r.StatusCode, errors.Join(err, r.Body.Close())
}

// withoutRedirects is a client that does not go where it is led.
func withoutRedirects(of *http.Client) *http.Client {
	c := *of
	c.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	return &c
}

// Edits go on while a library is imported, all of them are kept, and pages see nothing of the
// import before it is whole.
func TestEditsGoOnWhileALibraryIsImported(t *testing.T) {
	testkit.Slow(t)
	file := libraryOf(t, 60)
	s := start(t, true)
	client := withoutRedirects(s.Client())
	done := make(chan error, 1)
	go func() {
		code, body := s.send(t, "/library", "all.json", file)
		if code != http.StatusOK {
			done <- fmt.Errorf("the import answers %d: %s", code, flashOf(body))
		}
		close(done)
	}()
	edits := 0
	for over := false; !over; edits++ {
		select {
		case err := <-done:
			if over = true; err != nil {
				t.Fatal(err)
			}
		default:
		}
		p, err := s.app.Project(t.Context(), 4)
		if err != nil {
			t.Fatal(err)
		}
		if code, err := s.rename(client, 4, p.Revision, fmt.Sprint("Edit ", edits)); code != http.StatusSeeOther {
			t.Fatalf("edit %d beside the import: %d, %v; want it accepted", edits, code, err)
		}
		rows, err := s.app.Projects(t.Context())
		if err != nil || len(rows) != 4 && len(rows) != 64 {
			t.Fatalf("beside the import the list has %d projects, %v; want 4 or 64", len(rows), err)
		}
	}
	if p, err := s.app.Project(t.Context(), 4); err != nil || p.Plan.Name != fmt.Sprint("Edit ", edits-1) {
		t.Errorf("after %d edits the project is called %s, %v", edits, p.Plan.Name, err)
	}
}

// An edit every so often while a library of 2,000 projects is imported; what is reported is the
// longest that one waited.
func BenchmarkEditsBesideAnImportOf2000(b *testing.B) {
	file := libraryOf(b, 2000)
	for b.Loop() {
		b.StopTimer()
		s := start(b, true)
		client := withoutRedirects(s.Client())
		b.StartTimer()
		var over atomic.Bool
		var wg sync.WaitGroup
		wg.Go(func() {
			defer over.Store(true)
			if code, body := s.send(b, "/library", "all.json", file); code != http.StatusOK {
				b.Error(code, flashOf(body))
			}
		})
		var took []time.Duration
		for tick := time.NewTicker(250 * time.Millisecond); !over.Load(); <-tick.C {
			p, err := s.app.Project(b.Context(), 4)
			if err != nil {
				b.Fatal(err)
			}
			began := time.Now()
			if code, err := s.rename(client, 4, p.Revision, fmt.Sprint("Edit ", len(took))); code != http.StatusSeeOther {
				b.Fatal(code, err)
			}
			took = append(took, time.Since(began))
		}
		wg.Wait()
		slices.Sort(took)
		b.ReportMetric(float64(took[len(took)-1].Milliseconds()), "ms/longest")
		b.ReportMetric(float64(took[len(took)/2].Milliseconds()), "ms/median")
		b.ReportMetric(float64(len(took)), "edits")
	}
}

// Eight clients on 2,000 projects: each looks at the list, a project, its lanes and its check, and
// changes it.
func BenchmarkEightClientsOn2000(b *testing.B) {
	file := libraryOf(b, 2000)
	s := start(b, true)
	if code, body := s.send(b, "/library", "all.json", file); code != http.StatusOK {
		b.Fatal(code, flashOf(body))
	}
	client := withoutRedirects(s.Client())
	client.Transport = &http.Transport{MaxIdleConnsPerHost: 8}
	var next atomic.Int64
	var mu sync.Mutex
	var looks, edits []time.Duration
	each := func(client *http.Client) {
		id := 5 + next.Add(1)%2000
		for _, path := range []string{"/?find=reel", projectPath(id, ""), projectPath(id, "lanes"), projectPath(id,
			"check")} {
			began := time.Now()
			r, err := client.Get(s.URL + path)
			if err != nil || r.StatusCode != http.StatusOK {
				b.Error(path, err)
				return
			}
			_, _ = io.Copy(io.Discard, r.Body)
			r.Body.Close()
			mu.Lock()
			looks = append(looks, time.Since(began))
			mu.Unlock()
		}
		p, err := s.app.Project(b.Context(), id)
		if err != nil {
			b.Error(err)
			return
		}
		began := time.Now()
		if code, err := s.rename(client, id, p.Revision, fmt.Sprint("Renamed ",
			began.UnixNano())); code != http.StatusSeeOther {
			b.Error(code, err)
		}
		mu.Lock()
		edits = append(edits, time.Since(began))
		mu.Unlock()
	}
	b.ResetTimer()
	var wg sync.WaitGroup
	work := make(chan bool)
	for range 8 {
		wg.Go(func() {
			for range work {
				each(client)
			}
		})
	}
	for b.Loop() {
		work <- true
	}
	close(work)
	wg.Wait()
	for name, took := range map[string][]time.Duration{"look": looks, "edit": edits} {
		slices.Sort(took)
		b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms/"+name)
		b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "ms/"+name+"-99th")
	}
	b.ReportMetric(float64(len(looks)+len(edits))/b.Elapsed().Seconds(), "requests/s")
}
