package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"hiddenlanes/core/rig"
)

const settingProfiles = "host profiles"

// Profiles lists the host profiles there are: those that ship, then the user's own.
func (a *App) Profiles(ctx context.Context) ([]rig.Profile, error) {
	own, err := a.ownProfiles(ctx)
	return append(slices.Clone(rig.Profiles), own...), err
}

func (a *App) ownProfiles(ctx context.Context) (own []rig.Profile, err error) {
	v, err := a.store.Setting(ctx, settingProfiles)
	if err != nil || v == "" {
		return nil, err
	}
	return own, json.Unmarshal([]byte(v), &own)
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
	own, err := a.ownProfiles(ctx)
	if err != nil {
		return err
	}
	data, err := json.Marshal(append(slices.DeleteFunc(own, same), p))
	if err != nil {
		return err
	}
	return a.store.Set(ctx, settingProfiles, string(data))
}
