// Package document holds what stored documents have in common: a version each, functions
// from one version to the next that run when an older one is read, and the overlay of
// what a copy changes in the document it was made from. It knows nothing of what the
// documents say.
package document

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strconv"
)

// Line is a kind of document through its versions. Version 0 is the one from before
// documents said theirs.
type Line struct {
	What string // in words: "project"
	// Steps bring a document one version on, each: Steps[0] from 0 to 1. They are pure,
	// and neither they nor what they call changes once a release has gone out with them.
	Steps []func(doc map[string]any) error
	// Of tells an older document's version where "version" alone does not; nil: it does.
	Of func(doc map[string]json.RawMessage) int
}

// Current is the version that is written.
func (l *Line) Current() int { return len(l.Steps) }

// NewerError says that a document was written by a later release.
type NewerError struct {
	What          string
	Version, Most int
}

func (e *NewerError) Error() string {
	return fmt.Sprintf("this %s is of version %d, and this Hidden Lanes reads versions up to %d; use a later Hidden Lanes",
		e.What, e.Version, e.Most)
}

// Upgrade gives a document as the current version has it; one that is current comes back
// as it is. A document of a later version is refused with a *NewerError.
func (l *Line) Upgrade(doc []byte) ([]byte, error) {
	if bytes.HasPrefix(doc, []byte(`{"version":`+strconv.Itoa(l.Current())+`,`)) && l.Of == nil {
		return doc, nil
	}
	var top map[string]json.RawMessage
	if err := json.Unmarshal(doc, &top); err != nil {
		return nil, err
	}
	at := 0
	if l.Of != nil {
		at = l.Of(top)
	} else if v, ok := top["version"]; ok {
		if err := json.Unmarshal(v, &at); err != nil || at < 0 {
			return nil, fmt.Errorf("its version is %s, which is not a number from 0", v)
		}
	}
	if at > l.Current() {
		return nil, &NewerError{l.What, at, l.Current()}
	}
	if at == l.Current() {
		return doc, nil
	}
	d := json.NewDecoder(bytes.NewReader(doc))
	d.UseNumber()
	var tree map[string]any
	if err := d.Decode(&tree); err != nil {
		return nil, err
	}
	if err := l.UpgradeTree(tree, at); err != nil {
		return nil, err
	}
	return json.Marshal(tree)
}

// UpgradeTree brings a decoded document on from a version, in place.
func (l *Line) UpgradeTree(doc map[string]any, from int) error {
	for v, step := range l.Steps[from:] {
		if err := step(doc); err != nil {
			return fmt.Errorf("bringing a %s from version %d on: %w", l.What, from+v, err)
		}
	}
	doc["version"] = l.Current()
	return nil
}

// Read upgrades a document and decodes it.
func (l *Line) Read(doc []byte, into any) error {
	doc, err := l.Upgrade(doc)
	if err != nil {
		return err
	}
	return json.Unmarshal(doc, into)
}

// Mark names a line for the version field of its documents.
type Mark interface{ Line() *Line }

// Version is the version field of a document: written as the current one, and nothing
// else is read. A zero value is right.
type Version[M Mark] struct{}

// MarshalJSON writes the current version.
func (Version[M]) MarshalJSON() ([]byte, error) {
	var m M
	return strconv.AppendInt(nil, int64(m.Line().Current()), 10), nil
}

// UnmarshalJSON refuses every version but the current; older ones come through Upgrade.
func (Version[M]) UnmarshalJSON(b []byte) error {
	var m M
	v, err := strconv.Atoi(string(b))
	if err != nil || v < 0 {
		return fmt.Errorf("a version is %s, which is not a number from 0", b)
	}
	if v != m.Line().Current() {
		return &NewerError{m.Line().What, v, m.Line().Current()}
	}
	return nil
}

// Hash names a document by its bytes.
func Hash(doc []byte) string {
	sum := sha256.Sum256(doc)
	return hex.EncodeToString(sum[:16])
}
