package main

import (
	"bytes"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/handover"
	"zarf/studio/run"
)

// call runs a command line and returns its exit code, output and errors.
func call(t *testing.T, args ...string) (code int, out, errs string) {
	t.Helper()
	grab := func(f **os.File) func() string {
		keep := *f
		r, w, err := os.Pipe()
		if err != nil {
			t.Fatal(err)
		}
		*f = w
		done := make(chan string)
		go func() {
			var b bytes.Buffer
			io.Copy(&b, r)
			done <- b.String()
		}()
		return func() string { w.Close(); *f = keep; return <-done }
	}
	o, e := grab(&os.Stdout), grab(&os.Stderr)
	code = Main(args)
	return code, o(), e()
}

// tiny writes a shot file that runs in a moment.
func tiny(t *testing.T, change func(*shot.Shot)) string {
	t.Helper()
	s := shot.New("tiny")
	val.Last.Set(s.Self, 4)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 0.8, 1, 0.8)
	val.Voxel.Set(d, 0.08)
	val.Position.Set(d, 0, 0.5, 0)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.3, 0)
	if change != nil {
		change(s)
	}
	p := filepath.Join(t.TempDir(), "tiny.json")
	if err := os.WriteFile(p, s.Encode(), 0o644); err != nil {
		t.Fatal(err)
	}
	return p
}

func TestSimRenderHandoverInspect(t *testing.T) {
	data, out := t.TempDir(), t.TempDir()
	file := tiny(t, nil)
	code, text, errs := call(t, "sim", file, "--frames", "1-3", "--out", out, "--data", data, "--json")
	if code != 0 {
		t.Fatal(code, errs)
	}
	var p run.Progress
	if err := json.Unmarshal([]byte(strings.Split(text, "\n")[0]), &p); err != nil || p.Total != 3 {
		t.Errorf("%v %q", err, text)
	}
	number := filepath.Join(out, "tiny.0003.vdb")
	b, err := os.ReadFile(number)
	if err != nil {
		t.Fatal(err)
	}
	if f, err := vdb.Decode(b, vdb.DefaultLimits); err != nil || f.Grid("density") == nil {
		t.Error(err)
	}
	code, text, _ = call(t, "inspect", number, "--json")
	var in struct {
		Grids []frame.Info `json:"grids"`
	}
	if err := json.Unmarshal([]byte(text), &in); code != 0 || err != nil || len(in.Grids) != 3 || in.Grids[0].Active == 0 || in.Grids[0].VoxelSize[0] != 0.08 {
		t.Errorf("%d %v %+v", code, err, in)
	}
	if code, text, _ = call(t, "inspect", number); code != 0 || !strings.Contains(text, "kelvin above air") || !strings.Contains(text, "active voxels") {
		t.Errorf("%d %s", code, text)
	}
	if code, _, errs = call(t, "render", file, "--frames", "3", "--out", out, "--data", data, "--width", "32", "--samples", "1"); code != 0 {
		t.Error(errs)
	}
	if code, _, errs = call(t, "render", file, "--frames", "3", "--out", out, "--data", data, "--width", "64", "--samples", "1"); code != 0 || !strings.Contains(errs, "1 of 1 pictures were in "+out+" already and stay as they are") {
		t.Errorf("rendered again: %d %s", code, errs)
	}
	if _, err := os.Stat(filepath.Join(out, "tiny.0003.png")); err != nil {
		t.Error(err)
	}
	hand := t.TempDir()
	if code, _, errs = call(t, "handover", file, "--frames", "2-3", "--out", hand, "--data", data, "--set", "digits=6", "--set", "velocity=false"); code != 0 {
		t.Error(errs)
	}
	m, err := handover.Read(hand)
	if err != nil || len(m.Files) != 2 || m.Files[0].Path != "vdb/tiny.000001.vdb" || len(m.Channels) != 2 {
		t.Errorf("%+v %v", m, err)
	}
}

func TestExitCodesAndMessages(t *testing.T) {
	data := t.TempDir()
	broken := filepath.Join(t.TempDir(), "broken.json")
	os.WriteFile(broken, []byte("{\n \"format\": \"zarf-shot/1\",\n \"name\": \"x\",\n \"values\": {\"rate\": \"fast\"}\n}"), 0o644)
	outside := tiny(t, func(s *shot.Shot) { val.Position.Set(s.Element("emitter1"), 9, 9, 9) })
	good := tiny(t, nil)
	notVDB := filepath.Join(t.TempDir(), "x.vdb")
	os.WriteFile(notVDB, []byte("hello"), 0o644)
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{exitUsage, "no command", []string{"frobnicate"}},
		{exitUsage, "unknown flag", []string{"sim", good, "--what"}},
		{exitUsage, "takes a shot", []string{"sim"}},
		{exitUsage, "--frames is \"x\"", []string{"sim", good, "--frames", "x"}},
		{exitUsage, "the end can't come before", []string{"sim", good, "--frames", "3-1"}},
		{exitUsage, "--out is missing", []string{"render", good}},
		{exitUsage, "key=value", []string{"handover", good, "--out", data, "--set", "nonsense"}},
		{exitUsage, "can be 1 to 8", []string{"handover", good, "--out", data, "--set", "digits=99"}},
		{exitUsage, "ZARF_QUEUE", []string{"worker"}},
		{exitUsage, "other machines", []string{"serve", "--listen", "0.0.0.0:0"}},
		{exitUsage, "no recipe", []string{"recipe", "nothing"}},
		{exitUsage, "0.001 to 10000", []string{"recipe", "steam", "--size", "many"}},
		{exitUsage, "no section", []string{"bench", "--section", "nothing"}},
		{exitFailed, "line 4, values.rate", []string{"check", broken}},
		{exitFailed, "no such file", []string{"check", "missing.json"}},
		{exitFailed, "no library", []string{"check", "BL999"}},
		{exitFailed, "not a VDB file", []string{"inspect", notVDB}},
		{exitRefused, "lies outside", []string{"check", outside}},
		{exitRefused, "lies outside", []string{"sim", outside}},
	} {
		code, _, errs := call(t, append(c.args, "--data", data)...)
		if code != c.code || !strings.Contains(errs, c.says) {
			t.Errorf("zarf %v: exit %d, %q; want %d, %q", c.args, code, errs, c.code, c.says)
		}
	}
}

func TestLibraryFromTheCommandLine(t *testing.T) {
	data := t.TempDir()
	file := tiny(t, nil)
	if code, out, errs := call(t, "import", file, "--data", data); code != 0 || strings.TrimSpace(out) != "tiny" {
		t.Fatal(code, out, errs)
	}
	if code, out, _ := call(t, "shots", "--data", data); code != 0 || !strings.Contains(out, "tiny") {
		t.Error(out)
	}
	code, out, _ := call(t, "export", "tiny", "--data", data)
	if want, _ := os.ReadFile(file); code != 0 || out != string(want) {
		t.Errorf("what was imported comes out as\n%s", out)
	}
	if code, out, _ = call(t, "check", "tiny", "--data", data); code != 0 || !strings.Contains(out, "nothing found") {
		t.Error(code, out)
	}
	if code, _, errs := call(t, "check", "unknown", "--data", data); code != exitFailed || !strings.Contains(errs, `no shot is called "unknown"`) {
		t.Error(code, errs)
	}
	if code, out, _ := call(t, "values", "emitter"); code != 0 || !strings.Contains(out, "emitter.smoke") {
		t.Error(out)
	}
}

// On a machine that never ran the demo, one of its shots makes the library; any
// other is refused with what to do.
func TestShotsOfTheDemoMakeTheLibrary(t *testing.T) {
	home := t.TempDir()
	t.Setenv("XDG_DATA_HOME", home)
	t.Setenv("ZARF_DATA", "")
	if code, _, errs := call(t, "check", "SC42"); code != exitFailed || !strings.Contains(errs, "BL010") || !strings.Contains(errs, "zarf demo") {
		t.Errorf("%d %s", code, errs)
	}
	if code, _, errs := call(t, "sim", "bl020", "--frames", "1-1"); code != 0 || !strings.Contains(errs, "making one") {
		t.Fatalf("%d %s", code, errs)
	}
	if code, text, errs := call(t, "shots"); code != 0 || !strings.Contains(text, "BL090") || strings.Contains(errs, "making one") {
		t.Errorf("%d %s %s", code, text, errs)
	}
	if code, _, errs := call(t, "check", "BL777"); code != exitFailed || strings.Contains(errs, "making one") {
		t.Errorf("%d %s", code, errs)
	}

	// the demo was run: its library is found
	if err := os.Rename(filepath.Join(home, "zarf"), filepath.Join(home, "zarf-demo")); err != nil {
		t.Fatal(err)
	}
	if code, _, errs := call(t, "sim", "BL020", "--frames", "1-1"); code != 0 || !strings.Contains(errs, "taking the demo's") {
		t.Errorf("%d %s", code, errs)
	}
	if _, err := os.Stat(filepath.Join(home, "zarf")); err == nil {
		t.Error("a second library was made")
	}
}

func TestHelpNamesWhatCanBeMade(t *testing.T) {
	code, text, _ := call(t, "--help")
	for _, want := range []string{"smoke", "fire", "explosions", "liquids"} {
		if code != 0 || !strings.Contains(text, want) {
			t.Errorf("the help says nothing of %s: %s", want, text)
		}
	}
}

// A recipe becomes a shot file that can be checked and run.
func TestRecipeCommand(t *testing.T) {
	code, out, errs := call(t, "recipe")
	if code != 0 || !strings.Contains(out, "large-blast") || !strings.Contains(out, "Wisps") {
		t.Fatalf("%d %s %s", code, out, errs)
	}
	dir := t.TempDir()
	file := filepath.Join(dir, "fire.json")
	if code, _, errs = call(t, "recipe", "brazier", "--size", "60cm", "--name", "FR1", "--out", file); code != 0 {
		t.Fatalf("%d %s", code, errs)
	}
	if code, _, errs = call(t, "check", file); code != 0 {
		t.Errorf("%d %s", code, errs)
	}
	if code, _, errs = call(t, "sim", file, "--frames", "1-2", "--data", filepath.Join(dir, "data")); code != 0 {
		t.Errorf("%d %s", code, errs)
	}
}
