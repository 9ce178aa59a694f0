package check

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/words"
)

// retired leads the codes of rules that are no more to those that took their place, so
// that what was accepted under the old one stays so. A code that was used is never used
// for something else.
var retired = map[string]string{"shared-slot": "leave-together"}

// decision is an acceptance of a project.
type decision struct {
	key, now string // it is kept by, and as a rule of today says it
	subjects []string
	plan.Intended
}

// decisionsOf lists the acceptances of a project by the code of the rule they are for now.
func decisionsOf(p *plan.Project) map[string][]decision {
	out := map[string][]decision{}
	for key, a := range p.Intended {
		parts := strings.Split(key, " ")
		code := cmp.Or(retired[parts[0]], parts[0])
		now := code + strings.TrimPrefix(key, parts[0])
		out[code] = append(out[code], decision{key, now, parts[1:], a})
	}
	for _, list := range out {
		slices.SortFunc(list, func(a, b decision) int { return cmp.Compare(a.key, b.key) })
	}
	return out
}

// older reports whether it is from before problems had a cause of their own: it holds the
// words of the reason as they were.
func (d decision) older() bool { return d.Was != "" }

// about reports whether it is of a problem of its rule: it has the problem's key, or, being
// older, names nothing that the problem is not about.
func (d decision) about(f Problem) bool {
	return d.now == f.Key() || d.older() &&
		!slices.ContainsFunc(d.subjects, func(s string) bool { return !slices.Contains(f.Subjects, plan.Entity(s)) })
}

// holds reports whether the problem it is about still has the cause it had. Of an older one
// every value that the problem comes from stood in the words, however those were put.
func (d decision) holds(f Problem) bool {
	if !d.older() {
		return d.Cause == f.cause()
	}
	return !slices.ContainsFunc(f.values, func(v any) bool { return !strings.Contains(d.Was, asWritten(v)) })
}

// decided gives the reason for which the user marks a problem as intended; where stands is false,
// for which they did so while it had another cause, or "".
func decided(list []decision, f Problem) (reason string, stands bool) {
	for _, d := range list {
		switch {
		case !d.about(f):
		case d.holds(f):
			return d.Reason, true
		case reason == "":
			reason = d.Reason
		}
	}
	return reason, false
}

// asWritten is a value as reasons had it when acceptances went by their words.
func asWritten(v any) string {
	switch x := v.(type) {
	case audio.Decibels:
		return strings.TrimPrefix(x.String(), "+")
	case float64:
		return fmt.Sprintf("%.0f", x)
	}
	return fmt.Sprint(v)
}

// MarkIntended is the edit that marks a problem as intended, with the user's reason.
func MarkIntended(key, reason string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		f, ok := ByKey(p, key)
		if !ok {
			return "", fmt.Errorf("that problem is fixed already")
		}
		forget(p, f)
		return edits.MarkIntended(key, reason, f.cause())(p)
	}
}

// MarkAllIntended is MarkIntended for several problems, with one reason.
func MarkAllIntended(keys []string, reason string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		found := map[string]Problem{}
		open, _ := Both(trace.New(p))
		for _, f := range open {
			found[f.Key()] = f
		}
		n := 0
		for _, key := range keys {
			f, ok := found[key]
			if !ok { // fixed meanwhile
				continue
			}
			forget(p, f)
			if _, err := edits.MarkIntended(key, reason, f.cause())(p); err != nil {
				return "", err
			}
			n++
		}
		if n == 0 {
			return "", fmt.Errorf("no problem is selected; select some first")
		}
		return fmt.Sprintf("mark %s as intended", words.Count(n, "problem", "problems")), nil
	}
}

// UnmarkIntended is the edit that counts a problem again that was marked as intended.
func UnmarkIntended(key string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		_, accepted := Both(trace.New(p))
		for _, f := range accepted {
			if f.Key() == key && forget(p, f) {
				return "count a problem again", nil
			}
		}
		return edits.UnmarkIntended(key)(p)
	}
}

// forget takes away what was accepted of a problem, and reports whether there was anything.
func forget(p *plan.Project, f Problem) (found bool) {
	for _, d := range decisionsOf(p)[f.Rule.Code] {
		if d.about(f) {
			delete(p.Intended, d.key)
			found = true
		}
	}
	return found
}
