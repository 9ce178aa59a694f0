package app

import (
	"context"
	"errors"
	"slices"
)

// Sample adds a sample world to look around in, beside what there is, and names what it added.
type Sample func(ctx context.Context, a *App) (SampleItems, error)

// SampleItems are the projects and the instruments of the shelf that a sample world added.
type SampleItems struct {
	Projects    []int64 `json:"projects,omitempty"`
	Instruments []int64 `json:"instruments,omitempty"`
}

func (x SampleItems) empty() bool { return len(x.Projects)+len(x.Instruments) == 0 }

// OfferSample says which sample world AddSample adds.
func (a *App) OfferSample(s Sample) { a.sample = s }

// SampleState says whether there is a sample world to add, and whether it was added and is still
// there.
func (a *App) SampleState(ctx context.Context) (offered, added bool, err error) {
	s, err := a.settings(ctx)
	return a.sample != nil, !s.Sample.empty(), err
}

// AddSample adds the sample world. The house chart stays as it is.
func (a *App) AddSample(ctx context.Context) error {
	if a.sample == nil {
		return errors.New("no sample world ships with this application")
	}
	return a.asOne(ctx, func(a *App) error {
		s, err := a.settings(ctx)
		if err != nil {
			return err
		}
		if !s.Sample.empty() {
			return errors.New("the sample world is here already; remove it first to have it as it came")
		}
		rows, err := a.Shelf(ctx)
		if err != nil {
			return err
		}
		items, err := a.sample(ctx, a)
		if err != nil {
			return err
		}
		items.Instruments = slices.DeleteFunc(items.Instruments, func(id int64) bool { // there before
			return slices.ContainsFunc(rows, func(r ShelfRow) bool { return r.ID == id })
		})
		return a.set(ctx, func(s *settings) { s.Sample, s.SampleGone = items, SampleItems{} })
	})
}

// RemoveSample removes what AddSample added, or with back puts it back.
func (a *App) RemoveSample(ctx context.Context, back bool) error {
	return a.asOne(ctx, func(a *App) error {
		s, err := a.settings(ctx)
		if err != nil {
			return err
		}
		items := s.Sample
		if back {
			items = s.SampleGone
		}
		if items.empty() {
			return errors.New("the sample world is not here")
		}
		for _, id := range items.Projects {
			if err := a.RemoveProject(ctx, id, !back); err != nil && !errors.Is(err, ErrNotFound) {
				return err
			}
		}
		for _, id := range items.Instruments {
			if err := a.RemoveInstrument(ctx, id, !back); err != nil && !errors.Is(err, ErrNotFound) {
				return err
			}
		}
		return a.set(ctx, func(s *settings) {
			if s.Sample, s.SampleGone = (SampleItems{}), items; back {
				s.Sample, s.SampleGone = items, SampleItems{}
			}
		})
	})
}
