// Package cache keeps simulated frames on disk, by the key of the stage that
// made them:
//
//	<root>/<key>/frame.0001.vdb    the channels, an OpenVDB file
//	<root>/<key>/frame.0001.ply    its particles, where it has any
//	<root>/<key>/frame.0001.view   a preview of it for the viewport (zstd)
//	<root>/<key>/frame.0001.json   its size, checksum and statistics
//	<root>/<key>/state             what a resumed run goes on from
//	<root>/<key>/state.40          the same as it was before frame 40; a few of them
//	<root>/<key>/lock              held by the run that writes here
//
// A frame counts once its .json is there, which is written last: files are
// written under another name, synced and renamed, so nothing half written is
// ever read, whatever kills the program.
package cache

import (
	"bufio"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"syscall"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/klauspost/compress/zstd"

	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/frame"
)

// Cache is a folder of stages. It is safe for several goroutines.
type Cache struct {
	Root  string
	lists *lru.Cache[string, listed] // of frames, by the stages' folders
}

// listed is a stage's frames as they were when its folder had last changed.
type listed struct {
	changed time.Time
	frames  map[int]Frame
}

// listsKept is how many stages' lists of frames stay in memory, about 50 KB
// each for a take of 200 frames.
const listsKept = 512

// Open makes the folder where it is missing.
func Open(root string) (*Cache, error) {
	if err := os.MkdirAll(root, 0o755); err != nil {
		return nil, fmt.Errorf("cache folder %s: %w; give another with --data", root, err)
	}
	l, err := lru.New[string, listed](listsKept)
	if err != nil {
		panic(err) // only for a size under 1
	}
	return &Cache{Root: root, lists: l}, nil
}

// Stage is the frames of one key.
type Stage struct {
	Dir   string
	lists *lru.Cache[string, listed]
}

var keyPattern = regexp.MustCompile(`^[0-9a-f]{32}$`)

// Stage names the frames of a key.
func (c *Cache) Stage(key string) *Stage {
	if !keyPattern.MatchString(key) {
		panic("cache: key " + strconv.Quote(key)) // keys are made, never typed
	}
	return &Stage{filepath.Join(c.Root, key), c.lists}
}

// Frame is what is known of a cached frame.
type Frame struct {
	Frame    int                `json:"frame"`
	Size     int64              `json:"size"`
	SHA256   string             `json:"sha256"`
	CRC      uint32             `json:"crc32c,omitempty"` // quick to check; frames of older versions lack it
	Seconds  float64            `json:"seconds"`          // that it took
	Stats    json.RawMessage    `json:"stats,omitempty"`
	Channels []Channel          `json:"channels,omitempty"`
	Points   int64              `json:"points,omitempty"` // bytes of the particles kept beside it
	PointCRC uint32             `json:"points_crc32c,omitempty"`
	View     int64              `json:"view,omitempty"` // bytes of its preview
	ViewCRC  uint32             `json:"view_crc32c,omitempty"`
	Totals   map[string]float64 `json:"totals,omitempty"`
}

// Channel sums a cached channel up.
type Channel struct {
	Name   string  `json:"name"`
	Low    float64 `json:"low"`
	High   float64 `json:"high"`
	Active int64   `json:"active"`
}

// Locked says that another run writes to the same frames.
var Locked = errors.New("another run is making the same frames")

// Lock takes the stage for writing; a lock dies with its process.
func (s *Stage) Lock() (release func(), err error) {
	if err := os.MkdirAll(s.Dir, 0o755); err != nil {
		return nil, fmt.Errorf("cache: %w", err)
	}
	f, err := os.OpenFile(filepath.Join(s.Dir, "lock"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, fmt.Errorf("cache: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		if errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, Locked
		}
		return nil, fmt.Errorf("cache: lock: %w", err)
	}
	return func() { f.Close() }, nil
}

func (s *Stage) path(number int, ext string) string {
	return filepath.Join(s.Dir, fmt.Sprintf("frame.%04d.%s", number, ext))
}

// WriteFile writes a file under another name, syncs it and renames it; it
// returns size and checksum.
func WriteFile(path string, write func(io.Writer) error) (size int64, sum string, err error) {
	size, sum, _, err = writeFile(path, write)
	return size, sum, err
}

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

func writeFile(path string, write func(io.Writer) error) (size int64, sum string, crc uint32, err error) {
	tmp, err := os.CreateTemp(filepath.Dir(path), ".part-*")
	if err != nil {
		return 0, "", 0, explain(path, err)
	}
	defer os.Remove(tmp.Name())
	defer tmp.Close()
	h, quick := sha256.New(), crc32.New(castagnoli)
	b := bufio.NewWriterSize(io.MultiWriter(tmp, h, quick), 1<<20)
	if err = write(b); err == nil {
		err = b.Flush()
	}
	if err == nil {
		err = tmp.Chmod(0o644)
	}
	if err == nil {
		err = tmp.Sync()
	}
	if err != nil {
		return 0, "", 0, explain(path, err)
	}
	info, err := tmp.Stat()
	if err != nil {
		return 0, "", 0, explain(path, err)
	}
	if err := os.Rename(tmp.Name(), path); err != nil {
		return 0, "", 0, explain(path, err)
	}
	return info.Size(), hex.EncodeToString(h.Sum(nil)), quick.Sum32(), nil
}

// explain puts the cause of a failed write in words.
func explain(path string, err error) error {
	switch {
	case errors.Is(err, syscall.ENOSPC):
		return fmt.Errorf("the disk is full: %s could not be written; make room and resume, what was made is kept: %w", filepath.Base(path), err)
	case errors.Is(err, fs.ErrPermission), errors.Is(err, syscall.EROFS):
		return fmt.Errorf("%s can't be written there: %w; check the data folder's rights", filepath.Base(path), err)
	}
	return fmt.Errorf("writing %s: %w", filepath.Base(path), err)
}

// Put stores a frame. An existing frame is replaced.
func (s *Stage) Put(f Frame, write func(io.Writer) error) (Frame, error) {
	if err := os.MkdirAll(s.Dir, 0o755); err != nil {
		return f, explain(s.Dir, err)
	}
	var err error
	if f.Size, f.SHA256, f.CRC, err = writeFile(s.path(f.Frame, "vdb"), write); err != nil {
		return f, err
	}
	_, _, err = WriteFile(s.path(f.Frame, "json"), func(w io.Writer) error { return json.NewEncoder(w).Encode(f) })
	return f, err
}

// PutPoints stores the particles of a frame beside it, as PLY, before the frame
// itself is, and gives what its record says of them.
func (s *Stage) PutPoints(rec *Frame, write func(io.Writer) error) error {
	if err := os.MkdirAll(s.Dir, 0o755); err != nil {
		return explain(s.Dir, err)
	}
	var err error
	rec.Points, _, rec.PointCRC, err = writeFile(s.path(rec.Frame, "ply"), write)
	return err
}

// ReadPoints gives the particles kept beside a frame; nil where there are none.
func (s *Stage) ReadPoints(number int) ([]byte, error) {
	f, ok := s.Get(number)
	if !ok {
		return nil, &Missing{number}
	}
	if f.Points == 0 {
		return nil, nil
	}
	b, err := os.ReadFile(s.path(number, "ply"))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, &Damaged{number, "its particles are gone"}
	case err != nil:
		return nil, fmt.Errorf("cache: %w", err)
	case int64(len(b)) != f.Points || f.PointCRC != 0 && crc32.Checksum(b, castagnoli) != f.PointCRC:
		return nil, &Damaged{number, "its particles aren't those that were written"}
	}
	return b, nil
}

// Check reads all that belongs to a frame against its record: the grids and the
// particles. What can be made from those, its preview, see Viewless.
func (s *Stage) Check(number int) error {
	if _, err := s.Read(number); err != nil {
		return err
	}
	_, err := s.ReadPoints(number)
	return err
}

// Get is what is known of a frame, if it is complete.
func (s *Stage) Get(number int) (Frame, bool) {
	b, err := os.ReadFile(s.path(number, "json"))
	if err != nil {
		return Frame{}, false
	}
	var f Frame
	if json.Unmarshal(b, &f) != nil {
		return Frame{}, false
	}
	info, err := os.Stat(s.path(number, "vdb"))
	if err != nil || info.Size() != f.Size {
		return f, false
	}
	if f.Points > 0 {
		info, err = os.Stat(s.path(number, "ply"))
	}
	return f, err == nil && (f.Points == 0 || info.Size() == f.Points)
}

// Has reports a complete frame by its files alone.
func (s *Stage) Has(number int) bool { _, ok := s.Get(number); return ok }

// Damaged says that a frame's bytes are not those that were written.
type Damaged struct {
	Frame int
	What  string
}

func (d *Damaged) Error() string {
	return fmt.Sprintf("cached frame %d is damaged (%s); run the take again and it alone is made anew", d.Frame, d.What)
}

// Missing says that a frame was not made.
type Missing struct{ Frame int }

func (m *Missing) Error() string {
	return fmt.Sprintf("frame %d is not in the cache; run the take", m.Frame)
}

// Read gives a frame's bytes, checked against the checksum.
func (s *Stage) Read(number int) ([]byte, error) {
	f, ok := s.Get(number)
	b, err := os.ReadFile(s.path(number, "vdb"))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, &Missing{number}
	case err != nil:
		return nil, fmt.Errorf("cache: %w", err)
	case !ok:
		return nil, &Damaged{number, "its size is not the recorded one"}
	}
	if f.CRC != 0 {
		if crc32.Checksum(b, castagnoli) != f.CRC {
			return nil, &Damaged{number, "its checksum differs"}
		}
		return b, nil
	}
	sum := sha256.Sum256(b)
	if hex.EncodeToString(sum[:]) != f.SHA256 {
		return nil, &Damaged{number, "its checksum differs"}
	}
	return b, nil
}

// Load decodes a frame; only names the channels that are wanted, all where none
// is named. Particles are left out: see LoadPoints.
func (s *Stage) Load(number int, only ...string) (*frame.Frame, error) {
	b, err := s.Read(number)
	if err != nil {
		return nil, err
	}
	lim := vdb.DefaultLimits
	lim.Only = only
	f, err := vdb.Decode(b, lim)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", number, err)
	}
	f.Number = number
	return &f.Frame, nil
}

// LoadPoints decodes the particles kept beside a frame; nil where there are
// none.
func (s *Stage) LoadPoints(number int) (*frame.Points, error) {
	b, err := s.ReadPoints(number)
	if err != nil || b == nil {
		return nil, err
	}
	p, err := ply.DecodePoints(b)
	if err != nil {
		return nil, fmt.Errorf("frame %d: %w", number, err)
	}
	return p, nil
}

// Keep stores a frame: its points, then its grids, then the record with what
// each channel holds. each runs work on several threads.
func (s *Stage) Keep(rec Frame, f *frame.Frame, each func(n, grain int, fn func(lo, hi int))) (Frame, error) {
	var err error
	if f.Points != nil {
		if err = s.PutPoints(&rec, func(w io.Writer) error { return ply.EncodePoints(w, f.Points) }); err != nil {
			return rec, err
		}
	}
	for _, g := range f.Grids {
		in := g.Inspect()
		rec.Channels = append(rec.Channels, Channel{Name: g.Name, Low: in.Low[0], High: in.High[0], Active: in.Active})
	}
	return s.Put(rec, func(w io.Writer) error {
		return vdb.Write(w, f.Grids, vdb.Options{Compression: vdb.Blosc, Workers: each})
	})
}

// viewer packs previews; a frame's checksum is the record's.
var viewer, _ = zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1), zstd.WithEncoderCRC(false))

// MaxView is the largest preview, bytes: a liquid's surface of ten million triangles.
const MaxView = 256 << 20

var unviewer, _ = zstd.NewReader(nil, zstd.WithDecoderConcurrency(0), zstd.WithDecoderMaxMemory(MaxView))

// PutView stores a frame's preview beside it, before the frame itself is, and
// gives what its record says of it. One that is too large is left out: whoever
// wants it reads the frame.
func (s *Stage) PutView(rec *Frame, data []byte) error {
	if len(data) > MaxView {
		return nil
	}
	if err := os.MkdirAll(s.Dir, 0o755); err != nil {
		return explain(s.Dir, err)
	}
	var err error
	packed := viewer.EncodeAll(data, nil)
	rec.View, _, rec.ViewCRC, err = writeFile(s.path(rec.Frame, "view"), func(w io.Writer) error { _, err := w.Write(packed); return err })
	return err
}

// Viewless reports a frame whose preview is not what its record says.
func (s *Stage) Viewless(number int) bool {
	f, ok := s.Get(number)
	return ok && f.View > 0 && s.ReadView(number) == nil
}

// Review stores a frame's preview anew, and its record with it.
func (s *Stage) Review(number int, data []byte) error {
	f, ok := s.Get(number)
	if !ok {
		return &Missing{number}
	}
	if err := s.PutView(&f, data); err != nil {
		return err
	}
	_, _, err := WriteFile(s.path(number, "json"), func(w io.Writer) error { return json.NewEncoder(w).Encode(f) })
	return err
}

// ReadView gives a frame's preview; nil where it has none, or one that isn't
// what was written: it can be made from the frame.
func (s *Stage) ReadView(number int) []byte {
	f, ok := s.Get(number)
	if !ok || f.View == 0 {
		return nil
	}
	packed, err := os.ReadFile(s.path(number, "view"))
	if err != nil || int64(len(packed)) != f.View || crc32.Checksum(packed, castagnoli) != f.ViewCRC {
		return nil
	}
	data, err := unviewer.DecodeAll(packed, nil)
	if err != nil {
		return nil
	}
	return data
}

// Path is where a frame's file is.
func (s *Stage) Path(number int) string { return s.path(number, "vdb") }

// Drop removes a frame, the record first.
func (s *Stage) Drop(number int) {
	os.Remove(s.path(number, "json"))
	os.Remove(s.path(number, "vdb"))
	os.Remove(s.path(number, "ply"))
	os.Remove(s.path(number, "view"))
}

var recordName = regexp.MustCompile(`^frame\.(-?\d+)\.json$`)

// settled is how long ago a folder must have changed for its list to be kept:
// changes within a tick of the file system's clock can't be told apart.
const settled = time.Second

// Frames lists the complete frames. The list is kept until the stage's folder
// changes, as it does with every frame that is written or dropped; so a file
// that something else cut short in its place is found when it is read. The map
// is the caller's.
func (s *Stage) Frames() map[int]Frame {
	info, err := os.Stat(s.Dir)
	if err != nil {
		return map[int]Frame{}
	}
	if s.lists != nil {
		if l, ok := s.lists.Get(s.Dir); ok && l.changed.Equal(info.ModTime()) {
			return maps.Clone(l.frames)
		}
	}
	out := s.list()
	if s.lists != nil && time.Since(info.ModTime()) > settled {
		s.lists.Add(s.Dir, listed{info.ModTime(), maps.Clone(out)})
	}
	return out
}

// Numbers lists the frames that have a record, in order, by the names in the folder
// alone: what is quick enough for a list of many takes. Frames looks at each.
func (s *Stage) Numbers() (out []int) {
	list, _ := os.ReadDir(s.Dir)
	for _, e := range list {
		if m := recordName.FindStringSubmatch(e.Name()); m != nil {
			if n, err := strconv.Atoi(m[1]); err == nil {
				out = append(out, n)
			}
		}
	}
	slices.Sort(out)
	return out
}

func (s *Stage) list() map[int]Frame {
	out := map[int]Frame{}
	list, _ := os.ReadDir(s.Dir)
	for _, e := range list {
		m := recordName.FindStringSubmatch(e.Name())
		if m == nil {
			continue
		}
		n, err := strconv.Atoi(m[1])
		if err != nil {
			continue
		}
		if f, ok := s.Get(n); ok {
			out[n] = f
		}
	}
	return out
}

// PutState stores what a resumed run goes on from, and reports how long it
// took.
func (s *Stage) PutState(write func(io.Writer) error) (time.Duration, error) {
	begin := time.Now()
	_, _, err := WriteFile(filepath.Join(s.Dir, "state"), write)
	return time.Since(begin), err
}

// State opens the saved state; fs.ErrNotExist where there is none.
func (s *Stage) State() (io.ReadCloser, error) { return os.Open(filepath.Join(s.Dir, "state")) }

// MaxMarks is how many earlier states a stage keeps.
const MaxMarks = 6

var markName = regexp.MustCompile(`^state\.(-?\d+)$`)

// Mark keeps the saved state as that from which frame next is made, so that a frame
// that is damaged later can be made anew without all those before it. It costs the
// room of a state. Of too many, every second one goes.
func (s *Stage) Mark(next int) error {
	to := filepath.Join(s.Dir, fmt.Sprintf("state.%d", next))
	os.Remove(to)
	// another name for the same file: the next state takes the place of the first
	// name and leaves this one
	if err := os.Link(filepath.Join(s.Dir, "state"), to); err != nil {
		return explain(to, err)
	}
	if list := s.Marks(); len(list) > MaxMarks {
		for i := 1; i < len(list); i += 2 {
			s.DropMark(list[i])
		}
	}
	return nil
}

// Marks are the frames that earlier states go on with, in order.
func (s *Stage) Marks() (out []int) {
	list, _ := os.ReadDir(s.Dir)
	for _, e := range list {
		if m := markName.FindStringSubmatch(e.Name()); m != nil {
			if n, err := strconv.Atoi(m[1]); err == nil {
				out = append(out, n)
			}
		}
	}
	slices.Sort(out)
	return out
}

// Marked opens an earlier state.
func (s *Stage) Marked(next int) (io.ReadCloser, error) {
	return os.Open(filepath.Join(s.Dir, fmt.Sprintf("state.%d", next)))
}

// DropMark removes an earlier state.
func (s *Stage) DropMark(next int) { os.Remove(filepath.Join(s.Dir, fmt.Sprintf("state.%d", next))) }

// Sweep removes what a killed writer left half written.
func (s *Stage) Sweep() {
	parts, _ := filepath.Glob(filepath.Join(s.Dir, ".part-*"))
	for _, p := range parts {
		os.Remove(p)
	}
}

// Bytes is the space that the stage takes.
func (s *Stage) Bytes() int64 {
	var n int64
	list, _ := os.ReadDir(s.Dir)
	for _, e := range list {
		if info, err := e.Info(); err == nil {
			n += info.Size()
		}
	}
	return n
}

// Remove deletes all frames of a stage.
func (s *Stage) Remove() error { return os.RemoveAll(s.Dir) }
