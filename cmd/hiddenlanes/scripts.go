package main

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"hiddenlanes/app"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
)

func readFile(ctx context.Context, path string) (*app.Content, error) {
	c, err := app.ReadPath(ctx, path, midi.MiddleC3)
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", path, err)
	}
	return c, nil
}

func readCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use:   "read FILE",
		Short: "List what a SoundFont 2, SFZ, MIDI name document, CSV or Standard MIDI File contains",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			content, err := readFile(cmd.Context(), args[0])
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
		fmt.Fprintf(t, "%s\tbank %d program %d\t%d voices\t%d parts\n", in.Name, in.Bank, in.Program, len(in.Voices),
			len(in.Parts))
		for _, v := range in.Voices {
			fmt.Fprintf(t, "  %s\t%s\t%s\tkeys %v\n", v.Name, v.Role, v.Width, v.Keys)
		}
		for _, m := range in.Microphones {
			fmt.Fprintf(t, "  %s\t%s\t%s\tmicrophone\n", m.Name, m.Role, m.Width)
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
	instrument, outputs, song, taken, bus, axis, free string
	firstLane, laneLimit, ports, offset, block, spare int
	together, apart, pins, park, off, fold, wishes    []string
	voices, parts                                     string
	pairs, usual, ladder, json                        bool
}

func proposeCommand() *cobra.Command {
	var f proposeFlags
	c := &cobra.Command{
		Use:   "propose FILE --instrument NAME --outputs 10x2",
		Short: "Propose outputs, lanes and a bus for an instrument",
		Args:  cobra.ExactArgs(1),
		RunE:  func(cmd *cobra.Command, args []string) error { return proposeFor(cmd, args[0], f) },
	}
	fl := c.Flags()
	fl.StringVar(&f.instrument, "instrument", "", "the instrument's name in the file")
	fl.StringVar(&f.outputs, "outputs", "", "its outputs, count x width: 10x2 or 6x2+4x1")
	fl.IntVar(&f.ports, "ports", 0, "how many ports it has; without --outputs the best mix is made from them")
	fl.IntVar(&f.offset, "offset", 0, "host port = instrument port + offset")
	fl.StringVar(&f.song, "song", "", "a Standard MIDI File that says what is used")
	fl.IntVar(&f.firstLane, "first-lane", 1, "the first lane to use")
	fl.StringVar(&f.taken, "taken", "", "lanes that are taken: 1-3,7")
	fl.IntVar(&f.laneLimit, "lane-limit", 0, "the host's last lane; 0 for none")
	fl.IntVar(&f.block, "block", 0, "how many lanes a block has; 0: lanes are not in blocks")
	fl.StringVar(&f.bus, "bus", "", "the bus's name; without it, the house chart's")
	fl.StringArrayVar(&f.together, "together", nil, `feeds that share one output: "Ride,Overheads"`)
	fl.StringArrayVar(&f.apart, "apart", nil, `feeds that never share: "Rack 1,Rack 2"`)
	fl.StringArrayVar(&f.pins, "pin", nil, `a feed and its output: "Kick In=1", "Shaker=6L"`)
	fl.StringArrayVar(&f.park, "park", nil, "feeds to park")
	fl.StringArrayVar(&f.off, "off", nil, "feeds to switch off")
	fl.StringArrayVar(&f.fold, "fold", nil, "stereo feeds that may be folded to mono")
	fl.StringArrayVar(&f.wishes, "wish", nil,
		`a feed and its own-output setting, from 0 (may share) to 3 (always): "Hat=3"`)
	fl.BoolVar(&f.pairs, "pairs", false, "let two mono feeds share a stereo output, panned hard")
	fl.StringVar(&f.free, "free", "", "outputs to leave alone: 1 for the main one, 1-2")
	fl.IntVar(&f.spare, "spare", 0, "how many more outputs stay empty")
	fl.BoolVar(&f.usual, "usual", false, "let feeds share as they usually do, by family")
	fl.StringVar(&f.axis, "axis", string(rig.ByInstrument), "what may share first: microphone or instrument")
	fl.StringVar(&f.voices, "voices", "", "voices as feeds: own, mic or each")
	fl.StringVar(&f.parts, "parts", "", "parts as feeds: own, mic or each")
	fl.BoolVar(&f.ladder, "ladder", false, "list the cost, and what shares, for every number of outputs")
	fl.BoolVar(&f.json, "json", false, "print JSON")
	return c
}

// asked reads the flags; its errors are mistakes in the call.
func (f proposeFlags) asked() (a app.ProposalRequest, err error) {
	if f.outputs != "" {
		if a.Outputs, err = rig.ParseRuns(f.outputs); err != nil {
			return a, err
		}
	}
	if a.Host.Taken, err = plan.ParseRanges(f.taken); err != nil {
		return a, fmt.Errorf("--taken: %w", err)
	}
	if a.Free, err = plan.ParseRanges(f.free); err != nil {
		return a, fmt.Errorf("--free: %w", err)
	}
	if a.Spare, a.AsUsual = f.spare, f.usual; f.spare < 0 {
		return a, fmt.Errorf("--spare counts outputs, 0 or more")
	}
	if f.firstLane < 1 || f.laneLimit < 0 || f.block < 0 || f.ports < 0 {
		return a, fmt.Errorf("lanes, blocks and ports count from 1")
	}
	a.Host.LaneLimit, a.Host.FirstLane, a.Host.BlockSize = plan.LaneNumber(f.laneLimit), plan.LaneNumber(f.firstLane),
		plan.LaneNumber(f.block)
	a.Ports, a.Offset, a.Pairs, a.Bus = f.ports, f.offset, f.pairs, f.bus
	a.Together, a.Apart = nameLists(f.together), nameLists(f.apart)
	for _, l := range [][]string{f.park, f.off, f.fold} {
		for _, s := range l {
			if strings.TrimSpace(s) == "" {
				return a, fmt.Errorf("a feed's name is missing")
			}
		}
	}
	a.Park, a.Off, a.Fold = slices.Concat(nameLists(f.park)...), slices.Concat(nameLists(f.off)...),
		slices.Concat(nameLists(f.fold)...)
	a.Pins, a.OwnOutputs = map[string]plan.Jack{}, map[string]int{}
	for _, p := range f.pins {
		name, to, ok := cutLast(p)
		number, side, err := rig.ParseLabel(to)
		if !ok || err != nil {
			return a, fmt.Errorf("--pin %q: write a feed and its output, such as \"Kick In=1\" or \"Shaker=6L\"", p)
		}
		a.Pins[name] = plan.Jack{Output: number, Side: side}
	}
	for _, w := range f.wishes {
		name, to, ok := cutLast(w)
		n, err := strconv.Atoi(strings.TrimSpace(to))
		if !ok || err != nil || n < 0 || n > house.Never {
			return a, fmt.Errorf("--wish %q: write a feed and a number from 0 to 3, such as \"Hat=3\"", w)
		}
		a.OwnOutputs[name] = n
	}
	a.View.Axis, a.View.Voices, a.View.Parts = rig.Axis(f.axis), rig.Mode(f.voices), rig.Mode(f.parts)
	if a.View.Axis != rig.ByInstrument && a.View.Axis != rig.ByMicrophone {
		return a, fmt.Errorf("--axis is microphone or instrument")
	}
	for _, m := range []rig.Mode{a.View.Voices, a.View.Parts} {
		if !slices.Contains(rig.Modes, m) {
			return a, fmt.Errorf("feeds are made by own, mic or each, not %q", m)
		}
	}
	return a, nil
}

func nameLists(ss []string) (out [][]string) {
	for _, s := range ss {
		out = append(out, strings.Split(s, ","))
	}
	return out
}

// cutLast cuts at the last "=", for names may hold one.
func cutLast(s string) (before, after string, ok bool) {
	i := strings.LastIndexByte(s, '=')
	if i < 1 {
		return s, "", false
	}
	return strings.TrimSpace(s[:i]), s[i+1:], true
}

func proposeFor(cmd *cobra.Command, path string, f proposeFlags) error {
	if f.instrument == "" || f.outputs == "" && f.ports == 0 {
		return usageError{fmt.Errorf("propose needs --instrument, and --outputs or --ports; usage: %s", cmd.UseLine())}
	}
	asked, err := f.asked()
	if err != nil {
		return usageError{err}
	}
	asked.NoBus = cmd.Flags().Changed("bus") && f.bus == ""
	content, err := readFile(cmd.Context(), path)
	if err != nil {
		return err
	}
	in, err := content.Find(f.instrument)
	if err != nil {
		return err
	}
	if f.song != "" {
		song, err := readFile(cmd.Context(), f.song)
		if err != nil {
			return err
		}
		if song.Song == nil {
			return fmt.Errorf("reading %s: this is an instrument, not a song", f.song)
		}
		asked.Song = app.PlanSong(f.song, song.Song)
	}
	pr, err := app.Propose(in, asked)
	if err != nil {
		return err
	}
	if f.ladder {
		steps, err := pr.Ladder()
		if err != nil {
			return err
		}
		if f.json {
			return printJSON(cmd.OutOrStdout(), app.ReportLadder(steps))
		}
		return printLadder(cmd.OutOrStdout(), steps)
	}
	report := app.ReportProposal(pr, f.offset)
	if f.json {
		return printJSON(cmd.OutOrStdout(), report)
	}
	return printProposal(cmd.OutOrStdout(), report)
}

func printLadder(w io.Writer, steps []propose.Step) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprintln(t, "OUTPUTS\tCOST\tSHARE")
	for _, s := range steps {
		cost := "-"
		if s.Possible {
			cost = fmt.Sprint(s.Cost)
		}
		fmt.Fprintf(t, "%d\t%s\t%s\n", s.Outputs, cost, strings.Join(s.Shares(), "; "))
	}
	return t.Flush()
}

func printProposal(w io.Writer, r app.ProposalReport) error {
	t := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	fmt.Fprintln(t, "LANE\tNAME\tOUTPUT\tPORTS\tBUS\tFEEDS")
	for _, o := range r.Outputs {
		var feeds []string
		for _, f := range o.Feeds {
			feeds = append(feeds, f.Name)
		}
		fmt.Fprintf(t, "%d\t%s\t%s\t%s\t%s\t%s\n", o.Lane, o.Name, fmt.Sprint(o.Number)+string(o.Side), portList(o.Ports),
			o.Bus, strings.Join(feeds, ", "))
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
