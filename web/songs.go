package web

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"html/template"
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
)

// songsKept is how many of the songs that came before are listed.
const songsKept = 40

// songsPage rewrites songs from one instrument's keys to another's.
type songsPage struct {
	Shelf    []app.ShelfRow
	From, To string // instrument numbers, "gm", or ""
	Song     int64
	Name     string
	Keys     *keysView
	FromName string
	ToName   string
	Notes    int
	Query    template.URL
	Ask      channelAsk
	House    bool          // the house chart has keys
	Kept     []app.SongRow // where none is chosen
}

func (s *server) songs(w http.ResponseWriter, r *http.Request) {
	s.showSong(w, r, http.StatusOK, 0, said{})
}

func (s *server) songFor(w http.ResponseWriter, r *http.Request) {
	s.showSong(w, r, http.StatusOK, idOf(r), said{})
}

// importSong keeps a song file and shows what becomes of it.
func (s *server) importSong(w http.ResponseWriter, r *http.Request) {
	to := url.Values{}
	part, err := upload(w, r, maxSong, func(name, value string) {
		if name == "from" || name == "to" {
			to.Set(name, value)
		}
	})
	var id int64
	if err == nil {
		id, err = s.app.KeepSong(r.Context(), part, part.FileName())
	}
	if err != nil {
		s.showSong(w, r, s.status(r, err), 0, refusal(err))
		return
	}
	http.Redirect(w, r, addressOf(fmt.Sprintf("/songs/%d", id), to), http.StatusSeeOther)
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
func (s *server) songAsked(r *http.Request, from, to string) (a, b rig.Instrument,
	fates map[midi.Key]carry.Fate, err error) {
	if a, err = s.chosen(r, from); err != nil {
		return a, b, nil, err
	}
	if b, err = s.chosen(r, to); err != nil {
		return a, b, nil, err
	}
	fates, err = app.ReadFates(prefixed(r.URL.Query(), keyPrefix))
	return a, b, fates, err
}

// fillSong fills the page of a song: its keys for the two instruments that are chosen.
func (s *server) fillSong(r *http.Request, id int64, p *songsPage) (err error) {
	q := r.URL.Query()
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
		song, err := s.app.SongNotes(r.Context(), id)
		if err != nil {
			return err
		}
		p.Name = song.Name
		if err := p.Ask.read(from, song, q["channel"]); err != nil {
			return err
		}
		played = carry.Played(song, from, p.Ask.chosen...)
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
	keep := url.Values{"from": {p.From}, "to": {p.To}, "channel": q["channel"]}
	for k, v := range q {
		if strings.HasPrefix(k, keyPrefix) {
			keep[k] = v
		}
	}
	p.Query = asQuery(keep)
	return nil
}

func (s *server) showSong(w http.ResponseWriter, r *http.Request, code int, id int64, sd said) {
	q := r.URL.Query()
	p := songsPage{Song: id, From: cmp.Or(q.Get("from"), "gm"), To: q.Get("to")}
	if err := s.fillSong(r, id, &p); err != nil {
		s.fail(w, r, err)
		return
	}
	s.page(w, r, code, "songs", frame{Title: "Songs", Section: "songs", Flash: sd.flash, Data: p})
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
		song, err := s.app.SongFile(r.Context(), idOf(r))
		if err != nil {
			return err
		}
		if name, err = s.app.SongName(r.Context(), idOf(r)); err != nil {
			return err
		}
		name = strings.TrimSuffix(name, path.Ext(name)) + " for " + to.Name + ".mid"
		chosen, err := app.ReadChannels(q["channel"])
		if err != nil {
			return err
		}
		_, err = app.Rekey(&out, song, from, carry.MapKeys(from, to).Rule(fates, false), chosen...)
		return err
	}()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	sendFile(w, name, "audio/midi", out.Bytes())
}

// channelAsk asks which channels of a song to rewrite, where nobody can tell.
type channelAsk struct {
	Channels []askedChannel // none: it is clear
	Missing  bool           // none is chosen yet
	chosen   []midi.Address
}

type askedChannel struct {
	Value, Says string
	Chosen      bool
}

// read works out what there is to ask, and what of it is answered.
func (a *channelAsk) read(from rig.Instrument, song *plan.Song, typed []string) (err error) {
	if a.chosen, err = app.ReadChannels(typed); err != nil {
		return err
	}
	for _, c := range carry.Doubt(from, song) {
		at := c.Address.Norm()
		x := askedChannel{Value: fmt.Sprintf("%d:%d", at.Port, at.Channel),
			Says: fmt.Sprintf("%s, %s", at, plural(c.Notes(), "note", "notes")), Chosen: slices.Contains(a.chosen, at)}
		a.Channels = append(a.Channels, x)
	}
	a.Missing = len(a.Channels) > 0 && len(a.chosen) == 0
	return nil
}
