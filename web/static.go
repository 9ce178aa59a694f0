package web

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"regexp"
	"strings"
	"time"
)

// Static files are served under names that carry the hash of what they hold, so that a
// browser may keep each for good. The style sheets of a folder are served as one file, and
// so are the scripts: many small files to work in, one to load.

// statics are the files that pages link to.
type statics struct {
	urls  map[string]string // by the name that templates know them by
	files map[string]*staticFile
}

type staticFile struct {
	kind        string // its media type
	plain, gzip []byte // gzip is nil where it does not help
}

// joined are the folders that are served as one file each.
var joined = map[string]string{"css": "app.css", "js": "app.js"}

var urlIn = regexp.MustCompile(`url\(([\w./-]+)\)`)

// newStatics names and packs the files below a folder.
func newStatics(folder fs.FS) (*statics, error) {
	s := &statics{urls: map[string]string{}, files: map[string]*staticFile{}}
	whole := map[string]*bytes.Buffer{}
	var sheets []string
	err := fs.WalkDir(folder, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(folder, name)
		if err != nil {
			return err
		}
		to, ok := joined[path.Dir(name)]
		switch {
		case ok:
			if whole[to] == nil {
				whole[to] = &bytes.Buffer{}
			}
			whole[to].Write(b)
			whole[to].WriteByte('\n')
		case path.Ext(name) == ".css":
			sheets = append(sheets, name)
		case path.Ext(name) != ".txt": // licences are for those who have the source
			s.add(name, b)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for _, name := range sheets {
		b, err := fs.ReadFile(folder, name)
		if err != nil {
			return nil, err
		}
		s.add(name, b)
	}
	for name, b := range whole {
		// What a sheet names must be there already, under the name it is served by.
		s.add(name, urlIn.ReplaceAllFunc(b.Bytes(), func(m []byte) []byte {
			if u, ok := s.urls[string(m[len("url("):len(m)-1])]; ok {
				return []byte("url(" + u + ")")
			}
			return m
		}))
	}
	return s, nil
}

func (s *statics) add(name string, b []byte) {
	sum := sha256.Sum256(b)
	ext := path.Ext(name)
	url := fmt.Sprintf("/static/%s.%s%s", strings.TrimSuffix(name, ext),
		base64.RawURLEncoding.EncodeToString(sum[:6]), ext)
	f := &staticFile{kind: mime.TypeByExtension(ext), plain: b}
	if ext == ".woff2" {
		f.kind = "font/woff2"
	} else {
		var z bytes.Buffer
		w, _ := gzip.NewWriterLevel(&z, gzip.BestCompression)
		_, _ = w.Write(b) // into memory
		_ = w.Close()
		f.gzip = z.Bytes()
	}
	s.urls[name], s.files[url] = url, f
}

// url is where a file is served, for templates.
func (s *statics) url(name string) (string, error) {
	u, ok := s.urls[name]
	if !ok {
		return "", fmt.Errorf("there is no static file %q", name)
	}
	return u, nil
}

func (s *statics) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	f, ok := s.files[r.URL.Path]
	if !ok {
		http.NotFound(w, r)
		return
	}
	h := w.Header()
	h.Set("Content-Type", f.kind)
	h.Set("Cache-Control", "public, max-age=31536000, immutable")
	h.Set("Vary", "Accept-Encoding")
	body := f.plain
	if f.gzip != nil && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		body = f.gzip
	}
	http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(body))
}
