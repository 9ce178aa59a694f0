package web

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
)

// nextPart gives the next part of a multipart body, or nil after the last.
func nextPart(m *multipart.Reader) (*multipart.Part, error) {
	part, err := m.NextPart()
	if err == io.EOF { // a wrapped one stands for a body that stops short
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("the upload broke off: %w", err)
	}
	return part, nil
}

// upload finds the first file of a multipart body and hands it on as a stream.
func upload(w http.ResponseWriter, r *http.Request, limit int64, fields func(name, value string)) (
	*multipart.Part, error) {
	r.Body = http.MaxBytesReader(w, r.Body, limit)
	m, err := r.MultipartReader()
	if err != nil {
		return nil, errors.New("no file came along; choose one first")
	}
	for {
		part, err := nextPart(m)
		if err != nil {
			return nil, err
		}
		if part == nil {
			return nil, errors.New("no file came along; choose one first")
		}
		if part.FileName() != "" {
			return part, nil
		}
		if part.FormName() == "file" {
			return nil, errors.New("no file is chosen; choose one first")
		}
		value, err := io.ReadAll(io.LimitReader(part, 4096))
		if err != nil {
			return nil, err
		}
		if fields != nil {
			fields(part.FormName(), string(value))
		}
	}
}
