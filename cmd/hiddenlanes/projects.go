package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/runsheet"
)

// severeError says that something was found which silences; it exits with 3.
type severeError struct{ error }

// projectFlags are those of every verb on kept projects.
type projectFlags struct {
	data, project string
	json          bool
	create        bool // the folder may be new
}

func (f *projectFlags) add(c *cobra.Command) *cobra.Command {
	f.folder(c)
	c.Flags().StringVar(&f.project, "project", "", "the project's name")
	return c
}

// folder is add for a verb on all there is.
func (f *projectFlags) folder(c *cobra.Command) *cobra.Command {
	c.Flags().StringVar(&f.data, "data", "", "the folder that keeps your instruments and projects")
	return c
}

// printing is add for a verb that prints a report.
func (f *projectFlags) printing(c *cobra.Command) *cobra.Command {
	c.Flags().BoolVar(&f.json, "json", true, "print JSON; --json=false prints text to read")
	return f.add(c)
}

// open opens the data, which must be there already.
func (f *projectFlags) open(cmd *cobra.Command, needsProject bool) (*app.App, error) {
	if f.data == "" {
		return nil, usageError{fmt.Errorf("%s needs --data, the folder that keeps your projects", cmd.Name())}
	}
	if needsProject && f.project == "" {
		return nil, usageError{fmt.Errorf("%s needs --project, the project's name", cmd.Name())}
	}
	if f.create {
		if err := os.MkdirAll(f.data, 0o700); err != nil {
			return nil, err
		}
	}
	if info, err := os.Stat(f.data); err != nil || !info.IsDir() {
		return nil, fmt.Errorf("there is no folder %s", f.data)
	}
	if !f.create && !app.HasData(f.data) {
		return nil, fmt.Errorf("there is no data of Hidden Lanes in %s; name the folder that serve was given", f.data)
	}
	return app.Open(cmd.Context(), f.data, app.Options{Log: logTo(cmd)})
}

// run opens the data, finds the project where one is named, and hands over.
func (f *projectFlags) run(needsProject bool, do func(cmd *cobra.Command, a *app.App, p *app.Project,
	args []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		a, err := f.open(cmd, needsProject)
		if err != nil {
			return err
		}
		defer a.Close()
		var p *app.Project
		if needsProject || f.project != "" {
			if p, err = a.ProjectNamed(cmd.Context(), f.project); err != nil {
				return err
			}
		}
		return do(cmd, a, p, args)
	}
}

func checkCommand() *cobra.Command {
	var f projectFlags
	c := &cobra.Command{
		Use:   "check --data DIR [--project NAME]",
		Short: "List the problems of one project, or of all",
		Args:  cobra.NoArgs,
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, p *app.Project, _ []string) (err error) {
			projects := []*app.Project{p}
			if p == nil {
				projects = nil
				rows, err := a.Projects(cmd.Context())
				if err != nil {
					return err
				}
				for _, r := range rows {
					p, err := a.Project(cmd.Context(), r.ID)
					if app.IsDamaged(err) { // the others are not to wait for it
						fmt.Fprintln(cmd.ErrOrStderr(), "hiddenlanes: left out:", err)
						continue
					}
					if err != nil {
						return err
					}
					projects = append(projects, p)
				}
			}
			all, silent := []app.ProblemReport{}, 0
			for _, p := range projects {
				found, severe := app.ReportProblems(p)
				all = append(all, found...)
				if severe {
					silent++
				}
			}
			if f.json {
				err = printJSON(cmd.OutOrStdout(), map[string]any{"findings": all})
			} else {
				t := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
				for _, x := range all {
					fmt.Fprintf(t, "%s\t%s\t%s\t%s\t%s\n", x.Project, x.Severity, x.Code, x.Where, x.Why)
				}
				err = t.Flush()
			}
			if err == nil && silent > 0 {
				return severeError{errors.New("something wanted is silent")}
			}
			return err
		}),
	}
	return f.printing(c)
}

func runsheetCommand() *cobra.Command {
	var f projectFlags
	var profile string
	c := &cobra.Command{
		Use:   "runsheet --data DIR --project NAME [--profile NAME]",
		Short: "List the steps from what is patched in the host to what is planned",
		Args:  cobra.NoArgs,
		RunE: f.run(true, func(cmd *cobra.Command, a *app.App, p *app.Project, _ []string) error {
			if profile != "" {
				kind, err := a.ProfileNamed(cmd.Context(), profile)
				if err != nil {
					return err
				}
				p.Plan = p.Plan.Clone()
				if _, err := edits.SetProfile(kind)(p.Plan); err != nil {
					return err
				}
			}
			sheet := runsheet.Make(p.Plan)
			if profile == "" { // another host's steps are not the project's
				var err error
				if sheet, err = a.NumberSteps(cmd.Context(), p.ID, sheet); err != nil {
					return err
				}
			}
			steps := app.ReportRunSheet(sheet)
			note := ""
			if !runsheet.HasPlan(p.Plan) {
				note = "there is no plan yet; make it first, by a proposal for outputs and lanes"
			}
			if f.json {
				out := map[string]any{"steps": steps}
				if note != "" {
					out["note"] = note
				}
				return printJSON(cmd.OutOrStdout(), out)
			}
			if note != "" {
				_, err := fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", p.Plan.Name, note)
				return err
			}
			return printSteps(cmd.OutOrStdout(), steps)
		}),
	}
	c.Flags().StringVar(&profile, "profile", "", "the kind of host; without it, the project's own")
	return f.printing(c)
}

func traceCommand() *cobra.Command {
	var f projectFlags
	var layer, feed string
	c := &cobra.Command{
		Use:   "trace --data DIR --project NAME [--layer planned|patched] [--feed NAME]",
		Short: "List the paths of every feed to the main mix, with their levels",
		Args:  cobra.NoArgs,
		RunE: f.run(true, func(cmd *cobra.Command, _ *app.App, p *app.Project, _ []string) error {
			feeds, err := app.ReportTrace(p.Plan, layer, feed)
			if err != nil {
				return err
			}
			if f.json {
				return printJSON(cmd.OutOrStdout(), map[string]any{"feeds": feeds})
			}
			t := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			for _, x := range feeds {
				arrives := "silent: " + x.Silent
				if x.Arrives != nil {
					arrives = audio.Decibels(*x.Arrives).String()
				}
				for i, path := range x.Paths {
					var stops []string
					for _, s := range path.Stops {
						stops = append(stops, s.Text)
					}
					if i > 0 {
						x.Feed, arrives = "", ""
					}
					fmt.Fprintf(t, "%s\t%s\t%s\n", x.Feed, arrives, strings.Join(stops, " → "))
				}
			}
			return t.Flush()
		}),
	}
	c.Flags().StringVar(&layer, "layer", app.LayerPlanned, "what to follow: planned, or patched in the host")
	c.Flags().StringVar(&feed, "feed", "", "one feed, by its name; without it, all")
	return f.printing(c)
}

func printSteps(w io.Writer, steps []app.RunStepReport) error {
	place := ""
	for _, s := range steps {
		if string(s.Place) != place {
			place = string(s.Place)
			fmt.Fprintf(w, "%s\n", strings.ToUpper(place))
		}
		if _, err := fmt.Fprintf(w, "  [ ] %d. %s\n", s.Number, s.Text); err != nil {
			return err
		}
		for _, i := range s.Items {
			fmt.Fprintf(w, "         %s\n", i)
		}
	}
	return nil
}

func importCommand() *cobra.Command {
	f := projectFlags{create: true}
	var how app.Merging
	c := &cobra.Command{
		Use:   "import --data DIR [--project NAME] [--second] FILE",
		Short: "Import a project bundle, a library file, or a DAWproject session for a project",
		Args:  cobra.ExactArgs(1),
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, _ *app.Project, args []string) error {
			did, err := a.ImportFile(cmd.Context(), args[0], f.project, how)
			if err != nil {
				return fmt.Errorf("importing %s: %w", args[0], err)
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), did)
			return err
		}),
	}
	c.Flags().BoolVar(&how.Second, "second", false,
		"add projects of a library file that were changed both here and there as second projects")
	return f.add(c)
}

// wholeLibrary is what export writes that is no single project.
const wholeLibrary = "library"

func exportCommand() *cobra.Command {
	var f projectFlags
	var as string
	formats := append(app.ExportFormats(), wholeLibrary)
	c := &cobra.Command{
		Use:   "export --data DIR [--project NAME] --as bundle|dawproject|midi|csv|svg|library FILE",
		Short: "Write a project, or the whole library, as a file",
		Args:  cobra.ExactArgs(1),
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, p *app.Project, args []string) error {
			if !slices.Contains(formats, as) {
				return usageError{fmt.Errorf("--as is one of %s", strings.Join(formats, ", "))}
			}
			if p == nil && as != wholeLibrary {
				return usageError{errors.New("export needs --project, the project's name")}
			}
			return app.WriteFile(args[0], func(w io.Writer) error {
				if as == wholeLibrary {
					left, err := a.WriteLibrary(cmd.Context(), w)
					for _, x := range left {
						fmt.Fprintln(cmd.ErrOrStderr(), "hiddenlanes: left out:", x)
					}
					return err
				}
				return a.ExportAs(cmd.Context(), w, p.Plan, as)
			})
		}),
	}
	c.Flags().StringVar(&as, "as", "", "what to write: "+strings.Join(formats, ", "))
	return f.add(c)
}
