package assets

import (
	"archive/zip"
	"bytes"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

func picture(t *testing.T, w, h int) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, w, h))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func opened(t *testing.T) *Dir {
	t.Helper()
	d, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// A shot travels with the pictures of its looks, numbered ones too, and with
// references larger than what the way takes in memory.
func TestBundlesStreamAndHoldPictures(t *testing.T) {
	from, to := opened(t), opened(t)
	side := map[string][]byte{}
	for _, n := range []string{"p.0002.png", "p.0003.png"} {
		side[n] = picture(t, 8, 4)
	}
	plate, err := from.Put(&asset.File{Name: "p.0001.png", Data: picture(t, 8, 4), Side: side}, nil)
	if err != nil {
		t.Fatal(err)
	}
	s := shot.New("BU")
	val.Plate.Set(s.Looks[0], plate)
	const large = 60 << 20
	for n := range 3 {
		id, _, err := from.PutClip(strings.NewReader(strings.Repeat(string(rune('a'+n)), large)), large)
		if err != nil {
			t.Fatal(err)
		}
		s.Clips = append(s.Clips, shot.Clip{ID: id, Name: "clip", Type: "video/mp4"})
	}
	b, err := from.Bundle(s)
	if err != nil {
		t.Fatal(err)
	}
	if b.Size < 3*large {
		t.Errorf("%d bytes", b.Size)
	}
	name := filepath.Join(t.TempDir(), "b.zip")
	f, err := os.Create(name)
	if err != nil {
		t.Fatal(err)
	}
	var was, is runtime.MemStats
	runtime.ReadMemStats(&was)
	if err := b.Write(f); err != nil {
		t.Fatal(err)
	}
	runtime.ReadMemStats(&is)
	if got := is.TotalAlloc - was.TotalAlloc; got > 20<<20 {
		t.Errorf("writing %d bytes took %d of memory", b.Size, got)
	}
	info, _ := f.Stat()
	back, _, err := to.ReadBundle(f, info.Size())
	f.Close()
	if err != nil {
		t.Fatal(err)
	}
	lib := asset.New(to)
	for n := range 3 {
		if m, err := lib.Picture(val.Plate.Of(back.Looks[0]), n); err != nil || m.W != 8 {
			t.Errorf("picture %d: %v", n, err)
		}
	}
	for _, c := range back.Clips {
		if f, err := to.Clip(c.ID); err != nil {
			t.Error(err)
		} else {
			f.Close()
		}
	}
	// what is missing is told before a byte is written
	os.RemoveAll(filepath.Join(from.Root(), s.Clips[1].ID))
	if _, err := from.Bundle(s); err == nil || !strings.Contains(err.Error(), "reference") {
		t.Errorf("%v", err)
	}
}

// Sizes that overflow, and files that unpack to more than they say, are refused.
func TestBundlesThatLieAboutTheirSize(t *testing.T) {
	d := opened(t)
	read := func(fill func(z *zip.Writer)) error {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		fill(z)
		z.Close()
		_, _, err := d.ReadBundle(bytes.NewReader(b.Bytes()), int64(b.Len()))
		return err
	}
	err := read(func(z *zip.Writer) {
		for _, n := range []string{"shot.json", "a", "b"} {
			z.CreateRaw(&zip.FileHeader{Name: n, Method: zip.Store, UncompressedSize64: 1 << 63})
		}
	})
	if err == nil || !strings.Contains(err.Error(), "unpacks to over 4 GB") {
		t.Errorf("sizes that overflow: %v", err)
	}
	s := shot.New("LI")
	s.Clips = []shot.Clip{{ID: strings.Repeat("1", 32), Name: "x", Type: "image/png"}}
	err = read(func(z *zip.Writer) {
		w, _ := z.Create("shot.json")
		w.Write(s.Encode())
		w, _ = z.Create("clips/" + s.Clips[0].ID)
		w.Write([]byte("another clip"))
	})
	if err == nil || !strings.Contains(err.Error(), "is damaged") {
		t.Errorf("a reference that is another: %v", err)
	}
	err = read(func(z *zip.Writer) {
		w, _ := z.Create("shot.json")
		w.Write(bytes.Repeat([]byte(" "), shot.MaxFile+10))
	})
	if err == nil || !strings.Contains(err.Error(), "too large") {
		t.Errorf("a shot that is too large: %v", err)
	}
}
