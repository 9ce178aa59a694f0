package rig

import (
	"fmt"
	"slices"
	"strings"
)

// EffectKind is what an effect does.
type EffectKind string

// The kinds of effect.
const (
	Equaliser     EffectKind = "equaliser"
	Compressor    EffectKind = "compressor"
	Limiter       EffectKind = "limiter"
	NoiseGate     EffectKind = "gate"
	Reverberation EffectKind = "reverberation"
	Delay         EffectKind = "delay"
	OtherEffect   EffectKind = "other"
)

// EffectKinds lists them.
var EffectKinds = []EffectKind{Equaliser, Compressor, Limiter, NoiseGate, Reverberation, Delay, OtherEffect}

// otherSpellings are how people write kinds too.
var otherSpellings = map[string]EffectKind{"eq": Equaliser, "equalizer": Equaliser, "comp": Compressor,
	"reverb": Reverberation, "echo": Delay, "noise gate": NoiseGate}

// ParseEffectKind reads a kind as it is typed.
func ParseEffectKind(s string) (EffectKind, error) {
	v := strings.ToLower(strings.TrimSpace(s))
	if k, ok := otherSpellings[v]; ok {
		return k, nil
	}
	if k := EffectKind(v); slices.Contains(EffectKinds, k) {
		return k, nil
	}
	return "", fmt.Errorf("%q is not a kind of effect; type one of %s", s, effectKindTexts())
}

func effectKindTexts() string {
	var out []string
	for _, k := range EffectKinds {
		out = append(out, string(k))
	}
	return strings.Join(out, ", ")
}

// Insert is an effect that a lane, bus or return passes, by its kind and as the user calls it.
type Insert struct {
	Kind EffectKind `json:"kind"`
	Name string     `json:"name,omitempty"`
	Note string     `json:"note,omitempty"`
}

// Title is what the insert is called: its name, or its kind.
func (x Insert) Title() string {
	if x.Name != "" {
		return x.Name
	}
	return string(x.Kind)
}

// String is the insert as ParseInserts reads it: "compressor Brick (slow)".
func (x Insert) String() string {
	out := string(x.Kind)
	if x.Name != "" {
		out += " " + x.Name
	}
	if x.Note != "" {
		out += " (" + x.Note + ")"
	}
	return out
}

// InsertsText lists inserts in their order: "equaliser, compressor Brick (slow)".
func InsertsText(list []Insert) string {
	var out []string
	for _, x := range list {
		out = append(out, x.String())
	}
	return strings.Join(out, ", ")
}

// MaxInserts is how many inserts a lane has at most.
const MaxInserts = 64

// ParseInserts reads what InsertsText writes. One whose first word is not a kind is of the kind
// other, by that name.
func ParseInserts(typed string) (out []Insert, err error) {
	for _, text := range splitInserts(typed) {
		if text = CleanName(text); text == "" {
			continue
		}
		x := Insert{Kind: OtherEffect, Name: text}
		if i := strings.IndexByte(text, '('); i >= 0 {
			note, closed := strings.CutSuffix(text[i+1:], ")")
			if !closed {
				return nil, fmt.Errorf("the note of %q has no end; write it as (note)", text)
			}
			x.Name, x.Note = CleanName(text[:i]), CleanName(note)
		}
		first, rest, _ := strings.Cut(x.Name, " ")
		if k, err := ParseEffectKind(first); err == nil {
			x.Kind, x.Name = k, rest
		}
		if x.Name == "" && x.Kind == OtherEffect {
			return nil, fmt.Errorf("%q does not say what the effect is; type a kind or a name", text)
		}
		out = append(out, x)
	}
	return out, ValidInserts(out)
}

// splitInserts splits at commas outside of notes.
func splitInserts(typed string) (out []string) {
	depth, start := 0, 0
	for i, c := range typed {
		switch {
		case c == '(':
			depth++
		case c == ')':
			depth = max(0, depth-1)
		case c == ',' && depth == 0:
			out, start = append(out, typed[start:i]), i+1
		}
	}
	return append(out, typed[start:])
}

// ValidInserts refuses inserts that cannot be kept.
func ValidInserts(list []Insert) error {
	if len(list) > MaxInserts {
		return fmt.Errorf("a lane has at most %d inserts", MaxInserts)
	}
	for _, x := range list {
		switch {
		case !slices.Contains(EffectKinds, x.Kind):
			return fmt.Errorf("%q is not a kind of effect; use one of %s", x.Kind, effectKindTexts())
		case len([]rune(x.Name)) > MaxName || len([]rune(x.Note)) > MaxName:
			return fmt.Errorf("names and notes of inserts have up to %d characters", MaxName)
		case strings.ContainsAny(x.Name, ",()") || strings.ContainsAny(x.Note, "()"):
			return fmt.Errorf("names of inserts have no commas and no brackets: %q", x.String())
		}
	}
	return nil
}

// WithInsert puts an insert behind the others; what must come last stays last, which is a
// limiter.
func WithInsert(list []Insert, x Insert) []Insert {
	at := len(list)
	for x.Kind != Limiter && at > 0 && list[at-1].Kind == Limiter {
		at--
	}
	return slices.Insert(slices.Clone(list), at, x)
}

// Effect is an effect inside the instrument: in the channel of one voice, microphone or part,
// on a group of them, or on all. One on a group or on all does not reach what leaves by an
// output other than the first one.
type Effect struct {
	ID        string     `json:"id"`
	Name      string     `json:"name"`
	Kind      EffectKind `json:"kind,omitempty"`      // "": nobody has said
	InChannel bool       `json:"inChannel,omitempty"` // it is in the channel of each that it covers, and leaves with it
	Covers    []string   `json:"covers,omitempty"`    // IDs of voices, microphones and parts; none: all
}

// Where says where the effect is: "in the channel", "on the group", "on the main output".
func (e Effect) Where() string {
	switch {
	case e.InChannel:
		return "in the channel"
	case len(e.Covers) > 0:
		return "on the group"
	}
	return "on the main output"
}

// AsInsert is the effect as an insert of a lane or bus of the host.
func (e Effect) AsInsert() Insert {
	kind := e.Kind
	if kind == "" {
		kind = OtherEffect
	}
	clean := strings.NewReplacer(",", "", "(", "", ")", "")
	return Insert{Kind: kind, Name: CleanName(clean.Replace(e.Name))}
}

// covers reports whether the effect is on what a feed is made of.
func (e Effect) covers(f Feed) bool {
	return len(e.Covers) == 0 && f.Kind != ReturnFeed || slices.ContainsFunc(e.Covers, func(id string) bool {
		return id != "" && (id == f.Voice || id == f.Microphone || id == f.Part)
	})
}
