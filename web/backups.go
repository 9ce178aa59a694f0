package web

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/go-chi/chi/v5"

	"hiddenlanes/app"
	"hiddenlanes/internal/words"
)

// backupsPage lists the backups, with what restoring one of them would do.
type backupsPage struct {
	Rows     []app.Backup
	Chosen   *app.Backup     // to be restored
	Would    *app.Comparison // what that would do
	Verified *app.Verified   // what came of a look at everything; nil: nobody asked
}

func (s *server) backups(w http.ResponseWriter, r *http.Request) {
	sd := said{}
	q := r.URL.Query()
	if made := q.Get("made"); made != "" {
		sd = wentWell("The backup of %s holds all there is.", made)
	}
	if before := q.Get("before"); before != "" {
		sd = wentWell("The backup was restored. What was here before is the backup of %s.", before)
	}
	s.showBackups(w, r, http.StatusOK, sd)
}

func (s *server) showBackups(w http.ResponseWriter, r *http.Request, code int, sd said) {
	all, err := s.app.Backups()
	if err != nil {
		s.fail(w, r, err)
		return
	}
	p := backupsPage{Rows: all}
	q := r.URL.Query()
	if name := q.Get("restore"); name != "" && !(sd.flash != nil && sd.flash.Bad) {
		for i, b := range all {
			if b.Name == name {
				p.Chosen = &all[i]
			}
		}
		if p.Chosen == nil {
			s.fail(w, r, app.ErrNotFound)
			return
		}
		if p.Would, err = s.app.CompareBackup(r.Context(), name); err != nil {
			p.Chosen, code, sd = nil, s.status(r, err), refusal(err)
		}
	}
	if q.Has("verify") {
		if p.Verified, err = s.app.Verify(r.Context()); err != nil {
			s.fail(w, r, err)
			return
		}
	}
	s.page(w, r, code, "backups", frame{Title: "Backups", Section: "projects", Flash: sd.flash, Data: p})
}

// moment is a time as people read it.
const moment = "2006-01-02 15:04:05"

// When is when a backup was made, Large how large it is.
func (backupsPage) When(b app.Backup) string  { return b.Made.Format(moment) }
func (backupsPage) Large(b app.Backup) string { return words.Bytes(b.Size) }

func (s *server) makeBackup(w http.ResponseWriter, r *http.Request) {
	b, err := s.app.BackUp(r.Context(), app.ByHand)
	if err != nil {
		s.showBackups(w, r, s.status(r, err), refusal(err))
		return
	}
	http.Redirect(w, r, addressOf("/backups", url.Values{"made": {b.Made.Format(moment)}}), http.StatusSeeOther)
}

func (s *server) removeBackup(w http.ResponseWriter, r *http.Request) {
	if err := s.app.RemoveBackup(chi.URLParam(r, "name")); err != nil {
		s.showBackups(w, r, s.status(r, err), refusal(err))
		return
	}
	http.Redirect(w, r, "/backups", http.StatusSeeOther)
}

func (s *server) restoreBackup(w http.ResponseWriter, r *http.Request) {
	before, err := s.app.Restore(r.Context(), chi.URLParam(r, "name"))
	if err != nil {
		s.showBackups(w, r, s.status(r, err), refusal(err))
		return
	}
	http.Redirect(w, r, addressOf("/backups", url.Values{"before": {before.Made.Format(moment)}}), http.StatusSeeOther)
}

func (s *server) downloadBackup(w http.ResponseWriter, r *http.Request) {
	name := chi.URLParam(r, "name")
	f, err := s.app.ReadBackup(name)
	if err != nil {
		s.fail(w, r, err)
		return
	}
	defer f.Close()
	w.Header().Set("Content-Type", "application/vnd.sqlite3")
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="hidden-lanes_%s"`, name))
	w.Header().Set("Cache-Control", "no-store")
	http.ServeContent(w, r, "", app.BackupTime(name), f)
}
