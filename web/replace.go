package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
)

// mostOffers is how many instruments of the shelf are tried out where none is chosen yet.
const mostOffers = 60

// replacePage shows how one instrument would take the place of another, side by side.
type replacePage struct {
	Placed      *plan.Placed
	Shelf       []app.ShelfRow
	To          int64
	Offers      []app.Offer // where none is chosen
	Replacement *carry.Replacement
	Feeds       choices      // the new one's, for choosing by hand
	Pairs       []carry.Pair // those on the page
	Window      window
	Kept        []hiddenField // what was chosen for others
	Fresh       []rig.Feed
	MoreFresh   int
	Hand        map[string]string
	Err         string
	Song        *keysView
	Follow      bool
	Ask         channelAsk
}

// handPrefix begins the names of the fields that pair feeds by hand, keyPrefix those
// that say what becomes of a key.
const handPrefix, keyPrefix = "hand-", "key-"

// prefixed gives the fields that begin alike, by what follows.
func prefixed(q url.Values, prefix string) map[string]string {
	out := map[string]string{}
	for k := range q {
		if rest, ok := strings.CutPrefix(k, prefix); ok {
			out[rest] = q.Get(k)
		}
	}
	return out
}

func (s *server) replacePage(r *http.Request, p *project, q url.Values) (any, error) {
	return s.replaceOf(r, p, q)
}

func (s *server) replaceOf(r *http.Request, p *project, q url.Values) (out replacePage, err error) {
	if out.Placed = p.Plan.Find(q.Get("placed")); out.Placed == nil {
		if len(p.Plan.Placed) == 0 {
			return out, errors.New("this project has no instrument to replace")
		}
		out.Placed = &p.Plan.Placed[0]
	}
	if out.Shelf, err = s.app.Shelf(r.Context()); err != nil {
		return out, err
	}
	out.Follow = q.Get("song") != "stay"
	if out.To, err = strconv.ParseInt(q.Get("to"), 10, 64); err != nil {
		out.Offers, err = s.app.ReplacementOffers(r.Context(), p.Plan, out.Placed.ID,
			out.Shelf[:min(len(out.Shelf), mostOffers)])
		return out, err
	}
	hand, err := s.handOf(r, out.To, prefixed(q, handPrefix))
	if err != nil {
		out.Err = message(err)
		return out, nil
	}
	out.Hand = app.ReadPairs(hand)
	if out.Replacement, err = s.app.Replacement(r.Context(), p.Plan, out.Placed.ID, out.To, out.Hand); err != nil {
		out.Err = message(err)
		return out, nil
	}
	feeds := out.Replacement.Feeds()
	slices.SortStableFunc(feeds, func(a, b rig.Feed) int { return p.Plan.Chart.Compare(a.Role, b.Role) })
	out.Feeds = choices{"list-feeds", []string{nothingText}}
	for _, f := range feeds {
		out.Feeds.List = append(out.Feeds.List, f.Name)
	}
	out.show(projectPath(p.ID, "replace"), q)
	if p.Plan.Song != nil && p.Plan.Song.ID != 0 {
		fates, err := app.ReadFates(prefixed(q, keyPrefix))
		if err != nil {
			return out, err
		}
		if err := out.Ask.read(out.Placed.Instrument, p.Plan.Song, q["channel"]); err != nil {
			return out, err
		}
		out.Song = viewKeys(carry.MapKeys(out.Placed.Instrument, out.Replacement.New.Instrument), fates,
			carry.Played(p.Plan.Song, out.Placed.Instrument, out.Ask.chosen...), out.Replacement.New.Instrument)
	}
	return out, nil
}

// nothingText is what is chosen where no feed takes another's place.
const nothingText = "nothing"

// handOf reads what was chosen by hand: feeds of the new instrument by name or ID.
func (s *server) handOf(r *http.Request, to int64, typed map[string]string) (map[string]string, error) {
	in, err := s.app.Instrument(r.Context(), to)
	if err != nil {
		return nil, err
	}
	ids := map[string]string{nothingText: app.NoPartner, app.NoPartner: app.NoPartner, "": ""}
	for _, f := range in.Rig.Feeds() {
		ids[f.ID] = f.ID
		if lower := strings.ToLower(f.Name); ids[lower] == "" {
			ids[lower] = f.ID
		}
	}
	out := map[string]string{}
	for old, text := range typed {
		id, ok := ids[text]
		if !ok {
			id, ok = ids[strings.ToLower(strings.TrimSpace(text))]
		}
		if !ok {
			return nil, fmt.Errorf("%s has no feed called %q; choose one from the list, or “nothing”", in.Rig.Name, text)
		}
		out[old] = id
	}
	return out, nil
}

// show puts a window of the pairs on the page; what was chosen for others stays.
func (p *replacePage) show(path string, q url.Values) {
	all := p.Replacement.Pairs
	p.Window = windowOf(path, q, "from", len(all), windowRows)
	p.Window.Many = "feeds"
	p.Pairs = all[p.Window.From:p.Window.To]
	for i, pair := range all {
		if pair.ByHand && (i < p.Window.From || i >= p.Window.To) {
			p.Kept = append(p.Kept, hiddenField{handPrefix + pair.Old.ID, p.HandOf(pair.Old.ID)})
		}
	}
	if p.Window.To == len(all) {
		p.Fresh = p.Replacement.Fresh[:min(len(p.Replacement.Fresh), windowRows)]
		p.MoreFresh = len(p.Replacement.Fresh) - len(p.Fresh)
	}
}

// HandOf is what the user has chosen for a feed: a feed's ID, "none", or "" for what the
// matching finds.
func (p replacePage) HandOf(id string) string {
	n, ok := p.Hand[id]
	if ok && n == "" {
		return app.NoPartner
	}
	return n
}
