package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"hiddenlanes/app/command"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
	"hiddenlanes/format/sfz"
	"hiddenlanes/store"
)

// Spelling is what a correction of a role is remembered by: the words of a name,
// without what tells two of a kind apart.
func Spelling(name string) string { return strings.Join(role.Tokens(name), " ") }

// SetCells types values into a table of an instrument as one change. Where it
// tells the role of a voice, that is remembered for the spelling.
func (a *App) SetCells(ctx context.Context, id, base int64, table string, cells []tabular.Cell) error {
	naming, err := a.Naming(ctx)
	if err != nil {
		return err
	}
	return a.asOne(ctx, func(a *App) error {
		in, err := a.EditInstrument(ctx, id, base, rig.SetCells(table, cells, naming))
		if err != nil || table != "voices" {
			return err
		}
		for _, c := range cells {
			for _, v := range in.Rig.Voices {
				if c.Column == "role" && v.ID == c.Row {
					if err := a.store.RememberRole(ctx, Spelling(v.Name), v.Role); err != nil {
						return err
					}
				}
			}
		}
		return nil
	})
}

// Elsewhere counts the other voices on the shelf that are spelled alike and have
// another role.
func (a *App) Elsewhere(ctx context.Context, name string, r role.Role) (instruments, voices int, err error) {
	spelling := Spelling(name)
	rows, err := a.Shelf(ctx)
	if err != nil {
		return 0, 0, err
	}
	for _, row := range rows {
		if !holds(row.Words, spelling) {
			continue
		}
		in, err := a.Instrument(ctx, row.ID)
		if err != nil {
			return 0, 0, err
		}
		n := 0
		for _, v := range in.Rig.Voices {
			if Spelling(v.Name) == spelling && v.Role != r {
				n++
			}
		}
		if n > 0 {
			instruments, voices = instruments+1, voices+n
		}
	}
	return instruments, voices, nil
}

// holds tells cheaply whether an instrument may have a voice of the spelling.
func holds(words, spelling string) bool {
	return !slices.ContainsFunc(strings.Fields(spelling), func(w string) bool { return !strings.Contains(words, w) })
}

// ApplySpelling gives every voice on the shelf that is spelled so the role
// remembered for it.
func (a *App) ApplySpelling(ctx context.Context, spelling string) (changed int, err error) {
	told, err := a.store.Spellings(ctx)
	if err != nil {
		return 0, err
	}
	r, ok := told[spelling]
	if !ok {
		return 0, fmt.Errorf("no role is set for %q", spelling)
	}
	first, _, _ := strings.Cut(spelling, " ")
	return a.store.EditShelf(ctx, first, func(in *rig.Instrument) (string, error) {
		n := 0
		for i, v := range in.Voices {
			if Spelling(v.Name) == spelling && v.Role != r {
				in.Voices[i].Role, in.Voices[i].Sure = r, role.Told
				n++
			}
		}
		if n == 0 {
			return "", store.ErrUnchanged
		}
		return fmt.Sprintf("use %q for %s", spelling, r), nil
	})
}

// KeepLayout keeps how an instrument is laid out in a project among the layouts
// of the instrument on the shelf, and in the project's copy, with the name, the kit and the
// origin of the one that is given.
func (a *App) KeepLayout(ctx context.Context, project, base int64, as rig.Layout, placed string) error {
	return a.asOne(ctx, func(a *App) error {
		p, err := a.Project(ctx, project)
		if err != nil {
			return err
		}
		pl := p.Plan.Find(placed)
		if pl == nil {
			return fmt.Errorf("that instrument is not in this project")
		}
		layout := pl.Layout(as.Name)
		layout.Kit, layout.Factory = rig.ShortName(rig.CleanName(as.Kit)), as.Factory
		keep := rig.SetLayout(layout)
		_, err = a.EditSeen(ctx, project, base,
			func(p *plan.Project) (string, error) { return keep(&p.Find(placed).Instrument) })
		if err != nil {
			return err
		}
		return a.editOnShelf(ctx, pl, keep)
	})
}

// NoteStep keeps the user's note for a kind of step in an instrument: in the project, and on the
// shelf for every other.
func (a *App) NoteStep(ctx context.Context, at command.Target, placed string, kind rig.StepKind, note string) error {
	keep := rig.SetStepNotes(map[rig.StepKind]string{kind: note})
	return a.asOne(ctx, func(a *App) error {
		p, err := a.Edit(ctx, at.ID, at.Base, edits.SetInside(placed, keep))
		if err != nil {
			return err
		}
		return a.editOnShelf(ctx, p.Plan.Find(placed), keep)
	})
}

// editOnShelf edits the instrument of the shelf that one of a project is a copy of, if it still
// is there.
func (a *App) editOnShelf(ctx context.Context, pl *plan.Placed, edit rig.Edit) error {
	if pl == nil || pl.Shelf == 0 {
		return nil
	}
	in, err := a.Instrument(ctx, pl.Shelf)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	_, err = a.EditInstrument(ctx, pl.Shelf, in.Revision, edit)
	return err
}

// Layouts lists the layouts that can be applied to an instrument in a project:
// those of its copy and those kept on the shelf since.
func (a *App) Layouts(ctx context.Context, pl *plan.Placed) ([]rig.Layout, error) {
	out := slices.Clone(pl.Instrument.Layouts)
	if pl.Shelf == 0 {
		return out, nil
	}
	in, err := a.Instrument(ctx, pl.Shelf)
	if err != nil {
		return out, err
	}
	for _, l := range in.Rig.Layouts {
		if i := slices.IndexFunc(out, func(x rig.Layout) bool { return strings.EqualFold(x.Name, l.Name) }); i >= 0 {
			out[i] = l
		} else {
			out = append(out, l)
		}
	}
	return out, nil
}

// DefaultSetup is the set-up that a user has made the default for a plug-in
// format, or for any.
func (a *App) DefaultSetup(ctx context.Context, variant string) (*store.Setup, error) {
	all, err := a.Setups(ctx)
	if err != nil {
		return nil, err
	}
	var found *store.Setup
	for i, s := range all {
		if s.Default && (s.Variant == variant || s.Variant == "" && found == nil) {
			found = &all[i]
		}
	}
	return found, nil
}

// Routed is an SFZ instrument with its outputs set as a project plans them.
type Routed struct {
	Name string // of the file: .sfz where it is one text, else .zip
	Data []byte
	Left []string // feeds whose regions keep their output, and why
}

// sourcesOf lists what in the instrument leaves with a feed, by IDs; none for what has no regions.
func sourcesOf(pl *plan.Placed, feed rig.Feed) (ids []string) {
	switch feed.Kind {
	case rig.VoiceFeed:
		ids = []string{feed.Voice}
		for _, v := range pl.Instrument.Voices { // what shares its slot leaves with it
			for _, lead := range pl.Instrument.Voices {
				if lead.ID == feed.Voice && v.Slot != 0 && v.Slot == lead.Slot && v.ID != lead.ID {
					ids = append(ids, v.ID)
				}
			}
		}
	case rig.PartFeed:
		ids = []string{feed.Part}
	case rig.MicrophoneFeed:
		ids = []string{feed.Microphone}
	}
	return ids
}

// RouteSFZ writes the SFZ an instrument was read from with the output opcodes as
// planned and every other byte as it was.
func (a *App) RouteSFZ(ctx context.Context, pl *plan.Placed) (*Routed, error) {
	src, err := a.store.SourceOf(ctx, pl.Shelf)
	if err != nil || src.Format != sfzName {
		return nil, fmt.Errorf("%s was not read from an SFZ file, so there is none to write", pl.Instrument.Name)
	}
	z, err := sfz.Unpack(src.Data)
	if err != nil {
		return nil, err
	}
	f, err := sfz.Decode(ctx, z, src.Main)
	if err != nil {
		return nil, err
	}
	_, regions := f.Rig(pl.Instrument.Name)
	out := &Routed{}
	outputs := map[int]int{}
	for _, feed := range pl.AllFeeds() {
		at, ids := pl.Feeds[feed.ID], sourcesOf(pl, feed)
		switch {
		case at.State != plan.Assigned && at.State != plan.Parked:
			out.Left = append(out.Left, feed.Name+" goes nowhere")
			continue
		case at.Side != "":
			out.Left = append(out.Left, feed.Name+" needs its pan set as well")
		case len(ids) == 0:
			out.Left = append(out.Left, feed.Name+" is not a voice")
		}
		for _, id := range ids {
			for _, r := range regions[id] {
				outputs[r] = at.Output - 1
			}
		}
	}
	texts, err := f.Route(outputs)
	if err != nil {
		return nil, err
	}
	if len(texts) == 1 {
		out.Name, out.Data = strings.TrimSuffix(path.Base(src.Main), ".sfz")+".sfz", texts[0].Data
		if src.Main == "main.sfz" {
			out.Name = pl.Instrument.Name + ".sfz"
		}
		return out, nil
	}
	var b bytes.Buffer
	if err := sfz.Pack(&b, texts); err != nil {
		return nil, err
	}
	out.Name, out.Data = pl.Instrument.Name+".zip", b.Bytes()
	return out, nil
}

// OnShelf gives the instrument of the shelf that one of a project is a copy of, as it is now.
func (a *App) OnShelf(ctx context.Context, pl *plan.Placed) (rig.Instrument, error) {
	if pl.Shelf == 0 {
		return rig.Instrument{}, fmt.Errorf("%s did not come from the shelf", pl.Instrument.Name)
	}
	in, err := a.Instrument(ctx, pl.Shelf)
	if errors.Is(err, ErrNotFound) {
		return rig.Instrument{}, fmt.Errorf("%s is no longer on the shelf", pl.Instrument.Name)
	}
	if err != nil {
		return rig.Instrument{}, err
	}
	return in.Rig, nil
}
