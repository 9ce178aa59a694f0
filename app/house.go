package app

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"hiddenlanes/app/command"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/drift"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/format"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/words"
	"hiddenlanes/store"
)

// ReadFacts takes the facts of a session file or a project bundle. name is the file's,
// for people.
func ReadFacts(ctx context.Context, r io.Reader, name string) (*drift.Facts, error) {
	c, err := Read(ctx, r, name, midi.MiddleC3, format.Session, format.Project)
	if err != nil {
		return nil, err
	}
	if c.Bundle != nil {
		return drift.Gather(c.Bundle.Plan), nil
	}
	f := drift.Gather(sessionProject(c.Session))
	if c.Session.Title == "" {
		f.Name = format.Base(name)
	}
	return f, nil
}

// Learn works out the chart that the last projects at work (at most so many; 0: all) and
// the files given follow already, beside the house chart as it is being worked on.
func (a *App) Learn(ctx context.Context, last int, files []*drift.Facts) (*drift.Learned, error) {
	l, err := a.Library(ctx)
	if err != nil {
		return nil, err
	}
	c, err := a.Chart(ctx)
	if err != nil {
		return nil, err
	}
	naming, err := a.Naming(ctx)
	if err != nil {
		return nil, err
	}
	var all []*drift.Facts
	for _, e := range l.Find(Query{}) {
		if last > 0 && len(all) == last {
			break
		}
		all = append(all, e.Facts)
	}
	return drift.Learn(c.House, append(all, files...), naming), nil
}

// LearnedReport is what was learned as scripts read it.
type LearnedReport struct {
	Projects int                  `json:"projects"`
	Roles    []LearnedLineReport  `json:"roles"`
	Orders   []LearnedOrderReport `json:"orders"`
}

// LearnedLineReport is one thing that most projects do with a role.
type LearnedLineReport struct {
	Role     role.Role       `json:"role"`
	Field    string          `json:"field"`
	Value    string          `json:"value"`
	Agree    int             `json:"agree"`
	Of       int             `json:"of"`
	Chart    string          `json:"chart"`
	Outliers []OutlierReport `json:"outliers"`
}

// OutlierReport is what some projects do instead.
type OutlierReport struct {
	Value    string   `json:"value"`
	Projects []string `json:"projects"`
}

// LearnedOrderReport is the order of the roles right below one.
type LearnedOrderReport struct {
	Below    role.Role   `json:"below"`
	Roles    []role.Role `json:"roles"`
	Rule     string      `json:"rule"`
	Agree    int         `json:"agree"`
	Of       int         `json:"of"`
	Cost     int         `json:"cost"`
	Gap      int         `json:"gap"`
	Outliers []string    `json:"outliers"`
}

// ReportLearned sums up what was learned.
func ReportLearned(l *drift.Learned) LearnedReport {
	r := LearnedReport{Projects: l.Projects, Roles: []LearnedLineReport{}, Orders: []LearnedOrderReport{}}
	for _, x := range l.Lines {
		line := LearnedLineReport{x.Role, x.Field, x.Value, x.Agree, x.Of, x.Chart, []OutlierReport{}}
		for _, o := range x.Outliers {
			line.Outliers = append(line.Outliers, OutlierReport{o.Value, o.Projects})
		}
		r.Roles = append(r.Roles, line)
	}
	for _, o := range l.Orders {
		r.Orders = append(r.Orders, LearnedOrderReport{o.Parent, o.Roles, "Kemeny", o.Agree, o.Voters, o.Cost,
			o.Cost - o.Bound, append([]string{}, o.Outliers...)})
	}
	return r
}

// SongFate is what becomes of a project's song when an instrument is replaced.
type SongFate struct {
	Follow   bool // rewrite its keys for the new instrument
	Fates    map[midi.Key]carry.Fate
	Channels []midi.Address // to rewrite, where it is in doubt which play the instrument
}

// Replacement works out how an instrument of the shelf would take the place of one in a
// project; hand holds the user's own pairs (see carry.Match).
func (a *App) Replacement(ctx context.Context, p *plan.Project, placed string, shelf int64, hand map[string]string) (
	*carry.Replacement, error) {
	in, err := a.Instrument(ctx, shelf)
	if err != nil {
		return nil, err
	}
	return carry.Match(p, placed, in.Rig, shelf, hand)
}

// Offer is how well an instrument of the shelf would take the place of another.
type Offer struct {
	ShelfRow
	Paired, Of int   // feeds that something takes the place of, of how many
	Emptied    int   // lanes that nothing would arrive on any longer
	New        int   // feeds that have no partner
	Distance   int64 // of the pairs, in the role tree
}

// ReplacementOffers tries instruments of the shelf in the place of one in a project, those first
// that take the place of most feeds, and of them the nearest.
func (a *App) ReplacementOffers(ctx context.Context, p *plan.Project, placed string,
	shelf []ShelfRow) ([]Offer, error) {
	var out []Offer
	for _, row := range shelf {
		s, err := a.Replacement(ctx, p, placed, row.ID, nil)
		if store.IsDamaged(err) { // the others are offered all the same
			continue
		}
		if err != nil {
			return nil, fmt.Errorf("trying %s: %w", row.Name, err)
		}
		out = append(out, Offer{row, s.Paired(), len(s.Pairs), s.Emptied(), len(s.Fresh), s.Distance})
	}
	slices.SortStableFunc(out, func(x, y Offer) int {
		return cmp.Or(y.Paired-x.Paired, cmp.Compare(x.Distance, y.Distance), x.New-y.New)
	})
	return out, nil
}

// AcceptReplacement works the replace out again and carries it out as one revision, with the song
// where it is to follow.
func (a *App) AcceptReplacement(ctx context.Context, project, base int64, placed string, shelf int64,
	hand map[string]string,
	song SongFate) (*Project, error) {
	now, err := a.Project(ctx, project)
	if err != nil {
		return nil, err
	}
	in, err := a.Instrument(ctx, shelf)
	if err != nil {
		return nil, err
	}
	replace := func(p *plan.Project) (string, error) {
		s, err := carry.Match(p, placed, in.Rig, shelf, hand)
		if err != nil {
			return "", err
		}
		return s.Edit()(p)
	}
	old := now.Plan.Find(placed)
	if !song.Follow || now.Plan.Song == nil || now.Plan.Song.ID == 0 || old == nil {
		return a.EditSeen(ctx, project, base, replace)
	}
	data, err := a.store.Song(ctx, now.Plan.Song.ID)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if _, err := Rekey(&out, data, old.Instrument, carry.MapKeys(old.Instrument, in.Rig).Rule(song.Fates,
		false), song.Channels...); err != nil {
		return nil, err
	}
	f, err := smf.Decode(bytes.NewReader(out.Bytes()))
	if err != nil {
		return nil, err
	}
	return a.store.TakeSong(ctx, project, base, *PlanSong(now.Plan.Song.Name, f), out.Bytes(), replace)
}

// ChannelsError says that nobody can tell which channels of a song to rewrite.
type ChannelsError struct{ Channels []plan.SongChannel }

func (e *ChannelsError) Error() string {
	var list []string
	for _, c := range e.Channels {
		list = append(list, fmt.Sprintf("%s (%s)", c.Address, words.Count(c.Notes(), "note", "notes")))
	}
	return "no channel of the song is the percussion channel, so it is not known which of them play the instrument: " +
		strings.Join(list, ", ") + ". Choose the channels to rewrite"
}

// Rekey writes a song again for another instrument: by a rule for keys, on the addresses
// where the instrument it was written for is played. Where that is in doubt, on those that were
// chosen; with none it refuses with a *ChannelsError.
func Rekey(w io.Writer, song []byte, from rig.Instrument, rule map[midi.Key]carry.Fate,
	chosen ...midi.Address) (*smf.Rekeyed, error) {
	f, err := smf.Decode(bytes.NewReader(song))
	if err != nil {
		return nil, err
	}
	keys := map[midi.Key]smf.NewKey{}
	for k, to := range rule {
		keys[k] = smf.NewKey{Key: to.To, Drop: to.Drop}
	}
	notes := PlanSong("", f)
	if doubt := carry.Doubt(from, notes); len(doubt) > 0 && len(chosen) == 0 {
		return nil, &ChannelsError{doubt}
	}
	return smf.Rekey(w, song, carry.Hears(from, notes, chosen...), keys)
}

// InstrumentNamed finds an instrument of the shelf by name; "gm" is the General MIDI
// percussion key map, "house" the one that the house chart gives.
func (a *App) InstrumentNamed(ctx context.Context, name string) (*Instrument, error) {
	switch strings.ToLower(strings.TrimSpace(name)) {
	case "gm":
		return &Instrument{Rig: carry.GeneralMIDI()}, nil
	case "house":
		c, err := a.HouseVersion(ctx, 0)
		if err != nil {
			return nil, err
		}
		in := carry.HouseKeys(c)
		if len(in.Voices) == 0 {
			return nil, fmt.Errorf("the house chart has no keys yet; type them on its page")
		}
		return &Instrument{Rig: in}, nil
	}
	shelf, err := a.Shelf(ctx)
	if err != nil {
		return nil, err
	}
	var names []string
	for _, row := range shelf {
		if strings.EqualFold(row.Name, strings.TrimSpace(name)) {
			return a.Instrument(ctx, row.ID)
		}
		names = append(names, row.Name)
	}
	return nil, fmt.Errorf("no instrument on the shelf is called %q; there are: %s", name, strings.Join(names, ", "))
}

// PlacedNamed finds an instrument of a project by name.
func PlacedNamed(p *plan.Project, name string) (*plan.Placed, error) {
	var names []string
	for i := range p.Placed {
		if strings.EqualFold(p.Placed[i].Instrument.Name, strings.TrimSpace(name)) {
			return &p.Placed[i], nil
		}
		names = append(names, p.Placed[i].Instrument.Name)
	}
	return nil, fmt.Errorf("no instrument of %s is called %q; it has: %s", p.Name, name, strings.Join(names, ", "))
}

// KeyReport is one key of a song that was written again, as scripts read it.
type KeyReport struct {
	Key   midi.Key `json:"key"`
	Voice string   `json:"voice"`
	To    midi.Key `json:"to"`
	On    string   `json:"on"`
	Notes int      `json:"notes"`
	Fate  string   `json:"fate"` // moved, kept, left or dropped
}

// RekeyReport tells what became of the keys that a song plays.
type RekeyReport struct {
	From      string      `json:"from"`
	To        string      `json:"to"`
	Keys      []KeyReport `json:"keys"`
	Unmatched []KeyReport `json:"unmatched"` // without a partner
}

// ReportRekey sums up a rewritten song: the keys it plays, and those of them that have
// no partner.
func ReportRekey(m *carry.KeyMap, rule map[midi.Key]carry.Fate, did *smf.Rekeyed) RekeyReport {
	r := RekeyReport{From: m.From, To: m.To, Keys: []KeyReport{}, Unmatched: []KeyReport{}}
	known := map[midi.Key]bool{}
	add := func(x KeyReport, found bool) {
		f, ok := rule[x.Key]
		x.Notes = did.Moved[x.Key] + did.Kept[x.Key] + did.Dropped[x.Key]
		switch {
		case x.Notes == 0 || known[x.Key]:
			return
		case !ok || !f.Drop && f.To == x.Key && !found:
			x.Fate, x.To = "left", x.Key
		case f.Drop:
			x.Fate = "dropped"
		case f.To == x.Key:
			x.Fate, x.To = "kept", x.Key
		default:
			x.Fate, x.To = "moved", f.To
		}
		known[x.Key] = true
		if found {
			r.Keys = append(r.Keys, x)
		} else {
			x.On = ""
			r.Unmatched = append(r.Unmatched, x)
		}
	}
	for _, k := range m.Keys {
		add(KeyReport{Key: k.Key, Voice: k.Voice, On: k.ToVoice}, k.Found)
	}
	for k := range midi.Key(128) {
		add(KeyReport{Key: k}, false)
	}
	slices.SortFunc(r.Unmatched, func(a, b KeyReport) int { return int(a.Key - b.Key) })
	return r
}

// ReplacementReport is a replace as scripts read it.
type ReplacementReport struct {
	Project  string           `json:"project"`
	From     string           `json:"from"`
	To       string           `json:"to"`
	Distance int64            `json:"distance"`
	Pairs    []PairReport     `json:"pairs"`
	Kept     []KeptReport     `json:"kept"` // lanes that stay empty
	New      []FeedPairReport `json:"new"`  // feeds without a partner
	Applied  bool             `json:"applied"`
}

// PairReport is one feed that takes another's place.
type PairReport struct {
	From     string          `json:"from"`
	Role     role.Role       `json:"role"`
	To       string          `json:"to"`
	ToRole   role.Role       `json:"toRole"`
	Lane     plan.LaneNumber `json:"lane"`
	LaneName string          `json:"laneName"`
	Distance int64           `json:"distance"`
}

// KeptReport is a feed without a partner, with the lane that is kept for it.
type KeptReport struct {
	From     string          `json:"from"`
	Role     role.Role       `json:"role"`
	Lane     plan.LaneNumber `json:"lane"`
	LaneName string          `json:"laneName"`
}

// FeedPairReport is a feed of the new instrument.
type FeedPairReport struct {
	Name string    `json:"name"`
	Role role.Role `json:"role"`
}

// ReportReplacement sums a replace up.
func ReportReplacement(project string, s *carry.Replacement) ReplacementReport {
	r := ReplacementReport{Project: project, From: s.Old.Instrument.Name, To: s.New.Instrument.Name, Distance: s.Distance,
		Pairs: []PairReport{}, Kept: []KeptReport{}, New: []FeedPairReport{}}
	for _, p := range s.Pairs {
		var number plan.LaneNumber
		name := ""
		if p.Lane != nil {
			number, name = p.Lane.Number, p.Lane.Name
		}
		if p.New == nil {
			r.Kept = append(r.Kept, KeptReport{p.Old.Name, p.Old.Role, number, name})
		} else {
			r.Pairs = append(r.Pairs, PairReport{p.Old.Name, p.Old.Role, p.New.Name, p.New.Role, number, name, p.Distance})
		}
	}
	for _, f := range s.Fresh {
		r.New = append(r.New, FeedPairReport{f.Name, f.Role})
	}
	return r
}

// WriteFile writes a file beside its place and then moves it there, so that a failure
// leaves what was there.
func WriteFile(path string, write func(io.Writer) error) error {
	out, err := os.CreateTemp(filepath.Dir(path), ".hiddenlanes-*")
	if err != nil {
		return err
	}
	defer os.Remove(out.Name())
	err = write(out)
	for _, e := range []error{out.Chmod(0o644), out.Sync(), out.Close()} {
		if err == nil {
			err = e
		}
	}
	if err != nil {
		return err
	}
	return os.Rename(out.Name(), path)
}

// OrderLanes says in which order an instrument's lanes stand and whose names they have: in the
// project, and, where that is asked for, in the house chart for the projects that come. A chart in
// which nothing else is changed is kept as its next version at once.
func (a *App) OrderLanes(ctx context.Context, at command.Target, placed string, as house.Custom, chart bool) error {
	return a.asOne(ctx, func(a *App) error {
		p, err := a.Edit(ctx, at.ID, at.Base, edits.OrderLanes(placed, as.Order, as.Names))
		if err != nil || !chart {
			return err
		}
		as.Instrument = p.Plan.Find(placed).AsDelivered().Name
		now, err := a.Chart(ctx)
		if err != nil {
			return err
		}
		last, err := a.HouseVersion(ctx, 0)
		if err != nil {
			return err
		}
		clean := house.Changes(now.House, last, midi.MiddleC3) == 0
		if err := a.EditChart(ctx, now.Revision, house.SetCustom(as)); err != nil || !clean {
			return err
		}
		if now, err = a.Chart(ctx); err != nil || house.Changes(now.House, last, midi.MiddleC3) == 0 {
			return err
		}
		_, err = a.KeepChart(ctx, now.Revision, "order and names of "+as.Instrument)
		return err
	})
}

// ReadChannels reads MIDI addresses as people write them: "1", "2:3".
func ReadChannels(typed []string) (out []midi.Address, err error) {
	for _, list := range typed {
		for one := range strings.SplitSeq(list, ",") {
			if one = strings.TrimSpace(one); one == "" {
				continue
			}
			a, err := midi.ParseAddress(one)
			if err != nil {
				return nil, err
			}
			out = append(out, a.Norm())
		}
	}
	return out, nil
}
