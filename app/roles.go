package app

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

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

// GuessReport is what a name is read as, for scripts. Of a microphone position, Role is the position.
type GuessReport struct {
	Name string        `json:"name"`
	Kind role.NameKind `json:"kind"`
	Role string        `json:"role"`
	Sure role.Sureness `json:"sure"`
}

// GuessRoles reads a CSV with the columns kind and name, in any order and with others beside them, and
// tells what each name is read as.
func GuessRoles(r io.Reader) ([]GuessReport, error) {
	c := csv.NewReader(r)
	c.FieldsPerRecord, c.LazyQuotes, c.ReuseRecord = -1, true, true
	head, err := c.Read()
	if err != nil {
		return nil, fmt.Errorf("the first line does not name the columns; begin with kind,name")
	}
	kind, name := -1, -1
	for i, h := range head {
		switch strings.ToLower(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff"))) {
		case "kind":
			kind = i
		case "name":
			name = i
		}
	}
	if name < 0 {
		return nil, fmt.Errorf("the first line names no column “name”; begin with kind,name")
	}
	out := []GuessReport{}
	for {
		row, err := c.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		line, _ := c.FieldPos(0)
		if err != nil {
			return nil, fmt.Errorf("line %d cannot be read; save it from the spreadsheet again", line)
		}
		if name >= len(row) || strings.TrimSpace(row[name]) == "" {
			continue
		}
		g := GuessReport{Name: row[name]}
		if kind >= 0 && kind < len(row) {
			g.Kind = role.NameKind(strings.ToLower(strings.TrimSpace(row[kind])))
		}
		if g.Kind != role.Anything && !slices.Contains(role.Kinds, g.Kind) {
			return nil, fmt.Errorf("line %d: there is no kind %q; write voice, microphone, part, return or position", line,
				g.Kind)
		}
		said := role.GuessName(g.Name, g.Kind)
		g.Role, g.Sure = string(said.Role), said.Sure
		switch g.Kind {
		case role.OfMicrophone:
			g.Role = string(role.ForMicrophone(g.Name).Role)
		case role.OfPosition:
			g.Role = string(said.Mic)
		}
		out = append(out, g)
	}
}

// ReportRoles lists the role table, in chart order.
func ReportRoles() []RoleReport {
	out := []RoleReport{}
	for _, r := range role.All() {
		kind := rig.PartFeed
		if r.IsStruck() {
			kind = rig.MicrophoneFeed
		}
		out = append(out, RoleReport{r, r.Step(), house.UsualOwnOutput(r, kind), house.Label(r), (*house.Chart)(nil).Short(r),
			r.Family()})
	}
	return out
}
