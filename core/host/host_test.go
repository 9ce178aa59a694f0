package host_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/audio"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/host"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/trace"
	"hiddenlanes/internal/testkit"
)

// The traps: a set-up that is not saved is forgotten, one that is not reloaded is
// not seen, an output that is not switched on has no lane, a bus leaves the main
// mix open.
func TestTheStandInHostHasTheTraps(t *testing.T) {
	two := rig.Lay([]rig.Run{{Count: 2, Width: audio.Stereo}}, 1)
	begin := func(name string) *host.Host {
		profile, err := rig.ProfileNamed(rig.Profiles, name)
		if err != nil {
			t.Fatal(err)
		}
		h := host.New((*plan.Patched)(nil).Clone(), profile)
		if err := h.Do(host.Load{Instrument: "i1", Outputs: two[:1]}); err != nil {
			t.Fatal(err)
		}
		return h
	}
	do := func(h *host.Host, actions ...host.Action) {
		t.Helper()
		for _, a := range actions {
			if err := h.Do(a); err != nil {
				t.Fatalf("%T: %v", a, err)
			}
		}
	}
	setup, save, reload := host.Setup{Instrument: "i1", Outputs: two}, host.Save{Instrument: "i1"},
		host.Reload{Instrument: "i1"}
	assign, on := host.Assign{Instrument: "i1", Feed: "v", Jack: "2"}, host.Switch{Instrument: "i1", Jack: "2"}
	seen := func(h *host.Host) int { return len(h.State.Instruments["i1"].Seen) }

	h := begin("Lanes fed by sends")
	do(h, setup, reload)
	if seen(h) != 1 || len(h.State.Instruments["i1"].Setup) != 1 {
		t.Error("an unsaved set-up was not forgotten")
	}
	do(h, setup, save)
	if seen(h) != 1 {
		t.Error("outputs are seen before the reload")
	}
	if do(h, reload); seen(h) != 2 {
		t.Error("outputs are not seen after the reload")
	}

	h = begin("Lanes added in blocks")
	if do(h, setup, reload); seen(h) != 1 {
		t.Error("a reload does where the project must be reopened")
	}
	if do(h, host.Reopen{}); seen(h) != 2 {
		t.Error("outputs are not seen when reopened")
	}

	h = begin("Outputs switched on one by one")
	do(h, setup, reload, assign)
	if n := len(h.State.Lanes); n != 1 {
		t.Errorf("%d lanes before the output is switched on", n)
	}
	if do(h, on); len(h.State.Lanes) != 2 {
		t.Error("no lane appeared")
	}
	if err := h.Do(host.Switch{Instrument: "i1", Jack: "3"}); err == nil {
		t.Error("an output that is not there was switched on")
	}

	h = begin("Lanes follow the assignment")
	do(h, setup, assign)
	if len(h.State.Lanes) != 2 {
		t.Errorf("%d lanes", len(h.State.Lanes))
	}
	if err := h.Do(host.MakeLane{Lane: "b", Number: 9, Bus: true}); err != nil {
		t.Fatal(err)
	}
	l := h.State.Lanes[0].ID
	if err := h.Do(host.Route{Lane: l, To: "b"}); err != nil || !h.State.Lane(l).AlsoMain {
		t.Errorf("the way to the main mix is not open: %v", err)
	}
	if err := h.Do(host.MainOff{Lane: l}); err != nil || h.State.Lane(l).AlsoMain {
		t.Errorf("got %v; want not h.State.Lane(l).AlsoMain", err)
	}
}

// Each break is heard: some feed is silent, arrives twice or stands elsewhere.
func TestWhatIsBrokenOnPurposeIsNoticed(t *testing.T) {
	for _, profile := range rig.Profiles {
		p := testkit.Wide(t, 2, 4)
		testkit.Edit(t, p, edits.SetProfile(profile))
		h := host.New(p.AsPlanned(), profile)
		if d := host.Differences(p, h.State); len(d) > 0 {
			t.Fatalf("got %s: %v; want len(d) at most 0", profile.Name, d)
		}
		for range 3 {
			before := p.AsPlanned()
			what, err := h.Break()
			if err != nil {
				t.Fatalf("%s: %v", profile.Name, err)
			}
			wrong := len(host.Differences(p, h.State))
			now, sound := trace.Patched(p, h.State), trace.Patched(p, before)
			for n := range now.Feeds {
				is, _ := now.Heard(now.Feeds[n])
				was, _ := sound.Heard(sound.Feeds[n])
				if is != was {
					wrong++
				}
			}
			if wrong == 0 {
				t.Errorf("%s: %s, and nothing is different", profile.Name, what)
			}
		}
	}
}

func TestASoundSaysWhyItIsSilent(t *testing.T) {
	p := testkit.Wide(t, 1, 3)
	profile := rig.Profiles[0]
	h := host.New(p.AsPlanned(), profile)
	if err := h.Do(host.CloseLane{Lane: p.Lanes[1].ID}); err != nil {
		t.Fatal(err)
	}
	g := trace.Patched(p, h.State)
	if text, n := g.Heard(g.Feeds[0]); n != 1 || !strings.Contains(text, p.Lanes[0].Name) {
		t.Errorf("it arrives %d times: %s; want once, by %s", n, text, p.Lanes[0].Name)
	}
	if text, n := g.Heard(g.Feeds[1]); n != 0 || !strings.Contains(text, "no lane") {
		t.Errorf("it arrives %d times: %s; want never, for no lane takes it", n, text)
	}
}
