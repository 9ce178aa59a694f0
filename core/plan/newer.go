package plan

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"hiddenlanes/core/document"
)

// newer carries changes out on newer states of a project; one that writes down what is in the
// host alone, as ticks do, holds whatever else has changed.
var newer = document.Newer[Project]{Clone: (*Project).Clone, Telling: "patched",
	Read: func(doc []byte) (*Project, error) {
		out := &Project{}
		if err := json.Unmarshal(doc, out); err != nil {
			return nil, err
		}
		out.Relink()
		return out, nil
	}}

// OnNewer carries an edit that was made for one state of a project out on a newer one, as
// document.Newer does.
func OnNewer(was, now *Project, edit Edit) (*Project, string, error) {
	out, label, err := newer.Edit(was, now, edit)
	var met *document.Collision
	if errors.As(err, &met) {
		now.whereMet(met)
	}
	return out, label, err
}

// whereMet says in words where two changes of the project meet.
func (p *Project) whereMet(c *document.Collision) {
	at := c.At
	switch {
	case len(at) == 1 && at[0] == "name":
		c.What = "the name of the project"
		return
	case len(at) > 1 && at[0] == "lanes" && p.Lane(at[1]) != nil:
		l := p.Lane(at[1])
		c.What = fmt.Sprintf("lane %d %s", l.Number, l.Name)
		if len(at) > 2 {
			c.What = fmt.Sprintf("%s of lane %d", laneWords(at[2]), l.Number)
		}
		if len(at) > 2 && at[2] == "to" {
			c.Mine, c.Theirs = p.busText(c.Mine), p.busText(c.Theirs)
		}
		return
	case len(at) > 1 && at[0] == "placed" && p.Find(at[1]) != nil:
		c.What = "what is set for " + p.Find(at[1]).Instrument.Name
	}
	c.Mine, c.Theirs = "", ""
}

func (p *Project) busText(id string) string {
	if b := p.Lane(id); b != nil {
		return b.Name
	}
	return mainMixText
}

// laneWords is what a field of a lane is called by people.
func laneWords(field string) string {
	for _, a := range LaneAttributes {
		if a.Cell != nil && (string(a.name) == field || a.Cell.Key == field) {
			return "the " + strings.ToLower(a.Cell.Title)
		}
	}
	return "a setting"
}
