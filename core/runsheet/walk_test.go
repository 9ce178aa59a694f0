package runsheet_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"hiddenlanes/core/check"
	"hiddenlanes/core/edits"
	"hiddenlanes/core/instances"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/core/runsheet"
	"hiddenlanes/core/trace"
	"hiddenlanes/demo/sample"
	"hiddenlanes/internal/testkit"
)

// anEdit is one of what changes how instruments start and how many there are, with the lanes
// around them; some are refused where they are made.
func anEdit(p *plan.Project, rng *rand.Rand) (string, plan.Edit) {
	pl := &p.Placed[rng.IntN(len(p.Placed))]
	feeds := pl.AllFeeds()
	feed := func() string { return feeds[rng.IntN(len(feeds))].ID }
	upTo := func(n int) int { return 1 + rng.IntN(max(1, n)) }
	switch rng.IntN(19) {
	case 0:
		return "divide", edits.DivideInto(pl.ID, rng.IntN(5))
	case 1:
		return "gather", edits.GatherIntoOne(pl.ID)
	case 2:
		return "stage", edits.SwitchStage(pl.ID, plan.Stages[rng.IntN(len(plan.Stages))])
	case 3:
		return "free", edits.KeepOutputsFree(pl.ID, []int{upTo(len(pl.Outputs))}, rng.IntN(3))
	case 4:
		return "none free", edits.KeepOutputsFree(pl.ID, nil, 0)
	case 5:
		if n := len(pl.Instrument.Layouts); n > 0 {
			l := pl.Instrument.Layouts[rng.IntN(n)]
			return "start in " + l.Name, edits.SetStart(pl.ID, plan.FromLayout, l.Name, pl.Instrument.Layouts)
		}
		return "start as saved", edits.SetStart(pl.ID, plan.FromSaved, "", nil)
	case 6:
		return "start", edits.SetStart(pl.ID, []plan.StartKind{plan.AsDelivered, plan.FromSaved,
			plan.FromDefault}[rng.IntN(3)],
			"", nil)
	case 7:
		keys := append(pl.SpreadKeys(), "", "direct")
		return "way", edits.SetWay(pl.ID, keys[rng.IntN(len(keys))])
	case 8:
		if n := len(pl.Instrument.Variants); n > 0 {
			return "version", edits.SetVariant(pl.ID, pl.Instrument.Variants[rng.IntN(n)].Name)
		}
		return "save default", edits.AskToSave(pl.ID, rng.IntN(2) == 0)
	case 9:
		return "usual sharing", edits.ShareAsUsual(pl.ID)
	case 10:
		return "group wish", edits.SetGroupOwnOutput(pl.ID, []string{feed(), feed()}, rng.IntN(4))
	case 11:
		return "other lanes", edits.AddOthers([]plan.OtherLane{{Number: plan.LaneNumber(upTo(60)), Name: "Quayside", Width: 2,
			Kind: plan.Regular}})
	case 12:
		if l := p.ByNumber(); len(l) > 0 {
			return "owner", edits.SetOwner([]string{l[rng.IntN(len(l))].ID}, []plan.Owner{plan.Found, ""}[rng.IntN(2)])
		}
		return "template", edits.AskForTemplate(true, "")
	case 13:
		return "aside", edits.SetAside(pl.ID, []string{feed()}, []plan.State{plan.Parked, plan.Off}[rng.IntN(2)])
	case 14:
		return "done", func(p *plan.Project) (string, error) { p.Patched = p.AsPlanned(); return "", nil }
	case 15:
		return "add outputs", edits.AddOutputs(pl.ID)
	case 16, 17:
		if found := check.All(trace.New(p)); len(found) > 0 {
			f := found[rng.IntN(len(found))]
			if way := rng.IntN(1 + len(f.Others())); f.Edit() != nil {
				return "fix " + f.Title(), check.Fix(f.Key(), way)
			}
		}
	}
	return "accept", func(p *plan.Project) (string, error) {
		pr, err := propose.Make(p, propose.Options{Placed: pl.ID})
		if err != nil {
			return "", err
		}
		return pr.Accept(pr.Everything())(p)
	}
}

// Whatever is done in whatever order, the plan stays sound, the run sheet ends in it, and the
// sums, the check and the ways can be asked for.
func TestAnyWalkOfEditsEndsInASheet(t *testing.T) {
	testkit.Slow(t)
	rng := rand.New(rand.NewPCG(77, 5))
	done := map[string]int{}
	for n := range testkit.Of(100, 25) {
		t.Run(fmt.Sprintf("case %d", n), func(t *testing.T) {
			in := []rig.Instrument{sample.BrineworkKit(), sample.SaltpanSection(), sample.FlintTwelve(),
				sample.ReedCabinet()}[n%4]
			p := testkit.Mapped(t, plan.Host{FirstLane: 3, LaneLimit: 200}, rig.FormatRuns(in.Delivered), in)
			testkit.Edit(t, p, edits.SetProfile(rig.Profiles[rng.IntN(len(rig.Profiles))]))
			var walk []string
			defer func() {
				if t.Failed() {
					t.Logf("%s, in a host with %s", strings.Join(walk, ", "), p.Host.Behaviour().Name)
				}
			}()
			for range 14 {
				name, e := anEdit(p, rng)
				q := p.Clone()
				if _, err := e(q); err != nil {
					continue
				}
				if walk, p = append(walk, name), q; p.Validate() != nil {
					t.Fatal(p.Validate())
				}
				done[strings.Fields(name)[0]]++
				for i := range p.Placed {
					id := p.Placed[i].ID
					sums, again := instances.Compare(p, id), instances.Compare(p, id)
					if fmt.Sprint(sums) != fmt.Sprint(again) {
						t.Fatalf("compared again, the sums are\n%v\nand were\n%v", again, sums)
					}
					runsheet.Ways(p, id)
				}
				testkit.RunSheetEndsInThePlan(t, p)
			}
		})
	}
	if len(done) < 12 {
		t.Errorf("only these were made: %v", done)
	}
}
