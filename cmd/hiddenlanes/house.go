package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
)

func driftCommand() *cobra.Command {
	var f projectFlags
	c := &cobra.Command{
		Use:   "drift --data DIR",
		Short: "List where projects differ from the house chart and from each other",
		Args:  cobra.NoArgs,
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, p *app.Project, _ []string) error {
			l, err := a.Library(cmd.Context())
			if err != nil {
				return err
			}
			all := []app.DriftReport{}
			for _, r := range l.ReportDrift() {
				if p == nil || r.Name == p.Plan.Name {
					all = append(all, r)
				}
			}
			if f.json {
				return printJSON(cmd.OutOrStdout(), map[string]any{"projects": all})
			}
			t := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			for _, r := range all {
				fmt.Fprintf(t, "%s\t%d\n", r.Name, r.Drift)
				for _, d := range r.Differences {
					fmt.Fprintf(t, "\t%s\t%s\t%s\tthe house: %s\t%s\n", d.Role, d.Attribute, d.Here, d.House, d.Exception)
				}
			}
			return t.Flush()
		}),
	}
	return f.printing(c)
}

func learnCommand() *cobra.Command {
	var f projectFlags
	last := 20
	c := &cobra.Command{
		Use:   "learn --data DIR [FILE...]",
		Short: "Propose a house chart from what projects and session files do already",
		Args:  cobra.ArbitraryArgs,
		RunE: f.run(false, func(cmd *cobra.Command, a *app.App, _ *app.Project, args []string) error {
			if last < 0 {
				return usageError{errors.New("--last counts projects, from 0 for all")}
			}
			var files []*drift.Facts
			for _, name := range args {
				in, err := os.Open(name)
				if err != nil {
					return err
				}
				facts, err := app.ReadFacts(cmd.Context(), in, name)
				in.Close()
				if err != nil {
					return fmt.Errorf("reading %s: %w", name, err)
				}
				files = append(files, facts)
			}
			l, err := a.Learn(cmd.Context(), last, files)
			if err != nil {
				return err
			}
			r := app.ReportLearned(l)
			if f.json {
				return printJSON(cmd.OutOrStdout(), r)
			}
			t := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			for _, x := range r.Roles {
				fmt.Fprintf(t, "%s\t%s\t%s\t%d of %d\n", x.Role, x.Field, x.Value, x.Agree, x.Of)
			}
			for _, o := range r.Orders {
				fmt.Fprintf(t, "order below %s\t%v\t%d of %d\n", o.Below, o.Roles, o.Agree, o.Of)
			}
			return t.Flush()
		}),
	}
	c.Flags().IntVar(&last, "last", last, "how many of the projects changed last to learn from; 0: all")
	return f.printing(c)
}

const channelsHelp = "the channels to rewrite, such as 1,3 or 2:3 for port 2, where none of the song's is the " +
	"percussion channel"

// printReplacement prints a replacement to read.
func printReplacement(w io.Writer, r app.ReplacementReport) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, x := range r.Pairs {
		fmt.Fprintf(t, "lane %d %s\t%s\t%s\n", x.Lane, x.LaneName, x.From, x.To)
	}
	for _, x := range r.Kept {
		fmt.Fprintf(t, "lane %d %s\t%s\tstays empty\n", x.Lane, x.LaneName, x.From)
	}
	for _, x := range r.New {
		fmt.Fprintf(t, "new\t\t%s\n", x.Name)
	}
	return t.Flush()
}

func replaceCommand() *cobra.Command {
	var f projectFlags
	var from, to string
	var apply, song bool
	var channels []string
	c := &cobra.Command{
		Use:     "replace --data DIR --project NAME --from INSTRUMENT --to INSTRUMENT [--apply] [--song]",
		Aliases: []string{"swap"}, // what it was called before
		Short:   "Replace one instrument of a project with another",
		Args:    cobra.NoArgs,
		RunE: f.run(true, func(cmd *cobra.Command, a *app.App, p *app.Project, _ []string) error {
			if from == "" || to == "" {
				return usageError{errors.New("replace needs --from, an instrument of the project, and --to, one of the shelf")}
			}
			touch, err := app.ReadChannels(channels)
			if err != nil {
				return usageError{fmt.Errorf("--channels: %w", err)}
			}
			old, err := app.PlacedNamed(p.Plan, from)
			if err != nil {
				return err
			}
			in, err := a.InstrumentNamed(cmd.Context(), to)
			if err != nil {
				return err
			}
			if in.ID == 0 {
				return errors.New("gm and house are key maps, not instruments; name one of the shelf")
			}
			s, err := a.Replacement(cmd.Context(), p.Plan, old.ID, in.ID, nil)
			if err != nil {
				return err
			}
			r := app.ReportReplacement(p.Plan.Name, s)
			if apply {
				if _, err := a.AcceptReplacement(cmd.Context(), p.ID, p.Revision, old.ID, in.ID, nil,
					app.SongFate{Follow: song, Channels: touch}); err != nil {
					return err
				}
				r.Applied = true
			}
			if f.json {
				return printJSON(cmd.OutOrStdout(), r)
			}
			return printReplacement(cmd.OutOrStdout(), r)
		}),
	}
	c.Flags().StringVar(&from, "from", "", "the instrument of the project to replace")
	c.Flags().StringVar(&to, "to", "", "the instrument on the shelf to replace it with")
	c.Flags().BoolVar(&apply, "apply", false, "make the change; without it, the change is only shown")
	c.Flags().BoolVar(&song, "song", false, "rewrite the project's song for the new instrument's keys")
	c.Flags().StringArrayVar(&channels, "channels", nil, channelsHelp)
	return f.printing(c)
}

// twoInstruments finds two instruments, on the shelf too where there is one.
func twoInstruments(cmd *cobra.Command, f *projectFlags, from, to string) (a, b rig.Instrument, err error) {
	var shelf *app.App
	if f.data != "" {
		if shelf, err = f.open(cmd, false); err != nil {
			return a, b, err
		}
		defer shelf.Close()
	}
	if a, err = findInstrument(cmd, shelf, from); err == nil {
		b, err = findInstrument(cmd, shelf, to)
	}
	return a, b, err
}

// rekeyFile writes a song again for another instrument, and says what became of its keys.
func rekeyFile(from, to string, in rig.Instrument, m *carry.KeyMap, rule map[midi.Key]carry.Fate,
	touch []midi.Address) (report app.RekeyReport, err error) {
	song, err := os.ReadFile(from)
	if err != nil {
		return report, err
	}
	err = app.WriteFile(to, func(w io.Writer) error {
		did, err := app.Rekey(w, song, in, rule, touch...)
		if err == nil {
			report = app.ReportRekey(m, rule, did)
		}
		return err
	})
	return report, err
}

func rekeyCommand() *cobra.Command {
	var f projectFlags
	var from, to, out string
	var moves, drops, channels []string
	var dropRest bool
	c := &cobra.Command{
		Use:   "rekey SONG --from INSTRUMENT|gm --to INSTRUMENT|gm --out FILE [--data DIR]",
		Short: "Rewrite a song from one instrument's keys to another's",
		Long: "Rewrite a song from one instrument's keys to another's, through their roles.\nAn instrument is a file, " +
			"the name of one on the shelf of --data, gm for the General MIDI percussion keys,\nor house for those of the " +
			"house chart in --data.",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			touch, err := app.ReadChannels(channels)
			if err != nil {
				return usageError{fmt.Errorf("--channels: %w", err)}
			}
			if from == "" || to == "" || out == "" {
				return usageError{errors.New("rekey needs --from and --to, two instruments, and --out, the file to write")}
			}
			fates, err := readFates(moves, drops)
			if err != nil {
				return usageError{err}
			}
			a, b, err := twoInstruments(cmd, &f, from, to)
			if err != nil {
				return err
			}
			m := carry.MapKeys(a, b)
			report, err := rekeyFile(args[0], out, a, m, m.Rule(fates, dropRest), touch)
			if err != nil {
				return fmt.Errorf("rewriting %s: %w", args[0], err)
			}
			if f.json {
				return printJSON(cmd.OutOrStdout(), report)
			}
			t := tabwriter.NewWriter(cmd.OutOrStdout(), 0, 0, 2, ' ', 0)
			for _, k := range append(report.Keys, report.Unmatched...) {
				fmt.Fprintf(t, "%d\t%s\t%s\t%d\t%s\t%d notes\n", k.Key, k.Voice, k.Fate, k.To, k.On, k.Notes)
			}
			return t.Flush()
		},
	}
	c.Flags().StringVar(&from, "from", "", "the instrument the song was written for")
	c.Flags().StringVar(&to, "to", "", "the instrument that will play it")
	c.Flags().StringVar(&out, "out", "", "the file to write")
	c.Flags().StringArrayVar(&channels, "channels", nil, channelsHelp)
	c.Flags().StringArrayVar(&moves, "move", nil, "a key and the key that replaces it, such as 54=39; repeat for more")
	c.Flags().StringArrayVar(&drops, "drop", nil, "keys whose notes are left out, such as 56 or 60-64")
	c.Flags().BoolVar(&dropRest, "drop-rest", false,
		"leave out every note whose key has no counterpart; without it, they stay as they are")
	c.Flags().StringVar(&f.data, "data", "", "the folder whose shelf holds the instruments")
	c.Flags().BoolVar(&f.json, "json", true, "print JSON; --json=false prints text to read")
	return c
}

func readFates(moves, drops []string) (map[midi.Key]carry.Fate, error) {
	out := map[midi.Key]carry.Fate{}
	for _, m := range moves {
		from, to, ok := strings.Cut(m, "=")
		a, errA := midi.ParseKey(strings.TrimSpace(from), midi.MiddleC3)
		b, errB := midi.ParseKey(strings.TrimSpace(to), midi.MiddleC3)
		if err := errors.Join(errA, errB); !ok || err != nil {
			return nil, fmt.Errorf("--move %q is not a key and another such as 54=39", m)
		}
		out[a] = carry.Fate{To: b}
	}
	for _, d := range drops {
		keys, err := midi.ParseKeys(d, midi.MiddleC3)
		if err != nil {
			return nil, fmt.Errorf("--drop: %w", err)
		}
		for _, k := range keys {
			out[k] = carry.Fate{Drop: true}
		}
	}
	return out, nil
}

// findInstrument finds an instrument by name on the shelf, in a file, or as gm.
func findInstrument(cmd *cobra.Command, shelf *app.App, name string) (rig.Instrument, error) {
	if strings.EqualFold(name, "gm") {
		return carry.GeneralMIDI(), nil
	}
	if _, err := os.Stat(name); err == nil {
		c, err := app.ReadPath(cmd.Context(), name, midi.MiddleC3)
		if err != nil {
			return rig.Instrument{}, fmt.Errorf("reading %s: %w", name, err)
		}
		for _, in := range c.Instruments {
			if len(in.Voices) > 0 {
				return in, nil
			}
		}
		return rig.Instrument{}, fmt.Errorf("%s holds no instrument with voices on keys", name)
	}
	if shelf == nil {
		return rig.Instrument{},
			fmt.Errorf("there is no file %s; name a file, gm, or with --data an instrument of the shelf", name)
	}
	in, err := shelf.InstrumentNamed(cmd.Context(), name)
	if err != nil {
		return rig.Instrument{}, err
	}
	return in.Rig, nil
}
