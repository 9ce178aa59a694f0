package store

import "context"

// told is where a context has who is told how far a long change is.
type told struct{}

// Telling gives a context with which long changes tell how far they are: what they do,
// and how many of how many are done. It is called from the goroutine that works, often,
// and by several at once where they share the work.
func Telling(ctx context.Context, hear func(what string, done, of int)) context.Context {
	return context.WithValue(ctx, told{}, hear)
}

// Tell tells how far a long change is, to whoever wants to know.
func Tell(ctx context.Context, what string, done, of int) {
	if hear, ok := ctx.Value(told{}).(func(string, int, int)); ok {
		hear(what, done, of)
	}
}
