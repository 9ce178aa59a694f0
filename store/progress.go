package store

import "context"

// hearer is where a context has who hears how far a long change is.
type hearer struct{}

// WithProgress gives a context with which long changes say how far they are: what they do,
// and how many of how many are done. It is called from the goroutine that works, often,
// and by several at once where they share the work.
func WithProgress(ctx context.Context, hear func(what string, done, of int)) context.Context {
	return context.WithValue(ctx, hearer{}, hear)
}

// Progress says how far a long change is, to whoever wants to know.
func Progress(ctx context.Context, what string, done, of int) {
	if hear, ok := ctx.Value(hearer{}).(func(string, int, int)); ok {
		hear(what, done, of)
	}
}
