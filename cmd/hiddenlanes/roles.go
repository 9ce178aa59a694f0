package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
)

// rolesCommand prints the role table, or what the names of a file are read as.
func rolesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "roles [FILE.csv]",
		Short: "List the roles, or what the names of a file are read as",
		Long: "List the roles: how far each stands from the one above it, and what lanes of it are called.\nWith a CSV " +
			"of names, columns kind and name, list the role that each is read as and how sure that is;\na kind is voice, " +
			"microphone, part, return or position, of which the role is the position.",
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return printJSON(cmd.OutOrStdout(), app.ReportRoles())
			}
			f, err := os.Open(args[0])
			if err != nil {
				return fmt.Errorf("opening %s: %w", args[0], err)
			}
			defer f.Close()
			read, err := app.GuessRoles(f)
			if err != nil {
				return fmt.Errorf("reading %s: %w", args[0], err)
			}
			return printJSON(cmd.OutOrStdout(), read)
		},
	}
}
