package document

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
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
	// Telling is a field that says what is elsewhere: a change of it alone holds whatever else has
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
	base, errBase := fields(was)
	ours, errOurs := fields(mine)
	theirs, errTheirs := fields(now)
	if err := errors.Join(errBase, errOurs, errTheirs); err != nil {
		return nil, "", err
	}
	merged := merge(base, ours, theirs)
	same := len(differences(nil, merged, theirs)) == 0 // the other window did the same
	if n.tells(base, ours) {
		if same {
			return nil, "", nil
		}
		out, err = n.read(merged)
		return out, label, err
	}
	if met := differences(nil, merged, merge(base, theirs, ours)); len(met) > 0 {
		c := &Collision{At: met[0].path}
		c.Mine, _ = met[0].first.(string)
		c.Theirs, _ = met[0].second.(string)
		return nil, "", c
	}
	out = n.Clone(now)
	if label, err = edit(out); err != nil {
		return nil, "", &Collision{}
	}
	done, err := fields(out)
	switch {
	case err != nil:
		return nil, "", err
	case len(differences(nil, merged, done)) > 0:
		return nil, "", &Collision{}
	case same:
		return nil, "", nil
	}
	return out, label, nil
}

// fields is a document as fields and lists.
func fields(doc any) (any, error) {
	text, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	return decode(text)
}

func (n Newer[T]) read(doc any) (*T, error) {
	text, err := json.Marshal(doc)
	if err != nil {
		return nil, err
	}
	return n.Read(text)
}

// tells reports whether two documents differ in what says what is elsewhere, and in nothing else.
func (n Newer[T]) tells(a, b any) bool {
	all := differences(nil, a, b)
	return n.Telling != "" && len(all) > 0 && !slices.ContainsFunc(all, func(d difference) bool {
		return len(d.path) == 0 || d.path[0] != n.Telling
	})
}
