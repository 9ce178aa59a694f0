package web

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/app"
	"hiddenlanes/core/carry"
	"hiddenlanes/core/midi"
	"hiddenlanes/core/plan"
	"hiddenlanes/core/rig"
	"hiddenlanes/format/smf"
	"hiddenlanes/store"
)

// swapOffers is how many instruments of the shelf are tried out where none is chosen yet.
const swapOffers = 60

// swapPage shows how one instrument would take the place of another, side by side.
type swapPage struct {
	Placed *plan.Placed
	Shelf  []store.ShelfRow
	To     int64
	Offers []app.SwapOffer // where none is chosen
	Swap   *carry.Swap
	Feeds  []rig.Feed // the new one's, for choosing by hand
	Hand   map[string]string
	Err    string
	Song   *keysView
	Follow bool
}

// handPrefix begins the names of the fields that pair feeds by hand, fatePrefix those
// that say what becomes of a key.
const handPrefix, fatePrefix = "hand-", "key-"

// none says that nothing takes a feed's place.
const none = "none"

func handFrom(f url.Values) map[string]string {
	out := map[string]string{}
	for k, v := range f {
		if id, ok := strings.CutPrefix(k, handPrefix); ok && len(v) > 0 && v[0] != "" {
			if out[id] = v[0]; v[0] == none {
				out[id] = ""
			}
		}
	}
	return out
}

// fatesFrom reads what becomes of keys: "drop", or the key that plays them.
func fatesFrom(f url.Values) (map[midi.Key]carry.Fate, error) {
	out := map[midi.Key]carry.Fate{}
	for k, v := range f {
		text, ok := strings.CutPrefix(k, fatePrefix)
		if !ok || len(v) == 0 || v[0] == "" {
			continue
		}
		key, err := strconv.Atoi(text)
		if err != nil || key < 0 || key > 127 {
			return nil, fmt.Errorf("%q is no key", text)
		}
		if v[0] == "drop" {
			out[midi.Key(key)] = carry.Fate{Drop: true}
			continue
		}
		to, err := strconv.Atoi(v[0])
		if err != nil || to < 0 || to > 127 {
			return nil, fmt.Errorf("%q is no key", v[0])
		}
		out[midi.Key(key)] = carry.Fate{To: midi.Key(to)}
	}
	return out, nil
}

func (s *server) swapPage(r *http.Request, p *project, q url.Values) (out swapPage, err error) {
	if out.Placed = p.Plan.Find(q.Get("placed")); out.Placed == nil {
		if len(p.Plan.Placed) == 0 {
			return out, errors.New("there is no instrument in this project to swap")
		}
		out.Placed = &p.Plan.Placed[0]
	}
	if out.Shelf, err = s.app.Shelf(r.Context()); err != nil {
		return out, err
	}
	out.Hand, out.Follow = handFrom(q), q.Get("song") != "stay"
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
		fates, err := fatesFrom(q)
		if err != nil {
			return out, err
		}
		out.Song = viewKeys(carry.MapKeys(out.Placed.Instrument, out.Swap.New.Instrument), fates, playedIn(p.Plan.Song, out.Placed.Instrument), out.Swap.New.Instrument)
	}
	return out, nil
}

// HandOf is what the user has chosen for a feed: a feed's ID, "none", or "" for what the
// matching finds.
func (p swapPage) HandOf(id string) string {
	n, ok := p.Hand[id]
	if ok && n == "" {
		return none
	}
	return n
}

// acceptSwap carries the swap out.
func (s *server) acceptSwap(w http.ResponseWriter, r *http.Request) {
	base, err := readBase(w, r)
	f := r.PostForm
	if err == nil {
		var to int64
		var fates map[midi.Key]carry.Fate
		if to, err = strconv.ParseInt(f.Get("to"), 10, 64); err == nil {
			if fates, err = fatesFrom(f); err == nil {
				_, err = s.app.AcceptSwap(r.Context(), idOf(r), base, f.Get("placed"), to, handFrom(f), app.SongFate{Follow: f.Get("song") == "follow", Fates: fates})
			}
		}
	}
	if err == nil {
		s.goBack(w, r, "lanes", nil)
		return
	}
	s.goBack(w, r, f.Get("back"), err)
}

// playedIn counts the notes that a song has for the voices of an instrument, by key.
func playedIn(song *plan.Song, in rig.Instrument) map[midi.Key]int {
	hears := carry.Hears(in, song)
	out := map[midi.Key]int{}
	for _, c := range song.Channels {
		if hears(c.Address) {
			for k, n := range c.Keys {
				out[k] += n
			}
		}
	}
	return out
}

// keysView is what would become of a song's keys.
type keysView struct {
	Rows      []keyRow // keys that the song plays
	Unmatched []keyRow
	Targets   []rig.Voice // of the new instrument

	moved, kept, left, dropped int // notes
}

type keyRow struct {
	carry.KeyMove // as the map has it
	Notes         int
	Fate          string   // "" as the map has it, "drop", or a key
	Now           midi.Key // the key that plays it unless it is dropped
	On            string   // the voice that sounds there, "" for none
}

// Says sums up what becomes of the notes.
func (v *keysView) Says() string {
	out := fmt.Sprintf("%s to another key, %d stay on theirs", plural(v.moved, "note moves", "notes move"), v.kept)
	if v.left > 0 {
		out += fmt.Sprintf(", %d without a partner stay as they are", v.left)
	}
	if v.dropped > 0 {
		out += fmt.Sprintf(", %d are left out", v.dropped)
	}
	return out
}

// Chosen lists the keys that the user has decided on.
func (v *keysView) Chosen() (out []keyRow) {
	for _, row := range slices.Concat(v.Unmatched, v.Rows) {
		if row.Fate != "" {
			out = append(out, row)
		}
	}
	return out
}

func viewKeys(m *carry.KeyMap, fates map[midi.Key]carry.Fate, played map[midi.Key]int, to rig.Instrument) *keysView {
	v := &keysView{}
	sounds := map[midi.Key]string{}
	for _, voice := range to.Voices {
		if len(voice.Keys) > 0 {
			v.Targets = append(v.Targets, voice)
		}
		for _, k := range voice.Keys {
			sounds[k] = cmp.Or(sounds[k], voice.Name)
		}
	}
	seen := map[midi.Key]bool{}
	add := func(k carry.KeyMove) {
		if seen[k.Key] || played[k.Key] == 0 {
			return
		}
		seen[k.Key] = true
		row := keyRow{KeyMove: k, Notes: played[k.Key], Now: k.To, On: k.ToVoice}
		if !k.Found {
			row.Now, row.On = k.Key, sounds[k.Key]
		}
		if f, ok := fates[k.Key]; ok {
			row.Fate, row.Now, row.On = strconv.Itoa(int(f.To)), f.To, sounds[f.To]
			if f.Drop {
				row.Fate = "drop"
			}
		}
		switch {
		case row.Fate == "drop":
			v.dropped += row.Notes
		case row.Now != k.Key:
			v.moved += row.Notes
		case !k.Found && row.Fate == "":
			v.left += row.Notes
		default:
			v.kept += row.Notes
		}
		if k.Found {
			v.Rows = append(v.Rows, row)
		} else {
			v.Unmatched = append(v.Unmatched, row)
		}
	}
	for _, found := range []bool{true, false} { // a key that two voices have is found if one is
		for _, k := range m.Keys {
			if k.Found == found {
				add(k)
			}
		}
	}
	for k := range midi.Key(128) {
		add(carry.KeyMove{Key: k, Voice: cmp.Or(midi.PercussionName(k), "not on the keys")})
	}
	slices.SortFunc(v.Rows, func(a, b keyRow) int { return int(a.Key - b.Key) })
	return v
}

// songsKept is how many of the songs that came before are listed.
const songsKept = 40

// songsPage rewrites songs from one instrument's keys to another's.
type songsPage struct {
	Shelf    []store.ShelfRow
	From, To string // instrument numbers, "gm", or ""
	Song     int64
	Name     string
	Keys     *keysView
	FromName string
	ToName   string
	Notes    int
	Query    template.URL
	House    bool            // the house chart has keys
	Kept     []store.SongRow // where none is chosen
}

func (s *server) songs(w http.ResponseWriter, r *http.Request) {
	s.showSong(w, r, http.StatusOK, 0, nil)
}

func (s *server) songFor(w http.ResponseWriter, r *http.Request) {
	s.showSong(w, r, http.StatusOK, idOf(r), nil)
}

// bringSong keeps a song file and shows what becomes of it.
func (s *server) bringSong(w http.ResponseWriter, r *http.Request) {
	to := url.Values{}
	part, err := upload(w, r, maxSong, func(name, value string) {
		if name == "from" || name == "to" {
			to.Set(name, value)
		}
	})
	var id int64
	if err == nil {
		var data []byte
		if data, err = io.ReadAll(part); err == nil {
			if _, err = smf.Decode(bytes.NewReader(data)); err == nil {
				id, err = s.app.AddSong(r.Context(), path.Base(part.FileName()), data)
			}
		}
	}
	if err != nil {
		s.showSong(w, r, status(err), 0, &flash{Bad: true, Text: message(err)})
		return
	}
	http.Redirect(w, r, fmt.Sprintf("/songs/%d?%s", id, to.Encode()), http.StatusSeeOther)
}

// chosen finds an instrument by its number on the shelf, or General MIDI.
func (s *server) chosen(r *http.Request, id string) (rig.Instrument, error) {
	if id == "gm" || id == "" || id == "house" {
		in, err := s.app.InstrumentNamed(r.Context(), cmp.Or(id, "gm"))
		if err != nil {
			return rig.Instrument{}, err
		}
		return in.Rig, nil
	}
	n, err := strconv.ParseInt(id, 10, 64)
	if err != nil {
		return rig.Instrument{}, errors.New("choose an instrument of the shelf")
	}
	in, err := s.app.Instrument(r.Context(), n)
	if err != nil {
		return rig.Instrument{}, err
	}
	return in.Rig, nil
}

// songAsked reads between which instruments a song is rewritten, and what becomes of keys.
func (s *server) songAsked(r *http.Request, from, to string) (a, b rig.Instrument, fates map[midi.Key]carry.Fate, err error) {
	if a, err = s.chosen(r, from); err != nil {
		return a, b, nil, err
	}
	if b, err = s.chosen(r, to); err != nil {
		return a, b, nil, err
	}
	fates, err = fatesFrom(r.URL.Query())
	return a, b, fates, err
}

func (s *server) showSong(w http.ResponseWriter, r *http.Request, code int, id int64, fl *flash) {
	q := r.URL.Query()
	p := songsPage{Song: id, From: cmp.Or(q.Get("from"), "gm"), To: q.Get("to")}
	err := func() (err error) {
		shelf, err := s.app.Shelf(r.Context())
		if err != nil {
			return err
		}
		for _, row := range shelf {
			if row.Voices > 0 {
				p.Shelf = append(p.Shelf, row)
			}
		}
		if p.To == "" && len(p.Shelf) > 0 {
			p.To = strconv.FormatInt(p.Shelf[0].ID, 10)
		}
		_, errHouse := s.app.InstrumentNamed(r.Context(), "house")
		p.House = errHouse == nil
		from, to, fates, err := s.songAsked(r, p.From, p.To)
		if err != nil {
			return err
		}
		p.FromName, p.ToName = from.Name, to.Name
		m := carry.MapKeys(from, to)
		played := map[midi.Key]int{}
		if id != 0 {
			data, err := s.app.Song(r.Context(), id)
			if err != nil {
				return err
			}
			f, err := smf.Decode(bytes.NewReader(data))
			if err != nil {
				return err
			}
			if p.Name, err = s.app.SongName(r.Context(), id); err != nil {
				return err
			}
			played = playedIn(app.PlanSong(p.Name, f), from)
		} else {
			for _, k := range m.Keys {
				played[k.Key] = 1
			}
			if p.Kept, err = s.app.Songs(r.Context(), songsKept); err != nil {
				return err
			}
		}
		p.Keys = viewKeys(m, fates, played, to)
		for _, n := range played {
			p.Notes += n
		}
		keep := url.Values{"from": {p.From}, "to": {p.To}}
		for k, v := range q {
			if strings.HasPrefix(k, fatePrefix) {
				keep[k] = v
			}
		}
		p.Query = asQuery(keep)
		return nil
	}()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, code, "songs", frame{Title: "Songs", Section: "songs", Flash: fl, Data: p})
}

// rewritten sends a kept song with the keys of another instrument.
func (s *server) rewritten(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	var out bytes.Buffer
	name := ""
	err := func() error {
		from, to, fates, err := s.songAsked(r, q.Get("from"), q.Get("to"))
		if err != nil {
			return err
		}
		song, err := s.app.Song(r.Context(), idOf(r))
		if err != nil {
			return err
		}
		if name, err = s.app.SongName(r.Context(), idOf(r)); err != nil {
			return err
		}
		name = strings.TrimSuffix(name, path.Ext(name)) + " for " + to.Name + ".mid"
		_, err = app.Rekey(&out, song, from, carry.MapKeys(from, to).Rule(fates, false))
		return err
	}()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendFile(w, name, "audio/midi", out.Bytes())
}
