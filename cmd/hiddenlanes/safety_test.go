package main

import (
	"bufio"
	"bytes"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"hiddenlanes/internal/testkit"
)

// asCommand makes a process of this test the command itself: its arguments, one a line.
const asCommand = "HIDDENLANES_RUN"

// TestRunAsCommand is run as a process of its own by those that need a server.
func TestRunAsCommand(t *testing.T) {
	args := os.Getenv(asCommand)
	if args == "" {
		t.Skip("only run by serving")
	}
	os.Exit(run(strings.Split(args, "\n"), os.Stdout, os.Stderr))
}

// serving starts the command as a server and gives the address that it prints; stop ends it as a
// user does, and gives its log.
func serving(t *testing.T, args ...string) (address string, stop func() string) {
	t.Helper()
	c := exec.CommandContext(t.Context(), os.Args[0], "-test.run=^TestRunAsCommand$")
	c.Env = append(os.Environ(), asCommand+"="+strings.Join(args, "\n"))
	var log bytes.Buffer
	c.Stderr = &log
	out, err := c.StdoutPipe()
	if err == nil {
		err = c.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	address, ok := strings.CutPrefix(strings.TrimSpace(line), "Hidden Lanes is at ")
	if err != nil || !ok {
		t.Fatalf("it prints %q, %v; %s", line, err, &log)
	}
	return address, func() string {
		if err := c.Process.Signal(syscall.SIGTERM); err != nil {
			t.Fatal(err)
		}
		if err := c.Wait(); err != nil {
			t.Errorf("stopped, it ends with %v; %s", err, &log)
		}
		return log.String()
	}
}

func fetch(t *testing.T, url string) (int, string) {
	t.Helper()
	r, err := http.Get(url) //nolint:noctx // the server ends with the test
	if err != nil {
		return 0, err.Error()
	}
	defer r.Body.Close()
	body, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	return r.StatusCode, string(body)
}

// The address that is printed is one that works, whichever of this machine it is.
func TestPrintedAddressesWork(t *testing.T) {
	testkit.Slow(t)
	for _, addr := range []string{"127.0.0.1:0", "localhost:0", "[::1]:0"} {
		if addr == "[::1]:0" && !hasIPv6() {
			continue
		}
		address, stop := serving(t, "demo", "--addr", addr)
		if code, body := fetch(t, address); code != http.StatusOK || !strings.Contains(body, "Cue 03 Fog Bell") {
			t.Errorf("--addr %s prints %s, which answers %d", addr, address, code)
		}
		if code, body := fetch(t, address+"healthz"); code != http.StatusOK || body != "ok\n" {
			t.Errorf("%shealthz answers %d %q", address, code, body)
		}
		if log := stop(); strings.Contains(log, "level=ERROR") {
			t.Errorf("the log says %s", log)
		}
	}
}

func hasIPv6() bool {
	_, err := os.Stat("/proc/net/if_inet6")
	return err == nil
}

// Beside a running server backups are made and everything is verified; restoring waits until it
// has stopped, and then brings back what was, to the byte.
func TestBackupsBesideAServer(t *testing.T) {
	testkit.Slow(t)
	dir := filepath.Join(t.TempDir(), "data")
	file := filepath.Join(t.TempDir(), "backup.db")
	must := func(want int, says string, args ...string) string {
		t.Helper()
		var out, log bytes.Buffer
		code := run(args, &out, &log)
		said := out.String() + log.String()
		if code != want || !strings.Contains(said, says) {
			t.Fatalf("%s: exits with %d and says %q; want %d and %q", strings.Join(args, " "), code, said, want, says)
		}
		return said
	}
	_, stopDemo := serving(t, "demo", "--addr", "127.0.0.1:0", "--data", dir) // the sample world in a folder
	stopDemo()
	before := export(t, dir)
	address, stop := serving(t, "serve", "--addr", "127.0.0.1:0", "--data", dir, "--log", "debug")
	must(0, "0 faults", "verify", "--data", dir)
	must(0, "holds all there is", "backup", "--data", dir, file)
	must(1, "is there already", "backup", "--data", dir, file)
	must(1, "in use by hiddenlanes serve (process ", "restore", "--data", dir, file)
	must(1, "in use by hiddenlanes serve (process ", "serve", "--data", dir, "--addr", "127.0.0.1:0")
	r, err := http.Post(address+"projects/4/remove", "application/x-www-form-urlencoded", nil) //nolint:noctx // as above
	if err != nil || r.StatusCode != http.StatusOK {
		t.Fatal(r, err)
	}
	r.Body.Close()
	if log := stop(); !strings.Contains(log, "kept house") || !strings.Contains(log, "_daily.db") {
		t.Errorf("a server that starts without a backup logs %s; want that it made one", log)
	}
	must(0, "1 project would come back: Cue 03 Fog Bell.", "restore", "--data", dir, "--preview", file)
	must(0, "what was there before is in "+filepath.Join(dir, "backups"), "restore", "--data", dir, file)
	if !slices.Equal(export(t, dir), before) {
		t.Error("restored, the folder exports something else than before")
	}
	must(0, "0 faults", "verify", "--data", dir)

	other := filepath.Join(t.TempDir(), "other")
	must(0, other+" is as in "+file, "restore", "--data", other, file)
	if !slices.Equal(export(t, other), before) {
		t.Error("a new folder that was restored exports something else")
	}
	must(1, "is not there", "restore", "--data", dir, file+".none")
	must(1, "damaged, or no backup of Hidden Lanes", "restore", "--data", dir, "safety_test.go")
	must(2, "needs --data", "restore", file)
	must(1, "all of the backup would come", "restore", "--data", t.TempDir(), "--preview", file)
	must(1, "there is no data of Hidden Lanes in", "verify", "--data", t.TempDir())
	must(2, "the log has the levels", "demo", "--log", "loud")
	if err := os.Remove(filepath.Join(dir, "hiddenlanes.db")); err != nil {
		t.Fatal(err)
	}
	must(1, "hiddenlanes restore --data "+dir, "verify", "--data", dir)
}

// export is the whole library of a folder, in lines.
func export(t *testing.T, dir string) []string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "all.json")
	var log bytes.Buffer
	if code := run([]string{"export", "--data", dir, "--as", "library", file}, io.Discard, &log); code != 0 {
		t.Fatal(code, &log)
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return strings.Split(string(data), "\n")
}
