package stage

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/asset"
	"zarf/core/format/abc"
	"zarf/core/format/ply"
	"zarf/core/format/vdb"
	"zarf/core/frame"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
	"zarf/web/desk"
)

// maxSequence is the number of frames that can be brought in at once.
const maxSequence = 2000

// The frames that a sequence may have.
const (
	minFrame = -100_000
	maxFrame = 1_000_000
)

// numbered is a file name with the frame number before its ending.
var numbered = regexp.MustCompile(`^(.*?)(-?\d+)\.(vdb|ply)$`)

// bringSequence makes the files of a request the frames of a sequence.
func (s *room) bringSequence(c *gin.Context) {
	form, done, err := s.Received(c)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	defer done()
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		desk.Refuse(c, http.StatusInternalServerError, err)
		return
	}
	ref, notes, err := s.keepSequence(form.File["file"], doc.Rate())
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	id := c.Param("el")
	err = s.Change(c, "bring in "+asset.Name(ref), "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || e.Kind != shot.Sequence {
			return fmt.Errorf("there is no sequence %q", id)
		}
		val.Frames.Set(e, ref)
		return nil
	})
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	if doc, err := s.Studio.Store.Doc(desk.Row(c).ID); err == nil && doc.Element(id) != nil {
		o := s.OutsideFacts(doc, doc.Element(id))
		for _, name := range o.Left {
			notes = append(notes, fmt.Sprintf("channel %s isn't read as things are; name it under channels", name))
		}
		if o.Fault != "" {
			notes = append(notes, o.Fault)
		}
	}
	c.JSON(http.StatusOK, map[string]any{"notes": notes})
}

// arrived is a frame on its way into the cache.
type arrived struct {
	number int
	name   string
	read   func() ([]byte, error)
}

// keepSequence reads volumes or points and keeps them as a stage of the cache,
// by their content, with all channels under the names that they came with.
func (s *room) keepSequence(files []*multipart.FileHeader, rate float64) (ref string, notes []string, err error) {
	if len(files) == 0 {
		return "", nil, errors.New("no file came along; choose the VDB or PLY files of a sequence, or one Alembic file")
	}
	if len(files) > maxSequence {
		return "", nil, fmt.Errorf("%d files came along; %d can be brought in", len(files), maxSequence)
	}
	var list []arrived
	stem := ""
	if strings.HasSuffix(files[0].Filename, ".abc") {
		if len(files) > 1 {
			return "", nil, errors.New("an Alembic file holds a whole sequence; choose one alone")
		}
		b, err := desk.Content(files[0])
		if err != nil {
			return "", nil, err
		}
		stem = strings.TrimSuffix(files[0].Filename, ".abc")
		if list, notes, err = unroll(b, rate); err != nil {
			return "", nil, fmt.Errorf("%s: %w", asset.Clean(files[0].Filename), err)
		}
	} else if list, stem, err = byNumber(files); err != nil {
		return "", nil, err
	}
	slices.SortFunc(list, func(a, b arrived) int { return a.number - b.number })
	sum := sha256.New()
	for i, f := range list {
		if i > 0 && f.number == list[i-1].number {
			return "", nil, fmt.Errorf("%s and %s have the same frame number", asset.Clean(list[i-1].name), asset.Clean(f.name))
		}
		b, err := f.read()
		if err != nil {
			return "", nil, err
		}
		h := sha256.Sum256(b)
		fmt.Fprintf(sum, "raw 2 %d %x\n", f.number, h)
	}
	key := hex.EncodeToString(sum.Sum(nil))[:32]
	if err := keepAll(s.Studio.Cache.Stage(key), list); err != nil {
		return "", nil, err
	}
	first, last := list[0].number, list[len(list)-1].number
	return key + "/" + asset.Clean(fmt.Sprintf("%s %d–%d", stem, first, last)), append(notes, gaps(list)...), nil
}

// keepAll stores the frames of a sequence that aren't there yet. Where one can't be
// read none of those stays.
func keepAll(st *cache.Stage, list []arrived) (err error) {
	var made []int
	defer func() {
		if err == nil {
			return
		}
		for _, n := range made {
			st.Drop(n)
		}
		if len(st.Frames()) == 0 {
			st.Remove()
		}
	}()
	for _, f := range list {
		if st.Has(f.number) {
			continue
		}
		b, err := f.read()
		if err != nil {
			return err
		}
		made = append(made, f.number)
		if err := keepFrame(st, f, b); err != nil {
			return fmt.Errorf("%s: %w", asset.Clean(f.name), err)
		}
	}
	return nil
}

// byNumber reads the frame numbers of files' names.
func byNumber(files []*multipart.FileHeader) (list []arrived, stem string, err error) {
	kind := ""
	for _, f := range files {
		m := numbered.FindStringSubmatch(f.Filename)
		if m == nil {
			return nil, "", fmt.Errorf("%s has no frame number before .vdb or .ply, as in smoke.0001.vdb", asset.Clean(f.Filename))
		}
		n, err := strconv.Atoi(m[2])
		if err != nil || n < minFrame || n > maxFrame {
			return nil, "", fmt.Errorf("%s has frame number %s; %d to %d can be", asset.Clean(f.Filename), m[2], minFrame, maxFrame)
		}
		if kind != "" && kind != m[3] {
			return nil, "", errors.New("both .vdb and .ply files came along; choose those of one sequence")
		}
		kind = m[3]
		stem = strings.TrimRight(m[1], "._-")
		list = append(list, arrived{n, f.Filename, func() ([]byte, error) { return desk.Content(f) }})
	}
	return list, stem, nil
}

// unroll makes frames of the points of an Alembic file: of its points, or of
// its meshes' vertices where it has none.
func unroll(b []byte, rate float64) (list []arrived, notes []string, err error) {
	a, err := abc.Decode(b)
	if err != nil {
		return nil, nil, err
	}
	kind := abc.Points
	if !slices.ContainsFunc(a.Objects, func(o *abc.Node) bool { return o.Kind == abc.Points }) {
		kind = abc.Mesh
		notes = append(notes, "it holds no points, so the vertices of its meshes are taken")
	}
	notes = append(notes, a.Notes...)
	at := map[int]int{} // frame to sample
	var nodes []*abc.Node
	for _, o := range a.Objects {
		if o.Kind != kind {
			continue
		}
		nodes = append(nodes, o)
		if o.N > maxSequence {
			return nil, nil, fmt.Errorf("%s has %d samples; %d can be brought in", o.Path, o.N, maxSequence)
		}
		for i := range o.N {
			n := math.Round((o.First + float64(i)*o.Cycle) * rate)
			if !(n >= minFrame && n <= maxFrame) {
				return nil, nil, fmt.Errorf("sample %d of %s stands at frame %.6g of this shot; %d to %d can be", i, o.Path, n, minFrame, maxFrame)
			}
			at[int(n)] = i
		}
		if len(at) > maxSequence {
			return nil, nil, fmt.Errorf("its objects have samples at over %d different frames; that many can be brought in", maxSequence)
		}
	}
	if len(at) == 0 {
		return nil, nil, errors.New("it holds neither points nor meshes")
	}
	for number, i := range at {
		list = append(list, arrived{number, fmt.Sprintf("sample %d", i), func() ([]byte, error) {
			p := &frame.Points{Comment: "from an Alembic file"}
			var samples objects
			for _, o := range nodes {
				s, err := o.Sample(i)
				if err != nil {
					return nil, err
				}
				gather(p, s)
				samples = append(samples, s)
			}
			if p.V != nil && len(p.V) != len(p.P) {
				p.V = nil
			}
			p.Extra = samples.numbers()
			var out bytes.Buffer
			err := ply.EncodePoints(&out, p)
			return out.Bytes(), err
		}})
	}
	return list, notes, nil
}

// keepFrame stores one frame: volumes as volumes, points as points beside an
// empty one.
func keepFrame(st *cache.Stage, f arrived, b []byte) error {
	fr := cache.Frame{Frame: f.number}
	var grids []*frame.Grid
	if bytes.HasPrefix(b, []byte("ply")) {
		p, err := ply.DecodePoints(b)
		if err != nil {
			return err
		}
		for n, x := range p.P {
			for _, v := range x {
				if math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) {
					return fmt.Errorf("point %d lies at %g %g %g", n, x[0], x[1], x[2])
				}
			}
		}
		if err := sound(p); err != nil {
			return err
		}
		for _, a := range p.Extra {
			if len(a.V) > 0 {
				fr.Channels = append(fr.Channels, cache.Channel{Name: a.Name, Low: float64(slices.Min(a.V)), High: float64(slices.Max(a.V)), Active: int64(len(a.V))})
			}
		}
		if err = st.PutPoints(&fr, func(out io.Writer) error { return ply.EncodePoints(out, p) }); err != nil {
			return err
		}
		fr.Totals = map[string]float64{"points": float64(len(p.P))}
		grids = []*frame.Grid{frame.FromDense("points", [3]int{}, [3]int{8, 8, 8}, [][]float32{make([]float32, 512)}, 0, 0, nil)}
	} else {
		v, err := vdb.Decode(b, vdb.DefaultLimits)
		if err != nil {
			return err
		}
		if len(v.Grids) == 0 {
			return errors.New("it holds no channel")
		}
		for _, g := range v.Grids {
			g.Narrow()
			in := g.Inspect()
			if in.NonFinite > 0 {
				return fmt.Errorf("channel %s holds %d values that are not finite", g.Name, in.NonFinite)
			}
			if in.Active > 0 {
				fr.Channels = append(fr.Channels, cache.Channel{Name: g.Name, Low: slices.Min(in.Low), High: slices.Max(in.High), Active: in.Active})
			} else {
				fr.Channels = append(fr.Channels, cache.Channel{Name: g.Name})
			}
			grids = append(grids, g)
		}
	}
	_, err := st.Put(fr, func(w io.Writer) error { return vdb.Write(w, grids, vdb.Options{Compression: vdb.Blosc}) })
	return err
}

// gaps names the numbers that lack within a sequence.
func gaps(list []arrived) (notes []string) {
	for i := 1; i < len(list); i++ {
		if list[i].number > list[i-1].number+1 {
			notes = append(notes, fmt.Sprintf("frames %d to %d are missing", list[i-1].number+1, list[i].number-1))
		}
	}
	return notes
}
