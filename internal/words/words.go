// Package words puts counts and lists into words, as every layer needs it for messages.
package words

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Count says how many there are: "1 lane", "3 lanes".
func Count(n int, one, many string) string {
	if n == 1 {
		return fmt.Sprintf("%d %s", n, one)
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Few lists the first of many names: "A, B, C, D, E and 7 more".
func Few(names []string) string {
	const few = 5
	if len(names) <= few+1 {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:few], ", "), len(names)-few)
}

// Short cuts a text to n characters for a place that holds no more.
func Short(n int, s string) string {
	if r := []rune(s); len(r) > n {
		return strings.TrimSpace(string(r[:n-1])) + "…"
	}
	return s
}

// Capital begins a text with a capital letter.
func Capital(s string) string {
	if s == "" {
		return ""
	}
	first, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(first)) + s[size:]
}

// Bytes is a size in words: "640 bytes", "12 kB", "3.4 MB".
func Bytes(n int64) string {
	units := []string{"kB", "MB", "GB", "TB"}
	if n < 1000 {
		return Count(int(n), "byte", "bytes")
	}
	size, unit := float64(n)/1000, 0
	for size >= 999.5 && unit < len(units)-1 {
		size, unit = size/1000, unit+1
	}
	if size < 9.95 {
		return fmt.Sprintf("%.1f %s", size, units[unit])
	}
	return fmt.Sprintf("%.0f %s", size, units[unit])
}

// Either is one of two words.
func Either(on bool, no, yes string) string {
	if on {
		return yes
	}
	return no
}

// ParseEither reads one of two words, in whatever case; none is the first.
func ParseEither(typed, no, yes string) (bool, error) {
	switch v := strings.ToLower(typed); v {
	case "", no:
		return false, nil
	case yes:
		return true, nil
	}
	return false, fmt.Errorf("%q is neither %q nor %q", typed, no, yes)
}
