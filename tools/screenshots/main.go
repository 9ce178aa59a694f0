// Command screenshots makes docs/screenshots from the sample world: it serves
// it, opens each main view in headless Chromium at 1280×800 and keeps the PNG.
//
//	go run ./tools/screenshots
package main

import (
	"context"
	"fmt"
	"log"
	"log/slog"
	"net"
	"os"
	"path/filepath"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/chromedp"

	"hiddenlanes/app"
	"hiddenlanes/demo"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/web"
)

const fogBell, springTide, marketDay, drumSong = "/projects/4", "/projects/1", "/projects/2", "/songs/2"

// press is what to press before the picture is taken.
var shots = []struct{ name, path, theme, press string }{
	{"projects", "/", "light", ""},
	{"instruments", "/instruments", "light", ""},
	{"instrument", "/instruments/1", "light", ""},
	{"house", "/house", "light", ""},
	{"drift", "/drift?all=1", "light", ""},
	{"songs", drumSong + "?to=2", "light", ""},
	{"map-path", fogBell + "/?feed=i1:stop", "light", ""},
	{"map-night", fogBell + "/?lane=l11", "dark", ""},
	{"feeds", fogBell + "/feeds", "light", ""},
	{"crosspoints", fogBell + "/outputs", "light", ""},
	{"lanes", marketDay + "/lanes", "light", ""},
	{"parts", marketDay + "/parts", "light", ""},
	{"proposal", fogBell + "/proposal?cut-i1=10", "light", ""},
	{"swap", fogBell + "/swap?to=2", "light", ""},
	{"check", springTide + "/check", "light", ""},
	{"run", fogBell + "/run", "light", ""},
	{"practice", fogBell + "/practice", "light", "#do-all"},
	{"patch-sheet", fogBell + "/sheet", "light", ""},
	{"help", "/help", "light", ""},
}

func main() {
	if err := run(context.Background(), filepath.Join("docs", "screenshots")); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, dir string) error {
	data, err := os.MkdirTemp("", "hiddenlanes-shots-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(data)
	a, err := app.Open(ctx, data)
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
	srv := web.Server(h)
	go func() { _ = srv.Serve(l) }()
	defer srv.Close()

	browser, stop := testkit.Browser(ctx)
	defer stop()
	if err := chromedp.Do(browser, chromedp.EmulateViewport(1280, 800)); err != nil {
		return fmt.Errorf("starting Chromium: %w", err)
	}
	for _, s := range shots {
		_, err := chromedp.Call(browser, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{
			Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: s.theme}}})
		if err != nil {
			return err
		}
		if err := chromedp.Do(browser, chromedp.Navigate("http://"+l.Addr().String()+s.path), chromedp.WaitReady(chromedp.CSS("main"))); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if s.press != "" {
			if err := chromedp.Do(browser, chromedp.Click(chromedp.CSS(s.press)), chromedp.WaitNotPresent(chromedp.CSS(s.press))); err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
		}
		if _, err := chromedp.Run(browser, chromedp.Evaluate[bool](`document.fonts.ready.then(() => true)`, chromedp.EvalAwaitPromise)); err != nil {
			return err
		}
		png, err := chromedp.Run(browser, chromedp.CaptureScreenshot())
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, s.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	return nil
}
