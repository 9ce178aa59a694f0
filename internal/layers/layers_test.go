// Package layers holds the rules of which package may import which. docs/layout.md tells
// why.
package layers

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"hiddenlanes/core/role"
)

const (
	module = "hiddenlanes"
	root   = "../.."
)

// layer says what the packages below a path may import of the project, and what of
// everything else they may not. The most exact path counts.
type layer struct {
	path string
	may  []string // paths below which everything may be imported
	not  []string // others, that may not
}

var outside = []string{"database/sql", "net/http", "net", "os", "time", "math/rand", "html/template",
	"github.com/jmoiron/sqlx"}

var layers = []layer{
	// The core computes: no files, no database, no network, no clock.
	{"core", []string{"core", "internal/words"}, append([]string{"io/fs", "path/filepath"}, outside...)},
	// The drawings know what they draw.
	{"draw", []string{"core", "internal/words"}, outside},
	// Formats read and write; only the list of them puts files aside.
	{"format", []string{"core", "format", "internal/fault", "internal/progress", "internal/spool", "internal/words"},
		outside},
	{"format/formats", []string{"core", "format", "draw"}, []string{"database/sql", "net/http"}},
	// The store keeps documents; what is derived from them is handed to it.
	{"store", []string{"core/document", "core/edits", "core/house", "core/plan", "core/rig", "core/role", "internal/fault",
		"internal/lock", "internal/progress", "internal/words"},
		[]string{"net/http", "html/template"}},
	// Commands are values of the core's types.
	{"app/command", []string{"core"}, outside},
	// The use cases alone know rules, formats and store.
	{"app", []string{"app", "core", "draw", "format", "store", "internal/fault", "internal/progress", "internal/words"},
		[]string{"database/sql", "net/http", "html/template", "github.com/jmoiron/sqlx"}},
	{"web", []string{"app", "core", "draw", "internal/fault", "internal/progress", "internal/words"},
		[]string{"database/sql", "github.com/jmoiron/sqlx"}},
	{"demo", []string{"app", "core", "demo", "format/smf"}, []string{"net/http", "database/sql"}},
	{"demo/sample", []string{"core", "format/smf"}, outside},
	{"cmd", []string{"app", "core", "demo", "web", "internal/fault", "internal/words"},
		[]string{"database/sql", "html/template"}},
	{"internal/words", nil, outside},
	{"internal/progress", nil, outside},
	{"internal/fault", nil, outside},
}

// layerOf finds the rule for a package, or nil.
func layerOf(pkg string) (found *layer) {
	for i := range layers {
		if l := &layers[i]; under(pkg, l.path) && (found == nil || len(l.path) > len(found.path)) {
			found = l
		}
	}
	return found
}

func under(pkg, top string) bool { return pkg == top || strings.HasPrefix(pkg, top+"/") }

func (l *layer) allows(imported string) bool {
	if own, ok := strings.CutPrefix(imported, module+"/"); ok {
		return slices.ContainsFunc(l.may, func(top string) bool { return under(own, top) })
	}
	return !slices.Contains(l.not, imported)
}

// eachFile goes through the files of the project, those of tests aside, with the package
// each belongs to.
func eachFile(t *testing.T, visit func(pkg string, f *ast.File, fset *token.FileSet)) {
	t.Helper()
	err := filepath.WalkDir(root, func(file string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && file != root && (strings.HasPrefix(d.Name(), ".") || d.Name() == "testdata") {
			return fs.SkipDir
		}
		if path.Ext(file) != ".go" || strings.HasSuffix(file, "_test.go") {
			return nil
		}
		rel, err := filepath.Rel(root, filepath.Dir(file))
		if err != nil {
			return err
		}
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, file, nil, parser.SkipObjectResolution)
		if err == nil {
			visit(filepath.ToSlash(rel), f, fset)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

func TestPackagesImportWhatTheirLayerMay(t *testing.T) {
	seen := map[string]bool{}
	eachFile(t, func(pkg string, f *ast.File, fset *token.FileSet) {
		l := layerOf(pkg)
		if l == nil { // tools and what tests share may import what they like
			return
		}
		seen[l.path] = true
		for _, i := range f.Imports {
			imported, err := strconv.Unquote(i.Path.Value)
			if err != nil {
				t.Fatal(err)
			}
			if !l.allows(imported) {
				t.Errorf("%s imports %s, which %s may not", fset.Position(i.Pos()), imported, l.path)
			}
		}
	})
	for _, l := range layers {
		if !seen[l.path] {
			t.Errorf("there is no package below %s any more; take its rule out", l.path)
		}
	}
}

// What is special about a role is told by its row in core/role; no other code names one.
// The sample world is made of named roles.
func TestOnlyTheTableNamesRoles(t *testing.T) {
	known := map[string]bool{}
	for _, r := range role.All() {
		known[string(r)] = len(r.Segments()) > 1 // roots are common words
	}
	if !known["kit/kick"] {
		t.Fatal("the table has no kick")
	}
	files := 0
	eachFile(t, func(pkg string, f *ast.File, fset *token.FileSet) {
		if l := layerOf(pkg); l == nil || under(pkg, "core/role") || under(pkg, "demo") {
			return
		}
		files++
		ast.Inspect(f, func(n ast.Node) bool {
			lit, ok := n.(*ast.BasicLit)
			if !ok || lit.Kind != token.STRING {
				return true
			}
			if text, err := strconv.Unquote(lit.Value); err == nil && known[strings.TrimSuffix(text, "/")] {
				t.Errorf("%s names the role %s; say what is special about it in its row", fset.Position(lit.Pos()), text)
			}
			return true
		})
	})
	if files < 100 {
		t.Errorf("only %d files were read", files)
	}
}

// A package that decodes files has a fuzz target in its tests.
func TestEveryDecoderIsFuzzed(t *testing.T) {
	decodes := map[string]bool{}
	eachFile(t, func(pkg string, f *ast.File, _ *token.FileSet) {
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if ok && under(pkg, "format") && fn.Recv == nil && strings.HasPrefix(fn.Name.Name, "Decode") {
				decodes[pkg] = true
			}
		}
	})
	if len(decodes) < 7 {
		t.Errorf("only these decode: %v", decodes)
	}
	for pkg := range decodes {
		tests, err := filepath.Glob(filepath.Join(root, pkg, "*_test.go"))
		if err != nil {
			t.Fatal(err)
		}
		if !slices.ContainsFunc(tests, func(file string) bool {
			text, err := os.ReadFile(file)
			return err == nil && strings.Contains(string(text), "func Fuzz")
		}) {
			t.Errorf("%s decodes, but has no fuzz target", pkg)
		}
	}
}
