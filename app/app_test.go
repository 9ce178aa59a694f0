package app

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/check"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/format/smf"
	"hiddenlanes/internal/testkit"
	"hiddenlanes/store"
)

func open(t testing.TB) *App {
	t.Helper()
	return openFolder(t, t.TempDir(), Options{})
}

func song(t *testing.T, keys ...byte) []byte {
	t.Helper()
	var track smf.Track
	for i, k := range keys {
		track = append(track, smf.Event{Tick: int64(i), Status: 0x99, Data: []byte{k, 1}})
	}
	var b bytes.Buffer
	if err := smf.Encode(&b, &smf.File{Division: 96, Tracks: []smf.Track{track}}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestAFileIsKnownByWhatItHoldsNotByItsName(t *testing.T) {
	if c, err := Read(t.Context(), bytes.NewReader(testkit.Kit().Bytes()), "wrong name.mid", midi.MiddleC3); err != nil ||
		c.Format.Name != "soundfont2" || c.Instruments[0].Origin != "SoundFont 2, wrong name.mid" {
		t.Errorf("got %+v, %v; want c.Format.Name \"soundfont2\", c.Instruments[0].Origin \"SoundFont 2, wrong name.mid\"",
			c, err)
	}
	if c, err := Read(t.Context(), bytes.NewReader(song(t, 36)), "x.sf2", midi.MiddleC3); err != nil ||
		c.Format.Name != "smf" ||
		c.Song == nil {
		t.Errorf("got %+v, %v; want c.Format.Name \"smf\", c.Song not nil", c, err)
	}
	nameless := testkit.Kit()
	nameless.Name = ""
	if c, err := Read(t.Context(), bytes.NewReader(nameless.Bytes()), "dir/Low Water.sf2", midi.MiddleC3); err != nil ||
		c.Instruments[1].Name != "Low Water" {
		t.Errorf("a bank without a name is called after its file: %+v, %v", c, err)
	}
	broken := errors.New("unplugged")
	if _, err := Read(t.Context(), io.MultiReader(strings.NewReader("RI"), errorReader{broken}), "x",
		midi.MiddleC3); !errors.Is(
		err, broken) {
		t.Errorf("got %v; want errors.Is( err, broken)", err)
	}
}

type errorReader struct{ err error }

func (r errorReader) Read([]byte) (int, error) { return 0, r.err }

// From the file to an accepted proposal, through the store.
func TestAProjectIsMadeProposedAndAccepted(t *testing.T) {
	a, ctx := open(t), t.Context()
	im, err := a.ImportInstruments(ctx, bytes.NewReader(testkit.Kit().Bytes()), "kit.sf2")
	if err != nil || im.Added != 2 {
		t.Fatal(im, err)
	}
	if _, err := a.Create(ctx, NewProject{Name: "x", Choices: []Choice{{Instrument: im.IDs[0]}}}); err == nil ||
		!strings.Contains(err.Error(), "how many outputs") {
		t.Errorf("a SoundFont does not say how many outputs there are, yet: %v", err)
	}
	if _, err := a.Create(ctx, NewProject{Name: "x", Choices: []Choice{{Instrument: 99}}}); err == nil ||
		!strings.Contains(err.Error(), "no longer on the shelf") {
		t.Errorf("got %v; want an error, err.Error() with \"no longer on the shelf\"", err)
	}
	id, err := a.Create(ctx, NewProject{Name: "Ferry", Host: plan.Host{FirstLane: 3},
		Choices: []Choice{
			{im.IDs[0], Setup{Outputs: []rig.Run{{Count: 2, Width: audio.Stereo}, {Count: 1, Width: audio.Mono}}, FirstPort: 5,
				Offset: 2}}}})
	if err != nil {
		t.Fatal(err)
	}
	p, err := a.Project(ctx, id)
	if err != nil {
		t.Fatal(err)
	}
	if o := p.Plan.Placed[0].Outputs; len(o) != 3 || o[2].PortNames(2) != "11" {
		t.Errorf("outputs %+v", o)
	}
	base := p.Revision
	data := song(t, 36, 36, 38)
	if p, err = a.ImportForProject(ctx, id, base, bytes.NewReader(data), "ferry.mid"); err != nil {
		t.Fatal(err)
	}
	if kept, err := a.store.Song(ctx, p.Plan.Song.ID); err != nil || !bytes.Equal(kept, data) {
		t.Errorf("the song was not kept byte for byte: %v", err)
	}
	all := (*propose.Proposal).Everything
	var stale *store.StaleError
	if _, err := a.Accept(ctx, id, base, propose.Options{Placed: "i1"}, all); !errors.As(err, &stale) {
		t.Errorf("a proposal for an old state was accepted: %v", err)
	}
	if _, err := a.ImportForProject(ctx, id, base, bytes.NewReader(song(t, 70)), "late.mid"); !errors.As(err, &stale) {
		t.Errorf("got %v; want errors.As(err, &stale)", err)
	}
	if _, err := a.store.Song(ctx, p.Plan.Song.ID+1); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a refused song left a trace: %v", err)
	}
	if p, err = a.Accept(ctx, id, p.Revision, propose.Options{Placed: "i1", Bus: "Boat"}, all); err != nil {
		t.Fatal(err)
	}
	if len(p.Plan.Lanes) != 3 || p.Plan.Buses()[0].Name != "Boat" || p.Plan.ByNumber()[0].Number != 3 {
		t.Errorf("got %+v; want len(p.Plan.Lanes) 3, p.Plan.Buses()[0].Name \"Boat\", p.Plan.ByNumber()[0].Number 3",
			p.Plan.Lanes)
	}
}

func TestTheNamingOfKeysIsKept(t *testing.T) {
	a, ctx := open(t), t.Context()
	for _, n := range []midi.Naming{midi.MiddleC3, midi.MiddleC4, midi.MiddleC3} {
		if err := a.SetNaming(ctx, n); err != nil {
			t.Fatal(err)
		}
		if got, err := a.Naming(ctx); err != nil || got != n {
			t.Errorf("set %d, got %d, %v", n, got, err)
		}
	}
}

func TestAnInstrumentSavedWithItsOwnOutputsIsSaidToStandBeforeTheDefault(t *testing.T) {
	a, ctx := open(t), t.Context()
	if err := a.KeepSetup(ctx, store.Setup{Name: "Usual", Outputs: "16x2", First: 1, Default: true}); err != nil {
		t.Fatal(err)
	}
	in := rig.Instrument{Name: "Tin tray", Delivered: []rig.Run{{Count: 4, Width: audio.Stereo}},
		Voices: []rig.Voice{{ID: "v1", Name: "Lid", Width: audio.Stereo}}}
	shelf, _, err := a.AddInstruments(ctx, in)
	if err != nil {
		t.Fatal(err)
	}
	id, err := a.Create(ctx, NewProject{Name: "Tray", Choices: []Choice{{Instrument: shelf[0]}}})
	if err != nil {
		t.Fatal(err)
	}
	overridden := func() *check.Problem {
		p, err := a.Project(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range check.Project(p.Plan) {
			if f.Rule.Code == "setup-overridden" {
				return &f
			}
		}
		return nil
	}
	f := overridden()
	if f == nil || !strings.Contains(f.Reason(), "4x2") || !strings.Contains(f.Reason(), "16x2") {
		t.Fatalf("got %+v; want f not nil, f.Reason() with \"4x2\", f.Reason() with \"16x2\"", f)
	}
	p, _ := a.Project(ctx, id)
	if _, err := a.Edit(ctx, id, p.Revision, f.Edit()); err != nil {
		t.Fatal(err)
	}
	if p, _ = a.Project(ctx, id); len(p.Plan.Placed[0].Outputs) != 16 || overridden() != nil {
		t.Errorf("%d outputs", len(p.Plan.Placed[0].Outputs))
	}
}
