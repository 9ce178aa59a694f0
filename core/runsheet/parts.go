package runsheet

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"sync"

	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
)

// Part is what of a step can be marked as done alone: one setting, or those of one lane.
type Part struct {
	Item
	Step Step // as a step of its own
}

// Parts takes a step apart. A step that is done in one go has none.
func (st Step) Parts(p *plan.Project) (out []Part) {
	add := func(item Item, count int, actions ...host.Action) {
		out = append(out, Part{item, Step{Number: st.Number, Place: st.Place, Text: item.String(), Count: count,
			Actions: actions}})
	}
	say := sync.OnceValue(p.Sayer)
	if len(st.Actions) == 1 {
		if c, ok := st.Actions[0].(host.Confirm); ok && len(c.Keys) > 1 {
			for _, k := range c.Keys {
				add(Item{Text: say()(k)}, 1, host.Confirm{Plan: c.Plan, Keys: []plan.Key{k}})
			}
		}
		return out
	}
	if len(st.Items) == len(st.Actions) {
		for i, a := range st.Actions {
			add(st.Items[i], max(1, st.Items[i].Count), a)
		}
		return out
	}
	var groups [][]host.Action // of one thing each
	for i := 0; i < len(st.Actions); {
		about := aboutOf(st.Actions[i])
		n := i + 1
		for n < len(st.Actions) && about != "" && aboutOf(st.Actions[n]) == about {
			n++
		}
		groups = append(groups, st.Actions[i:n])
		i = n
	}
	for i, actions := range groups {
		if len(st.Items) == len(groups) {
			add(st.Items[i], max(1, st.Items[i].Count), actions...)
			continue
		}
		text := "one of " + st.Text
		if sets := actions[0].Sets(); len(sets) > 0 {
			text, _, _ = strings.Cut(say()(sets[0].Key), ": ")
		}
		add(Item{Text: text}, 1, actions...)
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// aboutOf is the thing that an action sets something of.
func aboutOf(a host.Action) plan.Entity {
	if sets := a.Sets(); len(sets) > 0 {
		return sets[0].Entity
	}
	return ""
}

// Has reports whether a step is part of another: it sets nothing that the other does not.
func (st Step) Has(part Step) bool {
	all := map[plan.Setting]bool{}
	for _, a := range st.Actions {
		for _, s := range a.Sets() {
			all[s] = true
		}
	}
	for _, a := range part.Actions {
		for _, s := range a.Sets() {
			if !all[s] {
				return false
			}
		}
	}
	return true
}

// Named finds the step with a key.
func Named(steps []Step, key string) (Step, bool) {
	i := slices.IndexFunc(steps, func(st Step) bool { return st.Key() == key })
	if i < 0 {
		return Step{}, false
	}
	return steps[i], true
}

// Chosen is a step, or of it the parts that are named by their place, from "0", as a step.
func (st Step) Chosen(p *plan.Project, parts []string) (Step, error) {
	if len(parts) == 0 {
		return st, nil
	}
	out := st
	out.Actions, out.Items, out.Count = nil, nil, 0
	for i, x := range st.Parts(p) {
		if slices.Contains(parts, strconv.Itoa(i)) {
			out.Actions = append(out.Actions, x.Step.Actions...)
			out.Items = append(out.Items, x.Item)
			out.Count += x.Step.Count
		}
	}
	if out.Count == 0 {
		return st, fmt.Errorf("that setting is done already or no longer needed; reload the sheet")
	}
	if len(out.Items) == 1 {
		out.Text = st.Text + ": " + out.Items[0].String()
		out.Items = nil
	}
	return out, nil
}

// Left is what steps take: settings that are made by hand, and checks by ear.
type Left struct{ Settings, Checks int }

// LeftOf counts what steps take.
func LeftOf(steps []Step) (n Left) {
	for _, st := range steps {
		if st.Place == ByEar {
			n.Checks += st.Count
		} else {
			n.Settings += st.Count
		}
	}
	return n
}

// Settings counts the settings of steps.
func Settings(steps []Step) int { return LeftOf(steps).Settings }
