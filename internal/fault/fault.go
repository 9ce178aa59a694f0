// Package fault says of what kind an error is, so that whoever shows it need not know
// where it came from. What an error says is for people and never a library's raw text;
// what lies beneath is for the log.
package fault

import (
	"errors"
	"fmt"
	"runtime/debug"
)

// Kind is the kind of an error.
type Kind int

// The kinds. An error that does not say is the user's: the core, the formats and the
// commands refuse what they are given, in words.
const (
	User     Kind = iota // what was typed or sent cannot be done; told in the page's words
	Conflict             // somebody else's change came first
	Missing              // it is not here
	Storage              // the disk or the database; nothing is lost
	Internal             // our own mistake
)

func (k Kind) String() string {
	return [...]string{"user", "conflict", "missing", "storage", "internal"}[k]
}

// Error is an error with a kind.
type Error struct {
	Kind  Kind
	Say   string // what is wrong, where, and what to do
	Full  bool   // of Storage: there is no room left
	Doing string // what was being done
	Err   error  // what lies beneath, for the log; may be nil
	Stack []byte // of Internal: where it happened
}

func (e *Error) Error() string { return e.Say }

func (e *Error) Unwrap() error { return e.Err }

// FaultKind is the error's kind.
func (e *Error) FaultKind() Kind { return e.Kind }

// Of gives the kind of an error: that of the first in its chain which says one.
func Of(err error) Kind {
	var k interface{ FaultKind() Kind }
	if errors.As(err, &k) {
		return k.FaultKind()
	}
	return User
}

// ourMistake is what is said of our own mistakes: nobody else can mend them.
const ourMistake = "Something in Hidden Lanes itself broke. Nothing was changed. Go back and try again; " +
	"the log says where it happened"

// Panicked makes an error of what a panic gave; called where it is recovered.
func Panicked(v any, doing string) *Error {
	if e, ok := v.(*Error); ok { // one that another goroutine handed on, with its own stack
		return e
	}
	return Bug(doing, fmt.Errorf("panic: %v", v))
}

// Bug is an error of our own making, such as a document of ours that cannot be written.
func Bug(doing string, err error) *Error {
	return &Error{Kind: Internal, Say: ourMistake, Doing: doing, Err: err, Stack: debug.Stack()}
}

// Detail is all there is to say of an error, for the log.
func Detail(err error) string {
	var e *Error
	if !errors.As(err, &e) || e.Err == nil {
		return err.Error()
	}
	return e.Doing + ": " + e.Err.Error()
}
