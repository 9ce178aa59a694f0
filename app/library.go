package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"slices"
	"strconv"
	"strings"
	"sync"

	"hiddenlanes/core/drift"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/role"
	"hiddenlanes/format/bundle"
	"hiddenlanes/internal/fault"
	"hiddenlanes/internal/words"
	"hiddenlanes/store"
)

// Entry is a project of the library with all that questions across projects need.
type Entry struct {
	store.ProjectRow
	Facts       *drift.Facts
	Differences []drift.Difference // from the house; of projects at work
	Drift       int                // those of them that are not meant
	fromChart   []drift.Difference
	points      []drift.Point
	text, roles string // all that a search finds it by
}

// Library is every project on the list as it stands, with the house it is compared with.
type Library struct {
	Entries []*Entry // the last changed first
	House   *house.Chart
	Most    *drift.Most
}

// memory keeps the library, so that after one change only one project is read again.
type memory struct {
	mu      sync.Mutex
	library *Library
	byID    map[int64]*Entry
	version int // of the house chart that the entries were compared with
}

// forget lets the library be read again.
func (m *memory) forget() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.library, m.byID, m.version = nil, nil, 0
}

// Library gives every project on the list. What it gives is not changed later; a change
// makes a new one.
func (a *App) Library(ctx context.Context) (*Library, error) {
	m := a.memory
	m.mu.Lock()
	defer m.mu.Unlock()
	heads, err := a.store.Heads(ctx)
	if err != nil {
		return nil, err
	}
	chart, err := a.HouseVersion(ctx, 0)
	if err != nil {
		return nil, err
	}
	fresh := m.library != nil && m.version == chart.VersionNumber()
	var stale []int64
	same := fresh && len(heads) == len(m.byID)
	for _, h := range heads {
		e := m.byID[h.ID]
		if !fresh || e == nil || e.Head != h.Head || e.State != h.State {
			stale = append(stale, h.ID)
		}
	}
	if same && len(stale) == 0 {
		return m.library, nil
	}
	byID := map[int64]*Entry{}
	if len(stale) > 0 {
		rows, err := a.store.ProjectFacts(ctx, stale)
		if err != nil {
			return nil, err
		}
		if err := compareAll(ctx, chart, rows, byID); err != nil {
			return nil, err
		}
	}
	var all []*Entry
	for _, h := range heads {
		e := byID[h.ID]
		if e == nil {
			old := m.byID[h.ID]
			if old == nil {
				continue // made while we looked; the next look has it
			}
			again := *old
			e, byID[h.ID] = &again, &again
		}
		all = append(all, e)
	}
	most := compareAmong(all)
	slices.SortStableFunc(all, func(x, y *Entry) int {
		return cmp.Or(strings.Compare(y.ChangedAt, x.ChangedAt), cmp.Compare(y.ID, x.ID))
	})
	m.library, m.byID, m.version = &Library{all, chart, most}, byID, chart.VersionNumber()
	return m.library, nil
}

// compareAmong compares the projects at work with what most of them do.
func compareAmong(all []*Entry) *drift.Most {
	var atWork [][]drift.Point
	for _, e := range all {
		if e.State == "" {
			atWork = append(atWork, e.points)
		}
	}
	most := drift.Survey(atWork)
	for _, e := range all {
		if e.State == "" {
			e.Differences = append(slices.Clip(e.fromChart), most.Compare(e.Facts, e.points)...)
			e.Drift = drift.Figure(e.Differences)
		}
	}
	return most
}

// compareAll decodes rows and compares them with the chart.
func compareAll(ctx context.Context, chart *house.Chart, rows []store.ProjectRow, into map[int64]*Entry) error {
	entries := make([]*Entry, len(rows))
	lenses := sync.Pool{
		New: func() any { return &lens{drift.NewLens(chart), map[role.Role]string{}, map[uint64]string{}} }}
	err := bundle.OnEveryProcessor(ctx, "projects compared", len(rows), func(i int) error {
		f, err := drift.Unpack(rows[i].Facts)
		if err != nil {
			return fmt.Errorf("reading what is known of %s: %w", rows[i].Name, err)
		}
		v := lenses.Get().(*lens)
		defer lenses.Put(v)
		row := rows[i]
		row.Facts = "" // they are decoded
		e := &Entry{ProjectRow: row, Facts: f, text: strings.ToLower(row.Name + "\n" + row.Instruments),
			roles: v.rolesText(f)}
		if e.State == "" {
			e.fromChart, e.points = v.Compare(f), v.Points(f)
		}
		entries[i] = e
		return nil
	})
	for _, e := range entries {
		if e != nil {
			into[e.ID] = e
		}
	}
	return err
}

// lens is a lens with what roles are called, for one goroutine at a time.
type lens struct {
	*drift.Lens
	said  map[role.Role]string
	texts map[uint64]string // of sets of roles, which many projects share
}

// rolesText is what the roles of a project are found by.
func (v *lens) rolesText(f *drift.Facts) string {
	set := uint64(0)
	for r := range f.Roles() {
		h := fnv.New64a()
		_, _ = h.Write([]byte(r))
		set += h.Sum64() // in any order
	}
	text, ok := v.texts[set]
	if ok {
		return text
	}
	var b strings.Builder
	for r := range f.Roles() {
		one, ok := v.said[r]
		if !ok {
			one = strings.ToLower("\n" + string(r) + " " + house.Label(r))
			v.said[role.Role(strings.Clone(string(r)))] = one
		}
		b.WriteString(one)
	}
	v.texts[set] = b.String()
	return v.texts[set]
}

// Query says which projects are looked for.
type Query struct {
	Text  string // words that all must be in the name, the instruments or the roles
	State string // "" at work, store.Archived, store.Template, or "all"
	Drift string // "drifting", "in line", or "" for both
	Mend  string // "findings", "none", or "" for both
}

// Find lists the projects that a query asks for, the last changed first.
func (l *Library) Find(q Query) []*Entry {
	want := strings.Fields(strings.ToLower(q.Text))
	var out []*Entry
next:
	for _, e := range l.Entries {
		switch {
		case q.State != "all" && e.State != q.State,
			q.Drift == "drifting" && e.Drift == 0, q.Drift == "in line" && e.Drift > 0,
			q.Mend == "findings" && e.Problems == 0, q.Mend == "none" && e.Problems > 0:
			continue
		}
		for _, w := range want {
			if !strings.Contains(e.text, w) && !strings.Contains(e.roles, w) {
				continue next
			}
		}
		out = append(out, e)
	}
	return out
}

// Entry finds a project by number, or gives nil.
func (l *Library) Entry(id int64) *Entry {
	for _, e := range l.Entries {
		if e.ID == id {
			return e
		}
	}
	return nil
}

// Wanted says which differences of which projects are to be brought into line.
type Wanted struct {
	Projects  []int64 // none: every project at work
	Role      role.Role
	Attribute drift.Attribute
	// Shown is what a preview showed for each project, by Alignment.Key; nil where the
	// user saw none. What would come out otherwise by now is not done.
	Shown map[int64]string
}

// Chooses reports whether a difference is among those wanted.
func (w Wanted) Chooses(d drift.Difference) bool {
	return d.Role.Under(w.Role) && (w.Attribute == "" || w.Attribute == d.Attribute)
}

// Alignment is what bringing one project into line would do.
type Alignment struct {
	*Entry
	Chosen []drift.Difference
}

// Key is what an alignment would do, in short: another key, another change.
func (a Alignment) Key() string {
	h := fnv.New64a()
	fmt.Fprintf(h, "%#v", a.Chosen)
	return strconv.FormatUint(h.Sum64(), 36)
}

// PreviewedError says that bringing projects into line would not do what was previewed,
// because they, the house chart or other projects have changed meanwhile.
type PreviewedError struct{ Names []string }

// FaultKind is that of a conflict.
func (e *PreviewedError) FaultKind() fault.Kind { return fault.Conflict }

func (e *PreviewedError) Error() string {
	return fmt.Sprintf("what was previewed for %s is not what would happen now, for something has changed meanwhile; "+
		"nothing was done, look at the preview again", words.Few(e.Names))
}

// Preview lists the projects that bringing into line would change, with what; where
// everything is looked at, those too that only follow an older version of the chart.
func (l *Library) Preview(w Wanted) (out []Alignment) {
	for _, e := range l.Entries {
		if e.State != "" || len(w.Projects) > 0 && !slices.Contains(w.Projects, e.ID) {
			continue
		}
		a := Alignment{Entry: e}
		for _, d := range e.Differences {
			if d.Exception == "" && w.Chooses(d) {
				a.Chosen = append(a.Chosen, d)
			}
		}
		older := w.Role == role.Unnamed && w.Attribute == "" && e.Facts.Version != l.House.VersionNumber()
		if len(a.Chosen) > 0 || older {
			out = append(out, a)
		}
	}
	return out
}

// Align brings projects into line as one change, undone at once.
func (a *App) Align(ctx context.Context, w Wanted) (done store.Many, err error) {
	l, err := a.Library(ctx)
	if err != nil {
		return done, err
	}
	all := l.Preview(w)
	if len(all) == 0 {
		return done, errors.New("nothing that is chosen differs from the house")
	}
	if w.Shown != nil {
		other := &PreviewedError{}
		for _, x := range all {
			if w.Shown[x.ID] != x.Key() {
				other.Names = append(other.Names, x.Name)
			}
		}
		if len(other.Names) > 0 {
			return done, other
		}
	}
	align := drift.Align(l.House, l.Most, w.Chooses)
	edit := func(p *plan.Project) (string, error) {
		label, err := align(p)
		if errors.Is(err, drift.ErrInLine) {
			return "", store.ErrUnchanged
		}
		return label, err
	}
	var changes []store.Change
	var differences []drift.Difference
	for _, x := range all {
		changes = append(changes, store.Change{ID: x.ID, Base: x.Head, Edit: edit})
		differences = append(differences, x.Chosen...)
	}
	label := fmt.Sprintf("apply the chart to %s: %s", all[0].Name, drift.InWords(differences))
	if len(all) > 1 {
		label = fmt.Sprintf("apply the chart to %d projects: %s", len(all), drift.InWords(differences))
	}
	return a.store.EditMany(ctx, label, changes)
}

// DriftReport is the drift of one project as scripts read it.
type DriftReport struct {
	Name        string             `json:"name"`
	Drift       int                `json:"drift"`
	Follows     int                `json:"follows"`
	Differences []DifferenceReport `json:"differences"`
}

// DifferenceReport is one difference; departs is the reason where it is meant.
type DifferenceReport struct {
	Role      role.Role       `json:"role"`
	Attribute drift.Attribute `json:"attribute"`
	House     string          `json:"house"`
	Here      string          `json:"here"`
	Exception string          `json:"departs,omitempty"`
}

// ReportDrift sums up the drift of every project at work.
func (l *Library) ReportDrift() []DriftReport {
	out := []DriftReport{}
	for _, e := range l.Entries {
		if e.State != "" {
			continue
		}
		r := DriftReport{Name: e.Name, Drift: e.Drift, Follows: e.Facts.Version, Differences: []DifferenceReport{}}
		for _, d := range e.Differences {
			r.Differences = append(r.Differences, DifferenceReport{d.Role, d.Attribute, d.House, d.Here, d.Exception})
		}
		out = append(out, r)
	}
	return out
}

// Forget empties the memory of the library, so that the next look reads all of it.
func (a *App) Forget() {
	a.memory.mu.Lock()
	defer a.memory.mu.Unlock()
	a.memory.library, a.memory.byID = nil, nil
}

// Used counts for each role the projects at work that have it.
func (l *Library) Used() map[role.Role]int {
	out := map[role.Role]int{}
	for _, e := range l.Entries {
		if e.State == "" {
			for r := range e.Facts.Roles() {
				if r != role.Unnamed {
					out[r]++
				}
			}
		}
	}
	return out
}
