package layers

import (
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"
)

const (
	longestFunction = 60  // lines
	longestLine     = 120 // characters, but for texts in raw strings
)

// inRawStrings are the lines of a file, from 1, that lie in raw strings: pages, scripts and documents.
func inRawStrings(src []byte) map[int]bool {
	fset := token.NewFileSet()
	file := fset.AddFile("", fset.Base(), len(src))
	var s scanner.Scanner
	s.Init(file, src, nil, 0)
	out := map[int]bool{}
	for {
		pos, tok, lit := s.Scan()
		if tok == token.EOF {
			return out
		}
		if tok == token.STRING && lit[0] == '`' {
			from := fset.Position(pos).Line
			for i := range strings.Count(lit, "\n") + 1 {
				out[from+i] = true
			}
		}
	}
}

// Functions are short, and lines can be read beside another window.
func TestFunctionsAndLinesAreShort(t *testing.T) {
	for _, path := range goFiles(t) {
		src, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		raw := inRawStrings(src)
		test := strings.HasSuffix(path, "_test.go")
		for i, line := range strings.Split(string(src), "\n") {
			if n := utf8.RuneCountInString(line); n > longestLine && !raw[i+1] && !(test && strings.Contains(line, `"`)) {
				t.Errorf("%s:%d has %d characters; at most %d", path, i+1, n, longestLine)
			}
		}
		if test {
			continue
		}
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, path, src, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok {
				continue
			}
			if n := fset.Position(fn.End()).Line - fset.Position(fn.Pos()).Line + 1; n > longestFunction {
				t.Errorf("%s: %s has %d lines; at most %d", path, fn.Name.Name, n, longestFunction)
			}
		}
	}
}

// docs/adding.md promises that a problem is written in two places, its file and the list of all, and
// that a command is written in one file of its package, or two where its row is among those of another
// form. Whoever needs a third has found a switch.
func TestAddingTakesThePlacesThatArePromised(t *testing.T) {
	for _, promise := range []struct {
		dir, list string // where each stands, and the variable that lists them all
		places    int
	}{{"core/check", "Rules", 2}, {"app/command", "Commands", 2}} {
		named := map[string]map[string]bool{} // the files that name each
		note := func(id *ast.Ident, path string) {
			if named[id.Name] == nil {
				named[id.Name] = map[string]bool{}
			}
			named[id.Name][path] = true
		}
		var all []string
		for _, path := range goFiles(t) {
			if filepath.ToSlash(filepath.Dir(path)) != "../../"+promise.dir || strings.HasSuffix(path, "_test.go") {
				continue
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			if err != nil {
				t.Fatal(err)
			}
			ast.Inspect(f, func(n ast.Node) bool {
				switch n := n.(type) {
				case *ast.ValueSpec: // var leftover = &Rule{...}, or var laneCommands = []*Spec{of[AddBus](...)}
					all = append(all, listedIn(n, promise.list)...)
				case *ast.SelectorExpr: // of another package, or a method
					if id, ok := n.X.(*ast.Ident); ok {
						note(id, path)
						return false
					}
				case *ast.Field: // its names name nothing else
					return len(n.Names) == 0
				case *ast.Ident:
					note(n, path)
				}
				return true
			})
		}
		if len(all) < 50 {
			t.Fatalf("%s lists %d things; want 50 or more", promise.dir, len(all))
		}
		for _, name := range all {
			if got := len(named[name]); got > promise.places {
				t.Errorf("%s: %s is named in %d files, and docs/adding.md promises %d", promise.dir, name, got, promise.places)
			}
		}
	}
}

// listedIn are the names of what a variable lists: the rules that Rules holds, the types of the commands
// that a list of theirs holds.
func listedIn(v *ast.ValueSpec, list string) (names []string) {
	if len(v.Values) != 1 || !strings.HasSuffix(v.Names[0].Name, list) {
		return nil
	}
	lit, ok := v.Values[0].(*ast.CompositeLit)
	if !ok {
		return nil
	}
	for _, e := range lit.Elts {
		if call, ok := e.(*ast.CallExpr); ok { // of[T](...), or runs(..., T.Run)
			e = call.Args[len(call.Args)-1]
			if index, ok := call.Fun.(*ast.IndexExpr); ok {
				e = index.Index
			}
		}
		if method, ok := e.(*ast.SelectorExpr); ok {
			e = method.X
		}
		if id, ok := e.(*ast.Ident); ok {
			names = append(names, id.Name)
		}
	}
	return names
}

// goFiles lists the Go files of the project.
func goFiles(t *testing.T) (out []string) {
	t.Helper()
	err := filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() && strings.HasSuffix(path, ".go") {
			out = append(out, path)
		}
		return err
	})
	if err != nil || len(out) < 300 {
		t.Fatalf("got %d Go files, %v; want 300 or more", len(out), err)
	}
	return out
}

// byScript are the ways to fill a field, make a choice or send a form that no hand has. The menu key is
// none of them: the browser makes an event of it only on a desk.
var byScript = regexp.MustCompile(`\.(value|checked|selected|selectedIndex)\s*=[^=]|new Event\(|\.(click|submit|requestSubmit)\(\)` +
	`|chromedp\.(SetValue|SendKeys|SetAttribute)|new (Keyboard|Drag|Input)Event\(|new MouseEvent\("[^c]`)

// In the browser people's hands fill fields and make choices; only a benchmark, which counts single
// milliseconds, does so by script.
func TestFieldsAreFilledByHands(t *testing.T) {
	seen := 0
	for _, path := range goFiles(t) {
		if !strings.HasSuffix(path, "_test.go") || filepath.Base(filepath.Dir(path)) != "web" {
			continue
		}
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, path, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || strings.HasPrefix(fn.Name.Name, "Benchmark") {
				continue
			}
			seen++
			src, _ := os.ReadFile(path)
			body := string(src[fset.Position(fn.Pos()).Offset:fset.Position(fn.End()).Offset])
			for _, at := range byScript.FindAllStringIndex(body, -1) {
				t.Errorf("%s: %s does by script what a hand does: %q", path, fn.Name.Name, body[at[0]:min(len(body), at[1]+40)])
			}
		}
	}
	if seen < 100 {
		t.Errorf("only %d functions were read", seen)
	}
}
