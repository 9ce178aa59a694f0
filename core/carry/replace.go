package carry

import (
	"cmp"
	"fmt"
	"slices"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// Replacement is how one instrument of a project takes the place of another.
type Replacement struct {
	Old      plan.Placed
	New      plan.Placed // as it would be placed; it has no ID yet
	Pairs    []Pair      // the old one's wanted feeds, in chart order
	Fresh    []rig.Feed  // the new one's that have no partner
	Distance int64       // the sum over the pairs, in the role tree
}

// Pair is one wanted feed of the old instrument with what takes its place.
type Pair struct {
	Old      rig.Feed
	Lane     *plan.Lane // it arrives on; nil: none
	New      *rig.Feed  // nil: nothing takes its place
	Distance int64
	ByHand   bool
}

// Paired counts the old one's feeds that something takes the place of.
func (s *Replacement) Paired() (n int) {
	for _, p := range s.Pairs {
		if p.New != nil {
			n++
		}
	}
	return n
}

// Emptied counts the lanes that nothing arrives on any longer.
func (s *Replacement) Emptied() (n int) {
	stays := map[string]bool{}
	for _, p := range s.Pairs {
		if p.Lane != nil {
			stays[p.Lane.ID] = stays[p.Lane.ID] || p.New != nil
		}
	}
	for _, stay := range stays {
		if !stay {
			n++
		}
	}
	return n
}

// Match pairs the feeds at the least total distance in the role tree, exactly, as many
// as can stand in for each other. hand holds the user's own pairs: the new feed's ID by
// the old one's, "" for none.
func Match(p *plan.Project, placed string, in rig.Instrument, shelf int64, hand map[string]string) (
	*Replacement, error) {
	old := p.Find(placed)
	if old == nil {
		return nil, fmt.Errorf("that instrument is not in this project")
	}
	s := &Replacement{Old: *old, New: inPlaceOf(old, in, shelf)}
	fresh := s.newFeeds(p)
	byHand, err := chosenByHand(hand, fresh, in.Name)
	if err != nil {
		return nil, err
	}
	free := s.pairUp(p, placed, hand, byHand)
	taken := map[string]bool{}
	for _, f := range byHand {
		taken[f.ID] = true
	}
	var open []*rig.Feed
	for i := range fresh {
		if !taken[fresh[i].ID] {
			open = append(open, &fresh[i])
		}
	}
	s.fillPairs(free, open)
	s.sum(fresh)
	return s, nil
}

// inPlaceOf is the new instrument as it would be placed: mapped as the old one is, on the
// outputs it comes with or else on the old one's.
func inPlaceOf(old *plan.Placed, in rig.Instrument, shelf int64) plan.Placed {
	outputs := rig.Lay(in.Delivered, 1)
	if len(outputs) == 0 {
		outputs = old.Outputs
	}
	view := old.View
	view.Of, view.Split = nil, nil // of single voices and microphones of the old one
	out := plan.Placed{Shelf: shelf, Instrument: in, View: view, Outputs: outputs,
		OwnSetup: len(in.Delivered) > 0, Pairs: old.Pairs, Feeds: map[string]plan.Assignment{}}
	if slices.ContainsFunc(in.Variants, func(v rig.Variant) bool { return v.Name == old.Variant }) {
		out.Variant = old.Variant
	}
	return out
}

// newFeeds lists the feeds that the new instrument has in the project.
func (s *Replacement) newFeeds(p *plan.Project) []rig.Feed {
	scratch := p.Planned()
	scratch.Placed = append(scratch.Placed, s.New)
	scratch.Relink()
	return scratch.Placed[len(scratch.Placed)-1].AllFeeds()
}

// chosenByHand finds the new feeds that were chosen for old ones, by the new feed's ID.
func chosenByHand(hand map[string]string, fresh []rig.Feed, instrument string) (map[string]*rig.Feed, error) {
	out := map[string]*rig.Feed{}
	for _, id := range hand {
		if id == "" {
			continue
		}
		i := slices.IndexFunc(fresh, func(f rig.Feed) bool { return f.ID == id })
		if i < 0 {
			return nil, fmt.Errorf("%s no longer has the feed that was chosen", instrument)
		}
		if out[id] != nil {
			return nil, fmt.Errorf("%s cannot take the place of two feeds; choose another for one of them", fresh[i].Name)
		}
		out[id] = &fresh[i]
	}
	return out, nil
}

// pairUp makes a pair for each assigned feed of the old instrument, with its lane and what
// was chosen by hand, and lists those that the matching may fill.
func (s *Replacement) pairUp(p *plan.Project, placed string, hand map[string]string,
	byHand map[string]*rig.Feed) (free []int) {
	for _, f := range s.Old.AllFeeds() {
		a := s.Old.Feeds[f.ID]
		if a.State != plan.Assigned {
			continue
		}
		pair := Pair{Old: f}
		if ls := p.LanesOf(plan.OutputRef{Placed: placed, Output: a.Output, Side: a.Side}); len(ls) > 0 {
			pair.Lane = ls[0]
		}
		if n, ok := hand[f.ID]; ok {
			pair.New, pair.ByHand = byHand[n], true
		} else {
			free = append(free, len(s.Pairs))
		}
		s.Pairs = append(s.Pairs, pair)
	}
	return free
}

// fillPairs gives the pairs that are free new feeds that are open: as many as there can
// be, and of those the ones with the least distance.
func (s *Replacement) fillPairs(free []int, open []*rig.Feed) {
	axis := s.Old.View.Axis
	wordsOld := wordsOf(free, func(k int) string { return s.Pairs[k].Old.Name })
	wordsNew := wordsOf(open, func(f *rig.Feed) string { return f.Name })
	type roles [2]role.Role
	partners := map[roles]bool{} // many feeds have few roles
	cost := make([][]int64, len(free))
	for i, k := range free {
		x := s.Pairs[k].Old
		cost[i] = make([]int64, len(open))
		for j, y := range open {
			both := roles{x.Role, y.Role}
			can, known := partners[both]
			if !known {
				can = canPartner(x.Role, y.Role)
				partners[both] = can
			}
			if cost[i][j] = forbidden; can && y.Kind == rig.ReturnFeed == (x.Kind == rig.ReturnFeed) {
				cost[i][j] = price(distance(x, *y, axis), likeness(wordsOld[i], wordsNew[j]), i-j)
			}
		}
	}
	for i, j := range assign(cost) {
		if j >= 0 {
			s.Pairs[free[i]].New = open[j]
		}
	}
}

// sum adds the distances up, and lists the new feeds that take nobody's place.
func (s *Replacement) sum(fresh []rig.Feed) {
	axis := s.Old.View.Axis
	paired := map[string]bool{}
	for i := range s.Pairs {
		if n := s.Pairs[i].New; n != nil {
			s.Pairs[i].Distance = distance(s.Pairs[i].Old, *n, axis)
			s.Distance += s.Pairs[i].Distance
			paired[n.ID] = true
		}
	}
	for _, f := range fresh {
		if !paired[f.ID] {
			s.Fresh = append(s.Fresh, f)
		}
	}
}

// Feeds lists the new instrument's feeds: those that take a place, and the others.
func (s *Replacement) Feeds() (out []rig.Feed) {
	for _, p := range s.Pairs {
		if p.New != nil {
			out = append(out, *p.New)
		}
	}
	return append(out, s.Fresh...)
}

// Edit carries the replace out as one change.
func (s *Replacement) Edit() plan.Edit {
	return func(p *plan.Project) (string, error) {
		old := p.Find(s.Old.ID)
		if old == nil {
			return "", fmt.Errorf("%s is no longer in this project", s.Old.Instrument.Name)
		}
		p.KeepRoles(old.ID)
		was := *old
		p.Placed = slices.DeleteFunc(p.Placed, func(x plan.Placed) bool { return x.ID == was.ID })
		now := s.New
		now.Outputs, now.Feeds = slices.Clone(now.Outputs), map[string]plan.Assignment{}
		if _, err := edits.AddInstrument(now.Instrument, now.Outputs, was.Offset)(p); err != nil {
			return "", err
		}
		pl := &p.Placed[len(p.Placed)-1]
		now.ID, now.Offset, now.Instrument.Name, now.AsItCame = pl.ID, pl.Offset, pl.Instrument.Name, pl.AsItCame
		*pl = now
		p.Relink()
		pl.Instrument.Parts = slices.Clone(pl.Instrument.Parts)
		homes := s.seat(pl, &was)
		for i := range p.Lanes {
			var sources []plan.OutputRef
			for _, src := range p.Lanes[i].Sources {
				if src.Placed != was.ID {
					sources = append(sources, src)
				} else if j, ok := homes[src.Jack()]; ok {
					sources = append(sources, plan.OutputRef{Placed: pl.ID, Output: j.Output, Side: j.Side})
				}
			}
			if p.Lanes[i].Sources = sources; len(sources) > 0 {
				p.Lanes[i].Kept = role.Unnamed
			}
		}
		s.address(p, pl, &was)
		left := s.proposeFresh(p, pl.ID)
		label := fmt.Sprintf("replace %s by %s", was.Instrument.Name, now.Instrument.Name)
		if left > 0 {
			label += fmt.Sprintf(", %d feeds still without an output", left)
		}
		return label, nil
	}
}

// seat gives the new instrument's paired feeds outputs: feeds whose partners left by one
// output leave by one again, by the same number where that is wide enough. It tells
// which jack takes the place of which.
func (s *Replacement) seat(pl, was *plan.Placed) map[plan.Jack]plan.Jack {
	type group struct {
		from  plan.Jack
		feeds []rig.Feed
		width audio.Width
	}
	var groups []*group
	for _, pair := range s.Pairs {
		if pair.New == nil {
			continue
		}
		from := was.Feeds[pair.Old.ID].At()
		i := slices.IndexFunc(groups, func(g *group) bool { return g.from == from })
		if i < 0 {
			groups = append(groups, &group{from: from})
			i = len(groups) - 1
		}
		groups[i].feeds = append(groups[i].feeds, *pair.New)
		groups[i].width = max(groups[i].width, pair.New.Width)
	}
	slices.SortStableFunc(groups, func(a, b *group) int {
		return cmp.Or(cmp.Compare(a.from.Output, b.from.Output), cmp.Compare(a.from.Side, b.from.Side))
	})
	homes, used := map[plan.Jack]plan.Jack{}, map[int]bool{}
	take := func(g *group, o rig.Output) {
		used[o.Number] = true
		homes[g.from] = plan.Jack{Output: o.Number}
		for _, f := range g.feeds {
			pl.Feeds[f.ID] = plan.Assignment{State: plan.Assigned, Output: o.Number}
		}
	}
	var waiting []*group
	for _, g := range groups {
		o, ok := pl.Output(plan.Jack{Output: g.from.Output})
		if ok && !used[o.Number] && o.Width >= g.width {
			take(g, o)
		} else {
			waiting = append(waiting, g)
		}
	}
	for _, g := range waiting {
		best := -1
		for i, o := range pl.Outputs {
			if !used[o.Number] && o.Width >= g.width && (best < 0 || o.Width < pl.Outputs[best].Width) {
				best = i
			}
		}
		if best < 0 && !pl.Instrument.Fixed {
			if added, err := rig.AddMissing(pl.Outputs, append(rig.Widths(pl.Outputs), g.width), pl.Ports()); err == nil &&
				len(added) > 0 {
				pl.Outputs, pl.OwnSetup = append(pl.Outputs, added...), false
				best = len(pl.Outputs) - 1
			}
		}
		if best >= 0 {
			take(g, pl.Outputs[best])
		}
	}
	return homes
}

// address lets each part play where its partner did, and gives the others what is free.
func (s *Replacement) address(p *plan.Project, pl, was *plan.Placed) {
	of := map[string]string{} // the old part's ID by the new one's
	for _, pair := range s.Pairs {
		if pair.New != nil && pair.New.Part != "" && pair.Old.Part != "" {
			of[pair.New.Part] = pair.Old.Part
		}
	}
	parts := pl.Instrument.Parts
	for i := range parts {
		for _, o := range was.Instrument.Parts {
			if o.ID == of[parts[i].ID] && o.Address.Known() {
				parts[i].Address = o.Address
			}
		}
	}
	taken := map[plan.PlaceOfAddress]bool{}
	for k := range p.Placed {
		for _, part := range p.Placed[k].Instrument.Parts {
			if part.Address.Known() && (p.Placed[k].ID != pl.ID || of[part.ID] != "") {
				taken[p.At(p.Placed[k].ID, part.Address)] = true
			}
		}
	}
	for i := range parts {
		if !parts[i].Address.Known() || of[parts[i].ID] != "" {
			continue
		}
		if taken[p.At(pl.ID, parts[i].Address)] {
			parts[i].Address = midi.Address{}
			if free, ok := p.FreeAddress(pl.ID); ok {
				parts[i].Address = free
			}
		}
		taken[p.At(pl.ID, parts[i].Address)] = true
	}
}

// proposeFresh proposes for the feeds that have no partner while all the others stay where
// they are: on as many more outputs as their families need, on what is left, or beside
// those that are there. Only where that cannot be it proposes for all of them. It tells
// how many are without an output after that.
func (s *Replacement) proposeFresh(p *plan.Project, placed string) (left int) {
	if len(s.Fresh) == 0 {
		return 0
	}
	families := map[role.Role]bool{}
	for _, f := range s.Fresh {
		families[f.Role.Family()] = true
	}
	pl := p.Find(placed)
	used := map[int]bool{}
	for _, a := range pl.Feeds {
		used[a.Output] = true
	}
	have := len(pl.Outputs)
	for more := len(families) - (have - len(used)); more > 0 && !pl.Instrument.Fixed; more-- {
		if s.proposeRest(p, placed, have+more, apart) {
			return 0
		}
	}
	for _, how := range []hold{apart, joined, loose} {
		if s.proposeRest(p, placed, 0, how) {
			return 0
		}
	}
	for _, f := range pl.AllFeeds() {
		if pl.Feeds[f.ID].State == plan.Undecided {
			left++
		}
	}
	return left
}

// hold says how what has its place is treated while the rest is proposed for.
type hold int

const (
	apart  hold = iota // it stays where it is, alone
	joined             // it stays where it is, and new feeds may join it
	loose              // it is proposed for as well
)

// proposeRest accepts a proposal on so many outputs (0: those there are) and tells
// whether that could be done.
func (s *Replacement) proposeRest(p *plan.Project, placed string, outputs int, how hold) bool {
	try := p.Clone()
	pl := try.Find(placed)
	seated := map[string]bool{}
	for id, a := range pl.Feeds {
		if a.State == plan.Assigned {
			if seated[id] = true; how != loose {
				at := a.At()
				a.Pin = &at
				pl.Feeds[id] = a
			}
		}
	}
	asked := pl.Apart
	if how == apart {
		for _, f := range s.Fresh {
			for id := range seated {
				pl.Apart = append(pl.Apart, [2]string{f.ID, id})
			}
		}
	}
	restore := s.holdEmpty(try)
	pr, err := propose.Make(try, propose.Options{Placed: placed, Outputs: outputs})
	if err != nil {
		return false
	}
	choose := propose.Selection{Outputs: map[string]bool{}, Unused: map[string]bool{}}
	for _, row := range pr.Rows {
		choose.Outputs[row.Output.Label()] = how == loose ||
			slices.ContainsFunc(row.Feeds, func(f propose.FeedRow) bool { return !seated[f.ID] })
	}
	for _, u := range pr.Unused {
		choose.Unused[u.ID] = true
	}
	if _, err := pr.Accept(choose)(try); err != nil {
		return false
	}
	restore()
	pl = try.Find(placed)
	pl.Apart = asked
	for id, a := range pl.Feeds {
		if how != loose && seated[id] {
			a.Pin = nil
			pl.Feeds[id] = a
		}
	}
	for _, was := range p.Lanes { // a lane that what is new has joined is still called as it was
		if l := try.Lane(was.ID); how == joined && l != nil && len(was.Sources) > 0 {
			l.Name, l.Colour, l.To, l.AlsoMain = was.Name, was.Colour, was.To, was.AlsoMain
		}
	}
	*p = *try
	p.Relink()
	return true
}

// holdEmpty hides the lanes that the user wants left empty from the proposal, until the
// function that it gives is called.
func (s *Replacement) holdEmpty(p *plan.Project) func() {
	held := map[string]role.Role{}
	for _, pair := range s.Pairs {
		if pair.ByHand && pair.New == nil && pair.Lane != nil {
			if l := p.Lane(pair.Lane.ID); l != nil && len(l.Sources) == 0 {
				held[l.ID], l.Kept = l.Kept, role.Unnamed
			}
		}
	}
	return func() {
		for id, r := range held {
			if l := p.Lane(id); l != nil {
				l.Kept = r
			}
		}
	}
}
