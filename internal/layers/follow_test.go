package layers

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"
)

// origin is what a variable comes from: another, or where another leads to.
type origin struct {
	name  string
	leads bool
}

// leads lists the variables whose field To is read somewhere in a piece of code.
func leads(e ast.Node) (names []string) {
	ast.Inspect(e, func(n ast.Node) bool {
		if s, ok := n.(*ast.SelectorExpr); ok && s.Sel.Name == "To" {
			if x, ok := s.X.(*ast.Ident); ok {
				names = append(names, x.Name)
			}
		}
		return true
	})
	return names
}

// originsIn tells for each variable that is set in a piece of code what it comes from.
func originsIn(n ast.Node) map[string][]origin {
	of := map[string][]origin{}
	ast.Inspect(n, func(n ast.Node) bool {
		a, ok := n.(*ast.AssignStmt)
		if !ok {
			return true
		}
		for i, left := range a.Lhs {
			x, ok := left.(*ast.Ident)
			if !ok || x.Name == "_" {
				continue
			}
			right := a.Rhs[min(i, len(a.Rhs)-1)]
			for _, name := range leads(right) {
				of[x.Name] = append(of[x.Name], origin{name, true})
			}
			ast.Inspect(right, func(n ast.Node) bool {
				if id, ok := n.(*ast.Ident); ok {
					of[x.Name] = append(of[x.Name], origin{id.Name, false})
				}
				return true
			})
		}
		return true
	})
	return of
}

// comesBack reports whether some variable comes from where it leads to itself.
func comesBack(of map[string][]origin) bool {
	for start := range of {
		seen := map[origin]bool{}
		todo := []origin{{start, false}}
		for len(todo) > 0 {
			at := todo[0]
			todo = todo[1:]
			for _, o := range of[at.name] {
				next := origin{o.name, at.leads || o.leads}
				if next == (origin{start, true}) {
					return true
				}
				if !seen[next] {
					seen[next] = true
					todo = append(todo, next)
				}
			}
		}
	}
	return false
}

// followsLanes lists where a Go file follows lanes from bus to bus by itself: a variable that
// becomes where it leads to, in a loop, or a function that calls itself with that.
func followsLanes(fset *token.FileSet, f *ast.File) (out []string) {
	at := func(n ast.Node) { out = append(out, fset.Position(n.Pos()).String()) }
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ForStmt:
			if comesBack(originsIn(n)) {
				at(n)
			}
		case *ast.FuncDecl:
			ast.Inspect(n, func(m ast.Node) bool {
				c, ok := m.(*ast.CallExpr)
				if !ok {
					return true
				}
				name := ""
				switch f := c.Fun.(type) {
				case *ast.Ident:
					name = f.Name
				case *ast.SelectorExpr:
					name = f.Sel.Name
				}
				for _, arg := range c.Args {
					if name == n.Name.Name && len(leads(arg)) > 0 {
						at(c)
					}
				}
				return true
			})
		}
		return true
	})
	return out
}

// mayFollow are the files that follow lanes, with the reason.
var mayFollow = map[string]string{
	"core/plan/sends.go": "refuses a bus that would feed itself, before there is a graph",
}

// Nothing but core/route follows lanes from bus to bus.
func TestOnlyRouteFollowsLanes(t *testing.T) {
	fset := token.NewFileSet()
	for name, src := range map[string]string{
		"a loop":      "package x\nfunc f() { for at := l; at != nil; { at = p.Lane(at.To) } }",
		"by ID":       "package x\nvar y = func() { at := l.To; for at != \"\" { next := s.Lane(at); at, n = next.To, n+1 } }",
		"a recursion": "package x\nfunc f(l *Lane) { f(byID[l.To]) }",
	} {
		f, err := parser.ParseFile(fset, name, src, 0)
		if err != nil {
			t.Fatal(err)
		}
		if len(followsLanes(fset, f)) == 0 {
			t.Errorf("%s is not noticed", name)
		}
	}
	err := filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		rel := filepath.ToSlash(strings.TrimPrefix(path, root+"/"))
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
			strings.HasPrefix(rel, "core/route/") || mayFollow[rel] != "" {
			return err
		}
		f, err := parser.ParseFile(fset, path, nil, 0)
		if err != nil {
			return err
		}
		for _, at := range followsLanes(fset, f) {
			t.Errorf("%s follows lanes by itself; ask core/route", strings.TrimPrefix(at, root+"/"))
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}
