package rig_test

import (
	"strings"
	"testing"

	"hiddenlanes/core/rig"
)

func TestNamesAreCleanedAndShortened(t *testing.T) {
	for in, want := range map[string]string{
		"Kick In":                        "Kick In",
		"":                               "",
		"  Kick\t In \n":                 "Kick In",
		"Kick\x00\x1b[2J In":             "Kick[2J In",
		"Kick\u202eIn\u2066 R\u0085oom":  "KickIn R oom",
		"\ufeffÜber Kit":                 "Über Kit",
		"Schlagzeug \U0001F941 eins":     "Schlagzeug \U0001F941 eins",
		"two  words":                     "two words",
		"delete\x7f this":                "delete this",
		"broken \xff\xfe bytes":          "broken bytes",
		strings.Repeat("x", rig.MaxName): strings.Repeat("x", rig.MaxName),
	} {
		if got := rig.CleanName(in); got != want {
			t.Errorf("%q is cleaned to %q; want %q", in, got, want)
		}
	}
	long, short := strings.Repeat("Ü", 81), strings.Repeat("Ü", 80)
	n := &rig.Names{}
	in := rig.Instrument{Name: long, Voices: []rig.Voice{{Name: short}, {Name: "a\x07b"}}, Parts: []rig.Part{{Name: long}}}
	n.Instrument(&in)
	if r := []rune(in.Name); len(r) != 80 || r[79] != '…' || in.Voices[0].Name != short || in.Voices[1].Name != "ab" {
		t.Errorf("they are called %q, %q and %q", in.Name, in.Voices[0].Name, in.Voices[1].Name)
	}
	if want := "2 names were shortened to 80 characters: "; !strings.HasPrefix(n.Said(), want) {
		t.Errorf("it is said %q; want %q", n.Said(), want)
	}
	for text, ok := range map[string]bool{short: true, long: false, "\x00 \t": false, "Hat": true} {
		if _, err := rig.ParseName("a lane", text); (err == nil) != ok {
			t.Errorf("the typed name %q gives %v", text, err)
		}
	}
}
