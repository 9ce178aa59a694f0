package app

import (
	"bytes"
	"context"
	"fmt"
	"io"

	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format"
	"hiddenlanes/format/formats"
	"hiddenlanes/format/patchsheet"
	"hiddenlanes/format/smf"
)

// SheetRow is one line of the patch sheet.
type SheetRow = patchsheet.Row

// PatchSheet makes the patch sheet of a project.
func PatchSheet(p *plan.Project) []SheetRow { return patchsheet.Rows(p) }

// ExportInstrument writes an instrument of the shelf in a format, by its name.
func (a *App) ExportInstrument(ctx context.Context, w io.Writer, in rig.Instrument, name string) error {
	naming, err := a.Naming(ctx)
	if err != nil {
		return err
	}
	f := formats.Named(name)
	if f == nil || f.Encode == nil {
		return fmt.Errorf("an instrument is not written as %q", name)
	}
	return f.Encode(w, format.Export{Instrument: &in, Naming: naming})
}

// ImportFolder puts the instruments of a folder on the shelf.
func (a *App) ImportFolder(ctx context.Context, f *Folder, name string) (*Imported, error) {
	files, err := f.Files()
	if err != nil {
		return nil, err
	}
	c, err := ReadFolder(ctx, files, name, midi.MiddleC3, format.Instruments)
	if err != nil {
		return nil, err
	}
	return a.Import(ctx, c, name)
}

// SongNotes gives a kept song as the plan sees it: its name and the notes on each address.
func (a *App) SongNotes(ctx context.Context, id int64) (*plan.Song, error) {
	data, err := a.SongFile(ctx, id)
	if err != nil {
		return nil, err
	}
	f, err := smf.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	name, err := a.SongName(ctx, id)
	return PlanSong(name, f), err
}

// WrittenAgain reports whether the file that an instrument was read from can be written
// again, routed as a project plans it.
func (a *App) WrittenAgain(ctx context.Context, pl *plan.Placed) bool {
	if pl.Shelf == 0 {
		return false
	}
	src, err := a.store.SourceOf(ctx, pl.Shelf)
	return err == nil && src.Format == sfzName
}

const sfzName = "sfz"
