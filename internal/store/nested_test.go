package store_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Nothing asks for a second connection while it holds a transaction: as many such requests as the pool has connections wait for each
// other for ever. Whatever has a transaction, as a parameter or around it, calls no method that goes to the pool, directly or by others.
func TestNobodyAsksForASecondConnection(t *testing.T) {
	files := token.NewFileSet()
	parsed := map[string][]*ast.File{}
	for _, dir := range []string{".", "../jobs", "../api", "../library", "../analysis"} {
		names, err := filepath.Glob(dir + "/*.go")
		require.NoError(t, err)
		for _, name := range names {
			if strings.HasSuffix(name, "_test.go") || strings.HasSuffix(name, ".gen.go") {
				continue
			}
			f, err := parser.ParseFile(files, name, nil, 0)
			require.NoError(t, err)
			parsed[dir] = append(parsed[dir], f)
		}
	}
	pooling := poolers(parsed["."])
	require.True(t, pooling["Work"] && pooling["Reel"] && !pooling["CancelWork"], "the search finds what goes to the pool: %v", pooling)
	looked := 0
	for _, list := range parsed {
		for _, f := range list {
			ast.Inspect(f, func(n ast.Node) bool {
				body := transacting(n)
				if body == nil {
					return true
				}
				looked++
				ast.Inspect(body, func(n ast.Node) bool {
					s, is := n.(*ast.SelectorExpr)
					if is && (s.Sel.Name == "Pool" || pooling[s.Sel.Name] && onStore(s.X)) {
						assert.Fail(t, "a second connection", "%s: %s in a transaction", files.Position(s.Pos()), s.Sel.Name)
					}
					return true
				})
				return true
			})
		}
	}
	assert.Greater(t, looked, 30)
}

// poolers are the store's methods that go to the pool.
func poolers(store []*ast.File) map[string]bool {
	methods := map[string]*ast.FuncDecl{}
	for _, f := range store {
		for _, d := range f.Decls {
			if m, is := d.(*ast.FuncDecl); is && m.Recv != nil && m.Body != nil {
				methods[m.Name.Name] = m
			}
		}
	}
	pooling := map[string]bool{}
	for again := true; again; {
		again = false
		for name, m := range methods {
			ast.Inspect(m.Body, func(n ast.Node) bool {
				s, is := n.(*ast.SelectorExpr)
				if is && !pooling[name] && (s.Sel.Name == "Pool" || pooling[s.Sel.Name] && onStore(s.X)) {
					pooling[name], again = true, true
				}
				return true
			})
		}
	}
	return pooling
}

// onStore tells whether a method is called on the store, as far as its name says.
func onStore(x ast.Expr) bool {
	switch x := x.(type) {
	case *ast.Ident:
		return x.Name == "s"
	case *ast.SelectorExpr:
		return x.Sel.Name == "Store"
	}
	return false
}

// transacting gives the body of a function that has a transaction as a parameter.
func transacting(n ast.Node) *ast.BlockStmt {
	var of *ast.FuncType
	var body *ast.BlockStmt
	switch n := n.(type) {
	case *ast.FuncDecl:
		of, body = n.Type, n.Body
	case *ast.FuncLit:
		of, body = n.Type, n.Body
	default:
		return nil
	}
	for _, p := range of.Params.List {
		if s, is := p.Type.(*ast.SelectorExpr); is && s.Sel.Name == "Tx" {
			return body
		}
	}
	return nil
}
