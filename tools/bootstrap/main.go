// Command bootstrap cuts Bootstrap's style sheet to what the pages use: the rules whose
// classes stand in a template, a script or the server's code, and the variables that those
// rules or our own style sheet read. Run it from the top of the project when a page begins
// to use another class:
//
//	go run ./tools/bootstrap
package main

import (
	_ "embed"
	"log"
	"os"
	"path/filepath"
	"regexp"
	"strings"
)

//go:embed bootstrap.min.css
var whole string

// cutFile is where the result stands, below the top of the project.
const cutFile = "web/static/lib/bootstrap.min.css"

func main() {
	cut, err := cutFor(".")
	if err == nil {
		err = os.WriteFile(cutFile, []byte(cut), 0o644)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// cutFor cuts the sheet for the pages of the project below a folder.
func cutFor(top string) (string, error) {
	var pages strings.Builder
	for _, pattern := range []string{"web/templates/*.html", "web/static/*/*.js", "web/*.go", "web/static/*/*.css"} {
		names, err := filepath.Glob(filepath.Join(top, pattern))
		if err != nil {
			return "", err
		}
		for _, name := range names {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			b, err := os.ReadFile(name)
			if err != nil {
				return "", err
			}
			pages.Write(b)
		}
	}
	used := map[string]bool{}
	for _, w := range regexp.MustCompile(`[A-Za-z_][\w-]*`).FindAllString(pages.String(), -1) {
		used[w] = true
	}
	rules := keep(parse(whole), func(class string) bool { return used[class] && dashed(class) })
	return comment.FindString(whole) + "\n" + strip(rules, pages.String()) + "\n", nil // the licence stays
}

// dashed reports whether a word is one of Bootstrap's class names that can be told from
// everyday words of the code ("row", "show", "table"); those of one word are not used.
func dashed(class string) bool { return strings.Contains(class, "-") || class == "btn" }

// rule is a selector with its declarations, or a block with the rules in it.
type rule struct {
	head string
	body string // of a plain rule
	in   []rule // of a block such as @media
}

var comment = regexp.MustCompile(`(?s)/\*.*?\*/`)

// parse takes a minified sheet apart, without its comments.
func parse(css string) []rule {
	out, _ := parseBlock(comment.ReplaceAllString(css, ""))
	return out
}

func parseBlock(css string) (out []rule, rest string) {
	for css != "" {
		at := strings.IndexAny(css, "{};")
		if at < 0 {
			return out, ""
		}
		head := css[:at]
		switch css[at] {
		case '}':
			return out, css[at+1:]
		case ';': // @charset
			out, css = append(out, rule{head: head + ";"}), css[at+1:]
		default:
			if strings.HasPrefix(head, "@media") || strings.HasPrefix(head, "@supports") {
				var in []rule
				in, css = parseBlock(css[at+1:])
				out = append(out, rule{head: head, in: in})
				continue
			}
			end := closing(css[at:]) + at
			out = append(out, rule{head: head, body: css[at+1 : end]})
			css = css[end+1:]
		}
	}
	return out, ""
}

// closing finds the brace that closes the one a text begins with.
func closing(css string) int {
	depth := 0
	for i, c := range css {
		switch c {
		case '{':
			depth++
		case '}':
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return len(css) - 1
}

var classIn = regexp.MustCompile(`\.([A-Za-z_][\w-]*)`)

// keep drops the selectors that name a class which is not used.
func keep(rules []rule, used func(string) bool) (out []rule) {
	for _, r := range rules {
		switch {
		case r.in != nil:
			if r.in = keep(r.in, used); len(r.in) > 0 {
				out = append(out, r)
			}
		case strings.HasSuffix(r.head, ";"):
			out = append(out, r)
		case strings.HasPrefix(r.head, "@keyframes"):
		default:
			var heads []string
			for _, h := range selectors(r.head) {
				ok := true
				for _, m := range classIn.FindAllStringSubmatch(h, -1) {
					ok = ok && used(m[1])
				}
				if ok {
					heads = append(heads, h)
				}
			}
			if len(heads) > 0 {
				r.head = strings.Join(heads, ",")
				out = append(out, r)
			}
		}
	}
	return out
}

// selectors takes a list of selectors apart; commas within brackets hold no two apart.
func selectors(head string) (out []string) {
	depth, from := 0, 0
	for i, c := range head {
		switch c {
		case '(', '[':
			depth++
		case ')', ']':
			depth--
		case ',':
			if depth == 0 {
				out, from = append(out, head[from:i]), i+1
			}
		}
	}
	return append(out, head[from:])
}

var reads = regexp.MustCompile(`var\(\s*(--[\w-]+)`)

// strip drops the variables that nothing reads, until there is none left, and writes the
// rules out.
func strip(rules []rule, pages string) string {
	for {
		css := write(rules)
		read := map[string]bool{}
		for _, m := range reads.FindAllStringSubmatch(css+pages, -1) {
			read[m[1]] = true
		}
		var dropped bool
		if rules, dropped = unread(rules, read); !dropped {
			return css
		}
	}
}

func unread(rules []rule, read map[string]bool) (out []rule, dropped bool) {
	for _, r := range rules {
		if r.in != nil {
			var d bool
			r.in, d = unread(r.in, read)
			dropped = dropped || d
			if len(r.in) > 0 {
				out = append(out, r)
			}
			continue
		}
		var body []string
		for _, d := range declarations(r.body) {
			if name, _, _ := strings.Cut(d, ":"); strings.HasPrefix(name, "--") && !read[name] {
				dropped = true
				continue
			}
			body = append(body, d)
		}
		r.body = strings.Join(body, ";")
		if r.body != "" || strings.HasSuffix(r.head, ";") {
			out = append(out, r)
		}
	}
	return out, dropped
}

// declarations takes a rule's body apart; semicolons within brackets or quotes hold no two
// apart.
func declarations(body string) (out []string) {
	depth, from, quote := 0, 0, rune(0)
	for i, c := range body {
		switch {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '(':
			depth++
		case c == ')':
			depth--
		case c == ';' && depth == 0:
			out, from = append(out, body[from:i]), i+1
		}
	}
	if from < len(body) {
		out = append(out, body[from:])
	}
	return out
}

func write(rules []rule) string {
	var b strings.Builder
	for _, r := range rules {
		switch {
		case r.in != nil:
			b.WriteString(r.head + "{" + write(r.in) + "}")
		case strings.HasSuffix(r.head, ";"):
			b.WriteString(r.head)
		default:
			b.WriteString(r.head + "{" + r.body + "}")
		}
	}
	return b.String()
}
