package app

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/app/command"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Do carries a command out, and tells what came of it, or "". A refusal names the field at fault
// where the command knows it.
func (a *App) Do(ctx context.Context, at command.Target, s *command.Spec, v command.Value) (said string, err error) {
	at.Seen = s.Seen
	switch {
	case s.Asks() == nil:
		err = a.doEdit(ctx, at, v)
		if tells, ok := v.(interface{ Said() string }); ok {
			said = tells.Said()
		}
	case s.Apart:
		said, err = s.Run(ctx, at, a, v)
	default:
		err = a.asOne(ctx, func(a *App) error {
			said, err = s.Run(ctx, at, a, v)
			return err
		})
	}
	if err != nil {
		return "", blamed(s, err)
	}
	return said, nil
}

// doEdit carries a command out that is an edit of its document.
func (a *App) doEdit(ctx context.Context, at command.Target, v command.Value) error {
	if c, ok := v.(command.ProjectEdit); ok {
		return a.EditAt(ctx, at, c.Edit())
	}
	naming, err := a.Naming(ctx)
	if err != nil {
		return err
	}
	switch c := v.(type) {
	case command.InstrumentEdit:
		_, err = a.EditInstrument(ctx, at.ID, at.Base, c.Edit(naming))
		return err
	case command.ChartEdit:
		return a.EditChart(ctx, at.Base, c.Edit(naming))
	}
	return fmt.Errorf("%T is not a command", v)
}

// EditAt carries an edit of a project out, on the newest state or, where the target says so, only
// on the one that the user has seen.
func (a *App) EditAt(ctx context.Context, at command.Target, edit plan.Edit) error {
	do := a.Edit
	if at.Seen {
		do = a.EditSeen
	}
	_, err := do(ctx, at.ID, at.Base, edit)
	return err
}

// blamed leaves errors alone that no field of a form is to blame for.
func blamed(s *command.Spec, err error) error {
	var stale *StaleError
	var previewed *PreviewedError
	if err == nil || errors.As(err, &stale) || errors.As(err, &previewed) || errors.Is(err, ErrNotFound) {
		return err
	}
	return s.Blamed(err)
}

// UsedRoles lists the roles that the lanes of projects carry.
func (a *App) UsedRoles(ctx context.Context) ([]role.Role, error) {
	lib, err := a.Library(ctx)
	if err != nil {
		return nil, err
	}
	return slices.Collect(maps.Keys(lib.Used())), nil
}

// PlacedIn gives an instrument of a project.
func (a *App) PlacedIn(ctx context.Context, project int64, placed string) (*plan.Placed, error) {
	p, err := a.Project(ctx, project)
	if err != nil {
		return nil, err
	}
	if pl := p.Plan.Find(placed); pl != nil {
		return pl, nil
	}
	return nil, errors.New("that instrument is not in this project")
}

// PlaceFromShelf is the edit that puts an instrument of the shelf into a project.
func (a *App) PlaceFromShelf(ctx context.Context, instrument int64, runs []rig.Run, first rig.Port,
	offset int, start string) (plan.Edit, error) {
	return a.place(ctx, Choice{Instrument: instrument, Setup: Setup{Outputs: runs, FirstPort: first, Offset: offset,
		Start: StartChoice(start)}})
}

// SetupNamed gives a kept output set-up.
func (a *App) SetupNamed(ctx context.Context, name string) (runs []rig.Run, first rig.Port, err error) {
	all, err := a.Setups(ctx)
	if err != nil {
		return nil, 0, err
	}
	for _, x := range all {
		if x.Name == name {
			runs, err := rig.ParseRuns(x.Outputs)
			return runs, x.First, err
		}
	}
	return nil, 0, errors.New("that set-up is no longer kept; choose another")
}

// LayoutNamed gives a layout that can be applied to an instrument of a project.
func (a *App) LayoutNamed(ctx context.Context, pl *plan.Placed, name string) (rig.Layout, error) {
	all, err := a.Layouts(ctx, pl)
	if err != nil {
		return rig.Layout{}, err
	}
	for _, l := range all {
		if l.Name == name {
			return l, nil
		}
	}
	return rig.Layout{}, errors.New("that layout is no longer kept; choose another")
}

// UseOwnProfile keeps a kind of host that the user describes, and plans a project for it.
func (a *App) UseOwnProfile(ctx context.Context, at command.Target, p rig.Profile) error {
	return a.asOne(ctx, func(a *App) error {
		if err := a.KeepProfile(ctx, p); err != nil {
			return err
		}
		_, err := a.Edit(ctx, at.ID, at.Base, edits.SetProfile(p))
		return err
	})
}

// KeepSetupOf keeps how an instrument of a project is set up, under a name; usual makes it
// the default.
func (a *App) KeepSetupOf(ctx context.Context, at command.Target, placed, name string, usual bool) error {
	pl, err := a.PlacedIn(ctx, at.ID, placed)
	if err != nil {
		return err
	}
	if len(pl.Outputs) == 0 {
		return errors.New("there are no outputs to keep")
	}
	x, err := NewSetup(name, pl.Variant, rig.Runs(pl.Outputs), pl.Outputs[0].First, usual)
	if err != nil {
		return err
	}
	return a.KeepSetup(ctx, x)
}

// NewSetup is an output set-up with a name to keep it by.
func NewSetup(name, variant string, runs []rig.Run, first rig.Port, usual bool) (x KeptSetup, err error) {
	x = KeptSetup{Variant: rig.CleanName(variant), Outputs: rig.FormatRuns(runs), First: first, Default: usual}
	if x.Name, err = rig.ParseName("a set-up", name); err == nil && x.Variant != "" {
		x.Variant, err = rig.ParseName("a version", x.Variant)
	}
	return x, err
}

// Replace puts an instrument of the shelf in the place of one of a project, with the song
// where it is to follow.
func (a *App) Replace(ctx context.Context, at command.Target, r command.Replacement) error {
	fates, err := ReadFates(r.Keys)
	if err != nil {
		return err
	}
	channels, err := ReadChannels(r.Channels)
	if err != nil {
		return &command.Fault{Field: "channel", Err: err}
	}
	_, err = a.AcceptReplacement(ctx, at.ID, at.Base, r.Placed, r.To, ReadPairs(r.Hand),
		SongFate{Follow: r.Song == command.FollowSong, Fates: fates, Channels: channels})
	return err
}

// NoPartner says of a feed that nothing takes its place, DropKey of a key that its notes
// are left out.
const (
	NoPartner = "none"
	DropKey   = "drop"
)

// ReadPairs reads the user's own pairs of feeds, as forms name them: a feed's ID, or
// NoPartner; what is empty is left to the matching.
func ReadPairs(typed map[string]string) map[string]string {
	out := map[string]string{}
	for id, to := range typed {
		switch to {
		case "":
		case NoPartner:
			out[id] = ""
		default:
			out[id] = to
		}
	}
	return out
}

// ReadFates reads what becomes of keys, as forms name it: DropKey, or the key that plays
// them; what is empty is left to the map.
func ReadFates(typed map[string]string) (map[midi.Key]carry.Fate, error) {
	out := map[midi.Key]carry.Fate{}
	for text, to := range typed {
		if to == "" {
			continue
		}
		key, err := readKey(text)
		if err != nil {
			return nil, err
		}
		fate := carry.Fate{Drop: to == DropKey}
		if !fate.Drop {
			if fate.To, err = readKey(to); err != nil {
				return nil, err
			}
		}
		out[key] = fate
	}
	return out, nil
}

func readKey(text string) (midi.Key, error) {
	key, err := strconv.Atoi(strings.TrimSpace(text))
	if err != nil || key < 0 || key > 127 {
		return 0, fmt.Errorf("%q is not a key; type a number from 0 to 127", text)
	}
	return midi.Key(key), nil
}
