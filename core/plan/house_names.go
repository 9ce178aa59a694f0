package plan

import (
	"cmp"
	"slices"

	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// PartName is what the house calls a part: the chart's own name for its role, where it
// has one, or the part's.
func (pl *Placed) PartName(part rig.Part) string {
	return cmp.Or(pl.House().At(part.Role).Name, part.Name)
}

// HouseNames is the instrument with the names that the house has for its voices and
// parts. Voices of one role keep their own, or nobody could tell them apart.
func (pl *Placed) HouseNames() rig.Instrument {
	in := pl.Instrument
	in.Voices, in.Parts = slices.Clone(in.Voices), slices.Clone(in.Parts)
	count := map[role.Role]int{}
	for _, v := range in.Voices {
		count[v.Role]++
	}
	for i := range in.Voices {
		if v := &in.Voices[i]; v.Role != role.Unnamed && count[v.Role] == 1 {
			v.Name = pl.House().Label(v.Role)
		}
	}
	for i := range in.Parts {
		in.Parts[i].Name = pl.PartName(in.Parts[i])
	}
	return in
}
