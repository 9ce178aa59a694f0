// Command hiddenlanes serves the application and does the same work for
// scripts. Flags and wiring only.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"hiddenlanes/internal/fault"
)

// usageError is a mistake in how the command was called; it exits with 2.
type usageError struct{ error }

func main() { os.Exit(run(os.Args[1:], os.Stdout, os.Stderr)) }

func run(args []string, stdout, stderr io.Writer) int {
	root := &cobra.Command{
		Use:           "hiddenlanes",
		Short:         "Map the hidden outputs of an instrument onto lanes and buses",
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var names []string
			for _, c := range cmd.Commands() {
				names = append(names, c.Name())
			}
			return usageError{fmt.Errorf("name a command: %s; --help tells more", strings.Join(names, ", "))}
		},
	}
	root.SetArgs(args)
	root.SetOut(stdout)
	root.SetErr(stderr)
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return usageError{err} })
	root.CompletionOptions.DisableDefaultCmd = true
	root.AddCommand(demoCommand(), serveCommand(), readCommand(), proposeCommand(), checkCommand(), runsheetCommand(),
		traceCommand(), driftCommand(), learnCommand(), replaceCommand(), rekeyCommand(), importCommand(), exportCommand(),
		rolesCommand(),
		backupCommand(), restoreCommand(), verifyCommand())
	for _, c := range append(root.Commands(), root) {
		positional := c.Args
		c.Args = func(cmd *cobra.Command, args []string) error {
			if err := positional(cmd, args); err != nil {
				return usageError{fmt.Errorf("%w; usage: %s", err, cmd.UseLine())}
			}
			return nil
		}
	}
	err := root.ExecuteContext(context.Background())
	var usage usageError
	var severe severeError
	switch {
	case err == nil:
		return 0
	case errors.As(err, &severe):
		return 3
	case errors.As(err, &usage):
		fmt.Fprintln(stderr, "hiddenlanes:", fault.Say(err))
		return 2
	}
	fmt.Fprintln(stderr, "hiddenlanes:", fault.Say(err))
	kind := fault.Of(err)
	if detail := fault.Detail(err); (kind == fault.Storage || kind == fault.Internal) && detail != fault.Say(err) {
		slog.New(slog.NewTextHandler(stderr, nil)).Error(kind.String()+" error", "error", detail)
	}
	return 1
}

func printJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	return e.Encode(v)
}
