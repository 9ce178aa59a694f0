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
	seeker io.Seeker
	size   int64 // of a file that can be sought in
	at     int64 // where under stands
}

// NewSkipper reads r from where it stands; a Skipper is given back as it is.
func NewSkipper(r io.Reader) *Skipper {
	if s, ok := r.(*Skipper); ok {
		return s
	}
	s := &Skipper{}
	s.under = counting{r, &s.at}
	if seeker, ok := r.(io.Seeker); ok {
		if at, err := seeker.Seek(0, io.SeekCurrent); err == nil {
			if size, err := seeker.Seek(0, io.SeekEnd); err == nil {
				if _, err := seeker.Seek(at, io.SeekStart); err == nil {
					s.seeker, s.size, s.at = seeker, size, at
				}
			}
		}
	}
	s.Reader = bufio.NewReaderSize(s.under, 64<<10)
	return s
}

// counting counts what is read.
type counting struct {
	r  io.Reader
	at *int64
}

func (c counting) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	*c.at += int64(n)
	return n, err
}

// Skip passes over n bytes and tells how many there were; io.EOF where the stream ends before.
func (s *Skipper) Skip(n int64) (int64, error) {
	if held := int64(s.Buffered()); s.seeker == nil || n <= held {
		return io.CopyN(io.Discard, s.Reader, n)
	}
	held, err := io.CopyN(io.Discard, s.Reader, int64(s.Buffered()))
	if err != nil {
		return held, err
	}
	to := s.at + n - held
	if to > s.size {
		there := s.size - s.at
		s.at = s.size
		if _, err := s.seeker.Seek(s.size, io.SeekStart); err != nil {
			return held, err
		}
		s.Reset(s.under)
		return held + there, io.EOF
	}
	if _, err := s.seeker.Seek(to, io.SeekStart); err != nil {
		return held, err
	}
	s.at = to
	s.Reset(s.under)
	return n, nil
}
