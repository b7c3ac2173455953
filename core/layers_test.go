// Package core holds no code of its own; this test holds the order of the packages below it.
package core

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// order lists core's packages from the innermost: each may import those before it. Fault is for all, and dsp stands
// before what adds, resamples and pans with it.
var order = []string{"fault", "cells", "form", "timecode", "vec", "crossing", "wave", "layout", "dsp", "lineup", "mix", "loudness", "chain", "sums", "take", "unravel",
	"ply", "convert",
	"gather", "report", "overview", "diagnose", "align", "placing", "reel", "cutlist", "handover", "pattern", "weave", "view", "ahead", "wires", "engine",
	"gauge", "correct",
	"contract", "folding", "adm", "delivery", "desk", "reload"}

// forbidden is what the job must not know of.
var forbidden = []string{"net", "net/http", "os", "database/sql", "time", "log", "log/slog"}

func TestImportsPointInwards(t *testing.T) {
	checked := 0
	eachSource(t, func(path string) {
		checked++
		top, rest, _ := strings.Cut(path, "/")
		f, err := parser.ParseFile(token.NewFileSet(), filepath.Join("..", path), nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, spec := range f.Imports {
			name, _ := strconv.Unquote(spec.Path.Value)
			own, ours := strings.CutPrefix(name, "zestyloom/")
			switch top {
			case "core":
				require.NotContains(t, forbidden, name, "%s", path)
				if !ours {
					continue
				}
				inner, isCore := strings.CutPrefix(own, "core/")
				require.True(t, isCore, "%s imports %s", path, name)
				from, _, _ := strings.Cut(rest, "/")
				require.Contains(t, order, inner)
				require.Less(t, slices.Index(order, inner), slices.Index(order, from), "%s imports %s", path, name)
			case "internal", "demo":
				require.False(t, strings.HasPrefix(own, "cmd/"), "%s imports %s", path, name)
				if top == "demo" {
					require.False(t, strings.HasPrefix(own, "internal/"), "%s imports %s", path, name)
				}
			}
		}
	})
	require.Greater(t, checked, 40)
}

// eachSource calls visit for each source file that is no test, by its path from the project's folder.
func eachSource(t *testing.T, visit func(path string)) {
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && slices.Contains([]string{"node_modules", ".git", ".run"}, d.Name()) {
			if d != nil && d.IsDir() {
				return fs.SkipDir
			}
			return err
		}
		if !d.IsDir() && strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, "test.go") {
			visit(filepath.ToSlash(strings.TrimPrefix(path, "../")))
		}
		return nil
	}))
}

// The desk proves what the printer has made, so nothing of how that is made is in it, at any depth.
func TestTheDeskKnowsNothingOfThePrinter(t *testing.T) {
	known := map[string]bool{}
	var visit func(pkg string)
	visit = func(pkg string) {
		if known[pkg] {
			return
		}
		known[pkg] = true
		files, err := filepath.Glob(filepath.Join("..", pkg, "*.go"))
		require.NoError(t, err)
		for _, path := range files {
			if strings.HasSuffix(path, "_test.go") {
				continue
			}
			f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, spec := range f.Imports {
				if name, _ := strconv.Unquote(spec.Path.Value); strings.HasPrefix(name, "zestyloom/") {
					visit(strings.TrimPrefix(name, "zestyloom/"))
				}
			}
		}
	}
	visit("core/desk")
	require.Greater(t, len(known), 5)
	for _, writer := range []string{"delivery", "engine", "weave"} {
		require.False(t, known["core/"+writer], "the desk reaches %s", writer)
	}
}

// stamps are the files that read when a file was recorded, and what for. Whatever is not here asks core/placing where it belongs.
var stamps = map[string]string{
	"core/take/describe.go":        "reads it of the file",
	"internal/intake/movie.go":     "reads it of the movie",
	"core/gather/gather.go":        "parts of one take were recorded at the same time",
	"core/ply/ply.go":              "files that become one begin as their stamps do",
	"core/convert/convert.go":      "writes it into what is made",
	"core/unravel/unravel.go":      "writes it into what is made",
	"core/align/timecode.go":       "finds ties by timecode, which are evidence",
	"internal/jobs/sync.go":        "says that there is none",
	"internal/jobs/settle.go":      "writes that of what is rendered",
	"internal/jobs/reelout.go":     "writes it into lists and into pieces of takes",
	"internal/library/conform.go":  "finds what a cut list means in takes",
	"internal/store/assemblies.go": "gives a take of several files that of the first",
	"internal/store/takes.go":      "hands it to core/placing",
}

func TestNobodyElseReadsAStampForPlacing(t *testing.T) {
	read := map[string]bool{}
	eachSource(t, func(file string) {
		f, err := parser.ParseFile(token.NewFileSet(), filepath.Join("..", file), nil, 0)
		require.NoError(t, err)
		ast.Inspect(f, func(n ast.Node) bool {
			if x, is := n.(*ast.SelectorExpr); is && x.Sel.Name == "StartSamples" {
				read[file] = true
				require.Contains(t, stamps, file, "where something belongs is for core/placing to say")
			}
			return true
		})
	})
	for file := range stamps {
		require.True(t, read[file], "%s reads none any more", file)
	}
}

// Sentences name things as people know them, never by the IDs that programs do. Those of specs, patterns, stems and profiles are words of
// whoever wrote them.
func TestNoSentenceNamesAnID(t *testing.T) {
	words := map[string]bool{"core/contract/spec.go": true, "core/contract/profile.go": true, "core/adm/read.go": true,
		"core/reel/pattern.go":  true,
		"internal/api/specs.go": true, "internal/store/specs.go": true, "internal/store/stems.go": true, "internal/backup/point.go": true}
	root := ".."
	fset := token.NewFileSet()
	looked := 0
	for _, dir := range []string{"core", "internal"} {
		err := filepath.WalkDir(filepath.Join(root, dir), func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			own, err := filepath.Rel(root, path)
			require.NoError(t, err)
			if words[own] {
				return nil
			}
			file, err := parser.ParseFile(fset, path, nil, 0)
			require.NoError(t, err)
			ast.Inspect(file, func(n ast.Node) bool {
				call, is := n.(*ast.CallExpr)
				if !is {
					return true
				}
				fun, is := call.Fun.(*ast.SelectorExpr)
				if !is || fun.Sel.Name != "New" && fun.Sel.Name != "Wrap" && fun.Sel.Name != "At" {
					return true
				}
				if of, is := fun.X.(*ast.Ident); !is || of.Name != "fault" {
					return true
				}
				looked++
				for _, arg := range call.Args {
					name := ""
					switch a := arg.(type) {
					case *ast.Ident:
						name = a.Name
					case *ast.SelectorExpr:
						name = a.Sel.Name
					}
					require.False(t, name == "id" || name == "ID" || strings.HasSuffix(name, "ID"), "%s: a sentence with %s",
						fset.Position(call.Pos()), name)
				}
				return true
			})
			return nil
		})
		require.NoError(t, err)
	}
	require.Greater(t, looked, 300)
}
