package web

import (
	"errors"
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

// swapOffers is how many instruments of the shelf are tried out where none is chosen yet.
const swapOffers = 60

// swapPage shows how one instrument would take the place of another, side by side.
type swapPage struct {
	Placed *plan.Placed
	Shelf  []app.ShelfRow
	To     int64
	Offers []app.SwapOffer // where none is chosen
	Swap   *carry.Swap
	Feeds  []rig.Feed // the new one's, for choosing by hand
	Hand   map[string]string
	Err    string
	Song   *keysView
	Follow bool
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

func (s *server) swapPage(r *http.Request, p *project, q url.Values) (any, error) {
	return s.swapOf(r, p, q)
}

func (s *server) swapOf(r *http.Request, p *project, q url.Values) (out swapPage, err error) {
	if out.Placed = p.Plan.Find(q.Get("placed")); out.Placed == nil {
		if len(p.Plan.Placed) == 0 {
			return out, errors.New("there is no instrument in this project to swap")
		}
		out.Placed = &p.Plan.Placed[0]
	}
	if out.Shelf, err = s.app.Shelf(r.Context()); err != nil {
		return out, err
	}
	out.Hand, out.Follow = app.ReadPairs(prefixed(q, handPrefix)), q.Get("song") != "stay"
	if out.To, err = strconv.ParseInt(q.Get("to"), 10, 64); err != nil {
		out.Offers, err = s.app.SwapOffers(r.Context(), p.Plan, out.Placed.ID, out.Shelf[:min(len(out.Shelf), swapOffers)])
		return out, err
	}
	if out.Swap, err = s.app.Swap(r.Context(), p.Plan, out.Placed.ID, out.To, out.Hand); err != nil {
		out.Err = message(err)
		return out, nil
	}
	out.Feeds = out.Swap.Feeds()
	slices.SortStableFunc(out.Feeds, func(a, b rig.Feed) int { return p.Plan.Chart.Compare(a.Role, b.Role) })
	if p.Plan.Song != nil && p.Plan.Song.ID != 0 {
		fates, err := app.ReadFates(prefixed(q, keyPrefix))
		if err != nil {
			return out, err
		}
		out.Song = viewKeys(carry.MapKeys(out.Placed.Instrument, out.Swap.New.Instrument), fates,
			carry.Played(p.Plan.Song, out.Placed.Instrument), out.Swap.New.Instrument)
	}
	return out, nil
}

// HandOf is what the user has chosen for a feed: a feed's ID, "none", or "" for what the
// matching finds.
func (p swapPage) HandOf(id string) string {
	n, ok := p.Hand[id]
	if ok && n == "" {
		return app.NoPartner
	}
	return n
}
