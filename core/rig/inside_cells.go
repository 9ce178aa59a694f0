package rig

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"hiddenlanes/core/midi"
	"hiddenlanes/internal/words"
)

// InsideCell is the cell of a kind of setting: what a source shows there, and what typing sets. It
// stands in the row of InsideAttributes that the setting has.
type InsideCell struct {
	Key, Title string
	Choices    []string // the words that it offers
	Usual      string   // what it shows where an instrument is set as most come
	Of         FeedKind // the sources that have it; "": all
	column     int      // where it stands among the others
	refusal    string   // said where something is typed for a source that has none
	text       func(*Instrument, SourceRef) string
	set        func(in *Instrument, x SourceRef, typed string) error
}

// InsideCells lists them in the order of their columns.
var InsideCells = func() (out []*InsideCell) {
	for _, a := range InsideAttributes {
		if a.Cell != nil {
			out = append(out, a.Cell)
		}
	}
	slices.SortFunc(out, func(a, b *InsideCell) int { return cmp.Compare(a.column, b.column) })
	return out
}()

// PolarityWords are what polarities are called, the usual one first.
var PolarityWords = []string{"normal", "inverted"}

const allChannels = "all channels"

// Has reports whether sources of a kind have such a setting.
func (c *InsideCell) Has(kind FeedKind) bool { return c.Of == "" || c.Of == kind }

// Text is what the cell shows of a source.
func (c *InsideCell) Text(in *Instrument, x SourceRef) string {
	if !c.Has(x.Kind) {
		return ""
	}
	return c.text(in, x)
}

// Set sets what is typed into the cell of a source.
func (c *InsideCell) Set(in *Instrument, x SourceRef, typed string) error {
	switch {
	case c.Has(x.Kind):
		return c.set(in, x, typed)
	case typed == "":
		return nil
	}
	return errors.New(c.refusal)
}

// InsideTexts gives for each voice, microphone and part of an instrument, by ID, what its cells show.
func InsideTexts(in *Instrument) map[string][]string {
	out := map[string][]string{}
	for x := range in.EachSource() {
		for _, c := range InsideCells {
			out[x.ID] = append(out[x.ID], c.Text(in, x))
		}
	}
	return out
}

// valueCell is the cell of a value that has a text.
func valueCell[V any](c InsideCell, of func(SourceRef) *V, text func(V) string, parse func(string) (V,
	error)) *InsideCell {
	c.text = func(_ *Instrument, x SourceRef) string { return text(*of(x)) }
	c.set = func(_ *Instrument, x SourceRef, typed string) error {
		v, err := parse(typed)
		if err == nil {
			*of(x) = v
		}
		return err
	}
	return &c
}

// flagCell is the cell of what sources have or have not, in two words of which the first is usual.
func flagCell(c InsideCell, of func(SourceRef) *bool) *InsideCell {
	no, yes := c.Choices[0], c.Choices[1]
	c.Usual = no
	return valueCell(c, of, func(on bool) string { return words.Either(on, no, yes) },
		func(typed string) (bool, error) { return words.ParseEither(typed, no, yes) })
}

// receivedText is what a part receives, as receiveTyped reads it.
func receivedText(_ *Instrument, x SourceRef) string {
	switch {
	case x.Part.AllChannels:
		return allChannels
	case x.Part.Address.Known():
		return x.Part.Address.String()
	}
	return ""
}

func receiveTyped(_ *Instrument, x SourceRef, typed string) error {
	if strings.EqualFold(typed, allChannels) || strings.EqualFold(typed, "all") {
		x.Part.AllChannels = true
		return nil
	}
	a, err := midi.ParseAddress(typed)
	if err == nil {
		x.Part.AllChannels, x.Part.Address = false, a.Norm()
	}
	return err
}

// ParsePan reads a pan as it is typed: "40 left", "centre", "-40", in percent.
func ParsePan(typed string) (float64, error) {
	v := strings.ToLower(strings.TrimSpace(typed))
	if v == "" || v == "centre" || v == "center" || v == "c" {
		return 0, nil
	}
	sign := 1.0
	for _, side := range []struct {
		word string
		sign float64
	}{{"left", -1}, {"right", 1}, {"l", -1}, {"r", 1}} {
		if rest, ok := strings.CutSuffix(v, side.word); ok {
			v, sign = strings.TrimSpace(rest), side.sign
			break
		}
	}
	x, err := Number(v)
	if err != nil || math.Abs(x) > 100 {
		return 0, fmt.Errorf("%q is not a pan; type from −100, left, to 100, right, or centre", typed)
	}
	return sign * x / 100, nil
}
