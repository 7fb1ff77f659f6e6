package assets

import (
	"archive/zip"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/format"
	"zarf/core/pixel"
	"zarf/core/shot"
)

// Limits of a bundle.
const (
	MaxBundleFiles = 10_000
	MaxBundle      = 4 << 30 // bytes, unpacked
	maxBeside      = 2000    // files beside one: the pictures of a sequence
)

// Needs lists what a shot refers to: files by id, painted weights, clips. Pictures of
// looks are files too; frames of sequences from outside stay in the cache.
func Needs(s *shot.Shot) (files, weights, clips []string) {
	f, w := map[string]bool{}, map[string]bool{}
	for _, e := range s.Owners() {
		for _, entry := range shot.Entries(e.Kind) {
			v := e.Get(entry.Key).Text
			switch {
			case v == "":
			case entry.Type == shot.File, entry.Type == shot.Picture:
				f[asset.ID(v)] = true
			case entry.Type == shot.Weights:
				w[v] = true
			}
		}
	}
	for _, c := range s.Clips {
		clips = append(clips, c.ID)
	}
	return slices.Sorted(maps.Keys(f)), slices.Sorted(maps.Keys(w)), clips
}

// packed is a file of a bundle: of the disk, or of text that is made.
type packed struct {
	name string
	text []byte
	path string
	size int64
}

// Bundle is a shot with all that it refers to, ready to be written.
type Bundle struct {
	list []packed
	Size int64 // of all files as they are
}

// Bundle gathers a shot and all that it refers to: shot.json, then
// files/<id>/meta.json with the files beside it, weights/<id>, clips/<id>. What is
// missing is an error, and so is more than could be brought in again.
func (d *Dir) Bundle(s *shot.Shot) (*Bundle, error) {
	b := &Bundle{}
	put := func(name string, text []byte) {
		b.list = append(b.list, packed{name: name, text: text, size: int64(len(text))})
		b.Size += int64(len(text))
	}
	from := func(name, id, file string) error {
		dir, err := d.path(id)
		if err != nil {
			return err
		}
		info, err := os.Stat(filepath.Join(dir, file))
		if err != nil {
			return err
		}
		b.list = append(b.list, packed{name: name, path: filepath.Join(dir, file), size: info.Size()})
		b.Size += info.Size()
		return nil
	}
	put("shot.json", s.Encode())
	files, weights, clips := Needs(s)
	for _, id := range files {
		_, m, err := d.meta(id)
		if err == nil {
			var text []byte
			if text, err = json.Marshal(meta{Name: m.Name, Side: m.Side, Options: m.Options}); err == nil {
				put("files/"+id+"/meta.json", text)
				err = from("files/"+id+"/file", id, "file")
			}
		}
		for i := range m.Side {
			side := fmt.Sprintf("side%d", i)
			err = errors.Join(err, from("files/"+id+"/"+side, id, side))
		}
		if err != nil {
			return nil, fmt.Errorf("the shot's file %s is missing: %w", cmp.Or(m.Name, id), err)
		}
	}
	for _, id := range weights {
		if err := from("weights/"+id, id, "weights"); err != nil {
			return nil, fmt.Errorf("the shot's painted weights %s are missing: %w", id, err)
		}
	}
	for _, id := range clips {
		if err := from("clips/"+id, id, "clip"); err != nil {
			return nil, fmt.Errorf("the shot's reference %s is missing: %w", id, err)
		}
	}
	if b.Size > MaxBundle || len(b.list) > MaxBundleFiles {
		return nil, fmt.Errorf("the shot and its files are %d files of %d MB together, and a bundle of up to %d files of %d MB can be brought in again: take references out that aren't needed", len(b.list), b.Size>>20, MaxBundleFiles, int64(MaxBundle>>20))
	}
	return b, nil
}

// Write writes the bundle as a zip. Files go through as they are read: what it takes
// in memory is a buffer.
func (b *Bundle) Write(to io.Writer) error {
	z := zip.NewWriter(to)
	for _, p := range b.list {
		if err := p.write(z); err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
	}
	return z.Close()
}

func (p *packed) write(z *zip.Writer) error {
	w, err := z.Create(p.name)
	if err != nil {
		return err
	}
	if p.path == "" {
		_, err = w.Write(p.text)
		return err
	}
	f, err := os.Open(p.path)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = io.Copy(w, f)
	return err
}

// ReadBundle reads what Bundle.Write wrote, keeps the files, and gives the
// shot. Every file is read as one that is brought in, and must have the id that
// the shot names.
func (d *Dir) ReadBundle(r io.ReaderAt, size int64) (*shot.Shot, []string, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, nil, fmt.Errorf("the bundle is no zip file: %w", err)
	}
	if len(z.File) > MaxBundleFiles {
		return nil, nil, fmt.Errorf("the bundle holds %d files; up to %d are taken", len(z.File), MaxBundleFiles)
	}
	by := map[string]*zip.File{}
	// what the files say that they unpack to; compared and never added up, as sums of
	// hostile sizes begin again at 0
	room := uint64(MaxBundle)
	for _, f := range z.File {
		by[f.Name] = f
		if f.UncompressedSize64 > room {
			return nil, nil, fmt.Errorf("the bundle unpacks to over %d GB", MaxBundle>>30)
		}
		room -= f.UncompressedSize64
	}
	// what they really unpack to
	left := int64(MaxBundle)
	open := func(name string, most int64) (io.Reader, func() error, error) {
		f := by[name]
		if f == nil {
			return nil, nil, fmt.Errorf("the bundle lacks %s", name)
		}
		rc, err := f.Open()
		if err != nil {
			return nil, nil, err
		}
		most = min(most, left)
		l := &io.LimitedReader{R: rc, N: most + 1}
		return l, func() error {
			rc.Close()
			left -= most + 1 - l.N
			if l.N == 0 {
				return fmt.Errorf("%s in the bundle is too large", path.Base(name))
			}
			return nil
		}, nil
	}
	read := func(name string, most int64) ([]byte, error) {
		r, done, err := open(name, most)
		if err != nil {
			return nil, err
		}
		b, err := io.ReadAll(r)
		return b, cmp.Or(done(), err)
	}
	text, err := read("shot.json", shot.MaxFile)
	if err != nil {
		return nil, nil, err
	}
	s, unknown, err := shot.Decode(text)
	if err != nil {
		return nil, nil, err
	}
	files, weights, clips := Needs(s)
	for _, id := range files {
		if err := d.takeFile(id, read); err != nil {
			return nil, nil, err
		}
	}
	for _, id := range weights {
		b, err := read("weights/"+id, 64<<20)
		if err != nil {
			return nil, nil, err
		}
		if got, err := d.PutWeights(b); err != nil || got != id {
			return nil, nil, fmt.Errorf("painted weights %s in the bundle are damaged (%v)", id, err)
		}
	}
	for _, id := range clips {
		r, done, err := open("clips/"+id, 1<<30)
		if err != nil {
			return nil, nil, err
		}
		got, _, err := d.PutClip(r, 1<<30)
		if err = cmp.Or(done(), err); err != nil || got != id {
			return nil, nil, fmt.Errorf("the reference %s in the bundle is damaged (%v)", id, err)
		}
	}
	return s, unknown, nil
}

func (d *Dir) takeFile(id string, read func(string, int64) ([]byte, error)) error {
	b, err := read("files/"+id+"/meta.json", 1<<20)
	if err != nil {
		return err
	}
	var m meta
	if err := json.Unmarshal(b, &m); err != nil || len(m.Side) > maxBeside {
		return fmt.Errorf("what the bundle says of file %s can't be read (%v)", id, err)
	}
	data, err := read("files/"+id+"/file", bring.MaxFile)
	if err != nil {
		return err
	}
	side := map[string][]byte{}
	for i, name := range m.Side {
		if side[asset.Clean(name)], err = read(fmt.Sprintf("files/%s/side%d", id, i), bring.MaxFile); err != nil {
			return err
		}
	}
	var ref string
	if k := format.ByName(m.Name); k != nil && k.Model != nil {
		ref, _, err = d.Bring(m.Name, data, side, m.Options)
	} else {
		ref, err = d.takePictures(m, data, side)
	}
	if err != nil {
		return err
	}
	if asset.ID(ref) != id {
		return fmt.Errorf("file %s of the bundle is damaged: it reads as %s", strings.TrimSpace(m.Name), ref)
	}
	return nil
}

// takePictures keeps a picture, or numbered ones, each of which must be one.
func (d *Dir) takePictures(m meta, data []byte, side map[string][]byte) (ref string, err error) {
	f := &asset.File{Name: m.Name, Data: data, Side: side, Options: m.Options}
	for name, b := range side {
		if err := pixel.Check(b); err != nil {
			return "", fmt.Errorf("%s: %w", name, err)
		}
	}
	if err := pixel.Check(data); err != nil {
		return "", fmt.Errorf("%s: %w", m.Name, err)
	}
	return d.Put(f, nil)
}
