package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/document"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/rig"
	"hiddenlanes/internal/fault"
	"hiddenlanes/store"
)

// settings is the one document of what the user has set for all projects.
type settings struct {
	Version  document.Version[settingsMark] `json:"version"`
	MiddleC  string                         `json:"middleC,omitempty"`  // what key 60 is called: C3 or C4
	Profiles []rig.Profile                  `json:"profiles,omitempty"` // of hosts, the user's own
	NoKeys   bool                           `json:"noKeys,omitempty"`   // no shortcut of a single key does anything
	Keys     map[string]string              `json:"keys,omitempty"`     // shortcuts with another key, or with none
	// Sample is what of the sample world is here, SampleGone what was removed last.
	Sample     SampleItems `json:"sample,omitzero"`
	SampleGone SampleItems `json:"sampleGone,omitzero"`
}

// settingsVersions are the versions of the settings' document.
//
// 1: all settings in one document, which says its version.
//
// 2: kinds of host say what MIDI addresses count within; until then it was the whole host.
var settingsVersions = &document.Line{What: "document of settings",
	Steps: []func(map[string]any) error{func(map[string]any) error { return nil }, func(doc map[string]any) error {
		kinds, _ := doc["profiles"].([]any)
		for _, k := range kinds {
			if kind, ok := k.(map[string]any); ok {
				kind["midiScope"] = string(rig.WithinHost)
			}
		}
		return nil
	}}}

type settingsMark struct{}

func (settingsMark) Line() *document.Line { return settingsVersions }

func (a *App) settings(ctx context.Context) (out settings, err error) {
	doc, err := a.store.Setting(ctx, store.SettingsDocument)
	if err != nil || doc == "" {
		return out, err
	}
	if err := settingsVersions.Read([]byte(doc), &out); err != nil {
		return out, &fault.Error{Kind: fault.Storage, Doing: "reading the settings", Err: err,
			Say: "the settings cannot be read: they are damaged. Restore a backup to have them back"}
	}
	return out, nil
}

// set changes the settings.
func (a *App) set(ctx context.Context, change func(*settings)) error {
	return a.asOne(ctx, func(a *App) error {
		s, err := a.settings(ctx)
		if err != nil {
			return err
		}
		change(&s)
		doc, err := json.Marshal(s)
		if err != nil {
			return fault.Bug("writing the settings", err)
		}
		return a.store.Set(ctx, store.SettingsDocument, string(doc))
	})
}

// Preferences are what pages ask of the settings.
type Preferences struct {
	Naming midi.Naming
	NoKeys bool
	Keys   map[string]string
}

// Preferences reads them.
func (a *App) Preferences(ctx context.Context) (Preferences, error) {
	s, err := a.settings(ctx)
	return Preferences{s.naming(), s.NoKeys, s.Keys}, err
}

// SetKeys keeps which keys are the user's shortcuts.
func (a *App) SetKeys(ctx context.Context, none bool, keys map[string]string) error {
	return a.set(ctx, func(s *settings) { s.NoKeys, s.Keys = none, keys })
}

func (s settings) naming() midi.Naming {
	if s.MiddleC == midi.Key(60).Name(midi.MiddleC4) {
		return midi.MiddleC4
	}
	return midi.MiddleC3
}

// Naming is how the user names keys.
func (a *App) Naming(ctx context.Context) (midi.Naming, error) {
	s, err := a.settings(ctx)
	return s.naming(), err
}

// SetNaming keeps how the user names keys.
func (a *App) SetNaming(ctx context.Context, n midi.Naming) error {
	return a.set(ctx, func(s *settings) { s.MiddleC = midi.Key(60).Name(n) })
}

// Profiles lists the host profiles there are: those that ship, then the user's own.
func (a *App) Profiles(ctx context.Context) ([]rig.Profile, error) {
	s, err := a.settings(ctx)
	return append(slices.Clone(rig.Profiles), s.Profiles...), err
}

// ProfileNamed finds a host profile, shipped or the user's own.
func (a *App) ProfileNamed(ctx context.Context, name string) (rig.Profile, error) {
	all, err := a.Profiles(ctx)
	if err != nil {
		return rig.Profile{}, err
	}
	return rig.ProfileNamed(all, name)
}

// KeepProfile keeps a host profile of the user's own for every project, in place
// of one that has its name already.
func (a *App) KeepProfile(ctx context.Context, p rig.Profile) error {
	if err := p.Validate(); err != nil {
		return err
	}
	same := func(x rig.Profile) bool { return strings.EqualFold(x.Name, p.Name) }
	if slices.ContainsFunc(rig.Profiles, same) {
		return fmt.Errorf("%s ships with the application; give yours another name", p.Name)
	}
	return a.set(ctx, func(s *settings) { s.Profiles = append(slices.DeleteFunc(s.Profiles, same), p) })
}
