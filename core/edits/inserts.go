package edits

import (
	"fmt"
	"slices"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/words"
)

// AddInserts puts effects, as they are typed, behind the others of lanes and buses; a limiter
// that is last stays last.
func AddInserts(ids []string, typed string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		more, err := rig.ParseInserts(typed)
		if err == nil && len(more) == 0 {
			err = fmt.Errorf("type the insert, such as “compressor” or “reverberation Hall”")
		}
		if err != nil {
			return "", err
		}
		names, err := p.EachLane(ids, func(l *plan.Lane) error {
			for _, x := range more {
				l.Inserts = rig.WithInsert(l.Inserts, x)
			}
			return rig.ValidInserts(l.Inserts)
		})
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("add %s to %s", rig.InsertsText(more), plan.JoinNames(names)), nil
	}
}

// FollowAdvice does what an advice says, if it is still given: the insert goes from the lanes
// to a return that they send to, or to their bus.
func FollowAdvice(key string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		all := p.InsertAdvice()
		i := slices.IndexFunc(all, func(a plan.InsertAdvice) bool { return a.Key() == key })
		if i < 0 {
			return "", fmt.Errorf("that advice no longer holds; reload the page")
		}
		a := all[i]
		for _, id := range a.Lanes {
			l := p.Lane(id)
			l.Inserts = slices.DeleteFunc(slices.Clone(l.Inserts), func(x rig.Insert) bool { return x == a.Insert })
			if len(l.Inserts) == 0 {
				l.Inserts = nil
			}
		}
		if !a.Return {
			b := p.Lane(a.Bus)
			if !slices.Contains(b.Inserts, a.Insert) {
				b.Inserts = rig.WithInsert(b.Inserts, a.Insert)
			}
			return fmt.Sprintf("move %s from %d lanes to the bus %s", a.Insert.Title(), len(a.Lanes), b.Name), nil
		}
		name := freeBusName(p, words.Capital(a.Insert.Title()))
		if _, err := AddReturn(name, a.Lanes, plan.Send{Level: plan.UsualSend})(p); err != nil {
			return "", err
		}
		b := p.BusNamed(name)
		b.Inserts = []rig.Insert{a.Insert}
		return fmt.Sprintf("replace %s on %d lanes with the return %s", a.Insert.Title(), len(a.Lanes), name), nil
	}
}

// freeBusName is a name that no bus has.
func freeBusName(p *plan.Project, name string) string {
	name = rig.ShortName(name)
	for k, try := 2, name; ; k++ {
		if p.BusNamed(try) == nil {
			return try
		}
		try = fmt.Sprintf("%s %d", name, k)
	}
}
