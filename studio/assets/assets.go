// Package assets keeps imported files, painted weights and reference clips on
// disk under the hash of what they are: a folder for each, written under a
// temporary name and renamed, never changed after.
package assets

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"time"

	"zarf/core/asset"
	"zarf/core/bring"
)

// Dir is a folder of assets.
type Dir struct{ root string }

// Open makes the folder where it is missing.
func Open(root string) (*Dir, error) {
	if err := os.MkdirAll(root, 0o755); err != nil {
		return nil, fmt.Errorf("the folder for imported files can't be made: %w", err)
	}
	return &Dir{root}, nil
}

// Root is the folder.
func (d *Dir) Root() string { return d.root }

// Name is what a file was called when it came; "" of what isn't one.
func (d *Dir) Name(id string) string {
	_, m, err := d.meta(id)
	if err != nil {
		return ""
	}
	return m.Name
}

// Changed is when something was last brought in or taken out.
func (d *Dir) Changed() time.Time {
	info, err := os.Stat(d.root)
	if err != nil {
		return time.Time{}
	}
	return info.ModTime()
}

type meta struct {
	Name    string        `json:"name"`
	Side    []string      `json:"side,omitempty"`
	Options bring.Options `json:"options"`
	Facts   *bring.Facts  `json:"facts,omitempty"`
}

var pattern = regexp.MustCompile(`^[0-9a-f]{32}$`)

func (d *Dir) path(id string) (string, error) {
	if !pattern.MatchString(id) {
		return "", fmt.Errorf("%q is no id of a file", id)
	}
	return filepath.Join(d.root, id), nil
}

// Put keeps a file that was read already, and returns its reference: the id,
// a slash and the name.
func (d *Dir) Put(f *asset.File, facts *bring.Facts) (ref string, err error) {
	m := meta{Name: asset.Clean(f.Name), Options: f.Options, Facts: facts, Side: slices.Sorted(maps.Keys(f.Side))}
	id := f.Hash()
	return id + "/" + m.Name, d.keep(id, func(dir string) error {
		if err := write(filepath.Join(dir, "file"), f.Data); err != nil {
			return err
		}
		for i, name := range m.Side {
			if err := write(filepath.Join(dir, fmt.Sprintf("side%d", i)), f.Side[name]); err != nil {
				return err
			}
		}
		b, err := json.MarshalIndent(m, "", " ")
		if err != nil {
			return err
		}
		return write(filepath.Join(dir, "meta.json"), b)
	})
}

// Bring reads a file and keeps it. Nothing is kept of a file that can't be
// read.
func (d *Dir) Bring(name string, data []byte, side map[string][]byte, o bring.Options) (ref string, facts *bring.Facts, err error) {
	_, facts, err = bring.Read(name, data, side, o)
	if err != nil {
		return "", nil, err
	}
	ref, err = d.Put(&asset.File{Name: name, Data: data, Side: side, Options: o}, facts)
	return ref, facts, err
}

// keep fills a temporary folder and renames it to the id, unless it is there.
func (d *Dir) keep(id string, fill func(dir string) error) error {
	to := filepath.Join(d.root, id)
	if _, err := os.Stat(to); err == nil {
		// brought in once more: whoever cleans up takes it for new
		now := time.Now()
		os.Chtimes(to, now, now)
		return nil
	}
	tmp, err := os.MkdirTemp(d.root, ".new-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	if err := fill(tmp); err != nil {
		return err
	}
	if err := os.Rename(tmp, to); err != nil && !errors.Is(err, fs.ErrExist) {
		if _, there := os.Stat(to); there != nil {
			return err
		}
	}
	return nil
}

func write(path string, data []byte) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Sync(), f.Close())
}

// File reads a file back.
func (d *Dir) File(id string) (*asset.File, error) {
	dir, m, err := d.meta(id)
	if err != nil {
		return nil, err
	}
	f := &asset.File{Name: m.Name, Options: m.Options, Side: map[string][]byte{}}
	if f.Data, err = os.ReadFile(filepath.Join(dir, "file")); err != nil {
		return nil, err
	}
	for i, name := range m.Side {
		if f.Side[name], err = os.ReadFile(filepath.Join(dir, fmt.Sprintf("side%d", i))); err != nil {
			return nil, err
		}
	}
	return f, nil
}

func (d *Dir) meta(id string) (dir string, m meta, err error) {
	if dir, err = d.path(id); err != nil {
		return dir, m, err
	}
	b, err := os.ReadFile(filepath.Join(dir, "meta.json"))
	if err != nil {
		return dir, m, err
	}
	return dir, m, json.Unmarshal(b, &m)
}

// Facts is what was found in a file when it came.
func (d *Dir) Facts(id string) (*bring.Facts, error) {
	_, m, err := d.meta(id)
	return m.Facts, err
}

// PutWeights keeps painted weights.
func (d *Dir) PutWeights(b []byte) (id string, err error) {
	sum := sha256.Sum256(append([]byte("weights\n"), b...))
	id = hex.EncodeToString(sum[:])[:32]
	return id, d.keep(id, func(dir string) error { return write(filepath.Join(dir, "weights"), b) })
}

// Weights reads painted weights back.
func (d *Dir) Weights(id string) ([]byte, error) {
	dir, err := d.path(id)
	if err != nil {
		return nil, err
	}
	return os.ReadFile(filepath.Join(dir, "weights"))
}

// PutClip keeps a reference clip or picture as it comes, up to limit bytes.
func (d *Dir) PutClip(r io.Reader, limit int64) (id string, size int64, err error) {
	tmp, err := os.CreateTemp(d.root, ".clip-")
	if err != nil {
		return "", 0, err
	}
	defer os.Remove(tmp.Name())
	h := sha256.New()
	size, err = io.Copy(io.MultiWriter(tmp, h), io.LimitReader(r, limit+1))
	if err = errors.Join(err, tmp.Sync(), tmp.Close()); err != nil {
		return "", 0, err
	}
	if size > limit {
		return "", 0, fmt.Errorf("it has over %d MB; up to that is taken", limit>>20)
	}
	id = hex.EncodeToString(h.Sum(nil))[:32]
	return id, size, d.keep(id, func(dir string) error { return os.Rename(tmp.Name(), filepath.Join(dir, "clip")) })
}

// Clip opens a reference clip.
func (d *Dir) Clip(id string) (*os.File, error) {
	dir, err := d.path(id)
	if err != nil {
		return nil, err
	}
	return os.Open(filepath.Join(dir, "clip"))
}
