package store

import (
	"context"
	"encoding/json"

	"hiddenlanes/internal/fault"
)

// A state of a project is a revision here or on another computer. Each has an identity that is the
// same in every library; which states a project has had tells whose of two is the newer.

// ProjectState is a state that a project has had. Parent is the state that it was made from, or "".
type ProjectState struct {
	UID    string `json:"uid" db:"uid"`
	Parent string `json:"parent,omitempty" db:"parent"`
}

// Standing is the state that a project is in.
type Standing struct {
	Revision  int64  `db:"id"`
	UID       string `db:"uid"`
	ChangedAt string `db:"made_at"` // RFC 3339
}

// Standing gives the state that a project is in.
func (u *Unit) Standing(ctx context.Context, id int64) (s Standing, err error) {
	err = u.on().GetContext(ctx, &s, `SELECT r.id, r.uid, r.made_at FROM projects p JOIN revisions r ON r.id = p.head
		WHERE p.id = ?`, id)
	return s, err
}

// States lists every state that a project has had, here and where it came from, each once.
func (u *Unit) States(ctx context.Context, id int64) (out []ProjectState, err error) {
	if err := u.on().SelectContext(ctx, &out, `SELECT r.uid, coalesce(p.uid, '') AS parent FROM revisions r
		LEFT JOIN revisions p ON p.id = r.parent WHERE r.project_id = ? ORDER BY r.id`, id); err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	for _, s := range out {
		seen[s.UID] = true
	}
	var kept []string
	if err := u.on().SelectContext(ctx, &kept, `SELECT states FROM histories WHERE project_id = ? ORDER BY rowid`,
		id); err != nil {
		return nil, err
	}
	for _, text := range kept {
		var some []ProjectState
		if err := json.Unmarshal([]byte(text), &some); err != nil {
			return nil, fault.Bug("reading the states of a project", err)
		}
		for _, s := range some {
			if !seen[s.UID] {
				seen[s.UID] = true
				out = append(out, s)
			}
		}
	}
	return out, nil
}

// KnowsState reports whether a state is one that a project here has had, the project itself or one
// that was added beside it and is on the list.
func (u *Unit) KnowsState(ctx context.Context, id int64, uid string) (bool, error) {
	var n int
	err := u.on().GetContext(ctx, &n, `SELECT count(*) FROM revisions r JOIN projects p ON p.id = r.project_id
		WHERE r.uid = ? AND (p.id = ? OR p.removed = 0)`, uid, id)
	if err != nil || n > 0 {
		return n > 0, err
	}
	states, err := u.States(ctx, id)
	for _, s := range states {
		if s.UID == uid {
			return true, err
		}
	}
	return false, err
}

// keepHistory keeps the states that a project had where it came from.
func (u *Unit) keepHistory(ctx context.Context, id int64, states []ProjectState) error {
	if len(states) == 0 {
		return nil
	}
	text, err := json.Marshal(states)
	if err != nil {
		return fault.Bug("writing the states of a project", err)
	}
	_, err = u.on().ExecContext(ctx, `INSERT INTO histories (project_id, states) VALUES (?, ?)`, id, string(text))
	return err
}

// sameState says that a project stands in a state of another computer: what it says is the same,
// and from now on both call it so; states are what the other computer knows about it.
func (u *Unit) sameState(ctx context.Context, id, revision int64, uid string, states []ProjectState) error {
	if uid == "" {
		return nil
	}
	if _, err := u.on().ExecContext(ctx, `UPDATE revisions SET uid = ? WHERE id = ? AND project_id = ?
		AND NOT EXISTS (SELECT 1 FROM revisions o WHERE o.uid = ?)`, uid, revision, id, uid); err != nil {
		return err
	}
	return u.keepHistory(ctx, id, states)
}
