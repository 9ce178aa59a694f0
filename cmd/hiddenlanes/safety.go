package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
)

func backupCommand() *cobra.Command {
	var f projectFlags
	c := &cobra.Command{
		Use:   "backup --data DIR FILE",
		Short: "Write all there is into one file, also while Hidden Lanes is running",
		Args:  cobra.ExactArgs(1),
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, _ *app.Project, args []string) error {
			if err := a.BackUpTo(cmd.Context(), args[0]); err != nil {
				return err
			}
			info, err := os.Stat(args[0])
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s holds all there is, %s\n", args[0], words.Bytes(info.Size()))
			return err
		}),
	}
	return f.folder(c)
}

func restoreCommand() *cobra.Command {
	var dir string
	var preview bool
	c := &cobra.Command{
		Use:   "restore --data DIR [--preview] FILE",
		Short: "Put a backup in the place of all there is, after a backup of that",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if dir == "" {
				return usageError{errors.New("restore needs --data, the folder that is to be as in the backup")}
			}
			return restore(cmd, dir, args[0], preview)
		},
	}
	c.Flags().StringVar(&dir, "data", "", "the folder that is to be as in the backup")
	c.Flags().BoolVar(&preview, "preview", false, "tell what would change, and change nothing")
	return c
}

func restore(cmd *cobra.Command, dir, file string, preview bool) error {
	ctx, out := cmd.Context(), cmd.OutOrStdout()
	o := app.Options{Log: logTo(cmd), Owner: "restore"}
	if preview {
		if o.Owner = ""; !app.HasData(dir) {
			return fmt.Errorf("there is no data of Hidden Lanes in %s; all of the backup would come", dir)
		}
	} else if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	if _, err := os.Stat(filepath.Join(dir, app.DataFile)); errors.Is(err, os.ErrNotExist) && !preview {
		return restoreInto(cmd, dir, file, o)
	}
	a, err := app.Open(ctx, dir, o)
	if app.IsBroken(err) && !preview {
		return restoreInto(cmd, dir, file, o)
	}
	if err != nil {
		return err
	}
	defer a.Close()
	c, err := a.CompareFile(ctx, file)
	if err != nil {
		return err
	}
	for _, s := range c.Says() {
		fmt.Fprintln(out, s)
	}
	if preview {
		return nil
	}
	before, err := a.RestoreFile(ctx, file)
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%s is as in %s; what was there before is in %s\n", dir, file, filepath.Join(dir, app.BackupsFolder,
		before.Name))
	return nil
}

// restoreInto restores a folder whose data file is missing or damaged.
func restoreInto(cmd *cobra.Command, dir, file string, o app.Options) error {
	aside, err := app.RestoreInto(cmd.Context(), dir, file, o)
	if err != nil {
		return err
	}
	if aside != "" {
		fmt.Fprintf(cmd.OutOrStdout(), "the damaged data file stands at %s\n", aside)
	}
	_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s is as in %s\n", dir, file)
	return err
}

func verifyCommand() *cobra.Command {
	var f projectFlags
	c := &cobra.Command{
		Use:   "verify --data DIR",
		Short: "Look at everything there is and say what is wrong, also while Hidden Lanes is running",
		Args:  cobra.NoArgs,
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, _ *app.Project, _ []string) error {
			v, err := a.Verify(cmd.Context())
			if err != nil {
				return err
			}
			for _, w := range v.Wrong {
				fmt.Fprintln(cmd.OutOrStdout(), w)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s, %s and the house chart: %s read, %s thinned; %s\n",
				words.Count(v.Projects, "project", "projects"), words.Count(v.Instruments, "instrument", "instruments"),
				words.Count(v.Revisions, "document", "documents"), words.Count(v.Thinned, "document", "documents"),
				words.Count(len(v.Wrong), "fault", "faults"))
			if len(v.Wrong) > 0 {
				return fmt.Errorf("not everything can be read; restore a backup (%s), or go on with the rest",
					filepath.Join(f.data, app.BackupsFolder))
			}
			return nil
		}),
	}
	return f.folder(c)
}

// keepHouse does what is due when the server starts and every hour, until it ends.
func keepHouse(ctx context.Context, a *app.App, log *slog.Logger) {
	for {
		k, err := a.KeepHouse(ctx)
		switch {
		case ctx.Err() != nil:
			return
		case err != nil:
			log.Warn("keeping house failed; it is tried again in an hour", "reason", fault.Say(err), "detail", fault.Detail(err))
		case k.BackedUp != nil || k.Removed+k.Thinned > 0 || k.Freed > 0:
			var args []any
			if k.BackedUp != nil {
				args = append(args, "backup", k.BackedUp.Name, "size", words.Bytes(k.BackedUp.Size))
			}
			log.Info("kept house", append(args, "old backups removed", k.Removed, "documents thinned", k.Thinned, "given back",
				words.Bytes(k.Freed))...)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Hour):
		}
	}
}
