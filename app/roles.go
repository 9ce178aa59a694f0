package app

import (
	"hiddenlanes/core/house"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/role"
)

// RoleReport is one row of the role table as scripts read it.
type RoleReport struct {
	Role   role.Role `json:"role"`
	Step   int       `json:"step"` // from the role right above it
	Wish   int       `json:"wish"` // 0 to 3: of a microphone in kits and percussion, else of a part
	Label  string    `json:"label"`
	Short  string    `json:"short"`
	Family role.Role `json:"family"`
}

// ReportRoles lists the role table, in chart order.
func ReportRoles() []RoleReport {
	out := []RoleReport{}
	for _, r := range role.All() {
		kind := rig.PartFeed
		if r.IsStruck() {
			kind = rig.MicrophoneFeed
		}
		out = append(out, RoleReport{r, r.Step(), house.Wish(r, kind), house.Label(r), (*house.Chart)(nil).Short(r),
			r.Family()})
	}
	return out
}
