package plan

import (
	"errors"
	"math/rand/v2"
	"strings"
	"testing"
)

func ranges(t *testing.T, s string) Ranges {
	t.Helper()
	r, err := ParseRanges(s)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Common practice, no source: sixteen outputs from lane 5 take lanes 5–20.
func TestFreeBlock(t *testing.T) {
	for _, c := range []struct {
		n           int
		from, limit LaneNumber
		used        string
		want        LaneNumber
	}{
		{16, 5, 0, "1-4", 5}, {16, 5, 20, "", 5}, {3, 1, 0, "2,6", 3}, {3, 1, 0, "2,5", 6}, {1, 0, 0, "1-9", 10},
		{4, 1, 12, "1-4,9", 5}, {2, 5, 9, "1-4,6,9", 7}, {3, 1, 0, "9,1-4,2-3", 5},
	} {
		got, err := freeBlock(c.n, c.from, c.limit, ranges(t, c.used))
		if err != nil || got != c.want {
			t.Errorf("got %+v: %d, %v; want got %v", c, got, err, c.want)
		}
	}
	_, err := freeBlock(16, 5, 24, ranges(t, "1-4,9,30"))
	var no *NoBlockError
	if !errors.As(err, &no) || no.InTheWay.String() != "9" || no.Largest != (Range{10, 24}) {
		t.Fatalf("got %v", err)
	}
	if got := (&NoBlockError{Want: 1, From: 1, Limit: 9, Largest: Range{1, 0}, InTheWay: Ranges{{5, 9}, {1, 1}, {2,
		4}}}).Error(); !strings.HasPrefix(got,
		"no lane is free from lane 1 on up to the host's limit of 9; in the way: 1–9. ") {
		t.Errorf("neighbours in the way are told as %q; want 1–9", got)
	}
	for _, part := range []string{"16 lanes", "from lane 5", "limit of 24", "in the way: 9", "10–24, 15 lanes"} {
		if !strings.Contains(err.Error(), part) {
			t.Errorf("%q does not say %q", err, part)
		}
	}
}

// Against trying every lane in turn.
func TestFreeBlockIsTheLowest(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 5))
	for range 3000 {
		var used Ranges
		for range rng.IntN(6) {
			from := LaneNumber(1 + rng.IntN(30))
			used = append(used, Range{from, from + LaneNumber(rng.IntN(5))})
		}
		n, from, limit := 1+rng.IntN(8), LaneNumber(1+rng.IntN(12)), LaneNumber(rng.IntN(36))
		want := LaneNumber(0)
	search:
		for at := from; at < 60 && (limit == 0 || at+LaneNumber(n)-1 <= limit); at++ {
			for l := at; l < at+LaneNumber(n); l++ {
				if used.Contains(l) {
					continue search
				}
			}
			want = at
			break
		}
		got, err := freeBlock(n, from, limit, used)
		if got != want || (err == nil) != (want != 0) {
			t.Fatalf("%d from %d, limit %d, used %v: %d, %v; want %d", n, from, limit, used, got, err, want)
		}
	}
}

func TestRangesReadAndWrite(t *testing.T) {
	if got := ranges(t, " 1-4 , 9;12–13").String(); got != "1–4, 9, 12–13" {
		t.Errorf("got %q; want got \"1–4, 9, 12–13\"", got)
	}
	if got := RangesOf(7, 5, 6, 9).String(); got != "5–7, 9" {
		t.Errorf("got %q; want got \"5–7, 9\"", got)
	}
	for _, bad := range []string{"0", "4-1", "a", "1-", "1--3", "99999999999"} {
		if r, err := ParseRanges(bad); err == nil {
			t.Errorf("%q was read as %v", bad, r)
		}
	}
}
