package sfz

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"testing/fstest"

	"hiddenlanes/format"
	"hiddenlanes/internal/testkit"
)

// Files that ask for more than any instrument needs are refused in words, with little read: ten files of
// which each includes all ten times, and regions, opcodes and definitions without end.
func TestFilesThatAskForTooMuchAreRefused(t *testing.T) {
	testkit.Slow(t)
	circle := fstest.MapFS{}
	for i := range 10 {
		var b strings.Builder
		for j := range 10 {
			fmt.Fprintf(&b, "#include \"f%d.sfz\"\n", j)
		}
		circle[fmt.Sprintf("f%d.sfz", i)] = &fstest.MapFile{Data: []byte(b.String())}
	}
	fan := fstest.MapFS{} // each level includes the next ten times: 10^8 in the end
	for i := range 9 {
		fan[fmt.Sprintf("f%d.sfz", i)] = &fstest.MapFile{
			Data: []byte(strings.Repeat(fmt.Sprintf("#include \"f%d.sfz\"\n", i+1), 10))}
	}
	fan["f9.sfz"] = &fstest.MapFile{Data: []byte("<region> sample=a.wav")}
	one := func(text string) fstest.MapFS { return fstest.MapFS{"f0.sfz": {Data: []byte(text)}} }
	defines := make([]string, 5000)
	for i := range defines {
		defines[i] = fmt.Sprintf("#define $d%d 1", i)
	}
	for says, m := range map[string]fstest.MapFS{
		"without end":                    circle,
		"included more than 10000 times": fan,
		"larger than 64 MiB": {"f0.sfz": {Data: []byte(strings.Repeat("#include \"f1.sfz\"\n", 70))},
			"f1.sfz": {Data: []byte(strings.Repeat("//      \n", 1<<17))}},
		"more than 50000 regions":              one(strings.Repeat("<region>", 300_000)),
		"more than 500000 opcodes":             one(strings.Repeat("<group>"+strings.Repeat(" a=1", 2000), 301)),
		"more than 2048 opcodes of one header": one("<global>" + strings.Repeat(" key=36", 3000)),
		"more than 1000 <control> headers":     one(strings.Repeat("<control>", 1001)),
		"more than 4096 #define lines":         one(strings.Join(defines, "\n")),
		"value of sample is longer":            one("<region> sample=" + strings.Repeat("a", 100_000)),
	} {
		_, err := Decode(t.Context(), m, "f0.sfz")
		var bad *format.Error
		if !errors.As(err, &bad) || !strings.Contains(err.Error(), says) || bad.Do == "" {
			t.Errorf("want a refusal with %q, got %v", says, err)
		}
	}
}

// What a big instrument needs is within the limits.
func TestABigInstrumentIsWithinTheLimits(t *testing.T) {
	var b strings.Builder
	for k := range 88 {
		for range 40 {
			fmt.Fprintf(&b, "#include \"r.sfz\"\n")
		}
		fmt.Fprintf(&b, "<group> key=%d lovel=1 hivel=127\n", 21+k)
		b.WriteString(strings.Repeat("<region> sample=a.wav volume=-3 pan=0 tune=1\n", 500))
	}
	f, err := Decode(t.Context(), fstest.MapFS{"f.sfz": {Data: []byte(b.String())},
		"r.sfz": {Data: []byte("// nothing\n")}}, "f.sfz")
	if err != nil || len(f.regions) != 44_000 {
		t.Fatalf("got %v; want 44,000 regions", err)
	}
}

// BenchmarkOneLongLine reads opcodes that all stand on one line of 4 MB: time must grow as the file does.
func BenchmarkOneLongLine(b *testing.B) {
	m := fstest.MapFS{"f.sfz": {Data: []byte(strings.Repeat("<region> key=36 sample=a.wav ", 4<<20/29/4))}}
	for b.Loop() {
		if _, err := Decode(b.Context(), m, "f.sfz"); err != nil {
			b.Fatal(err)
		}
	}
}

// Instruments of one folder have a bound together, and reading ends when whoever wants them has gone.
func TestAFolderHasABoundAsAWhole(t *testing.T) {
	files := fstest.MapFS{}
	body := "<region> sample=a.wav key=36\n" + strings.Repeat("<region> key=40\n", maxRegions-10)
	var names []string
	for i := range 8 {
		p := fmt.Sprintf("%d.sfz", i)
		files[p] = &fstest.MapFile{Data: []byte(body)}
		names = append(names, p)
	}
	_, err := decodeAll(t.Context(), files, names, "Kits")
	if err == nil || !strings.Contains(err.Error(),
		"the instruments of this folder have more than 200000 regions together") ||
		!strings.Contains(err.Error(), "import fewer of its instruments at a time") {
		t.Errorf("eight instruments of 50,000 regions: %v; want them refused in words", err)
	}
	gone, leave := context.WithCancel(t.Context())
	leave()
	if _, err := decodeAll(gone, files, names[:1], "Kits"); !errors.Is(err, context.Canceled) {
		t.Errorf("for somebody who has gone it gives %v; want that", err)
	}
}
