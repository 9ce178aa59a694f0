package testkit

import (
	"bytes"
	"testing"

	"hiddenlanes/core/plan"
	"hiddenlanes/format/dawproject"
)

// Session is a project written as a DAWproject session and read again.
func Session(t testing.TB, p *plan.Project) *dawproject.Session {
	t.Helper()
	var b bytes.Buffer
	if err := dawproject.Encode(&b, p, nil); err != nil {
		t.Fatal(err)
	}
	s, err := dawproject.Decode(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	return s
}
