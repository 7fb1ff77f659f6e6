package handover

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"

	"zarf/core/grid"
	"zarf/core/shot/val"
	"zarf/core/stage"
	"zarf/studio/cache"
	"zarf/studio/run"
)

// Estimate is the disk that a job will take, by making its middle frame in
// memory and holding that against the cache. how tells what it is worked out
// from.
func (h *Job) Estimate(c *cache.Cache) (bytes_ int64, how string, err error) {
	frames := h.Frames()
	if len(frames) == 0 {
		return 0, "", fmt.Errorf("there are no frames from %d to %d", h.From, h.To)
	}
	if h.What() == "flipbook" {
		n := val.Columns.Of(h.Settings) * val.Rows.Of(h.Settings) * val.TileWide.Of(h.Settings) * val.TileTall.Of(h.Settings)
		per := map[string]float64{"png8": 1.2, "png16": 4, "exr": 4}[val.SheetFile.Of(h.Settings)]
		return int64(n * per * float64(h.sheetCount())), "about, by pixels; smoke packs to a third", nil
	}
	if h.What() == "pictures" {
		files, _, err := Recorded(h.Renders)
		for _, f := range frames {
			if info, err := os.Stat(filepath.Join(h.Renders, files[f])); err == nil && !info.IsDir() {
				bytes_ += info.Size()
			}
		}
		return bytes_, "the sizes of the rendered files", err
	}
	w := &work{Job: h, m: &Manifest{Digits: 4}}
	if h.Now == nil {
		h.Now = h.Take
	}
	if w.src, err = run.Open(h.Take, h.Domain, c); err != nil {
		return 0, "", err
	}
	w.sp = spaces[val.Axes.Of(h.Settings)]
	w.sp.scale = val.Scale.Of(h.Settings)
	mid, got := 0, []cache.Frame{}
	var all int64
	for _, f := range frames {
		if rec, ok := w.src.Stage.Get(f); ok {
			got = append(got, rec)
			all += rec.Size
		}
	}
	if len(got) == 0 {
		return 0, "", fmt.Errorf("none of the frames is in the cache")
	}
	rec := got[len(got)/2]
	mid = rec.Frame
	var b bytes.Buffer
	crew := grid.NewCrew(h.Threads)
	switch h.What() {
	case "volumes", "field":
		grids, _, err := w.convert(mid, w.chosen(), ranges{}, crew)
		if err != nil {
			return 0, "", err
		}
		if h.What() == "field" && val.FieldFile.Of(h.Settings) == "csv" {
			_, size := box(grids[0], 1)
			b.Write(make([]byte, 58*size[0]*size[1]*size[2]))
		} else if err := w.encode(&b, grids, mid, crew); err != nil {
			return 0, "", err
		}
	case "points":
		n, err := w.pointBytes(mid)
		if err != nil {
			return 0, "", err
		}
		b.Write(make([]byte, n))
	case "meshes":
		list, err := w.bodies(mid, val.MeshFluid.Of(h.Settings), w.solids(), crew)
		if err != nil {
			return 0, "", err
		}
		for _, x := range list {
			b.Write(make([]byte, meshBytes(x, val.MeshFile.Of(h.Settings))))
		}
	}
	return int64(float64(b.Len()) * float64(all) / float64(rec.Size) * float64(len(frames)) / float64(len(got))), fmt.Sprintf("from frame %d", mid), nil
}

// meshBytes is about how large a mesh's file is.
func meshBytes(b body, kind string) int {
	per := map[string]int{"abc": 16, "ply": 13, "glb": 12, "obj": 22}[kind]
	return 24*len(b.mesh.P) + per*len(b.mesh.Tri)
}

// pointBytes is about how large the points of a frame are.
func (w *work) pointBytes(number int) (n int, err error) {
	var list []*cloud
	if stage.Of(w.src.Domain).Loose {
		f, err := w.flock([]int{number})
		if err != nil {
			return 0, err
		}
		if f.as == "meshes" {
			bodies, err := f.bodies(w, number)
			for _, b := range bodies {
				n += meshBytes(b, val.PointFile.Of(w.Settings))
			}
			return n, err
		}
		if list, err = f.clouds(w, number); err != nil {
			return 0, err
		}
	} else if list, err = w.clouds(number); err != nil {
		return 0, err
	}
	for _, c := range list {
		n += 4*(len(c.p)+len(c.v)+len(c.depth)+len(c.width)) + 8*len(c.ids)
		for _, a := range c.more {
			n += 4 * len(a.V)
		}
	}
	return n, nil
}

func (h *Job) sheetCount() (n int) {
	for _, k := range []val.FlagKey{val.SheetEmission, val.SheetNormals, val.SheetPacked, val.SheetSides} {
		if k.Of(h.Settings) {
			n++
		}
	}
	if val.SheetSides.Of(h.Settings) {
		n++
	}
	if val.SheetColour.Of(h.Settings) != "none" {
		n++
	}
	if val.Vectors.Of(h.Settings) != "none" {
		n++
	}
	return n
}
