// Command screenshots makes docs/screenshots from the sample world: it serves
// it, opens each main view in headless Chromium at 1280×800 and keeps the PNG.
//
//	go run ./tools/screenshots
package main

import (
	"cmp"
	"context"
	"fmt"
	"log"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"slices"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"hiddenlanes/app"
	"hiddenlanes/demo"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/web"
)

const fogBell, springTide, marketDay = 4, 1, 2 // projects of the sample world

// shot is one picture: of a page, with what is behind its address.
type shot struct {
	page  string // its name, as web.Pages has it
	id    int64  // of the project, instrument or song
	query string
	file  string // "": the page's name
	dark  bool
	press string // what to press before the picture is taken
	shows string // what is there then; "": what was pressed is gone
}

// shots lists the pictures. A page has one at least, or is told of in without.
var shots = []shot{
	{page: "projects"},
	{page: "instruments"},
	{page: "instrument", id: 1},
	{page: "house"},
	{page: "drift", query: "?all=1"},
	{page: "map", id: fogBell, query: "?feed=i1:stop", file: "map-path"},
	{page: "map", id: fogBell, query: "?lane=l11", file: "map-night", dark: true},
	{page: "feeds", id: fogBell, dark: true, press: "#feeds [data-mark]", shows: ".bar[data-some]"},
	{page: "inside", id: fogBell},
	{page: "start", id: marketDay},
	{page: "outputs", id: fogBell, file: "crosspoints"},
	{page: "lanes", id: marketDay, press: "#mark-all", shows: ".bar[data-some]"},
	{page: "parts", id: marketDay},
	{page: "proposal", id: fogBell, query: "?cut-i1=10"},
	{page: "replace", id: fogBell, query: "?to=2"},
	{page: "check", id: springTide},
	{page: "run", id: fogBell},
	{page: "practice", id: fogBell, press: "#do-all"},
	{page: "sheet", id: fogBell, file: "patch-sheet"},
}

// without lists the pages that go without a picture, which are few and small.
var without = []string{"learn", "setups", "songs", "new-project", "help", "backups"}

// url is the address of a picture's page.
func (s shot) url() string {
	at := ""
	for _, p := range web.Pages() {
		if p.Name == s.page && (at == "" || s.id != 0) {
			at = p.At(s.id)
		}
	}
	return at + s.query
}

// everyPageIsTaken refuses where a page of the application has no picture, or a picture no
// page.
func everyPageIsTaken() error {
	pages := map[string]bool{}
	for _, p := range web.Pages() {
		pages[p.Name] = true
		if !slices.Contains(without, p.Name) && !slices.ContainsFunc(shots, func(s shot) bool { return s.page == p.Name }) {
			return fmt.Errorf("the page %s has no picture", p.Name)
		}
	}
	for _, s := range shots {
		if !pages[s.page] {
			return fmt.Errorf("there is no page %s", s.page)
		}
	}
	return nil
}

func main() {
	if err := run(context.Background(), filepath.Join("docs", "screenshots")); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, dir string) error {
	if err := everyPageIsTaken(); err != nil {
		return err
	}
	data, err := os.MkdirTemp("", "hiddenlanes-shots-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(data)
	a, err := app.Open(ctx, data, app.Options{})
	if err != nil {
		return err
	}
	defer a.Close()
	if err := demo.Fill(ctx, a); err != nil {
		return err
	}
	h, err := web.New(a, slog.Default())
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	srv := web.Server(h, slog.Default())
	go func() { _ = srv.Serve(l) }()
	defer srv.Close()

	browser, stop := testkit.Browser(ctx)
	defer stop()
	if err := chromedp.Do(browser, chromedp.EmulateViewport(1280, 800)); err != nil {
		return fmt.Errorf("starting Chromium: %w", err)
	}
	for _, s := range shots {
		if err := s.take(browser, "http://"+l.Addr().String(), dir); err != nil {
			return fmt.Errorf("%s: %w", s.url(), err)
		}
	}
	return nil
}

// take takes a picture into a folder.
func (s shot) take(browser context.Context, site, dir string) error {
	scheme := "light"
	if s.dark {
		scheme = "dark"
	}
	_, err := chromedp.Call(browser, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
		Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
	if err != nil {
		return err
	}
	if err := chromedp.Do(browser, chromedp.Navigate(site+s.url()), chromedp.WaitReady(chromedp.CSS("main"))); err != nil {
		return err
	}
	if s.press != "" {
		then := chromedp.WaitNotPresent(chromedp.CSS(s.press))
		if s.shows != "" {
			then = chromedp.WaitReady(chromedp.CSS(s.shows))
		}
		if err := chromedp.Do(browser, chromedp.Click(chromedp.CSS(s.press)), then); err != nil {
			return err
		}
	}
	fonts := chromedp.Evaluate[bool](`document.fonts.ready.then(() => true)`, chromedp.EvalAwaitPromise)
	if _, err := chromedp.Run(browser, fonts); err != nil {
		return err
	}
	png, err := chromedp.Run(browser, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, cmp.Or(s.file, s.page)+".png"), png, 0o644)
}
