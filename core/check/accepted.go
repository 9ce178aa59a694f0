package check

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/trace"
)

// Retired leads the codes of rules that are no more to those that took their place, so
// that what was accepted under the old one stays so. A code that was used is never used
// for something else.
var Retired = map[string]string{}

// older is an acceptance from before findings had a cause of their own: it holds the
// words of the reason as they were.
type older struct {
	subjects []string
	plan.Accepted
}

// olderOf lists the acceptances of a project that go by words, by code.
func olderOf(p *plan.Project) map[string][]older {
	out := map[string][]older{}
	for key, a := range p.Accepted {
		if a.Was == "" {
			continue
		}
		parts := strings.Split(key, " ")
		code := parts[0]
		if now, ok := Retired[code]; ok {
			code = now
		}
		out[code] = append(out[code], older{parts[1:], a})
	}
	return out
}

// acceptedBy gives the reason for which the user lets a finding stand.
func acceptedBy(p *plan.Project, old map[string][]older, f Finding) (reason string, ok bool) {
	if a, found := p.Accepted[f.Key()]; found && a.Was == "" && a.Cause == f.Cause() {
		return a.Reason, true
	}
	for code, now := range Retired {
		key := code + strings.TrimPrefix(f.Key(), f.Rule.Code)
		if a, found := p.Accepted[key]; found && now == f.Rule.Code && a.Was == "" && a.Cause == f.Cause() {
			return a.Reason, true
		}
	}
	for _, a := range old[f.Rule.Code] {
		if a.covers(f) {
			return a.Reason, true
		}
	}
	return "", false
}

// covers tells whether an older acceptance is of this finding and of the same cause: it
// names nothing that the finding is not about, and every value that the finding comes from
// stood in the words, however those were put.
func (a older) covers(f Finding) bool {
	if !a.about(f) {
		return false
	}
	for _, v := range f.values {
		if !strings.Contains(a.Was, asWritten(v)) {
			return false
		}
	}
	return true
}

// about tells whether an older acceptance names nothing that the finding is not about.
func (a older) about(f Finding) bool {
	return !slices.ContainsFunc(a.subjects, func(s string) bool { return !slices.Contains(f.Subjects, plan.Entity(s)) })
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

// before gives the reason that is kept with a finding which was let stand for another
// cause than it has now, or "".
func before(p *plan.Project, old map[string][]older, f Finding) string {
	if len(p.Accepted) == 0 {
		return ""
	}
	if a, ok := p.Accepted[f.Key()]; ok {
		return a.Reason
	}
	for _, a := range old[f.Rule.Code] {
		if a.about(f) {
			return a.Reason
		}
	}
	return ""
}

// MarkIntended is the edit that lets a finding stand, with the user's reason.
func MarkIntended(key, reason string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		f, ok := ByKey(p, key)
		if !ok {
			return "", fmt.Errorf("that is mended already")
		}
		forget(p, f)
		return plan.MarkIntended(key, reason, f.Cause())(p)
	}
}

// UnmarkIntended is the edit that brings a finding back that was let stand.
func UnmarkIntended(key string) plan.Edit {
	return func(p *plan.Project) (string, error) {
		_, accepted := Both(trace.New(p))
		for _, f := range accepted {
			if f.Key() == key && forget(p, f) {
				return "bring a finding back", nil
			}
		}
		return plan.UnmarkIntended(key)(p)
	}
}

// forget takes away what was accepted of a finding, by its key, by words or under a
// retired code, and tells whether there was anything.
func forget(p *plan.Project, f Finding) (found bool) {
	for key, a := range p.Accepted {
		parts := strings.Split(key, " ")
		code := cmp.Or(Retired[parts[0]], parts[0])
		same := code+strings.TrimPrefix(key, parts[0]) == f.Key()
		if same || a.Was != "" && code == f.Rule.Code && (older{parts[1:], a}).about(f) {
			delete(p.Accepted, key)
			found = true
		}
	}
	return found
}
