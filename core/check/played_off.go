package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/route"
	"hiddenlanes/core/trace"
)

var playedOff = &Rule{
	Code: "played-off", Title: "Something that the song plays is parked or off", Severity: Silent, Step: AtOutputs,
	Doc: "The song has notes for the voice or part, and none of its feeds leaves the instrument for a lane: they are " +
		"parked or off. Assign one of them, or mark this as intended.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, v := range sourcesOf(pl) {
				notes, known := v.notes(g)
				at := g.Find(route.Voice, plan.FeedRef{Placed: pl.ID, Feed: v.id}.String())
				if !known || notes == 0 || at == route.None || g.Arrives(at).Times > 0 {
					continue
				}
				aside := feedsOf(g, pl, v.id)
				if len(aside) == 0 || !allAside(aside) {
					continue
				}
				best := aside[0] // a feed of its own before a microphone
				for _, f := range aside {
					if f.Kind != rig.MicrophoneFeed && best.Kind == rig.MicrophoneFeed {
						best = f
					}
				}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(plan.FeedRef{Placed: pl.ID, Feed: v.id})}, Silences: 1,
					say: func() Words {
						return Words{Title: fmt.Sprintf("%s is played and silent", v.name),
							Reason: fmt.Sprintf("The song has %d notes for it; %s.", notes, asideInWords(aside))}
					}}
				fd.offer(bringBack(g, best))
				out = append(out, fd)
			}
		}
		return out
	},
}

// feedsOf lists the feeds that a voice or part is heard in.
func feedsOf(g *trace.Graph, pl *plan.Placed, id string) (out []trace.Feed) {
	at := g.Find(route.Voice, plan.FeedRef{Placed: pl.ID, Feed: id}.String())
	for _, i := range g.HeardIn(at) {
		out = append(out, g.Feeds[i])
	}
	return out
}

// source is a voice or part that sounds.
type source struct {
	id, name string
	feed     rig.Feed // as far as notes are concerned
}

func sourcesOf(pl *plan.Placed) (out []source) {
	inPart := map[string]rig.Part{}
	for _, p := range pl.Instrument.Parts {
		for _, v := range p.Voices {
			inPart[v] = p
		}
		if len(p.Voices) == 0 {
			out = append(out,
				source{p.ID, p.Name, rig.Feed{ID: p.ID, Kind: rig.PartFeed, Address: p.Address, Program: p.Program}})
		}
	}
	for _, v := range pl.Instrument.Voices {
		f := rig.Feed{ID: v.ID, Kind: rig.VoiceFeed, Keys: v.Keys, Program: -1}
		if p, ok := inPart[v.ID]; ok {
			f.Address = p.Address
		}
		out = append(out, source{v.ID, v.Name, f})
	}
	return out
}

func (s source) notes(g *trace.Graph) (int, bool) { return g.Project.Uses(s.feed) }

func allAside(feeds []trace.Feed) bool {
	for _, f := range feeds {
		if f.At.State != plan.Off && f.At.State != plan.Parked {
			return false
		}
	}
	return true
}

func asideInWords(feeds []trace.Feed) string {
	off, parked := 0, 0
	for _, f := range feeds {
		if f.At.State == plan.Off {
			off++
		} else {
			parked++
		}
	}
	switch {
	case len(feeds) == 1 && off == 1:
		return "it is switched off"
	case len(feeds) == 1:
		return "it is parked on output " + feeds[0].At.At().String()
	case parked == 0:
		return "all its microphones are off"
	}
	return fmt.Sprintf("of its feeds %s off and %s parked", are(off), are(parked))
}

// are is a number with its verb.
func are(n int) string {
	if n == 1 {
		return "1 is"
	}
	return fmt.Sprintf("%d are", n)
}

// bringBack offers an output for a feed that is parked or off, with a lane where it has none.
func bringBack(g *trace.Graph, f trace.Feed) (string, plan.Edit) {
	text, assign := sendSomewhere(g, f)
	if assign == nil {
		return "", nil
	}
	return text, func(p *plan.Project) (string, error) {
		label, err := assign(p)
		if err != nil {
			return "", err
		}
		pl := p.Find(f.Ref.Placed)
		a := pl.Feeds[f.ID]
		ref := plan.OutputRef{Placed: pl.ID, Output: a.Output, Side: a.Side}
		if len(p.LanesOf(ref)) > 0 {
			return label, nil
		}
		if n, err := p.Free(1, p.Host.FirstLane); err == nil { // else the problem is that it has no lane
			if _, err := edits.AddLane(ref, n, "")(p); err != nil {
				return "", err
			}
		}
		return label, nil
	}
}
