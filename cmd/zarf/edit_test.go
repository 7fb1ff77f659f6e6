package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/shot"
	"zarf/core/shot/val"
)

func read(t *testing.T, file string) *shot.Shot {
	t.Helper()
	b, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	s, _, err := shot.Decode(b)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// A shot file is changed by values in their units and by commands, all or none.
func TestEditAFile(t *testing.T) {
	file, data := tiny(t, nil), t.TempDir()
	code, out, errs := call(t, "edit", file, "domain1.voxel=5 cm", "shot:.last=9", "--data", data)
	if code != 0 || !strings.Contains(out, "voxel") {
		t.Fatal(code, out, errs)
	}
	if s := read(t, file); val.Voxel.Of(s.Element("domain1")) != 0.05 || val.Last.Of(s.Self) != 9 {
		t.Errorf("voxels of %g m, last frame %g", val.Voxel.Of(s.Element("domain1")), val.Last.Of(s.Self))
	}
	list := filepath.Join(t.TempDir(), "list.json")
	os.WriteFile(list, []byte(`[{"do":"add","kind":"wind"},{"do":"set","at":"wind1","value":"grip","to":2},{"do":"remove","at":"emitter1"}]`), 0o644)
	other := filepath.Join(t.TempDir(), "other.json")
	if code, _, errs := call(t, "edit", file, "--commands", list, "--out", other, "--data", data); code != 0 {
		t.Fatal(code, errs)
	}
	if s := read(t, other); len(s.Of(shot.Wind)) != 1 || val.Grip.Of(s.Element("wind1")) != 2 || s.Element("emitter1") != nil {
		t.Error("the commands were not done")
	}
	before, _ := os.ReadFile(file)
	for _, c := range []struct {
		code int
		say  string
		args []string
	}{
		{1, "ghost", []string{"domain1.voxel=0.1", "ghost.voxel=1"}},
		{1, "Voxel", []string{"shot:.last=12", "domain1.voxel=-3"}},
		{2, "ADDRESS.VALUE=TO", []string{"voxel=3"}},
		{2, "nothing to change", nil},
		{2, "no such file", []string{"--commands", "nowhere.json"}},
		{2, "it can be", []string{"--commands", bad(t, `{"do":"explode"}`)}},
		{2, "command 1", []string{"--commands", bad(t, `[{"do":"set","at":"domain1","value":"voxel","to":1,"colour":"red"}]`)}},
	} {
		code, _, errs := call(t, append([]string{"edit", file, "--data", data}, c.args...)...)
		if code != c.code || !strings.Contains(errs, c.say) {
			t.Errorf("%v: code %d, %q", c.args, code, errs)
		}
	}
	if after, _ := os.ReadFile(file); string(after) != string(before) {
		t.Error("a refused edit changed the file")
	}
}

func bad(t *testing.T, text string) string {
	p := filepath.Join(t.TempDir(), "bad.json")
	os.WriteFile(p, []byte(text), 0o644)
	return p
}

// A shot of the library is changed in one step that can be undone.
func TestEditTheLibrary(t *testing.T) {
	data := t.TempDir()
	if code, _, errs := call(t, "import", tiny(t, nil), "--data", data); code != 0 {
		t.Fatal(errs)
	}
	if code, out, errs := call(t, "edit", "tiny", "emitter1.smoke=3", "emitter1.temperature=50", "--data", data, "--json"); code != 0 || !strings.Contains(out, `"done":2`) {
		t.Fatal(code, out, errs)
	}
	o := &options{data: data}
	st, err := o.library()
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	row, err := st.Shot("tiny")
	if err != nil {
		t.Fatal(err)
	}
	d, err := st.Doc(row.ID)
	if err != nil || val.Smoke.Of(d.Element("emitter1")) != 3 {
		t.Errorf("%v", err)
	}
	if undo, _ := st.Labels(row.ID); undo != "2 changes" {
		t.Errorf("undo says %q", undo)
	}
	if _, err := st.Undo(row.ID, -1); err != nil {
		t.Fatal(err)
	}
	if d, _ := st.Doc(row.ID); val.Smoke.Of(d.Element("emitter1")) == 3 || val.Temperature.Of(d.Element("emitter1")) == 50 {
		t.Error("undo takes back half of it")
	}
}
