package assets

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/bring"
)

const tri = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"

func TestFilesAreKeptUnderTheirHash(t *testing.T) {
	root := t.TempDir()
	d, err := Open(root)
	if err != nil {
		t.Fatal(err)
	}
	ref, f, err := d.Bring(`..\..\etc/tri "x".obj`, []byte(tri), map[string][]byte{"a.bin": {1, 2}}, bring.Options{Unit: 2})
	if err != nil || f.Size[0] != 2 || asset.Name(ref) != `tri "x".obj` {
		t.Fatalf("%s %+v %v", ref, f, err)
	}
	again, _, err := d.Bring(`tri "x".obj`, []byte(tri), map[string][]byte{"a.bin": {1, 2}}, bring.Options{Unit: 2})
	if err != nil || asset.ID(again) != asset.ID(ref) {
		t.Errorf("the same file is %s and %s", ref, again)
	}
	other, _, _ := d.Bring("tri.obj", []byte(tri), nil, bring.Options{Unit: 3})
	if asset.ID(other) == asset.ID(ref) {
		t.Error("another unit has the same id")
	}
	back, err := d.File(asset.ID(ref))
	if err != nil || string(back.Data) != tri || !bytes.Equal(back.Side["a.bin"], []byte{1, 2}) || back.Options.Unit != 2 || back.Hash() != asset.ID(ref) {
		t.Errorf("%+v %v", back, err)
	}
	if facts, err := d.Facts(asset.ID(ref)); err != nil || facts.Triangles != 1 {
		t.Errorf("%+v %v", facts, err)
	}
	list, _ := os.ReadDir(root)
	for _, e := range list {
		if strings.HasPrefix(e.Name(), ".") {
			t.Errorf("%s was left behind", e.Name())
		}
	}
}

func TestBadFilesAndIDsLeaveNothing(t *testing.T) {
	root := t.TempDir()
	d, _ := Open(root)
	if _, _, err := d.Bring("a.obj", []byte("v 0 0 0\n"), nil, bring.Options{}); err == nil {
		t.Error("a file without faces was kept")
	}
	for _, id := range []string{"", "..", "../../../etc/passwd", strings.Repeat("A", 32), strings.Repeat("a", 31)} {
		if _, err := d.File(id); err == nil {
			t.Errorf("%q gives a file", id)
		}
		if _, err := d.Weights(id); err == nil {
			t.Errorf("%q gives weights", id)
		}
		if _, err := d.Clip(id); err == nil {
			t.Errorf("%q gives a clip", id)
		}
	}
	if list, _ := filepath.Glob(filepath.Join(root, "*")); len(list) != 0 {
		t.Errorf("left behind: %v", list)
	}
}

func TestWeightsAndClips(t *testing.T) {
	d, _ := Open(t.TempDir())
	id, err := d.PutWeights([]byte{1, 2, 3})
	if b, err2 := d.Weights(id); err != nil || err2 != nil || !bytes.Equal(b, []byte{1, 2, 3}) {
		t.Errorf("%v %v %v", b, err, err2)
	}
	id, n, err := d.PutClip(strings.NewReader("0123456789"), 10)
	if err != nil || n != 10 {
		t.Fatal(n, err)
	}
	f, err := d.Clip(id)
	if err != nil {
		t.Fatal(err)
	}
	f.Close()
	if _, _, err := d.PutClip(strings.NewReader("0123456789x"), 10); err == nil {
		t.Error("a clip over the limit was kept")
	}
}
