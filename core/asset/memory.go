package asset

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"

	"zarf/core/bring"
)

// Hash is the id of a file: of its kind, its options and all its bytes.
func (f *File) Hash() string {
	h := sha256.New()
	opts, err := json.Marshal(f.Options)
	if err != nil {
		panic(err) // options were checked to be finite
	}
	// lengths before contents, so that no two files hash alike by shifting bytes
	// over
	for _, b := range [][]byte{[]byte(strings.ToLower(path.Ext(f.Name))), opts, f.Data} {
		fmt.Fprintf(h, "%d:", len(b))
		h.Write(b)
	}
	for _, name := range slices.Sorted(maps.Keys(f.Side)) {
		fmt.Fprintf(h, "%s %d:", name, len(f.Side[name]))
		h.Write(f.Side[name])
	}
	return hex.EncodeToString(h.Sum(nil))[:32]
}

// Clean keeps of a file's name what can be shown and sorted by.
func Clean(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	out := []rune{}
	for _, r := range name {
		if r >= ' ' && r != '/' && r != 0x7f && len(out) < 80 {
			out = append(out, r)
		}
	}
	if len(out) == 0 || name == "." || name == ".." {
		return "file"
	}
	return string(out)
}

// Memory is a source for tests and for shots that are kept nowhere.
type Memory struct {
	mu      sync.Mutex
	files   map[string]*File
	weights map[string][]byte
}

// NewMemory makes an empty one.
func NewMemory() *Memory { return &Memory{files: map[string]*File{}, weights: map[string][]byte{}} }

// File finds a file.
func (m *Memory) File(id string) (*File, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if f, ok := m.files[id]; ok {
		return f, nil
	}
	return nil, fmt.Errorf("there is no file %s", id)
}

// Weights finds painted weights.
func (m *Memory) Weights(id string) ([]byte, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if b, ok := m.weights[id]; ok {
		return b, nil
	}
	return nil, fmt.Errorf("there are no weights %s", id)
}

// PutWeights keeps painted weights.
func (m *Memory) PutWeights(b []byte) (id string, err error) {
	sum := sha256.Sum256(b)
	id = hex.EncodeToString(sum[:])[:32]
	m.mu.Lock()
	defer m.mu.Unlock()
	m.weights[id] = b
	return id, nil
}

// Bring reads a file and keeps it.
func (m *Memory) Bring(name string, data []byte, side map[string][]byte, o bring.Options) (ref string, facts *bring.Facts, err error) {
	if _, facts, err = bring.Read(name, data, side, o); err != nil {
		return "", nil, err
	}
	f := &File{Name: Clean(name), Data: data, Side: side, Options: o}
	m.mu.Lock()
	defer m.mu.Unlock()
	id := f.Hash()
	m.files[id] = f
	return id + "/" + f.Name, facts, nil
}

// Put keeps a file as it is.
func (m *Memory) Put(f *File, _ *bring.Facts) (ref string, err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	id := f.Hash()
	m.files[id] = f
	return id + "/" + Clean(f.Name), nil
}
