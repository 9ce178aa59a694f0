package rig

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/core/audio"
)

// Traits say how an instrument behaves as a whole, and what it can do in one action. The zero
// value says of nothing that it can.
type Traits struct {
	Player Player `json:"player,omitempty"` // plays notes of its own
	// OwnPlaces: voices that leave together as delivered can be given places of their own.
	OwnPlaces bool `json:"ownPlaces,omitempty"`
	// VersionFixed: the version is fixed when it is loaded; another one means loading again.
	VersionFixed bool     `json:"versionFixed,omitempty"`
	Spreads      []Spread `json:"spreads,omitempty"` // what it spreads its feeds by in one action
	// KitReplaces: loading another kit or preset inside replaces the assignments.
	KitReplaces bool `json:"kitReplaces,omitempty"`
	// SeparateSwitch: its separate outputs must be switched on before anything leaves by them.
	SeparateSwitch bool       `json:"separateSwitch,omitempty"`
	Defaults       Defaults   `json:"defaults,omitempty"`
	Names          OutputRows `json:"outputNames,omitempty"` // what it calls its outputs
	// What one instance takes and holds; 0: not known.
	Load     float64 `json:"load,omitempty"`     // percent of what the machine can do
	MaxParts int     `json:"maxParts,omitempty"` // parts
	Channels int     `json:"channels,omitempty"` // MIDI channels it listens to
}

// Player says whether an instrument plays notes of its own, beside those that the host sends.
type Player string

// The states of a player.
const (
	NoPlayer  Player = ""    // it has none
	PlayerOff Player = "off" // the host plays
	PlayerOn  Player = "on"  // it plays
)

// Spread is a way to spread the feeds over the outputs in one action.
type Spread string

// The spreads. A prepared layout is one too, by its name.
const (
	InOrder Spread = "order" // the k-th feed to the k-th output, all others to the last
	OneEach Spread = "each"  // outputs are made so that the k-th feed has the k-th
)

// SpreadTexts say the spreads in words.
var SpreadTexts = map[Spread]string{InOrder: "all in order", OneEach: "one output each"}

// Defaults says whether a set-up can be saved so that the instrument starts with it.
type Defaults string

// What can be saved.
const (
	NoDefault  Defaults = ""        // nothing
	DefaultOne Defaults = "version" // for the version that is loaded
	DefaultAll Defaults = "all"     // for every version at once
)

// OutputRow is a rule for what the instrument calls outputs: those with the numbers From to To,
// or where From is 0 all others of a width. "{n}" in the name counts them from 1.
type OutputRow struct {
	From  int         `json:"from,omitempty"`
	To    int         `json:"to,omitempty"`
	Width audio.Width `json:"width,omitempty"`
	Name  string      `json:"name"`
}

// OutputRows are the rules, the first that fits counts.
type OutputRows []OutputRow

// widthNames are the widths as rules are typed.
var widthNames = []audio.Width{audio.Mono, audio.Stereo, audio.Surround}

// ParseOutputRows reads rules, one a line: "1 Main", "2-9 St {n}", "mono M {n}".
func ParseOutputRows(text string) (out OutputRows, err error) {
	for i, line := range strings.Split(strings.ReplaceAll(text, "\r", "\n"), "\n") {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		of, name, _ := strings.Cut(line, " ")
		row := OutputRow{}
		if row.Name, err = ParseName("an output", name); err != nil {
			return nil, fmt.Errorf("line %d: %q has no name; type for example “2-9 St {n}”", i+1, line)
		}
		if w, err := audio.ParseWidth(strings.ToLower(of)); err == nil && strings.Trim(of, "0123456789") != "" {
			row.Width = w
		} else {
			a, b, ranged := strings.Cut(strings.ReplaceAll(of, "–", "-"), "-")
			if !ranged {
				b = a
			}
			from, errA := strconv.Atoi(a)
			to, errB := strconv.Atoi(b)
			if errA != nil || errB != nil || from < 1 || to < from || to > MaxPorts {
				return nil, fmt.Errorf("line %d: %q begins with neither output numbers nor a width; type for example “1 Main”, "+
					"“2-9 St {n}” or “mono M {n}”", i+1, line)
			}
			row.From, row.To = from, to
		}
		out = append(out, row)
	}
	return out, nil
}

// String writes the rules as ParseOutputRows reads them.
func (rows OutputRows) String() string {
	var out []string
	for _, r := range rows {
		of := r.Width.String()
		switch {
		case r.From > 0 && r.From == r.To:
			of = strconv.Itoa(r.From)
		case r.From > 0:
			of = fmt.Sprintf("%d-%d", r.From, r.To)
		}
		out = append(out, of+" "+r.Name)
	}
	return strings.Join(out, "\n")
}

// For gives what outputs are called, by their numbers; those without a rule are missing.
func (rows OutputRows) For(outputs []Output) map[int]string {
	out := map[int]string{}
	rows.each(outputs, func(o Output, row OutputRow, n int) bool {
		out[o.Number] = row.called(n)
		return true
	})
	return out
}

// Name is what one of the outputs is called, by its number; "" where no rule is for it.
func (rows OutputRows) Name(outputs []Output, number int) (name string) {
	rows.each(outputs, func(o Output, row OutputRow, n int) bool {
		if o.Number == number {
			name = row.called(n)
		}
		return o.Number != number
	})
	return name
}

func (r OutputRow) called(n int) string { return strings.ReplaceAll(r.Name, "{n}", strconv.Itoa(n)) }

// each goes through the outputs that there is a rule for, with the number that each has by it.
func (rows OutputRows) each(outputs []Output, do func(o Output, row OutputRow, n int) bool) {
	seen := make([]int, len(rows))
	for _, o := range outputs {
		for i, r := range rows {
			numbered := r.From > 0 && o.Number >= r.From && o.Number <= r.To
			if !numbered && (r.From > 0 || r.Width != o.Width) {
				continue
			}
			seen[i]++
			n := seen[i]
			if numbered {
				n = o.Number - r.From + 1
			}
			if !do(o, r, n) {
				return
			}
			break
		}
	}
}

// Validate refuses traits that say nothing sensible.
func (t Traits) Validate() error {
	switch {
	case !slices.Contains([]Player{NoPlayer, PlayerOff, PlayerOn}, t.Player):
		return fmt.Errorf("a player is off or on, not %q", t.Player)
	case !slices.Contains([]Defaults{NoDefault, DefaultOne, DefaultAll}, t.Defaults):
		return fmt.Errorf("a default is saved for one version or for all, not for %q", t.Defaults)
	case slices.ContainsFunc(t.Spreads, func(s Spread) bool { return SpreadTexts[s] == "" }):
		return fmt.Errorf("feeds are spread in order or one output each, not by %q", t.Spreads)
	case !(t.Load >= 0 && t.Load <= 10000) || t.MaxParts < 0 || t.MaxParts > 4096 || t.Channels < 0 || t.Channels > 1024:
		return fmt.Errorf("load goes from 0 to 10,000 %%, parts to 4,096 and MIDI channels to 1,024")
	}
	for _, r := range t.Names {
		if r.Name == "" || len([]rune(r.Name)) > MaxName || r.From < 0 || r.To > MaxPorts ||
			r.From == 0 && !slices.Contains(widthNames, r.Width) {
			return fmt.Errorf("a rule for output names has no name, or is for no outputs")
		}
	}
	return nil
}

// SetTraits says how the instrument behaves as a whole.
func SetTraits(t Traits) Edit {
	return func(in *Instrument) (string, error) {
		if err := t.Validate(); err != nil {
			return "", err
		}
		in.Traits = t
		return "change what " + in.Name + " can do", nil
	}
}
