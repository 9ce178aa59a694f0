package main

import (
	"github.com/spf13/cobra"

	"hiddenlanes/app"
)

// rolesCommand prints the role table.
func rolesCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "roles",
		Short: "List the roles: how far each stands from the one above it, and what lanes of it are called",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return printJSON(cmd.OutOrStdout(), app.ReportRoles())
		},
	}
}
