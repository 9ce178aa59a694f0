package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"time"

	"hiddenlanes/app/command"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
	"hiddenlanes/format/namelist"
	"hiddenlanes/internal/fault"
	"hiddenlanes/store"
)

// App is the use cases over one store.
type App struct {
	store  *store.Unit // a transaction, in an App that asOne gave
	db     *store.Store
	dir    string // the data folder
	now    func() time.Time
	memory *memory // of the library
	sample Sample  // a sample world to look around in; nil: none
}

// Options are how the user's data is opened; the zero value is right for people.
type Options = store.Options

// Open opens the user's data in a folder, which must exist.
func Open(ctx context.Context, dir string, o Options) (*App, error) {
	if err := notLost(dir); err != nil {
		return nil, err
	}
	return openAnew(ctx, dir, o)
}

// openAnew is Open for a folder that may have lost its data file.
func openAnew(ctx context.Context, dir string, o Options) (*App, error) {
	s, err := store.Open(ctx, filepath.Join(dir, DataFile), derivation, o)
	if err != nil {
		return nil, sayBackups(dir, err)
	}
	return &App{store: s.Unit, db: s, dir: dir, now: time.Now, memory: &memory{}}, nil
}

// DataFile is the database in the data folder.
const DataFile = "hiddenlanes.db"

// HasData reports whether a folder has data, or backups of it.
func HasData(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, DataFile))
	backups, _ := backupsIn(dir)
	return err == nil || len(backups) > 0
}

// notLost refuses a folder that has backups and no data file: beginning again there would look as
// if all was gone.
func notLost(dir string) error {
	if _, err := os.Stat(filepath.Join(dir, DataFile)); !errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	all, err := backupsIn(dir)
	if err != nil || len(all) == 0 {
		return err
	}
	return &fault.Error{Kind: fault.Storage, Say: fmt.Sprintf("the data file %s is missing, and there are backups of it. "+
		"Restore the last with: hiddenlanes restore --data %s %s. To start without the data, open a new folder with --data",
		filepath.Join(dir, DataFile), dir, filepath.Join(dir, BackupsFolder, all[0].Name))}
}

// sayBackups names the last backup where the data file cannot be opened because it is damaged.
func sayBackups(dir string, err error) error {
	var f *fault.Error
	all, _ := backupsIn(dir)
	if !errors.As(err, &f) || !store.IsBroken(err) || len(all) == 0 {
		return err
	}
	said := *f
	said.Say += fmt.Sprintf(". The last backup is of %s; restore it with: hiddenlanes restore --data %s %s",
		all[0].Made.Format("2006-01-02 15:04"), dir, filepath.Join(dir, BackupsFolder, all[0].Name))
	return &said
}

// asOne makes one transaction of all that do changes by the App it is given: all of it or
// nothing. What is read there sees the changes, so nothing of it is remembered.
func (a *App) asOne(ctx context.Context, do func(a *App) error) error {
	return a.store.AsOne(ctx, func(u *store.Unit) error { return do(a.within(u)) })
}

// within is the App whose reads and changes are those of a transaction.
func (a *App) within(u *store.Unit) *App {
	return &App{store: u, db: a.db, dir: a.dir, now: a.now, memory: &memory{}, sample: a.sample}
}

// Imported tells what an import brought.
type Imported struct {
	Instruments []rig.Instrument
	IDs         []int64
	Added       int // of the instruments, those that were not on the shelf yet
	Warnings    []string
}

// ImportInstruments reads an instrument file as a stream and puts what it holds
// on the shelf. A file that is refused leaves no trace.
func (a *App) ImportInstruments(ctx context.Context, r io.Reader, name string) (*Imported, error) {
	naming, err := a.Naming(ctx)
	if err != nil {
		return nil, err
	}
	c, err := Read(ctx, r, name, naming, format.Instruments)
	if err != nil {
		return nil, err
	}
	return a.Import(ctx, c, name)
}

// ListInstrument puts an instrument on the shelf that is written down as a list of names, as
// package namelist reads it.
func (a *App) ListInstrument(ctx context.Context, name, list string) (*Imported, error) {
	naming, err := a.Naming(ctx)
	if err != nil {
		return nil, err
	}
	if name = strings.TrimSpace(name); name == "" {
		return nil, errors.New("the name is empty; say what the instrument is called")
	}
	if strings.TrimSpace(list) == "" { // from nothing: its tables are filled in on its page
		return a.Import(ctx, &Content{Instruments: []rig.Instrument{{Name: rig.ShortName(name), Origin: "typed"}}}, name)
	}
	in, warnings, err := namelist.Decode(strings.NewReader(list), rig.CleanName(name), naming)
	if err != nil {
		return nil, err
	}
	return a.Import(ctx, &Content{Instruments: []rig.Instrument{*in}, Warnings: warnings}, name)
}

// Listed and ListStart are what a line of a list of names is read as, and a list to begin from.
type (
	Listed    = namelist.Named
	ListStart = namelist.Template
)

// ListStarts are the lists to begin from, with the usual names of a kind of instrument.
func ListStarts() []ListStart { return namelist.Starts }

// ReadList tells what the lines of a list of names are read as.
func (a *App) ReadList(ctx context.Context, list string) ([]Listed, error) {
	naming, err := a.Naming(ctx)
	if err != nil {
		return nil, err
	}
	return namelist.Read(strings.NewReader(list), naming)
}

// Import puts what a file or folder holds on the shelf, with the roles that the
// user has told for spellings.
func (a *App) Import(ctx context.Context, c *Content, name string) (*Imported, error) {
	told, err := a.store.Spellings(ctx)
	if err != nil {
		return nil, err
	}
	var ins []store.NewInstrument
	for i := range c.Instruments {
		in := c.Instruments[i]
		for j, v := range in.Voices {
			if r, ok := told[Spelling(v.Name)]; ok {
				in.Voices[j].Role, in.Voices[j].Sure = r, role.Told
			}
		}
		n := store.NewInstrument{Rig: in}
		if i < len(c.Sources) {
			n.Source = (*store.Source)(c.Sources[i])
		}
		ins = append(ins, n)
	}
	ids, added, err := a.store.AddInstruments(ctx, ins)
	if err != nil {
		return nil, err
	}
	return &Imported{c.Instruments, ids, added, c.Warnings}, nil
}

// Choice is one instrument chosen for a new project, with its outputs.
type Choice struct {
	Instrument int64
	Setup
}

// Setup is how an instrument's outputs are set up.
type Setup struct {
	Outputs   []rig.Run
	FirstPort rig.Port
	Offset    int         // host port = instrument port + offset
	Variant   string      // the version that is loaded
	Start     StartChoice // the state it is loaded in
}

// StartChoice is the state that an instrument is loaded in, where it is added.
type StartChoice string

// The starts that can be said of any instrument; LayoutStart is one of a layout.
const (
	UsualStart StartChoice = ""          // with the default of this machine where one is saved, else as delivered
	Delivered  StartChoice = "delivered" // although a default is saved
	SavedStart StartChoice = "saved"     // as it was saved with the project
)

// LayoutStart is the start in a layout of the instrument, by its name.
func LayoutStart(name string) StartChoice { return StartChoice(plan.LayoutKey(name)) }

// edit is what the start changes of the instrument that was added last, with the layouts it has.
func (s StartChoice) edit(add plan.Edit, layouts []rig.Layout) (plan.Edit, error) {
	kind := plan.AsDelivered
	switch s {
	case UsualStart:
		return add, nil
	case Delivered:
	case SavedStart:
		kind = plan.FromSaved
	default:
		of, ok := plan.LayoutOf(string(s))
		if !ok {
			return nil, fmt.Errorf("an instrument starts as usual, as delivered, as saved or in a layout, not %q", string(s))
		}
		return func(p *plan.Project) (string, error) {
			label, err := add(p)
			if err != nil {
				return "", err
			}
			_, err = edits.BeginIn(p.Placed[len(p.Placed)-1].ID, of, layouts)(p)
			return label, err
		}, nil
	}
	return func(p *plan.Project) (string, error) {
		label, err := add(p)
		if err != nil {
			return "", err
		}
		_, err = edits.SetStart(p.Placed[len(p.Placed)-1].ID, kind, "", layouts)(p)
		return label, err
	}, nil
}

// NewProject is what the user says to begin a project.
type NewProject struct {
	Name        string
	Host        plan.Host // where it begins from nothing
	Choices     []Choice
	From        int64 // the project or template it begins from; 0: nothing
	Instruments bool  // the instruments of that one come along; else its lanes wait, empty
}

// Create makes a project with its instruments placed and nothing decided yet.
func (a *App) Create(ctx context.Context, n NewProject) (int64, error) {
	p := &plan.Project{}
	var was []plan.Placed // of the project that it begins from
	if n.From != 0 {
		from, err := a.Project(ctx, n.From)
		if err != nil {
			return 0, err
		}
		p = from.Plan.Copy(from.Plan.Name)
		p.Song = nil // it has one of its own
		was = from.Plan.Placed
		if !n.Instruments {
			p = from.Plan.Template()
		} else if err := a.startAsNow(ctx, p); err != nil {
			return 0, err
		}
	} else {
		chart, err := a.HouseVersion(ctx, 0)
		if err != nil {
			return 0, err
		}
		if chart != nil {
			p.Chart = chart
		}
		if p.Host, err = a.NextHost(ctx); err != nil {
			return 0, err
		}
	}
	if _, err := edits.Rename(n.Name)(p); err != nil {
		return 0, &command.Fault{Field: "name", Err: err}
	}
	if n.From == 0 && !reflect.DeepEqual(n.Host, plan.Host{}) {
		if _, err := edits.SetHost(n.Host)(p); err != nil {
			return 0, err
		}
	}
	for _, c := range n.Choices {
		place, err := a.place(ctx, c)
		if err != nil {
			return 0, err
		}
		if _, err := place(p); err != nil {
			return 0, err
		}
		keepID(p, c.Instrument, was)
	}
	return a.store.CreateProject(ctx, p)
}

// keepID gives the instrument that was added last the ID that the same one had in the project that this
// one begins from: a template of the host knows it by that.
func keepID(p *plan.Project, shelf int64, was []plan.Placed) {
	at := -1
	for i := range p.Placed {
		known := slices.ContainsFunc(was, func(x plan.Placed) bool { return x.ID == p.Placed[i].ID })
		if p.Placed[i].Shelf == shelf && !known {
			at = i
		}
	}
	for _, old := range was {
		if at >= 0 && old.Shelf == shelf && p.Find(old.ID) == nil {
			p.Placed[at].ID = old.ID
			return
		}
	}
}

// startAsNow lets the instruments of a project start with the defaults that are saved on this machine now.
func (a *App) startAsNow(ctx context.Context, p *plan.Project) error {
	for i := range p.Placed {
		pl := &p.Placed[i]
		if pl.Shelf == 0 {
			continue
		}
		in, err := a.Instrument(ctx, pl.Shelf)
		if errors.Is(err, store.ErrNotFound) {
			continue
		}
		if err != nil {
			return err
		}
		pl.Instrument.SavedDefaults = in.Rig.SavedDefaults
		edits.StartAsUsual(pl)
	}
	return nil
}

// NextHost is the host that a new project is planned for: of the kind of the project that was changed
// last.
func (a *App) NextHost(ctx context.Context) (h plan.Host, err error) {
	h.FirstLane = 1
	rows, err := a.Projects(ctx)
	if err != nil || len(rows) == 0 {
		return h, err
	}
	last, err := a.Project(ctx, rows[0].ID) // they come in that order
	if err != nil || last.Plan.Host.Profile.Name == "" {
		return h, err
	}
	p := &plan.Project{Host: h}
	_, err = edits.SetProfile(last.Plan.Host.Profile)(p)
	return p.Host, err
}

// Duplicate makes a project like another one, at work, under a name of its own.
func (a *App) Duplicate(ctx context.Context, project int64) (int64, error) {
	var id int64
	err := a.asOne(ctx, func(a *App) error {
		p, err := a.Project(ctx, project)
		if err != nil {
			return err
		}
		rows, err := a.Projects(ctx)
		if err != nil {
			return err
		}
		taken := map[string]bool{}
		for _, r := range rows {
			taken[r.Name] = true
		}
		id, err = a.store.CreateProject(ctx, p.Plan.Copy(plan.Unique(p.Plan.Name, taken)))
		return err
	})
	return id, err
}

func (a *App) place(ctx context.Context, c Choice) (plan.Edit, error) {
	in, err := a.Instrument(ctx, c.Instrument)
	if errors.Is(err, store.ErrNotFound) {
		return nil, fmt.Errorf("that instrument is no longer on the shelf; choose another")
	}
	if err != nil {
		return nil, err
	}
	def, err := a.DefaultSetup(ctx, c.Variant)
	if err != nil {
		return nil, err
	}
	runs, first := c.Outputs, c.FirstPort
	if len(runs) == 0 {
		runs = in.Rig.LoadedOutputs(c.Variant)
	}
	if len(runs) == 0 && def != nil {
		if runs, err = rig.ParseRuns(def.Outputs); err != nil {
			return nil, err
		}
		first = cmp.Or(first, def.First)
	}
	first = max(first, 1)
	if in.Rig.Fixed && !slices.Equal(runs, in.Rig.Delivered) {
		return nil, fmt.Errorf("%s has fixed outputs, %s; they are fixed", in.Name,
			rig.FormatRuns(in.Rig.Delivered))
	}
	own := len(in.Rig.Delivered) > 0 && slices.Equal(runs, in.Rig.Delivered)
	if len(runs) == 0 {
		return nil, fmt.Errorf("how many outputs %s has is unknown, and no set-up is the default; "+
			"type them, for example 10x2", in.Name)
	}
	from := plan.Shelved{Shelf: c.Instrument, Variant: c.Variant, Own: own, Fresh: c.Start != UsualStart}
	if def != nil {
		from.Default = def.Outputs
	}
	add, err := c.Start.edit(edits.AddFromShelf(from, in.Rig, rig.Lay(runs, first), c.Offset), in.Rig.Layouts)
	if err != nil {
		return nil, err
	}
	return edits.InScoreOrder(add), nil
}

// Accept works the proposal out again and accepts the selected parts, as one
// revision. base is the revision the proposal was shown for.
func (a *App) Accept(ctx context.Context, project, base int64, o propose.Options,
	choose func(*propose.Proposal) propose.Selection) (*Project, error) {
	return a.EditSeen(ctx, project, base, propose.Accept(o, choose))
}
