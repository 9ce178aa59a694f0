package command

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"hiddenlanes/core/drift"
	"hiddenlanes/core/house"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/role"
	"hiddenlanes/core/tabular"
)

// Commands on the house chart. Its parts are the entries of roles, and the order below
// each.

var chartCommands = []*Spec{
	of[SetChartCells](Chart, "cells", "Change cells of the chart", blame("value")),
	of[AddRole](Chart, "add", "Add a role to the chart", blame("role")),
	runs(Chart, "step", "Move a role by one place", with(apart), StepRole.Run),
	runs(Chart, "move", "Move a role among its neighbours", with(apart), MoveRole.Run),
	of[SetCustom](Chart, "custom", "Choose order and names of an instrument's lanes", blame("order")),
	runs(Chart, "keep", "Keep the chart as a version", with(blame("note")), KeepChart.Run),
	runs(Chart, "restore", "Go back to a kept version", with(blame("version")), RestoreChart.Run),
	of[TakeLearned](Chart, "learned", "Take what projects do already", blame("line")),
}

// SetChartCells types values into cells of the chart.
type SetChartCells struct {
	Cells `form:"*"`
}

func (c SetChartCells) Edit(n midi.Naming) house.Edit {
	return house.SetCells(c.list(), n)
}

// AddRole puts a role into the chart, with its usual name.
type AddRole struct {
	Role string `form:"role"`
}

func (c AddRole) role() (role.Role, error) {
	return role.Parse(strings.ToLower(strings.TrimSpace(c.Role)))
}

// Check refuses what is no role.
func (c AddRole) Check() error {
	_, err := c.role()
	return err
}

func (c AddRole) Edit(n midi.Naming) house.Edit {
	r, _ := c.role() // Check has read it
	return func(chart *house.Chart) (string, error) {
		return house.SetCells([]tabular.Cell{tabular.At(string(r), "name", chart.Label(r))}, n)(chart)
	}
}

// Said tells what came of it.
func (c AddRole) Said() string {
	r, _ := c.role()
	return fmt.Sprintf("Added %s to the chart.", r)
}

// StepRole moves a role one place on, "kit/hat|1", or back, "kit/hat|-1".
type StepRole struct {
	Step string `form:"step"`
}

func (c StepRole) at() (role.Role, int) {
	at, by, _ := strings.Cut(c.Step, "|")
	if by == "-1" {
		return role.Role(at), -1
	}
	return role.Role(at), 1
}

// Check refuses a step without a role.
func (c StepRole) Check() error {
	if at, _, ok := strings.Cut(c.Step, "|"); !ok || at == "" {
		return errors.New("choose the role to move")
	}
	return nil
}

func (c StepRole) Run(ctx context.Context, on Target, a Charts) (string, error) {
	at, by := c.at()
	return "", editOrder(ctx, on, a, func(shown []role.Role) house.Edit { return house.Step(at, by, shown...) })
}

// MoveRole moves a role before one of its neighbours, or, with none, to the end. Dropped
// onto something within a neighbour, it goes before that neighbour.
type MoveRole struct {
	Role   string `form:"role"`
	Before string `form:"before"`
}

func (c MoveRole) Run(ctx context.Context, on Target, a Charts) (string, error) {
	return "", editOrder(ctx, on, a, func(shown []role.Role) house.Edit {
		return house.MoveBefore(role.Role(c.Role), role.Role(c.Before), shown...)
	})
}

// editOrder moves a role among those that the chart or a project has.
func editOrder(ctx context.Context, on Target, a Charts, edit func(shown []role.Role) house.Edit) error {
	shown, err := a.UsedRoles(ctx)
	if err != nil {
		return err
	}
	return a.EditChart(ctx, on.Base, edit(shown))
}

// SetCustom says in which order an instrument's lanes stand and whose names they have; as the chart
// has them, it is in no list any more.
type SetCustom struct {
	Instrument string        `form:"instrument"`
	Order      house.Ordered `form:"order,optional"`
	Names      house.Named   `form:"names,optional"`
}

func (c SetCustom) Edit(midi.Naming) house.Edit {
	return house.SetCustom(house.Custom{Instrument: c.Instrument, Order: c.Order, Names: c.Names})
}

// KeepChart keeps the chart as the next version.
type KeepChart struct {
	Note string `form:"note,optional"`
}

func (c KeepChart) Run(ctx context.Context, at Target, a Charts) (string, error) {
	n, err := a.KeepChart(ctx, at.Base, c.Note)
	return fmt.Sprintf("Version %d is saved. Projects are compared with it from now on; "+
		"apply the chart to those that should follow.", n), err
}

// RestoreChart makes the chart say again what a kept version said.
type RestoreChart struct {
	Version int `form:"version,min=1" says:"the version"`
}

func (c RestoreChart) Run(ctx context.Context, at Target, a Charts) (string, error) {
	return fmt.Sprintf("Version %d is restored. Save it as a new version, or change it further.", c.Version),
		a.RestoreChart(ctx, at.Base, c.Version)
}

// TakeLearned takes lines of what projects do already. A line carries its value, for the
// files that it was learned from are not kept: "field:role=value", or
// "order:parent=role role role".
type TakeLearned struct {
	Lines []string `form:"line"`
}

func (c TakeLearned) learned() (l *drift.Learned, keys map[string]bool) {
	l, keys = &drift.Learned{}, map[string]bool{}
	for _, line := range c.Lines {
		field, rest, _ := strings.Cut(line, ":")
		about, value, _ := strings.Cut(rest, "=")
		if field == "order" {
			o := drift.Order{Parent: role.Role(about)}
			for r := range strings.SplitSeq(value, " ") {
				o.Roles = append(o.Roles, role.Role(r))
			}
			l.Orders, keys[o.Key()] = append(l.Orders, o), true
			continue
		}
		x := drift.Line{Role: role.Role(about), Field: field, Value: value}
		l.Lines, keys[x.Key()] = append(l.Lines, x), true
	}
	return l, keys
}

func (c TakeLearned) Edit(n midi.Naming) house.Edit {
	l, keys := c.learned()
	return l.Accept(keys, n)
}

// Count is how many lines are taken.
func (c TakeLearned) Count() int {
	_, keys := c.learned()
	return len(keys)
}
