package web

import (
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/draw"
)

// proposalPage shows proposals beside what is there now.
type proposalPage struct {
	Parts   []proposalPart
	Links   []placedLink // to instruments that are not on the page
	All     []string     // the instruments, for accepting all of them
	Cuts    []hiddenField
	Changes int // instruments whose proposal would change something
	Host    plan.Host
}

type proposalPart struct {
	placedRow
	Proposal *propose.Proposal
	Chains   []propose.Chain // what moves from one output to another, the first of them
	Rows     []proposalRow   // those on the page
	Window   window
	Last     bool // the window is the last one, with what is not used
	Err      string
	Ladder   *draw.Ladder
	Many     bool          // it has too many feeds for a ladder
	Others   []hiddenField // what the address asks of other instruments
	Cut      int           // the number of outputs asked for, where it is not the plan's
	CutURL   string
	BothAxes bool
	Axis     rig.Axis
	CanPair  bool
	WhyNot   string
	Asked    []askedFeed         // what is asked of feeds, in words
	byFeed   map[string][]string // the same
	LaneText string
}

type askedFeed struct {
	rig.Feed
	Says []string
}

type proposalRow struct {
	propose.Row
	Asked    [][]string // by feed
	LaneName string
}

func (s *server) proposalPage(_ *http.Request, p *project, q url.Values) (any, error) {
	out := proposalPage{Host: p.Plan.Host}
	rows := p.placedRows()
	var options []propose.Options
	for _, pr := range rows {
		cut, err := strconv.Atoi(q.Get(cutField(pr.ID)))
		if err != nil || cut < 0 || cut > mostOutputs {
			cut = 0
		}
		options = append(options, propose.Options{Placed: pr.ID, Outputs: cut})
	}
	feeds := 0
	for _, pr := range rows {
		feeds += pr.N
	}
	shown, links := oneAtATime(projectPath(p.ID, "proposal"), q, rows, feeds <= mostProposed)
	out.Links = links
	from := slices.IndexFunc(rows, func(r placedRow) bool { return len(shown) > 0 && r.ID == shown[0].ID })
	// Those before it take their lanes first; those after it make no difference to it.
	proposals, errs := propose.All(p.Plan, options[:max(0, from+len(shown))])
	for i, pr := range rows {
		if i < len(errs) && errs[i] != nil {
			continue
		}
		out.All = append(out.All, pr.ID)
		if options[i].Outputs > 0 {
			out.Cuts = append(out.Cuts, hiddenField{cutField(pr.ID), strconv.Itoa(options[i].Outputs)})
		}
		if i >= len(proposals) || proposals[i].Changes() > 0 {
			out.Changes++
		}
	}
	for i := from; i >= 0 && i < from+len(shown); i++ {
		pr := rows[i]
		part := p.proposalPart(pr, q, options[i].Outputs)
		if errs[i] != nil {
			part.Err = message(errs[i])
		} else {
			p.fillProposal(&part, proposals[i], q)
		}
		out.Parts = append(out.Parts, part)
	}
	return out, nil
}

// mostProposed is how many feeds have their proposals on one page; of more there is one
// instrument at a time.
const mostProposed = 150

// rowsFor is how many rows of a proposal are on the page: fewer, where each has many feeds.
func rowsFor(pr *propose.Proposal) int {
	feeds := 0
	for _, r := range pr.Rows {
		feeds += len(r.Feeds)
	}
	return max(1, min(windowRows, mostProposed*len(pr.Rows)/max(1, feeds)))
}

// mostOutputs bounds how many outputs a proposal is asked for on.
const mostOutputs = 1024

// cutField is the field that says on how many outputs an instrument's proposal is made.
func cutField(placed string) string { return "cut-" + placed }

// proposalPart is what there is to say of an instrument before its proposal.
func (p *project) proposalPart(pr placedRow, q url.Values, cut int) proposalPart {
	part := proposalPart{placedRow: pr, Cut: cut, Axis: pr.View.Axis, LaneText: pr.Lanes.String()}
	part.CanPair, part.WhyNot = p.Plan.CanPair(pr.Placed)
	keep := url.Values{}
	for k, v := range q {
		if k != cutField(pr.ID) {
			keep[k] = v
		}
	}
	for _, k := range slices.Sorted(maps.Keys(keep)) {
		part.Others = append(part.Others, hiddenField{k, keep.Get(k)})
	}
	part.CutURL = addressOf("", keep)
	if part.CutURL == "" {
		part.CutURL = "?"
	} else {
		part.CutURL += "&"
	}
	part.CutURL += cutField(pr.ID) + "="
	part.byFeed = pr.ConstraintsInWords()
	for _, f := range pr.AllFeeds() {
		part.BothAxes = part.BothAxes || f.Position != ""
		if says := part.byFeed[f.ID]; len(says) > 0 {
			part.Asked = append(part.Asked, askedFeed{f, says})
		}
	}
	return part
}

// ladderFeeds is up to how many feeds the ladder is drawn: more rungs than points across a page
// cannot be told apart, and their number is typed instead.
const ladderFeeds = 512

// fillProposal adds the proposal and its ladder.
func (p *project) fillProposal(part *proposalPart, pr *propose.Proposal, q url.Values) {
	part.Proposal = pr
	part.Chains = pr.Chains()
	part.Chains = part.Chains[:min(len(part.Chains), windowRows)]
	part.Window = windowOf(projectPath(p.ID, "proposal"), q, "from-"+pr.Placed, len(pr.Rows), rowsFor(pr))
	part.Window.Many = "outputs"
	part.Last = part.Window.To == part.Window.Of
	for _, row := range pr.Rows[part.Window.From:part.Window.To] {
		r := proposalRow{Row: row, LaneName: p.Plan.Host.LaneName(row.Lane.Number)}
		for _, f := range row.Feeds {
			r.Asked = append(r.Asked, part.byFeed[f.ID])
		}
		part.Rows = append(part.Rows, r)
	}
	if pr.Wanted() > ladderFeeds {
		part.Many = true
		return
	}
	if steps, err := pr.Ladder(); err == nil {
		part.Ladder = draw.NewLadder(steps, propose.MostOutputs(part.Placed, len(steps)))
	}
}
