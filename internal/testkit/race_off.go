//go:build !race

package testkit

// Race reports whether the race detector watches, which makes the database twenty times as
// slow.
const Race = false
