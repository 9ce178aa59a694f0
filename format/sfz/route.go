package sfz

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"

	"hiddenlanes/format"
)

// edit is a text in the place of another in a file, for an output that is wanted there.
type edit struct {
	from, to int
	text     string
	want     int
}

// Route writes the instrument's texts with the output opcode of regions set, from
// 0 as SFZ counts. Regions that are not named keep theirs. Every byte besides
// stays. A region whose line is included twice and would need two outputs is
// refused.
func (f *File) Route(outputs map[int]int) ([]Text, error) {
	edits := make([]map[int]edit, len(f.Texts))
	for i := range f.regions {
		r := f.regions[i]
		want, ok := outputs[i]
		if !ok {
			want = number(r.get("output"), 0)
		}
		h := r.own
		e := edit{h.end, h.end, fmt.Sprintf(" output=%d", want), want}
		file := h.file
		if data := f.Texts[file].Data; h.end < len(data) && !strings.ContainsRune(" \t\r\n", rune(data[h.end])) {
			e.text += " "
		}
		if own := slices.IndexFunc(h.opcodes, func(o opcode) bool { return o.name == "output" }); own >= 0 {
			last := h.opcodes[own]
			for _, o := range h.opcodes[own:] {
				if o.name == "output" {
					last = o
				}
			}
			file, e.from, e.to, e.text = last.file, last.from, last.to, strconv.Itoa(want)
		}
		now := number(r.get("output"), 0)
		if edits[file] == nil {
			edits[file] = map[int]edit{}
		}
		if was, ok := edits[file][e.from]; ok && was.want != want {
			return nil,
				format.Errorf(name, format.InFile(f.Texts[file].Path),
					"give the two regions one output, or write the included file out twice",
					"one region is included twice and would need the outputs %d and %d", was.want, want)
		}
		if now == want {
			e.text = string(f.Texts[file].Data[e.from:e.to])
		}
		edits[file][e.from] = e
	}
	return f.rewritten(edits), nil
}

// Pack writes texts as one ZIP, with their paths.
func Pack(w io.Writer, texts []Text) error {
	z := zip.NewWriter(w)
	for _, t := range texts {
		e, err := z.Create(t.Path)
		if err == nil {
			_, err = e.Write(t.Data)
		}
		if err != nil {
			return fmt.Errorf("packing %s: %w", t.Path, err)
		}
	}
	return z.Close()
}

// Unpack reads what Pack wrote.
func Unpack(data []byte) (*zip.Reader, error) {
	return zip.NewReader(bytes.NewReader(data), int64(len(data)))
}

// rewritten are the texts with edits, file by file.
func (f *File) rewritten(edits []map[int]edit) []Text {
	out := make([]Text, len(f.Texts))
	for i, t := range f.Texts {
		list := slices.SortedFunc(maps.Values(edits[i]), func(a, b edit) int { return a.from - b.from })
		var b bytes.Buffer
		at := 0
		for _, e := range list {
			b.Write(t.Data[at:e.from])
			b.WriteString(e.text)
			at = e.to
		}
		b.Write(t.Data[at:])
		out[i] = Text{t.Path, b.Bytes()}
	}
	return out
}
