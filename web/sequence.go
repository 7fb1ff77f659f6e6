package web

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"zarf/core/asset"
	"zarf/core/format/vdb"
	"zarf/core/shot"
	"zarf/core/stage"
	"zarf/studio/cache"
)

// maxSequence is the number of frames that can be brought in at once.
const maxSequence = 2000

// numbered is a file name with the frame number before its ending.
var numbered = regexp.MustCompile(`^(.*?)(-?\d+)\.vdb$`)

// channelNames are the names under which others write our channels.
var channelNames = map[string][]string{
	stage.Density:     {"density", "smoke", "dens"},
	stage.Temperature: {"temperature", "temp", "heat"},
	stage.Burn:        {"burn", "flame", "flames"},
	stage.Velocity:    {"velocity", "vel", "v"},
}

// bringSequence makes the files of a request the frames of a sequence.
func (s *server) bringSequence(c *gin.Context) {
	form, err := c.MultipartForm()
	if err != nil {
		refuse(c, http.StatusRequestEntityTooLarge, fmt.Errorf("the files have over %d MB together, or the upload broke off: %v", MaxUpload>>20, err))
		return
	}
	defer form.RemoveAll()
	ref, notes, err := s.keepSequence(form.File["file"])
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	id := c.Param("el")
	err = s.change(c, "bring in "+asset.Name(ref), "", func(d *shot.Shot) error {
		e := d.Element(id)
		if e == nil || e.Kind != shot.Sequence {
			return fmt.Errorf("there is no sequence %q", id)
		}
		e.Values["frames"] = shot.Text(ref)
		return nil
	})
	if err != nil {
		refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.JSON(http.StatusOK, map[string]any{"notes": notes})
}

// keepSequence reads volumes and keeps them as a stage of the cache, by their
// content. Channels are known by the names that others give them; what isn't
// known stays behind and is told.
func (s *server) keepSequence(files []*multipart.FileHeader) (ref string, notes []string, err error) {
	if len(files) == 0 {
		return "", nil, errors.New("no file came along; choose the VDB files of a sequence")
	}
	if len(files) > maxSequence {
		return "", nil, fmt.Errorf("%d files came along; %d can be brought in", len(files), maxSequence)
	}
	type one struct {
		frame int
		file  *multipart.FileHeader
	}
	var list []one
	stem := ""
	for _, f := range files {
		m := numbered.FindStringSubmatch(f.Filename)
		if m == nil {
			return "", nil, fmt.Errorf("%s has no frame number before .vdb, as in smoke.0001.vdb", asset.Clean(f.Filename))
		}
		n, err := strconv.Atoi(m[2])
		if err != nil || n < -100000 || n > 1000000 {
			return "", nil, fmt.Errorf("%s has frame number %s; −100000 to 1000000 can be", asset.Clean(f.Filename), m[2])
		}
		stem = strings.TrimRight(m[1], "._-")
		list = append(list, one{n, f})
	}
	slices.SortFunc(list, func(a, b one) int { return a.frame - b.frame })
	sum := sha256.New()
	for i, f := range list {
		if i > 0 && f.frame == list[i-1].frame {
			return "", nil, fmt.Errorf("%s and %s have the same frame number", asset.Clean(list[i-1].file.Filename), asset.Clean(f.file.Filename))
		}
		if i > 0 && f.frame > list[i-1].frame+1 {
			notes = append(notes, fmt.Sprintf("frames %d to %d are missing", list[i-1].frame+1, f.frame-1))
		}
		b, err := content(f.file)
		if err != nil {
			return "", nil, err
		}
		h := sha256.Sum256(b)
		fmt.Fprintf(sum, "%d %x\n", f.frame, h)
	}
	key := hex.EncodeToString(sum.Sum(nil))[:32]
	st := s.st.Cache.Stage(key)
	left := map[string]bool{}
	for _, f := range list {
		if st.Has(f.frame) {
			continue
		}
		b, err := content(f.file)
		if err != nil {
			return "", nil, err
		}
		v, err := vdb.Decode(b, vdb.DefaultLimits)
		if err != nil {
			return "", nil, fmt.Errorf("%s: %w", asset.Clean(f.file.Filename), err)
		}
		ours, others, err := known(v)
		if err != nil {
			return "", nil, fmt.Errorf("%s: %w", asset.Clean(f.file.Filename), err)
		}
		for _, o := range others {
			left[o] = true
		}
		fr := cache.Frame{Frame: f.frame}
		for _, g := range ours {
			in := g.Inspect()
			fr.Channels = append(fr.Channels, cache.Channel{Name: g.Name, Low: in.Low[0], High: in.High[0], Active: in.Active})
		}
		if _, err := st.Put(fr, func(w io.Writer) error { return vdb.Write(w, ours, vdb.Options{Compression: vdb.Blosc}) }); err != nil {
			return "", nil, err
		}
	}
	for name := range left {
		notes = append(notes, fmt.Sprintf("channel %s isn't known here and was left out", name))
	}
	slices.Sort(notes)
	first, last := list[0].frame, list[len(list)-1].frame
	return key + "/" + asset.Clean(fmt.Sprintf("%s %d–%d", stem, first, last)), notes, nil
}

// known picks the channels that stages read, under our names. A file with one
// grid of numbers has it taken for density.
func known(v *vdb.File) (ours []*vdb.Grid, others []string, err error) {
	has := map[string]bool{}
	for _, g := range v.Grids {
		name := ""
		for our, names := range channelNames {
			vector := our == stage.Velocity
			if slices.Contains(names, strings.ToLower(g.Name)) && (g.Type.Components() == 3) == vector && !has[our] {
				name = our
			}
		}
		if name == "" && len(v.Grids) == 1 && g.Type.Components() == 1 {
			name = stage.Density
		}
		if name == "" {
			others = append(others, g.Name)
			continue
		}
		if in := g.Inspect(); in.NonFinite > 0 {
			return nil, nil, fmt.Errorf("channel %s holds %d values that are not finite", g.Name, in.NonFinite)
		}
		has[name] = true
		g.Name = name
		ours = append(ours, g)
	}
	if len(ours) == 0 {
		return nil, nil, fmt.Errorf("it holds no channel that is known here (density, temperature, flame, velocity), but %s", strings.Join(others, ", "))
	}
	return ours, others, nil
}
