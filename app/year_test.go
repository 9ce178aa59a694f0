package app

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/plan"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/internal/words"
)

var year = flag.Bool("year", false, "simulate a year of daily work on 200 projects, and print size and speed")

// A year of work on 200 projects of 48 lanes and buses: on every day of the week but two, four
// projects are changed 40 times each, and the house is kept. All of it is still to be read.
func TestAYearOfDailyWork(t *testing.T) {
	if !*year {
		t.Skip("it takes some minutes; run it with -year")
	}
	dir, ctx := t.TempDir(), t.Context()
	now := time.Date(2026, 1, 1, 9, 0, 0, 0, time.UTC)
	clock := func() time.Time { return now }
	a, err := Open(ctx, dir, Options{Now: clock})
	if err != nil {
		t.Fatal(err)
	}
	defer a.Close()
	a.now = clock
	p := testkit.Mapped(t, plan.Host{}, "19x2", sample.BrineworkKit(), sample.SaltpanSection())
	for len(p.Lanes) < 48 {
		testkit.Edit(t, p, edits.AddLane(plan.OutputRef{}, 0, fmt.Sprint("Spare ", len(p.Lanes))))
	}
	for i := range 200 {
		c := p.Clone()
		c.Name = fmt.Sprintf("Reel %03d", i)
		if _, err := a.CreateProjects(ctx, c); err != nil {
			t.Fatal(err)
		}
	}
	size := func() int64 {
		info, err := os.Stat(filepath.Join(dir, DataFile))
		if err != nil {
			t.Fatal(err)
		}
		return info.Size()
	}
	rng := rand.New(rand.NewPCG(1, 2))
	edits := 0
	for day := range 365 {
		if now = now.AddDate(0, 0, 1); now.Weekday() == time.Saturday || now.Weekday() == time.Sunday {
			continue
		}
		var took []time.Duration
		for range 4 {
			id := 1 + rng.Int64N(200)
			if rng.IntN(2) == 0 {
				id = 1 + rng.Int64N(10) // most work is on a few
			}
			for range 40 {
				x, err := a.Project(ctx, id)
				if err != nil {
					t.Fatal(err)
				}
				lane := x.Plan.Lanes[rng.IntN(len(x.Plan.Lanes))].ID
				edit := plan.NameLane(lane, fmt.Sprint("Name ", edits))
				if rng.IntN(2) == 0 {
					edit = plan.SetGain(lane, audio.Decibels(rng.IntN(120))/10-6)
				}
				began := time.Now()
				if _, err := a.Edit(ctx, id, x.Revision, edit); err != nil {
					t.Fatal(err)
				}
				took = append(took, time.Since(began))
				edits++
			}
		}
		began := time.Now()
		k, err := a.KeepHouse(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if day%30 == 29 || day == 364 || day == 1 {
			slices.Sort(took)
			t.Logf("day %3d: %6d edits, data file %s, %d documents thinned, an edit takes %.1f ms, keeping house %.2f s", day+1,
				edits,
				words.Bytes(size()), k.Thinned, float64(took[len(took)/2].Microseconds())/1000, time.Since(began).Seconds())
		}
	}
	v, err := a.Verify(ctx)
	if err != nil || len(v.Wrong) > 0 {
		t.Errorf("after a year %q is wrong, %v", v.Wrong, err)
	}
	all, err := a.Backups()
	if err != nil {
		t.Fatal(err)
	}
	var backups int64
	for _, b := range all {
		backups += b.Size
	}
	t.Logf("after a year: %d documents read, %d thinned, %d backups of %s", v.Revisions, v.Thinned, len(all),
		words.Bytes(backups))
}
