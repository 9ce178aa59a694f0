package role

import (
	"slices"
	"strings"
	"testing"

	"hiddenlanes/core/midi"
)

// The table is all there is to a role: what is in it must not contradict itself.
func TestTheTableHoldsTogether(t *testing.T) {
	spelled, keys, programs := map[string]Role{}, map[midi.Key]Role{}, map[int]Role{}
	var order []Role
	for _, row := range Table {
		if _, err := Parse(string(row.Role)); err != nil {
			t.Errorf("%s: %v", row.Role, err)
		}
		if slices.Contains(order, row.Role) {
			t.Errorf("%s has two rows", row.Role)
		}
		order = append(order, row.Role)
		if parent := row.Role.Parent(); parent != Unnamed && parent.Row() == nil {
			t.Errorf("%s stands below %s, which has no row", row.Role, parent)
		}
		if n := len([]rune(row.Short)); n > 6 {
			t.Errorf("%s is shortened to %q, %d letters", row.Role, row.Short, n)
		}
		if w := row.OwnOutput; w != nil && (*w < 0 || *w > 3) {
			t.Errorf("%s wishes %d", row.Role, *w)
		}
		for kind, names := range map[string]string{"drums": row.AsDrums, "voice": row.AsVoice, "microphone": row.AsMicrophone,
			"part": row.AsPart, "return": row.AsReturn, "below " + string(row.Role.Parent()): row.Below} {
			for s := range strings.SplitSeq(names, ",") {
				at := kind + ": " + strings.TrimSpace(s)
				if other, ok := spelled[at]; ok && names != "" {
					t.Errorf("%q spells both %s and %s", at, other, row.Role)
				}
				spelled[at] = row.Role
			}
		}
		for s := range strings.SplitSeq(row.Names, ",") {
			s = strings.TrimSpace(s)
			if s == "" {
				continue
			}
			if other, ok := spelled[s]; ok {
				t.Errorf("%q spells both %s and %s", s, other, row.Role)
			}
			spelled[s] = row.Role
			if got := FromName(s).Role; !got.Under(row.Role) && !row.Role.Under(got) {
				t.Errorf("%q is a spelling of %s, but is read as %s", s, row.Role, got)
			}
		}
		for _, k := range row.Keys {
			if other, ok := keys[k]; ok {
				t.Errorf("key %d is both %s and %s", k, other, row.Role)
			}
			keys[k] = row.Role
		}
		for _, p := range row.Programs {
			for n := p.First; n <= p.Last; n++ {
				if other, ok := programs[n]; ok {
					t.Errorf("program %d is both %s and %s", n, other, row.Role)
				}
				programs[n] = row.Role
			}
		}
	}
	for n := range 128 {
		if _, ok := programs[n]; !ok && n < 112 { // from 112 on are percussion and effects
			t.Errorf("General MIDI program %d has no role", n+1)
		}
	}
	for r := range traits {
		if !slices.Contains(order, r) {
			t.Errorf("%s has traits and no line in roles.txt", r)
		}
	}
	if roots := Roots(); len(roots) < 8 {
		t.Errorf("the roots are %v", roots)
	}
}
