package main

import (
	"fmt"
	"io"
	"os"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
)

func readFile(path string) (*app.Content, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	c, err := app.Read(f, path)
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", path, err)
	}
	return c, nil
}

func readCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "read FILE",
		Short: "Tell what a SoundFont 2 or a Standard MIDI File holds",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			content, err := readFile(args[0])
			if err != nil {
				return err
			}
			if asJSON {
				return printJSON(cmd.OutOrStdout(), content.Report())
			}
			return printContent(cmd.OutOrStdout(), content.Report())
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func printContent(w io.Writer, r app.ReadReport) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, in := range r.Instruments {
		fmt.Fprintf(t, "%s\tbank %d program %d\t%d voices\t%d parts\n", in.Name, in.Bank, in.Program, len(in.Voices), len(in.Parts))
		for _, v := range in.Voices {
			fmt.Fprintf(t, "  %s\t%s\t%s\tkeys %v\n", v.Name, v.Role, v.Width, v.Keys)
		}
	}
	for _, c := range r.Channels {
		fmt.Fprintf(t, "%s\t%d events\t%d keys\n", c.Address, c.Events, len(c.Keys))
	}
	for _, warning := range r.Warnings {
		fmt.Fprintf(t, "note: %s\n", warning)
	}
	return t.Flush()
}

type proposeFlags struct {
	instrument, outputs, song, taken, bus string
	firstLane, laneLimit                  int
	json                                  bool
}

func proposeCommand() *cobra.Command {
	var f proposeFlags
	c := &cobra.Command{
		Use:   "propose FILE --instrument NAME --outputs 16x2",
		Short: "Propose outputs, lanes and a bus for an instrument",
		Args:  cobra.ExactArgs(1),
		RunE:  func(cmd *cobra.Command, args []string) error { return proposeFor(cmd, args[0], f) },
	}
	fl := c.Flags()
	fl.StringVar(&f.instrument, "instrument", "", "the instrument's name in the file")
	fl.StringVar(&f.outputs, "outputs", "", "its outputs, count x width: 16x2")
	fl.StringVar(&f.song, "song", "", "a Standard MIDI File that says what is used")
	fl.IntVar(&f.firstLane, "first-lane", 1, "the wished first lane")
	fl.StringVar(&f.taken, "taken", "", "lanes that are taken: 1-4,9")
	fl.IntVar(&f.laneLimit, "lane-limit", 0, "the host's last lane; 0 for none")
	fl.StringVar(&f.bus, "bus", "", "the bus's name; the house chart's where it is not given")
	fl.BoolVar(&f.json, "json", false, "print JSON")
	return c
}

func proposeFor(cmd *cobra.Command, path string, f proposeFlags) error {
	if f.instrument == "" || f.outputs == "" {
		return usageError{fmt.Errorf("propose needs --instrument and --outputs; usage: %s", cmd.UseLine())}
	}
	runs, err := rig.ParseRuns(f.outputs)
	if err != nil {
		return usageError{err}
	}
	taken, err := plan.ParseRanges(f.taken)
	if err != nil {
		return usageError{fmt.Errorf("--taken: %w", err)}
	}
	if f.firstLane < 1 || f.laneLimit < 0 {
		return usageError{fmt.Errorf("lanes count from 1")}
	}
	content, err := readFile(path)
	if err != nil {
		return err
	}
	in, err := content.Find(f.instrument)
	if err != nil {
		return err
	}
	p := &plan.Project{Name: "proposal", Host: plan.Host{LaneLimit: plan.LaneNumber(f.laneLimit), Taken: taken, FirstLane: plan.LaneNumber(f.firstLane)}}
	if f.song != "" {
		song, err := readFile(f.song)
		if err != nil {
			return err
		}
		if song.Song == nil {
			return fmt.Errorf("reading %s: this is an instrument, not a song", f.song)
		}
		p.Song = app.PlanSong(f.song, song.Song)
	}
	if _, err := plan.Place(in, rig.Lay(runs, 1), 0)(p); err != nil {
		return err
	}
	pr, err := propose.Make(p, propose.Options{Placed: p.Placed[0].ID, Bus: f.bus, NoBus: cmd.Flags().Changed("bus") && f.bus == ""})
	if err != nil {
		return err
	}
	if f.json {
		return printJSON(cmd.OutOrStdout(), app.ReportProposal(pr))
	}
	return printProposal(cmd.OutOrStdout(), app.ReportProposal(pr))
}

func printProposal(w io.Writer, r app.ProposalReport) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprintln(t, "LANE\tNAME\tOUTPUT\tPORTS\tBUS\tFEEDS")
	for _, o := range r.Outputs {
		var feeds []string
		for _, f := range o.Feeds {
			feeds = append(feeds, f.Name)
		}
		fmt.Fprintf(t, "%d\t%s\t%d\t%s\t%s\t%s\n", o.Lane, o.Name, o.Number, portList(o.Ports), o.Bus, strings.Join(feeds, ", "))
	}
	for _, b := range r.Buses {
		fmt.Fprintf(t, "%d\t%s\tbus\n", b.Lane, b.Name)
	}
	for _, p := range r.Parked {
		fmt.Fprintf(t, "-\t%s\t%s\n", p.Name, p.Reason)
	}
	fmt.Fprintf(t, "cost %d\n", r.Cost)
	return t.Flush()
}

func portList(ports []rig.Port) string {
	if len(ports) == 1 {
		return fmt.Sprint(ports[0])
	}
	return fmt.Sprintf("%d–%d", ports[0], ports[len(ports)-1])
}
