package edits

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/house"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
	"hiddenlanes/internal/words"
)

// change is an edit on one placed instrument.
func change(placed string, do func(p *plan.Project, pl *plan.Placed) (string, error)) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, err := p.PlacedWith(placed)
		if err != nil {
			return "", err
		}
		if pl.Feeds == nil {
			pl.Feeds = map[string]plan.Assignment{}
		}
		return do(p, pl)
	}
}

// named lists feeds of the instrument by name, and refuses IDs it does not have.
func named(pl *plan.Placed, ids []string) (names []string, err error) {
	all := pl.AllFeeds()
	for _, id := range ids {
		i := slices.IndexFunc(all, func(f rig.Feed) bool { return f.ID == id })
		if i < 0 {
			return nil, fmt.Errorf("%s has no feed %q", pl.Instrument.Name, id)
		}
		names = append(names, all[i].Name)
	}
	return names, nil
}

// onFeeds is an edit on marked feeds of an instrument, of which there must be at
// least so many. do gets their names as one reads them.
func onFeeds(placed string, feeds []string, least int, do func(p *plan.Project, pl *plan.Placed, names string) (string,
	error)) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		names, err := named(pl, feeds)
		switch {
		case err != nil:
			return "", err
		case len(feeds) < least && least > 1:
			return "", errors.New("select at least two feeds first")
		case len(feeds) < least:
			return "", errors.New("select some feeds first")
		}
		return do(p, pl, plan.JoinNames(names))
	})
}

// each changes what is decided and asked of every one of the feeds.
func each(pl *plan.Placed, feeds []string, set func(a *plan.Assignment)) {
	for _, id := range feeds {
		a := pl.Feeds[id]
		set(&a)
		pl.Feeds[id] = a
	}
}

// KeepTogether asks that feeds share one output. Groups that have a feed in common
// become one.
func KeepTogether(placed string, feeds []string) plan.Edit {
	return onFeeds(placed, feeds, 2, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		join(pl, feeds)
		return "keep " + names + " together", nil
	})
}

// join makes feeds one group, with those they are in groups with already. Of several wishes
// the highest stays.
func join(pl *plan.Placed, feeds []string) {
	group := plan.FeedGroup{Feeds: slices.Clone(feeds)}
	pl.Together = slices.DeleteFunc(slices.Clone(pl.Together), func(g plan.FeedGroup) bool {
		if !slices.ContainsFunc(g.Feeds, func(id string) bool { return slices.Contains(feeds, id) }) {
			return false
		}
		for _, id := range g.Feeds {
			if !group.Holds(id) {
				group.Feeds = append(group.Feeds, id)
			}
		}
		if g.OwnOutput != nil && (group.OwnOutput == nil || *group.OwnOutput < *g.OwnOutput) {
			group.OwnOutput = g.OwnOutput
		}
		return true
	})
	pl.Together = append(pl.Together, group)
}

// SetGroupOwnOutput says how much the groups that the feeds are in want an output of their own,
// 0 to 3; −1: as much as their feeds do.
func SetGroupOwnOutput(placed string, feeds []string, wish int) plan.Edit {
	return onFeeds(placed, feeds, 1, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		if wish < -1 || wish > house.Never {
			return "", fmt.Errorf("a wish is a number from 0 to %d", house.Never)
		}
		found := false
		pl.Together = slices.Clone(pl.Together)
		for i, g := range pl.Together {
			if !slices.ContainsFunc(feeds, g.Holds) {
				continue
			}
			found, pl.Together[i].OwnOutput = true, nil
			if wish >= 0 {
				pl.Together[i].OwnOutput = &wish
			}
		}
		switch {
		case !found:
			return "", errors.New("keep some of the selected feeds together first; the wish is the group's")
		case wish < 0:
			return "let the group of " + names + " want what its feeds want", nil
		}
		return fmt.Sprintf("own output for the group of %s: %s", names, house.OwnOutputTexts[wish]), nil
	})
}

// ShareAsUsual asks what people ask by habit where outputs are few, as the role table says:
// toms together, ambience together, small percussion together, the ride apart from other
// cymbals. What was asked before stays.
func ShareAsUsual(placed string) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		groups := map[role.Role][]string{}
		var order []role.Role
		asked := 0
		for _, f := range pl.AllFeeds() {
			if at, ok := f.Role.GathersIn(); ok && !pl.Feeds[f.ID].ByHand {
				if groups[at] == nil {
					order = append(order, at)
				}
				groups[at] = append(groups[at], f.ID)
			}
		}
		for _, at := range order {
			if len(groups[at]) > 1 && !apartWithin(pl, groups[at]) && !groupOf(pl, groups[at]) {
				join(pl, groups[at])
				asked++
			}
		}
		n, err := keepAloof(pl)
		if err != nil {
			return "", err
		}
		asked += n
		if asked == 0 {
			return "", fmt.Errorf("%s has nothing more that people share by habit", pl.Instrument.Name)
		}
		return "share as usual on " + pl.Instrument.Name, nil
	})
}

// maxApart is how many pairs of feeds are kept apart by habit at most.
const maxApart = 10_000

// keepAloof keeps those feeds apart that people keep apart by habit, and tells how many pairs that
// makes.
func keepAloof(pl *plan.Placed) (asked int, err error) {
	type roles [2]role.Role
	aloof, apart := map[roles]bool{}, map[[2]string]bool{}
	for _, pair := range pl.Apart {
		apart[pair] = true
	}
	feeds := pl.AllFeeds()
	out := slices.Clone(pl.Apart)
	for _, a := range feeds {
		for _, b := range feeds {
			both := roles{a.Role, b.Role}
			stands, known := aloof[both]
			if !known {
				stands = a.Role.StandsApartFrom(b.Role)
				aloof[both] = stands
			}
			pair := [2]string{min(a.ID, b.ID), max(a.ID, b.ID)}
			if !stands || apart[pair] || groupOf(pl, pair[:]) {
				continue
			}
			if asked++; asked > maxApart {
				return 0, fmt.Errorf("%s has more than %d pairs that people keep apart; park or switch off what is not used first",
					pl.Instrument.Name, maxApart)
			}
			apart[pair], out = true, append(out, pair)
		}
	}
	pl.Apart = out
	return asked, nil
}

// groupOf reports whether the feeds are together in one group already.
func groupOf(pl *plan.Placed, feeds []string) bool {
	return slices.ContainsFunc(pl.Together, func(g plan.FeedGroup) bool {
		return !slices.ContainsFunc(feeds, func(id string) bool { return !g.Holds(id) })
	})
}

// apartWithin reports whether two of the feeds are asked to be apart.
func apartWithin(pl *plan.Placed, feeds []string) bool {
	return slices.ContainsFunc(pl.Apart, func(a [2]string) bool {
		return slices.Contains(feeds, a[0]) && slices.Contains(feeds, a[1])
	})
}

// KeepApart asks that no two of the feeds share an output.
func KeepApart(placed string, feeds []string) plan.Edit {
	return onFeeds(placed, feeds, 2, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		for i, a := range feeds {
			for _, b := range feeds[i+1:] {
				pair := [2]string{min(a, b), max(a, b)}
				if !slices.Contains(pl.Apart, pair) {
					pl.Apart = append(pl.Apart, pair)
				}
			}
		}
		return "keep " + names + " apart", nil
	})
}

// ClearConstraints takes back everything asked of the feeds: together, apart, pinned, folded,
// set aside and wishes of their own.
func ClearConstraints(placed string, feeds []string) plan.Edit {
	return onFeeds(placed, feeds, 1, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		each(pl, feeds, func(a *plan.Assignment) {
			a.OwnOutput, a.Pin, a.Fold = nil, nil, false
			if a.ByHand {
				*a = plan.Assignment{}
			}
		})
		ungroup(pl, func(id string) bool { return slices.Contains(feeds, id) })
		return "ask nothing more of " + names, nil
	})
}

// ungroup takes feeds out of what is asked together and apart.
func ungroup(pl *plan.Placed, gone func(id string) bool) {
	for i, g := range pl.Together {
		pl.Together[i].Feeds = slices.DeleteFunc(g.Feeds, gone)
	}
	pl.Together = slices.DeleteFunc(pl.Together, func(g plan.FeedGroup) bool { return len(g.Feeds) < 2 })
	pl.Apart = slices.DeleteFunc(pl.Apart, func(a [2]string) bool { return gone(a[0]) || gone(a[1]) })
}

// PinTo pins feeds to a jack, which proposals then leave them on; the zero Jack
// takes the pins out.
func PinTo(placed string, feeds []string, at plan.Jack) plan.Edit {
	return onFeeds(placed, feeds, 1, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		if at != (plan.Jack{}) && !slices.ContainsFunc(pl.Outputs, func(o rig.Output) bool { return o.Number == at.Output }) {
			return "", fmt.Errorf("%s has no output %s; it has %d", pl.Instrument.Name, at, len(pl.Outputs))
		}
		each(pl, feeds, func(a *plan.Assignment) {
			a.Pin = nil
			if at == (plan.Jack{}) {
				return
			}
			a.Pin = &at
			if a.ByHand { // pinned is wanted
				a.State, a.Output, a.Side, a.ByHand = plan.Undecided, 0, "", false
			}
		})
		if at == (plan.Jack{}) {
			return "unpin " + names, nil
		}
		return fmt.Sprintf("pin %s to output %s", names, at), nil
	})
}

// PinEach pins each of the feeds to a jack of its own.
func PinEach(placed string, feeds []string, at map[string]plan.Jack) plan.Edit {
	return func(p *plan.Project) (label string, err error) {
		for _, id := range feeds {
			j, ok := at[id]
			if !ok {
				return "", errors.New("type the output to pin it to: the proposal has it on none")
			}
			if label, err = PinTo(placed, []string{id}, j)(p); err != nil {
				return "", err
			}
		}
		switch len(feeds) {
		case 0:
			return "", errors.New("select some feeds first")
		case 1:
			return label, nil
		}
		return fmt.Sprintf("pin %d feeds where they are proposed", len(feeds)), nil
	}
}

// SetAside parks feeds, or switches them off; proposals then leave them aside.
func SetAside(placed string, feeds []string, to plan.State) plan.Edit {
	return onFeeds(placed, feeds, 1, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		if to != plan.Parked && to != plan.Off {
			return "", fmt.Errorf("a feed cannot be set aside as %q", to)
		}
		each(pl, feeds, func(a *plan.Assignment) {
			a.State, a.Output, a.Side, a.ByHand, a.Pin = plan.Off, 0, "", true, nil
			if j, ok := spare(p, pl); ok && to == plan.Parked {
				a.State, a.Output, a.Side = plan.Parked, j.Output, j.Side
			}
		})
		if parked := pl.Feeds[feeds[0]].State == plan.Parked; to == plan.Parked && !parked {
			return "switch " + names + " off, for a lane listens to every output that is left", nil
		} else if parked {
			return "park " + names, nil
		}
		return "switch " + names + " off", nil
	})
}

// spare is the last jack that carries nothing wanted and that no lane listens to.
func spare(p *plan.Project, pl *plan.Placed) (plan.Jack, bool) {
	loads := pl.Loads()
	for _, o := range slices.Backward(pl.Jacks()) {
		j := plan.Jack{Output: o.Number, Side: o.Side}
		if len(loads[j]) == 0 && len(p.LanesOf(pl.Ref(o))) == 0 {
			return j, true
		}
	}
	return plan.Jack{}, false
}

// SetFold lets stereo feeds be folded to mono, or not.
func SetFold(placed string, feeds []string, fold bool) plan.Edit {
	return onFeeds(placed, feeds, 1, func(p *plan.Project, pl *plan.Placed, names string) (string, error) {
		each(pl, feeds, func(a *plan.Assignment) { a.Fold = fold })
		if fold {
			return "fold " + names + " to mono", nil
		}
		return "keep the width of " + names, nil
	})
}

// SetPairs lets proposals put two mono feeds in a stereo pair, where both the
// instrument and the host can.
func SetPairs(placed string, pairs bool) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		pl.Pairs = pairs
		if pairs {
			return "let two mono feeds share a stereo pair", nil
		}
		return "give each feed a whole output", nil
	})
}

// SetUse bounds how many outputs proposals use; 0: all.
func SetUse(placed string, n int) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		if n < 0 {
			return "", errors.New("outputs count from 1")
		}
		pl.Use = n
		return fmt.Sprintf("use %d outputs of %s", cmp.Or(n, len(pl.Outputs)), pl.Instrument.Name), nil
	})
}

// KeepOutputsFree asks proposals to leave outputs alone, by their numbers, and so many others
// empty.
func KeepOutputsFree(placed string, numbers []int, spare int) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		if spare < 0 || spare > rig.MaxPorts {
			return "", errors.New("outputs to keep spare count from 0")
		}
		numbers = slices.Compact(slices.Sorted(slices.Values(numbers)))
		for _, n := range numbers {
			if !slices.ContainsFunc(pl.Outputs, func(o rig.Output) bool { return o.Number == n }) {
				return "", fmt.Errorf("%s has no output %d; it has %d", pl.Instrument.Name, n, len(pl.Outputs))
			}
		}
		for _, f := range pl.AllFeeds() {
			if pin := pl.Feeds[f.ID].Pin; pin != nil && slices.Contains(numbers, pin.Output) {
				return "", fmt.Errorf("%s is pinned to output %d; unpin it first", f.Name, pin.Output)
			}
		}
		if len(numbers) == 0 {
			numbers = nil
		}
		pl.KeepFree, pl.Spare = numbers, spare
		var what []string
		if len(numbers) > 0 {
			what = append(what, "output "+joined(numbers)+" free")
		}
		if spare > 0 {
			what = append(what, fmt.Sprintf("%s spare", words.Count(spare, "output", "outputs")))
		}
		if len(what) == 0 {
			return "keep no output of " + pl.Instrument.Name + " free", nil
		}
		return fmt.Sprintf("keep %s of %s", strings.Join(what, " and "), pl.Instrument.Name), nil
	})
}

func joined(numbers []int) string {
	list := make([]plan.LaneNumber, len(numbers))
	for i, n := range numbers {
		list[i] = plan.LaneNumber(n)
	}
	return plan.RangesOf(list...).String()
}

// SetLaneList gives the user's own lane numbers for the instrument; none goes
// back to a free block.
func SetLaneList(placed string, lanes plan.Ranges) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		pl.Lanes = lanes
		if len(lanes) == 0 {
			return "land " + pl.Instrument.Name + " on a free block", nil
		}
		return fmt.Sprintf("use lanes %[2]s for %[1]s", pl.Instrument.Name, lanes), nil
	})
}

// SetView changes which feeds the project maps. What was decided for a feed that
// is no longer there is forgotten, and with it what was asked of it.
func SetView(placed string, set func(*rig.View)) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		view := pl.View
		view.Of, view.Split = maps.Clone(view.Of), maps.Clone(view.Split)
		set(&view)
		for id, s := range view.Split {
			if err := s.Validate(); err != nil {
				return "", err
			}
			if !s.Groups() {
				delete(view.Split, id)
			}
		}
		if err := relabel(p, pl, func() error {
			pl.View = view
			passOn(pl)
			forgetGone(pl)
			return nil
		}); err != nil {
			return "", err
		}
		return "change which feeds of " + pl.Instrument.Name + " are mapped", nil
	})
}

// passOn lets feeds that a split or a join made go where what they were made of went: the parts of
// one to its output, and one that was joined to that of its first part.
func passOn(pl *plan.Placed) {
	feeds := pl.AllFeeds()
	there := map[string]bool{}
	for _, f := range feeds {
		there[f.ID] = true
	}
	for _, f := range feeds {
		if _, decided := pl.Feeds[f.ID]; decided {
			continue
		}
		for _, id := range slices.Sorted(maps.Keys(pl.Feeds)) {
			apart, joined := strings.HasPrefix(f.ID, id+"."), strings.HasPrefix(id, f.ID+".")
			of := f.Kind == rig.MicrophoneFeed // its groups stand for each other, and beside its own feed
			beside := of && strings.HasPrefix(id, f.Microphone+".")
			whole := of && id == f.Microphone
			if a := pl.Feeds[id]; (!there[id] && (apart || joined || beside) || whole) && a.State == plan.Assigned {
				pl.Feeds[f.ID] = plan.Assignment{State: a.State, Output: a.Output, Side: a.Side}
				break
			}
		}
	}
}

// SetVariant says which version of an instrument is loaded; "" is the smallest that fits.
func SetVariant(placed, variant string) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		if variant != "" &&
			!slices.ContainsFunc(pl.Instrument.Variants, func(v rig.Variant) bool { return v.Name == variant }) {
			return "", fmt.Errorf("%s has no version %q", pl.Instrument.Name, variant)
		}
		pl.Variant = variant
		return fmt.Sprintf("load the version %[2]s of %[1]s", pl.Instrument.Name, cmp.Or(variant, "that fits")), nil
	})
}

// AddOutputs adds the fewest outputs so that every wanted feed has one of its
// own, and keeps what is there.
func AddOutputs(placed string) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		added, err := pl.Missing(p)
		if err != nil {
			return "", err
		}
		if len(added) == 0 {
			return "", fmt.Errorf("%s has an output for every wanted feed already", pl.Instrument.Name)
		}
		pl.Outputs = append(slices.Clone(pl.Outputs), added...)
		return fmt.Sprintf("add %d outputs to %s", len(added), pl.Instrument.Name), nil
	})
}

// oneLane leaves an output that was joined the first of the lanes that its sides had; the others of the
// plan, which took nothing else, are removed.
func oneLane(p *plan.Project, pl *plan.Placed, number int) error {
	lanes := slices.DeleteFunc(p.LanesOf(plan.OutputRef{Placed: pl.ID, Output: number}), func(l *plan.Lane) bool {
		return len(l.Sources) > 1 || l.IsOther()
	})
	if len(lanes) == 0 {
		return nil
	}
	var gone []string
	for _, l := range lanes[1:] {
		gone = append(gone, l.ID)
	}
	for _, id := range gone {
		if _, err := DeleteLane(id)(p); err != nil {
			return err
		}
	}
	return nil
}

// HalveOutput is Halve or Whole as an edit.
func HalveOutput(placed string, number int, halve bool) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		o, ok := pl.Output(plan.Jack{Output: number})
		if !ok && !slices.Contains(pl.Halved, number) || ok && o.Width != audio.Stereo {
			return "", fmt.Errorf("output %d is not a stereo output of %s", number, pl.Instrument.Name)
		}
		if halve {
			p.Halve(pl, number)
			return fmt.Sprintf("split output %d into two mono outputs", number), nil
		}
		err := relabel(p, pl, func() error {
			p.Whole(pl, number)
			return oneLane(p, pl, number)
		})
		return fmt.Sprintf("join output %d into one stereo output", number), err
	})
}

// ApplyLayout sets the outputs and places the feeds as a layout says. Feeds the
// layout does not know stay as they are; lanes stay, pointed at the same outputs.
func ApplyLayout(placed string, l rig.Layout) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		for _, n := range slices.Clone(pl.Halved) {
			p.Whole(pl, n)
		}
		if len(l.Outputs) > 0 {
			pl.Outputs = slices.Clone(l.Outputs)
		}
		for _, x := range l.Feeds {
			if x.Side != "" {
				p.Halve(pl, x.Output)
			}
		}
		known := 0
		for _, f := range pl.AllFeeds() {
			x, ok := l.Feeds[f.ID]
			if !ok {
				continue
			}
			known++
			a := pl.Feeds[f.ID]
			a.State, a.Output, a.Side, a.ByHand = plan.Assigned, x.Output, rig.Side(x.Side), false
			switch {
			case x.Output == 0:
				a.State, a.ByHand = plan.Off, true
			case x.Parked:
				a.State, a.ByHand = plan.Parked, true
			}
			if x.Pinned {
				at := a.At()
				a.Pin = &at
			}
			pl.Feeds[f.ID] = a
		}
		if known == 0 && len(l.Feeds) > 0 {
			return "", fmt.Errorf("the layout %s places none of the feeds that are mapped here; it was made in another view",
				l.Name)
		}
		return fmt.Sprintf("apply the layout %[2]s to %[1]s", pl.Instrument.Name, l.Name), nil
	})
}

// rejoin makes halved outputs whole where the new outputs do not allow halves.
func rejoin(pl *plan.Placed, ok func(rig.Output) bool) {
	pl.Halved = slices.DeleteFunc(slices.Clone(pl.Halved), func(n int) bool {
		return !slices.ContainsFunc(pl.Outputs, func(o rig.Output) bool { return o.Number == n && ok(o) })
	})
	if len(pl.Halved) == 0 {
		pl.Halved = nil
	}
}
