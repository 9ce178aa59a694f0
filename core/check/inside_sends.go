package check

import (
	"fmt"

	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
)

// returnFeed gives the feed that a return of an instrument is.
func returnFeed(g *trace.Graph, pl *plan.Placed, id string) (trace.Feed, bool) {
	for _, f := range g.Feeds {
		if f.Ref == (plan.FeedRef{Placed: pl.ID, Feed: id}) {
			return f, true
		}
	}
	return trace.Feed{}, false
}

var insideSendUnheard = &Rule{
	Code: "inside-send-unheard", Title: "A send inside the instrument leads to nothing that is heard", Severity: Wrong,
	Step: AtOutputs,
	Doc: "Feeds send to a return of the instrument that has no output, or whose output comes to nothing: the effect is " +
		"not heard. Give the return an output, or remove the sends.",
	Find: func(g *trace.Graph) (out []Problem) {
		for i := range g.Project.Placed {
			pl := &g.Project.Placed[i]
			for _, r := range pl.Instrument.Returns {
				var names, ids []string
				for _, s := range pl.Instrument.FedBy(r.ID) {
					if !s.Closed {
						names, ids = append(names, s.Name), append(ids, s.ID)
					}
				}
				f, ok := returnFeed(g, pl, r.ID)
				if len(names) == 0 || !ok {
					continue
				}
				if f.At.State != plan.Off && f.At.State != plan.Parked {
					continue // one that is wanted and silent is a problem of its own
				}
				fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
					say: func() Words {
						return Words{Title: r.Name + " is sent to and not heard",
							Reason: fmt.Sprintf("Inside %s %s, and the return is %s.", pl.Instrument.Name, sendOf(names), f.At.State)}
					}}
				for _, id := range ids {
					fd.values = append(fd.values, id)
				}
				remove := setInside(pl.ID, "remove the sends to "+r.Name, ids, func(x rig.SourceRef) { dropSend(x, r.ID) })
				if text, edit := bringBack(g, f); edit != nil {
					fd.offer(text, edit)
					fd.also("Remove the sends", remove)
				} else {
					fd.offer("Remove the sends", remove)
				}
				out = append(out, fd)
			}
		}
		return out
	},
}

func sendOf(names []string) string {
	if len(names) == 1 {
		return names[0] + " sends to it"
	}
	return namesInWords(names) + " send to it"
}

// dropSend removes what a source sends to a return.
func dropSend(x rig.SourceRef, id string) {
	var left []rig.InsideSend
	for _, s := range x.Returns {
		if s.Return != id {
			left = append(left, s)
		}
	}
	x.Returns = left
}

var returnNoSenders = &Rule{
	Code: "return-no-senders", Title: "Nothing is sent to a return of the instrument", Severity: Untidy, Step: AtOutputs,
	Doc: "A return of the instrument has an output, and nothing inside sends to it: its lane is silent. Send to it " +
		"inside, or switch it off.",
	Find: func(g *trace.Graph) (out []Problem) {
		for _, f := range g.Feeds {
			if f.Kind != rig.ReturnFeed || f.At.State != plan.Assigned {
				continue
			}
			pl, fed := f.Placed, false
			for _, s := range pl.Instrument.FedBy(f.ID) {
				fed = fed || !s.Closed
			}
			if fed {
				continue
			}
			fd := Problem{Subjects: []plan.Entity{plan.FeedEntity(f.Ref)},
				say: func() Words {
					return Words{Title: "Nothing is sent to " + f.Name, Fix: "Switch " + f.Name + " off",
						Reason: fmt.Sprintf("It has an output, and nothing inside %s sends to it.", pl.Instrument.Name)}
				},
				fix: edits.SetAside(pl.ID, []string{f.ID}, plan.Off)}
			var ids []string
			for _, x := range g.Feeds {
				if x.Ref.Placed != pl.ID || x.Kind == rig.ReturnFeed || x.At.State != plan.Assigned || x.Closed {
					continue
				}
				for _, id := range madeOf(&pl.Instrument, x.Feed) {
					ids = append(ids, id)
					break
				}
			}
			if len(ids) > 0 {
				send := func(x rig.SourceRef) {
					dropSend(x, f.ID)
					x.Returns = append(x.Returns[:len(x.Returns):len(x.Returns)], rig.InsideSend{Return: f.ID, Level: -12})
				}
				fd.also("Send all feeds to it at −12 dB", setInside(pl.ID, "send all feeds to "+f.Name, ids, send))
			}
			out = append(out, fd)
		}
		return out
	},
}
