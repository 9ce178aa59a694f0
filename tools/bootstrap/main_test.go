package main

import (
	"os"
	"strings"
	"testing"
)

// The sheet that is served is the one that the pages need: whoever uses another class cuts
// it again.
func TestTheCutSheetIsInStepWithThePages(t *testing.T) {
	want, err := cutFor("../..")
	if err != nil {
		t.Fatal(err)
	}
	got, err := os.ReadFile("../../" + cutFile)
	if err != nil {
		t.Fatal(err)
	}
	if string(got) != want {
		t.Errorf("%s has %d bytes, and the pages need %d others; run go run ./tools/bootstrap", cutFile, len(got), len(want))
	}
}

func TestOnlyRulesOfUsedClassesStay(t *testing.T) {
	const sheet = `@charset "UTF-8";:root{--a:1;--b:var(--a);--c:3}body{margin:var(--b)}` +
		`.one-a,.two-b>.one-a,.one-a:not(.two-b,.one-a){color:red}@media print{.two-b{x:y}.one-a{background:url("data:;,{}")}}`
	got := strip(keep(parse(sheet), func(c string) bool { return c == "one-a" }), "")
	want := `@charset "UTF-8";:root{--a:1;--b:var(--a)}body{margin:var(--b)}.one-a{color:red}` +
		`@media print{.one-a{background:url("data:;,{}")}}`
	if got != want {
		t.Errorf("cut to\n%s\nwant\n%s", got, want)
	}
	if strings.Contains(got, "two-b") {
		t.Error("a class that nothing uses is still there")
	}
}
