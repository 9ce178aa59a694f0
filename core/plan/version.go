package plan

import (
	"encoding/json"
	"regexp"
	"strconv"

	"hiddenlanes/core/document"
	"hiddenlanes/core/house"
	"hiddenlanes/core/rig"
)

// Versions are the versions of a project's document.
//
// 1: it says its version, and so do the instruments and the house chart in it. The last
// number of an ID is not less than those in use.
var Versions = &document.Line{What: "project", Steps: []func(map[string]any) error{toVersion1}}

// Version is a project's version field.
type Version = document.Version[mark]

type mark struct{}

func (mark) Line() *document.Line { return Versions }

func toVersion1(p map[string]any) error {
	for _, pl := range objects(p["placed"]) {
		if in, ok := pl["instrument"].(map[string]any); ok {
			if err := rig.Versions.UpgradeTree(in, 0); err != nil {
				return err
			}
		}
	}
	if chart, ok := p["chart"].(map[string]any); ok {
		if err := house.Versions.UpgradeTree(chart, 0); err != nil {
			return err
		}
	}
	last := number(p["lastId"])
	for _, list := range []string{"placed", "lanes"} {
		for _, x := range objects(p[list]) {
			id, _ := x["id"].(string)
			last = max(last, idNumber(id))
		}
	}
	p["lastId"] = last
	return nil
}

// objects lists the objects of a JSON list.
func objects(list any) (out []map[string]any) {
	all, _ := list.([]any)
	for _, x := range all {
		if m, ok := x.(map[string]any); ok {
			out = append(out, m)
		}
	}
	return out
}

// number is a whole number of JSON, or 0.
func number(v any) int {
	n, _ := v.(json.Number)
	i, _ := strconv.Atoi(string(n))
	return i
}

var numberedID = regexp.MustCompile(`^[a-z]+(\d{1,9})$`)

// idNumber is the number in an ID that newID may have made, or 0.
func idNumber(id string) (n int) {
	if m := numberedID.FindStringSubmatch(id); m != nil {
		n, _ = strconv.Atoi(m[1])
	}
	return n
}

// MendIDs lets LastID be no less than the numbers in use, whatever a file says, so that
// the next ID is a new one.
func (p *Project) MendIDs() {
	for _, pl := range p.Placed {
		p.LastID = max(p.LastID, idNumber(pl.ID))
	}
	for _, l := range p.Lanes {
		p.LastID = max(p.LastID, idNumber(l.ID))
	}
	for _, s := range []*Patched{p.Patched, p.Practice} {
		if s == nil {
			continue
		}
		for _, l := range s.Lanes {
			if p.Lane(l.ID) == nil {
				s.LastID = max(s.LastID, idNumber(l.ID))
			}
		}
	}
}
