package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// Limits of a function that need no explanation.
const (
	maxLines = 60
	maxDepth = 4
)

// long are the functions over the limits, and why they stay in one piece.
var long = map[string]string{
	// one statement for each thing that a file or a page can hold
	"core/bring.survey":         "a list of facts, each a line or two",
	"core/format/abc.Sample":    "one object's channels, one after the other",
	"core/format/abc.Add":       "one object's channels, one after the other",
	"core/format/blosc.Expand":  "one frame as it lies in memory; the checks are half of it",
	"core/format/gltf.tree":     "nodes, then who hangs on whom, then what a scene shows: each needs the one before",
	"core/format/ply.header":    "one case for each word of the header",
	"core/format/svg.path":      "one case for each command of path data, on shared pen and handles",
	"core/format/svg.Decode":    "one case for each element",
	"core/format/vdb.Decode":    "the file's head as it lies there; the checks are half of it",
	"core/frame.Inspect":        "one pass that gathers all figures",
	"core/look.At":              "one line for each value of a look",
	"core/shot.handovers":       "the catalogue's table: a line for each value",
	"core/shot.looks":           "the catalogue's table: a line for each value",
	"studio/handover.checklist": "one sentence for each thing that a receiver must know",
	"studio/handover.movie":     "opens, fills and closes its files in one go: what fails half way must close all",
	"studio/handover.Estimate":  "one case for each kind of handover",
	"web/desk.loadPages":        "the table of what templates may call",
	"cmd/zarf.handoverCommand":  "one command with its flags",
	"studio/assets.ReadBundle":  "one archive, part by part; each part is checked before the next",
	"web/stage.install":         "one case for each thing that a file can become",
	"web/stage.cameraFrom":      "one value of the camera after the other",
	"web/desk.takes":            "one pass over the takes, newest first, deciding of each what is shown",
	"studio/handover.write":     "the sheets' files, facts and checks in the order in which they must be written",
	"measure.burning":           "one case of a bench: scene, run, figures",
	"measure.crowded":           "two cases of a bench that share their shot",
	// walks over a lattice whose steps share a dozen local values
	"core/frame.Dense":          "rows of the box against rows of the leaves: splitting costs a call a row",
	"core/gas.grow":             "one marching front with its own queue",
	"core/geom.bridge":          "one search for the shortest bridge, as Eberly describes it",
	"core/liquid.solveStress":   "conjugate gradients: one loop with its nine vectors",
	"core/model.Terrain":        "vertices, then faces, then skirts of one grid",
	"core/pressure.assemble":    "one row of the operator, term by term",
	"core/pressure.findPockets": "one flood with its union-find",
	"core/render.ray":           "one march with its bisection",
	"core/render.lightTiles":    "one tree of lights, level by level",
	"core/render.path":          "the hot loop of a light path, event by event",
	"core/stage.Rasterise":      "counts, places, values: three walks over the same points",
	"core/surface.FromPoints":   "one walk over bins and their points: locals stay in registers",
	"core/upres.carry":          "one step of three textures, term by term",
}

// lattices count once: loops right within loops walk one.
func depth(n ast.Node) (best int) {
	var walk func(n ast.Node, d int, loop bool)
	walk = func(n ast.Node, d int, loop bool) {
		ast.Inspect(n, func(c ast.Node) bool {
			deeper := func(body ast.Node, loop bool) {
				best = max(best, d+1)
				walk(body, d+1, loop)
			}
			loopBody := func(body ast.Node) {
				if loop {
					walk(body, d, true)
				} else {
					deeper(body, true)
				}
			}
			if c == n {
				return true
			}
			switch c := c.(type) {
			case *ast.ForStmt:
				loopBody(c.Body)
			case *ast.RangeStmt:
				loopBody(c.Body)
			case *ast.SwitchStmt:
				deeper(c.Body, false)
			case *ast.TypeSwitchStmt:
				deeper(c.Body, false)
			case *ast.SelectStmt:
				deeper(c.Body, false)
			case *ast.IfStmt:
				deeper(c.Body, false)
				if e, ok := c.Else.(*ast.IfStmt); ok {
					walk(&ast.BlockStmt{List: []ast.Stmt{e}}, d, false)
				} else if c.Else != nil {
					deeper(c.Else, false)
				}
			default:
				return true
			}
			return false
		})
	}
	walk(n, 0, false)
	return best
}

func TestFunctionsAreShort(t *testing.T) {
	root := filepath.Join("..", "..")
	fset := token.NewFileSet()
	seen := map[string]bool{}
	functions := 0
	err := filepath.WalkDir(root, func(p string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case d.IsDir() && slices.Contains([]string{"_asm", "_front", ".git", "bin", "testdata"}, d.Name()):
			return filepath.SkipDir
		case !strings.HasSuffix(p, ".go") || strings.HasSuffix(p, "_test.go"):
			return nil
		}
		src, err := os.ReadFile(p)
		if err != nil {
			return err
		}
		f, err := parser.ParseFile(fset, p, src, 0)
		if err != nil {
			return err
		}
		text := strings.Split(string(src), "\n")
		rel, err := filepath.Rel(root, filepath.Dir(p))
		if err != nil {
			return err
		}
		for _, decl := range f.Decls {
			fn, ok := decl.(*ast.FuncDecl)
			if !ok || fn.Body == nil {
				continue
			}
			functions++
			// lines of code: one that only explains makes no function longer
			lines := 0
			for _, l := range text[fset.Position(fn.Pos()).Line-1 : fset.Position(fn.End()).Line] {
				if !strings.HasPrefix(strings.TrimSpace(l), "//") {
					lines++
				}
			}
			deep := depth(fn.Body)
			if lines <= maxLines && deep <= maxDepth {
				continue
			}
			name := filepath.ToSlash(rel) + "." + fn.Name.Name
			if seen[name] = true; long[name] == "" {
				t.Errorf("%s: %s has %d lines, %d nests deep; part it, or say here why it stays in one piece", fset.Position(fn.Pos()), name, lines, deep)
			}
		}
		return nil
	})
	if err != nil || functions < 2000 {
		t.Fatalf("%d functions, %v", functions, err)
	}
	for name := range long {
		if !seen[name] {
			t.Errorf("%s is within the limits, or gone: it needs no reason any more", name)
		}
	}
}

func TestDepth(t *testing.T) {
	for src, want := range map[string]int{
		"for { for { for { x() } } }":                     1,
		"if a { for { if b { x() } } }":                   3,
		"for { if a { for { x() } } }":                    3,
		"if a { x() } else if b { y() } else { if c {} }": 2,
		"switch { case a: f(func() { if b { } }) }":       2,
	} {
		f, err := parser.ParseFile(token.NewFileSet(), "", "package p\nfunc f() { "+src+" }", 0)
		if err != nil {
			t.Fatal(err)
		}
		if got := depth(f.Decls[0].(*ast.FuncDecl).Body); got != want {
			t.Errorf("%s: %d, want %d", src, got, want)
		}
	}
}
