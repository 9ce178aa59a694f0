package plan

import (
	"fmt"
	"slices"

	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// SetInserts gives a lane, bus or return these inserts, in this order, and no others.
func SetInserts(id string, inserts []rig.Insert) Edit {
	return OnLane(id, func(_ *Project, l *Lane) (_ string, err error) {
		if err := rig.ValidInserts(inserts); err != nil {
			return "", err
		}
		l.Inserts = slices.Clone(inserts)
		if len(inserts) == 0 {
			l.Inserts = nil
			return fmt.Sprintf("remove the inserts of lane %d %s", l.Number, l.Name), nil
		}
		return fmt.Sprintf("set the inserts of lane %d %s to %s", l.Number, l.Name, rig.InsertsText(inserts)), nil
	})
}

// InsertAdvice says that the same insert stands on several lanes and would do in one place.
type InsertAdvice struct {
	Insert rig.Insert
	Lanes  []string // IDs, by number
	Bus    string   // ID of the bus that all of them are routed to; MainMix: they are not
	// Return: one return with a send from each would do; else the bus itself.
	Return bool
}

// Saves is how many instances fewer there would be.
func (a InsertAdvice) Saves() int { return len(a.Lanes) - 1 }

// Key names the advice in its project.
func (a InsertAdvice) Key() string { return a.Bus + "|" + a.Insert.String() }

// fewestAlike is how many lanes an insert stands on before anything is advised.
const fewestAlike = 3

// InsertAdvice lists what is advised: reverberation and delay become one return, a compressor
// or limiter one insert of the bus that the lanes are routed to. Equalisers are never advised
// about, since lanes are apart so that each can have its own; nor are gates, which listen to
// one lane each.
func (p *Project) InsertAdvice() (out []InsertAdvice) {
	type key struct {
		insert rig.Insert
		bus    string
	}
	var order []key
	lanes := map[key][]string{}
	for _, l := range p.ByNumber() {
		if l.Kind != Regular || l.Owner == Found {
			continue
		}
		var seen []rig.Insert
		for _, x := range l.Inserts {
			if slices.Contains(seen, x) {
				continue
			}
			seen = append(seen, x)
			k := key{insert: x}
			switch x.Kind {
			case rig.Reverberation, rig.Delay:
			case rig.Compressor, rig.Limiter:
				if k.bus = l.To; k.bus == MainMix {
					continue
				}
			default:
				continue
			}
			if lanes[k] == nil {
				order = append(order, k)
			}
			lanes[k] = append(lanes[k], l.ID)
		}
	}
	for _, k := range order {
		if len(lanes[k]) < fewestAlike {
			continue
		}
		a := InsertAdvice{Insert: k.insert, Lanes: lanes[k], Bus: k.bus, Return: k.bus == MainMix}
		if a.Return {
			a.Bus = p.CommonBus(a.Lanes)
		}
		out = append(out, a)
	}
	return out
}

// CommonBus is the bus that all of the lanes are routed to and that is none of them, or MainMix.
func (p *Project) CommonBus(lanes []string) string {
	bus := MainMix
	for i, id := range lanes {
		l := p.Lane(id)
		if l == nil || i > 0 && l.To != bus || slices.Contains(lanes, l.To) {
			return MainMix
		}
		bus = l.To
	}
	return bus
}

// Says is the advice in words: "Hall stands on 9 lanes of Drums: one return with 9 sends saves 8".
func (p *Project) Says(a InsertAdvice) string {
	text := fmt.Sprintf("%s stands on %d lanes", words.Capital(a.Insert.Title()), len(a.Lanes))
	b := p.Lane(a.Bus)
	if b != nil {
		text += " of " + b.Name
	}
	if a.Return {
		return fmt.Sprintf("%s: one return with %d sends saves %d", text, len(a.Lanes), a.Saves())
	}
	return fmt.Sprintf("%s: one on the bus saves %d", text, a.Saves())
}
