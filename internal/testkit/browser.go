package testkit

import (
	"context"
	"os"
	"os/exec"

	"github.com/chromedp/chromedp"
)

// Browser starts a headless Chromium with a 1280×800 window, for tests and for
// the command that makes the screenshots. Cancel closes it.
func Browser(parent context.Context) (context.Context, context.CancelFunc) {
	opts := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true),
		chromedp.Flag("hide-scrollbars", true),
		chromedp.Flag("force-device-scale-factor", "1"),
		chromedp.DisableGPU,
	)
	if os.Getuid() == 0 {
		opts = append(opts, chromedp.NoSandbox)
	}
	for _, name := range []string{"chromium-headless-shell", "chromium", "chromium-browser", "google-chrome"} {
		if path, err := exec.LookPath(name); err == nil {
			opts = append(opts, chromedp.ExecPath(path))
			break
		}
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(parent, opts...)
	ctx, stop := chromedp.NewContext(alloc)
	return ctx, func() { stop(); stopAlloc() }
}
