package check

import "strconv"

// RulesVersion names the rules there are: it is another one when a rule is added, goes, or
// has its Edition raised since it finds something else.
func RulesVersion() string {
	s := ""
	for _, r := range Rules {
		s += r.Code + "." + strconv.Itoa(int(r.Severity)) + "." + strconv.Itoa(r.Version) + " "
	}
	return s
}
