package document

import (
	"encoding/json"
	"fmt"
)

// Collision says why a change that was made for one state of a document cannot be carried out on a
// newer one.
type Collision struct {
	At           []string // where both changed it; none: the change goes by what has changed
	What         string   // that, for people: "the name of lane 5"; "": nobody has said
	Mine, Theirs string   // what it would be set to, and what it was set to meanwhile; "" where that is no text
}

func (c *Collision) Error() string {
	switch {
	case len(c.At) == 0:
		return "your change goes by what has changed there"
	case c.Mine == "" || c.Theirs == "":
		return c.what() + " has changed"
	}
	return fmt.Sprintf("%s is “%s” now, and would be “%s”", c.what(), c.Theirs, c.Mine)
}

func (c *Collision) what() string {
	if c.What == "" {
		return "what you changed"
	}
	return c.What
}

// Newer carries changes of a kind of document, made for one state of it, out on a newer one.
type Newer[T any] struct {
	Clone func(*T) *T
	// Telling is a field that says what stands elsewhere: a change of it alone holds whatever else has
	// changed, and Read gives the document that it is laid over. "": there is none.
	Telling string
	Read    func(doc []byte) (*T, error)
}

// Edit carries an edit out and gives the state that comes of it, with the label; it changes neither
// of the two. It does so where the edit comes to the same there as the two changes laid over each
// other, whichever of them lies on top: then neither writes what the other has written, nor goes by
// it. Otherwise it gives a *Collision. Without a label there was nothing to change.
func (n Newer[T]) Edit(was, now *T, edit func(*T) (string, error)) (out *T, label string, err error) {
	mine := n.Clone(was)
	if label, err = edit(mine); err != nil || label == "" {
		return nil, "", err
	}
	var base, ours, theirs []byte
	for into, doc := range map[*[]byte]*T{&base: was, &ours: mine, &theirs: now} {
		if *into, err = json.Marshal(doc); err != nil {
			return nil, "", err
		}
	}
	merged, err := Merge(base, ours, theirs)
	if err != nil {
		return nil, "", err
	}
	more, err := Differences(merged, theirs)
	if err != nil {
		return nil, "", err
	}
	if told, err := n.tells(base, ours); err != nil {
		return nil, "", err
	} else if told && len(more) == 0 {
		return nil, "", nil // it is written down already
	} else if told {
		out, err = n.Read(merged)
		return out, label, err
	}
	other, err := Merge(base, theirs, ours)
	if err != nil {
		return nil, "", err
	}
	if met, err := Differences(merged, other); err != nil {
		return nil, "", err
	} else if len(met) > 0 {
		c := &Collision{At: met[0].Path}
		_ = json.Unmarshal(met[0].First, &c.Mine) // where it is a text
		_ = json.Unmarshal(met[0].Second, &c.Theirs)
		return nil, "", c
	}
	out = n.Clone(now)
	if label, err = edit(out); err != nil {
		return nil, "", &Collision{}
	}
	done, err := json.Marshal(out)
	if err != nil {
		return nil, "", err
	}
	switch differs, err := Differences(merged, done); {
	case err != nil:
		return nil, "", err
	case len(differs) > 0:
		return nil, "", &Collision{}
	case len(more) == 0: // the other window did the same
		return nil, "", nil
	}
	return out, label, nil
}

// tells tells whether two documents differ in what says what stands elsewhere, and in nothing else.
func (n Newer[T]) tells(a, b []byte) (bool, error) {
	all, err := Differences(a, b)
	for _, d := range all {
		if n.Telling == "" || len(d.Path) == 0 || d.Path[0] != n.Telling {
			return false, err
		}
	}
	return len(all) > 0, err
}
