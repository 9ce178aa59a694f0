package web

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"hiddenlanes/internal/testkit"
)

// verbs begin what a button does. A button whose label begins with anything else does not
// say what it does.
var verbs = strings.Fields(
	`Accept Add Apply Archive Assign Break Call Cancel Clear Close Compare Connect Copy Count Delete
	Do Duplicate Export Filter Fix Fold Import Join Load Make Mark Match Move Open Park Pin Preview Print Redo
	Reload Remove Rename Reopen Replace Restore Rewrite Route Save Search Select Set Show Split Start Stop Switch Try
	Undo Update Use Propose Centre Place Learn Edit Practise Unfold Previous Next Divide Gather Mute Solo`)

// constraints are the words for what a user demands of a proposal, which are its buttons too.
var constraints = strings.Fields("Together Apart Off")

// oldWords are those that a list of words replaced; no page says them. Each is a pattern.
var oldWords = []string{`\bbring(s|ing)?\b`, `\bbrought\b`, `\bread the session\b`, `\btake (it |them )?(away|out)\b`,
	`\btaken (away|out)\b`,
	`\bmake it instead\b`, `\bsend a copy\b`, `\bthe marked\b`, `\bmark(ed)? (lanes|feeds|rows)\b`,
	`\b(to|is|be) mend(ed)?\b`,
	`\blet(s)? (it )?stand\b`, `\bmeant so\b`, `\bit is a layer\b`, `\botherwise than\b`, `\bit was like this\b`,
	`\bleave it\b`,
	`\bask nothing\b`, `\bshares?\b.*\bnever shares\b`, `\bthere now\b`, `\binto line\b`, `\bin line\b`,
	`\bdepart(s|ure|ures)?\b`,
	`\bswap(s|ped)?\b`, `\bslot(s)?\b`, `\bown voice only\b`, `\bnumber is higher\b`, `\bsides apart\b`,
	`\bnot (told|said)\b`,
	`\banother window has\b`, `\bnot this way\b`, `\bnobody\b`, `\bis no\b`, `\bthing(s)? to\b`, `\bfinding(s)?\b`}

// label is a button or a link that looks like one, with the act it carries out.
type label struct{ text, act string }

// labelsOf collects the labels of a page, and all of its text.
func labelsOf(t *testing.T, body string) (labels []label, text string) {
	t.Helper()
	root, err := html.Parse(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	var say strings.Builder
	for n := range root.Descendants() {
		switch {
		case n.Type == html.TextNode && !within(n, "script", "style"):
			say.WriteString(n.Data + " ")
		case n.Type != html.ElementNode:
			continue
		}
		for _, a := range []string{"aria-label", "title", "placeholder"} {
			say.WriteString(attr(n, a) + " ")
		}
		class := " " + attr(n, "class") + " "
		button := n.Data == "button" && !strings.Contains(class, " x ") && !strings.Contains(class, " tickone ") &&
			attr(n, "id") != "ordering"
		if attr(n, "formmethod") == "dialog" {
			continue // nobody sees it: the Enter key presses it
		}
		if button || n.Data == "a" && strings.Contains(class, " btn ") {
			said := attr(n, "aria-label")
			if said == "" {
				said = strings.Join(strings.Fields(shownText(n)), " ")
			}
			act, _, _ := strings.Cut(attr(n, "value"), "?")
			if attr(n, "name") != "do" {
				act = ""
				if form := nodeAbove(n, "form"); form != nil {
					for f := range form.Descendants() {
						if f.Data == "input" && attr(f, "name") == "do" {
							act = attr(f, "value")
						}
					}
				}
			}
			labels = append(labels, label{said, act})
		}
	}
	return labels, say.String()
}

func within(n *html.Node, tags ...string) bool {
	for ; n != nil; n = n.Parent {
		if slices.Contains(tags, n.Data) {
			return true
		}
	}
	return false
}

// shownText is the text of an element without its keys.
func shownText(n *html.Node) string {
	var b strings.Builder
	for c := range n.Descendants() {
		if c.Type == html.TextNode && !within(c, "kbd") {
			b.WriteString(c.Data)
		}
	}
	return b.String()
}

// Every page says one word for one act, the words of the list and no older ones, and every
// button begins with a verb.
func TestPagesSayOneWordForOneAct(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	// A project with something of everything: steps done, a problem that is intended.
	s.post(t, fogBell+"/edit", map[string][]string{"rev": {s.revision(t, 4)}, "do": {"all-done"}})
	s.post(t, fogBell+"/edit", map[string][]string{"rev": {s.revision(t, 4)}, "do": {"accept"},
		"finding": {"double-path lane:l12"}, "reason": {"parallel"}})
	old := regexp.MustCompile(`(?i)` + strings.Join(oldWords, "|"))
	of := map[string]string{} // the first word of the label, by act
	for _, path := range append(everyPage(), "/projects/1/", "/projects/1/lanes", "/projects/1/proposal",
		"/projects/2/parts",
		fogBell+"/?feed=i1:stop", fogBell+"/?lane=l10", fogBell+"/?output=i1:3", fogBell+"/?voice=i1:v38", fogBell+
			"/replace?to=2",
		"/drift?all=1", "/drift?preview=1", "/drift?project=3", "/?state=template", "/?state=archived", "/songs/2?to=2",
		"/instruments/3?a=One+output+a+part&b=One+output+a+microphone", "/projects/4/lanes?edit-lanes=l10", "/nowhere") {
		_, body := s.get(t, path)
		labels, text := labelsOf(t, body)
		for _, l := range labels {
			first, _, _ := strings.Cut(l.text, " ")
			if !slices.Contains(verbs, first) && !slices.Contains(constraints, first) {
				t.Errorf("%s: the button %q does not begin with a verb", path, l.text)
			}
			if l.act == "" {
				continue
			}
			if was, ok := of[l.act]; ok && was != first && l.act != "fix" && l.act != "cells" {
				t.Errorf("%s: %q is called %q here, and elsewhere begins with %q", path, l.act, l.text, was)
			}
			of[l.act] = first
		}
		for _, m := range old.FindAllStringIndex(text, -1) {
			t.Errorf("%s says …%s…", path, strings.Join(strings.Fields(text[max(0, m[0]-30):min(len(text), m[1]+30)]), " "))
		}
	}
}

// Every page has a title that says view and project, one first heading, and a way to help.
func TestPagesSayWhatTheyAre(t *testing.T) {
	s := start(t, true)
	for _, path := range append(everyPage(), "/nowhere", fogBell+"/?feed=i1:stop") {
		_, body := s.get(t, path)
		title := regexp.MustCompile(`<title>(.*?)</title>`).FindStringSubmatch(body)
		project := strings.HasPrefix(path, fogBell)
		if title == nil || !strings.HasSuffix(title[1], " · Hidden Lanes") ||
			project && !regexp.MustCompile(`^[A-Z][\w -]+ · Cue 03 Fog Bell · Hidden Lanes$`).MatchString(title[1]) {
			t.Errorf("%s has the title %q; want view · project · Hidden Lanes", path, title)
		}
		if n := strings.Count(body, "<h1"); n != 1 {
			t.Errorf("%s has %d first headings; want 1", path, n)
		}
		if !strings.Contains(body, `id="go-help"`) {
			t.Errorf("%s has no way to help", path)
		}
	}
}

// Each word of the product is explained where a link beside it leads to.
func TestHelpExplainsEachWord(t *testing.T) {
	testkit.Slow(t)
	s := start(t, true)
	_, help := s.get(t, "/help")
	asked := map[string]bool{}
	for _, path := range append(everyPage(), "/instruments/3", "/projects/1/proposal") {
		_, body := s.get(t, path)
		for _, m := range regexp.MustCompile(`href="/help#([\w-]+)"`).FindAllStringSubmatch(body, -1) {
			asked[m[1]] = true
			if !strings.Contains(help, `id="`+m[1]+`"`) {
				t.Errorf("%s leads to #%s of help, which is not there", path, m[1])
			}
		}
	}
	for _, word := range []string{"Feed", "Own output", "Constraints", "Drift", "Pick-up", "Bleed",
		"Stand-in host", "Run sheet",
		"Patch sheet", "House chart", "Bundle"} {
		if !strings.Contains(help, `id="`+termID(word)+`"`) {
			t.Errorf("help does not explain %q", word)
		}
		if !asked[termID(word)] {
			t.Errorf("nothing leads to what %q means", word)
		}
	}
}
