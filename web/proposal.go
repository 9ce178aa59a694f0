package web

import (
	"net/http"
	"net/url"
	"strconv"

	"hiddenlanes/core/plan"
	"hiddenlanes/core/propose"
	"hiddenlanes/core/rig"
	"hiddenlanes/draw"
)

// proposalPage shows proposals beside what is there now.
type proposalPage struct {
	Parts   []proposalPart
	Changes int // instruments whose proposal would change something
	Host    plan.Host
}

type proposalPart struct {
	placedRow
	Proposal *propose.Proposal
	Rows     []proposalRow
	Err      string
	Ladder   *draw.Ladder
	Cut      int // the number of outputs asked for, where it is not the plan's
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
	proposals, errs := propose.All(p.Plan, options)
	for i, pr := range rows {
		part := p.proposalPart(pr, q, options[i].Outputs)
		if errs[i] != nil {
			part.Err = message(errs[i])
		} else {
			p.fillProposal(&part, proposals[i])
			if proposals[i].Changes() > 0 {
				out.Changes++
			}
		}
		out.Parts = append(out.Parts, part)
	}
	return out, nil
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

// fillProposal adds the proposal and its ladder.
func (p *project) fillProposal(part *proposalPart, pr *propose.Proposal) {
	part.Proposal = pr
	for _, row := range pr.Rows {
		r := proposalRow{Row: row, LaneName: p.Plan.Host.LaneName(row.Lane.Number)}
		for _, f := range row.Feeds {
			r.Asked = append(r.Asked, part.byFeed[f.ID])
		}
		part.Rows = append(part.Rows, r)
	}
	if steps, err := pr.Ladder(); err == nil {
		part.Ladder = draw.NewLadder(steps, propose.MostOutputs(part.Placed, len(steps)))
	}
}
