package format

import (
	"bufio"
	"io"
)

// Skipper reads a stream through a buffer and passes over parts of it: in a file by seeking, without
// reading them.
type Skipper struct {
	*bufio.Reader
	under  io.Reader
	seeker io.Seeker // under, where it is a file that can be sought in
	size   int64     // of it
}

// NewSkipper reads r from where it stands; a Skipper is given back as it is.
func NewSkipper(r io.Reader) *Skipper {
	if s, ok := r.(*Skipper); ok {
		return s
	}
	s := &Skipper{Reader: bufio.NewReaderSize(r, 64<<10), under: r}
	if seeker, ok := r.(io.Seeker); ok {
		if at, err := seeker.Seek(0, io.SeekCurrent); err == nil {
			if size, err := seeker.Seek(0, io.SeekEnd); err == nil {
				if _, err := seeker.Seek(at, io.SeekStart); err == nil {
					s.seeker, s.size = seeker, size
				}
			}
		}
	}
	return s
}

// Skip passes over n bytes and tells how many there were; io.EOF where the stream ends before.
func (s *Skipper) Skip(n int64) (int64, error) {
	held := int64(s.Buffered())
	if s.seeker == nil || n <= held {
		return io.CopyN(io.Discard, s.Reader, n)
	}
	at, err := s.seeker.Seek(0, io.SeekCurrent) // past what is held
	if err != nil {
		return 0, err
	}
	to := min(at+n-held, s.size)
	if _, err := s.seeker.Seek(to, io.SeekStart); err != nil {
		return 0, err
	}
	s.Reset(s.under)
	if skipped := held + to - at; skipped < n {
		return skipped, io.EOF
	}
	return n, nil
}
