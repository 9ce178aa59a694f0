package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
	"hiddenlanes/demo"
	"hiddenlanes/web"
)

const defaultAddr = "127.0.0.1:8095"

func demoCommand() *cobra.Command {
	var addr, dir string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Start with the sample world",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if dir == "" {
				tmp, err := os.MkdirTemp("", "hiddenlanes-demo-")
				if err != nil {
					return err
				}
				defer os.RemoveAll(tmp)
				dir = tmp
			}
			return serve(cmd, addr, dir, demo.Fill)
		},
	}
	c.Flags().StringVar(&addr, "addr", defaultAddr, "the address to listen on")
	logFlag(c)
	c.Flags().StringVar(&dir, "data", "", "the folder to keep it in; without it, a temporary one")
	return c
}

func serveCommand() *cobra.Command {
	var addr, dir string
	c := &cobra.Command{
		Use:   "serve --data DIR",
		Short: "Start with your own instruments and projects",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if dir == "" {
				return usageError{errors.New("serve needs --data, the folder that keeps your instruments and projects")}
			}
			return serve(cmd, addr, dir, nil)
		},
	}
	c.Flags().StringVar(&addr, "addr", defaultAddr, "the address to listen on")
	logFlag(c)
	c.Flags().StringVar(&dir, "data", "", "the folder that keeps your instruments and projects")
	return c
}

// logTo is the log of a command: lines of text on its standard error.
func logTo(cmd *cobra.Command) *slog.Logger {
	level := slog.LevelInfo
	if f := cmd.Flags().Lookup("log"); f != nil {
		level = levels[f.Value.String()]
	}
	return slog.New(slog.NewTextHandler(cmd.ErrOrStderr(), &slog.HandlerOptions{Level: level}))
}

// ofThisMachine refuses an address that other devices reach.
func ofThisMachine(addr string) error {
	host, _, err := net.SplitHostPort(addr)
	if err != nil {
		return usageError{fmt.Errorf("%q is not an address; write --addr %s", addr, defaultAddr)}
	}
	if ip := net.ParseIP(host); ip == nil && host != "localhost" || ip != nil && !ip.IsLoopback() {
		return usageError{fmt.Errorf("with --addr %q other devices could read and change your projects, which nothing asks "+
			"for a key yet; write an address of this machine, such as --addr %s", addr, defaultAddr)}
	}
	return nil
}

// levels are what the log can be limited to.
var levels = map[string]slog.Level{"debug": slog.LevelDebug, "info": slog.LevelInfo, "warn": slog.LevelWarn,
	"error": slog.LevelError}

// logFlag lets a command be told how much to log.
func logFlag(c *cobra.Command) {
	c.Flags().String("log", "info", "how much to log: debug, info, warn or error")
}

func serve(cmd *cobra.Command, addr, dir string, fill func(context.Context, *app.App) error) error {
	if err := ofThisMachine(addr); err != nil {
		return err
	}
	level := cmd.Flags().Lookup("log").Value.String()
	if _, known := levels[level]; !known {
		return usageError{fmt.Errorf("the log has the levels debug, info, warn and error, not %q", level)}
	}
	ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	log := logTo(cmd)
	a, err := app.Open(ctx, dir, app.Options{Log: log, Owner: cmd.Name()})
	if err != nil {
		return err
	}
	defer a.Close()
	a.OfferSample(demo.Add)
	if fill != nil {
		if err := fill(ctx, a); err != nil {
			return err
		}
	}
	open, close := context.WithCancel(ctx)
	var busy sync.WaitGroup
	defer func() { close(); busy.Wait() }()    // before the data is closed
	busy.Go(func() { _, _ = a.Library(open) }) // the first page shows it; what is wrong is said there
	h, err := web.New(a, log)
	if err != nil {
		return err
	}
	l, err := (&net.ListenConfig{}).Listen(ctx, "tcp", addr)
	if err != nil {
		if errors.Is(err, syscall.EADDRINUSE) {
			return fmt.Errorf("something listens on %s already; choose another address with --addr", addr)
		}
		return fmt.Errorf("%s is not an address to listen on here; choose another with --addr", addr)
	}
	srv := web.Server(h, log)
	if fill == nil {
		busy.Go(func() { keepHouse(open, a, log) })
	}
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	fmt.Fprintf(cmd.OutOrStdout(), "Hidden Lanes is at http://%s/\n", l.Addr())
	select {
	case err = <-done:
	case <-ctx.Done():
		late, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		defer cancel()
		err = srv.Shutdown(late)
	}
	if errors.Is(err, http.ErrServerClosed) {
		err = nil
	}
	return err
}
