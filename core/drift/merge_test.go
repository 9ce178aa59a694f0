package drift

import (
	"slices"
	"testing"

	"hiddenlanes/core/house"
	"hiddenlanes/core/role"
)

// Roles that nobody has ranked stay where they stood among the others: before the first
// ranked one that came after them.
func TestUnrankedRolesStayWhereTheyStood(t *testing.T) {
	c := &house.Chart{}
	c.SetOrder("kit", []role.Role{"kit/kick", "kit/snare", "kit/hat", "kit/tom", "kit/cymbal"})
	for _, x := range []struct{ ranked, rest, want []role.Role }{
		{[]role.Role{"kit/snare", "kit/kick"}, []role.Role{"kit/hat", "kit/tom"},
			[]role.Role{"kit/snare", "kit/kick", "kit/hat", "kit/tom"}},
		{[]role.Role{"kit/tom", "kit/cymbal"}, []role.Role{"kit/kick", "kit/hat"},
			[]role.Role{"kit/kick", "kit/hat", "kit/tom", "kit/cymbal"}},
		{[]role.Role{"kit/kick", "kit/cymbal"}, []role.Role{"kit/snare", "kit/tom"},
			[]role.Role{"kit/kick", "kit/snare", "kit/tom", "kit/cymbal"}},
	} {
		if got := merge(c, x.ranked, x.rest); !slices.Equal(got, x.want) {
			t.Errorf("%v among the ranked %v gives %v; want %v", x.rest, x.ranked, got, x.want)
		}
	}
}
