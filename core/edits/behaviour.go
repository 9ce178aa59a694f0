package edits

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// SetPlayer says who plays an instrument that has a player of its own: itself, or the host.
func SetPlayer(placed string, own bool) plan.Edit {
	return SetInside(placed, func(in *rig.Instrument) (string, error) {
		if in.Traits.Player == rig.NoPlayer {
			return "", fmt.Errorf("%s has no player of its own", in.Name)
		}
		if own {
			in.Traits.Player = rig.PlayerOn
			return "let " + in.Name + " play by itself", nil
		}
		in.Traits.Player = rig.PlayerOff
		return "let the host play " + in.Name, nil
	})
}

// OwnPlace gives a voice that leaves together with others a place of its own, where the
// instrument allows that. Its feed stays on the output that they left by until it is moved.
func OwnPlace(placed, voice string) plan.Edit {
	return change(placed, func(p *plan.Project, pl *plan.Placed) (string, error) {
		i := slices.IndexFunc(pl.Instrument.Voices, func(v rig.Voice) bool { return v.ID == voice })
		switch {
		case i < 0:
			return "", fmt.Errorf("%s has no such voice", pl.Instrument.Name)
		case pl.Instrument.Voices[i].Slot == 0:
			return "", fmt.Errorf("%s has a place of its own already", pl.Instrument.Voices[i].Name)
		case !pl.Instrument.Traits.OwnPlaces:
			return "", fmt.Errorf("%s cannot give voices places of their own; say on the instrument's page if it can",
				pl.Instrument.Name)
		}
		before := pl.AllFeeds()
		lead := ""
		for _, v := range pl.Instrument.Voices {
			if v.Slot == pl.Instrument.Voices[i].Slot {
				lead = v.ID
				break
			}
		}
		pl.Instrument.CloneSources()
		pl.Instrument.Voices[i].Slot = 0
		at := pl.Feeds[lead]
		at.Pin, at.OwnOutput = nil, nil
		for _, f := range pl.AllFeeds() {
			if _, told := pl.Feeds[f.ID]; !told && !slices.ContainsFunc(before, func(b rig.Feed) bool { return b.ID == f.ID }) {
				pl.Feeds[f.ID] = at
			}
		}
		return fmt.Sprintf("give %s a place of its own: %s become %d", pl.Instrument.Voices[i].Name,
			words.Count(len(before), "feed", "feeds"), len(pl.AllFeeds())), nil
	})
}

// SetArticulations names the articulation set that belongs to a part's notes.
func SetArticulations(ref plan.FeedRef, set string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		pl, i, err := p.PartAt(ref)
		if err != nil {
			return "", err
		}
		pl.Instrument.CloneSources()
		part := &pl.Instrument.Parts[i]
		if part.Articulations, err = rig.ParseNote(set); err != nil {
			return "", err
		}
		if part.Articulations == "" {
			return "let " + part.Name + " have no articulation set", nil
		}
		return fmt.Sprintf("let the notes of %s have the articulations %s", part.Name, part.Articulations), nil
	}
}
