package assets

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"
	"strings"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/shot"
)

// Limits of a bundle.
const (
	MaxBundleFiles = 2000
	MaxBundle      = 4 << 30 // bytes, unpacked
)

// Needs lists what a shot refers to: files by id, painted weights, clips.
func Needs(s *shot.Shot) (files, weights, clips []string) {
	f, w := map[string]bool{}, map[string]bool{}
	for _, e := range s.Elements {
		for _, entry := range shot.Entries(e.Kind) {
			v := e.Get(entry.Key).Text
			switch {
			case v == "":
			case entry.Type == shot.File:
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

// WriteBundle writes a shot with all that it refers to as a zip: shot.json,
// then files/<id>/meta.json with the files beside it, weights/<id>, clips/<id>.
// What is missing is an error.
func (d *Dir) WriteBundle(to io.Writer, s *shot.Shot) error {
	z := zip.NewWriter(to)
	put := func(name string, b []byte) error {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write(b)
		}
		return err
	}
	if err := put("shot.json", s.Encode()); err != nil {
		return err
	}
	files, weights, clips := Needs(s)
	for _, id := range files {
		f, err := d.File(id)
		if err != nil {
			return fmt.Errorf("the shot's file %s is missing: %w", id, err)
		}
		side := slices.Sorted(maps.Keys(f.Side))
		b, err := json.Marshal(meta{Name: f.Name, Side: side, Options: f.Options})
		if err != nil {
			return err
		}
		if err := put("files/"+id+"/meta.json", b); err != nil {
			return err
		}
		if err := put("files/"+id+"/file", f.Data); err != nil {
			return err
		}
		for i, name := range side {
			if err := put(fmt.Sprintf("files/%s/side%d", id, i), f.Side[name]); err != nil {
				return err
			}
		}
	}
	for _, id := range weights {
		b, err := d.Weights(id)
		if err != nil {
			return fmt.Errorf("the shot's painted weights %s are missing: %w", id, err)
		}
		if err := put("weights/"+id, b); err != nil {
			return err
		}
	}
	for _, id := range clips {
		f, err := d.Clip(id)
		if err != nil {
			return fmt.Errorf("the shot's reference %s is missing: %w", id, err)
		}
		w, err := z.Create("clips/" + id)
		if err == nil {
			_, err = io.Copy(w, f)
		}
		f.Close()
		if err != nil {
			return err
		}
	}
	return z.Close()
}

// ReadBundle reads what WriteBundle wrote, keeps the files, and gives the
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
	var total uint64
	for _, f := range z.File {
		by[f.Name] = f
		if total += f.UncompressedSize64; total > MaxBundle {
			return nil, nil, fmt.Errorf("the bundle unpacks to over %d GB", MaxBundle>>30)
		}
	}
	read := func(name string, most int64) ([]byte, error) {
		f := by[name]
		if f == nil {
			return nil, fmt.Errorf("the bundle lacks %s", name)
		}
		rc, err := f.Open()
		if err != nil {
			return nil, err
		}
		defer rc.Close()
		b, err := io.ReadAll(io.LimitReader(rc, most+1))
		if err == nil && int64(len(b)) > most {
			err = fmt.Errorf("%s in the bundle is too large", path.Base(name))
		}
		return b, err
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
		f := by["clips/"+id]
		if f == nil {
			return nil, nil, fmt.Errorf("the bundle lacks the reference %s", id)
		}
		rc, err := f.Open()
		if err != nil {
			return nil, nil, err
		}
		got, _, err := d.PutClip(rc, 1<<30)
		rc.Close()
		if err != nil || got != id {
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
	if err := json.Unmarshal(b, &m); err != nil || len(m.Side) > 64 {
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
	ref, _, err := d.Bring(m.Name, data, side, m.Options)
	if err != nil {
		return err
	}
	if asset.ID(ref) != id {
		return fmt.Errorf("file %s of the bundle is damaged: it reads as %s", strings.TrimSpace(m.Name), ref)
	}
	return nil
}
