// Package progress carries, in a context, who hears how far a long change is. It knows
// nothing of what is changed.
package progress

import "context"

// hearer is where a context has who hears.
type hearer struct{}

// With gives a context with which long changes report how far they are: what they do,
// and how many of how many are done. hear is called from the goroutine that works, often,
// and by several at once where they share the work.
func With(ctx context.Context, hear func(what string, done, of int)) context.Context {
	return context.WithValue(ctx, hearer{}, hear)
}

// Report says how far a long change is, to whoever wants to know.
func Report(ctx context.Context, what string, done, of int) {
	if hear, ok := ctx.Value(hearer{}).(func(string, int, int)); ok {
		hear(what, done, of)
	}
}
