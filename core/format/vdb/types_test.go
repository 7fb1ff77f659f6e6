package vdb

import (
	"testing"

	"zarf/core/frame"
)

// byHand writes a file of one leaf without compression or mask, in any type:
// put writes one value of the given number.
func byHand(kind string, put func(p *pen, v int)) []byte {
	var p pen
	p.u64(magic)
	p.u32(fileVersion)
	p.u32(10)
	p.u32(0)
	p.WriteByte(1)
	p.WriteString("00000000-0000-4000-8000-000000000000")
	p.u32(0)
	p.u32(1)
	p.text("g")
	p.text("Tree_" + kind + "_5_4_3")
	p.text("")
	var body pen
	body.u32(0) // no compression, no mask
	body.u32(0) // no metadata
	writeTransform(frame.Uniform(0.5, [3]float64{}), &body)
	body.u32(1)
	put(&body, 0) // background
	body.u32(0)
	body.u32(1)
	body.coord([3]int32{})
	for _, n := range []int{512, 64} { // the two internal nodes: first child, no tiles
		words := make([]uint64, n)
		words[0] = 1
		writeWords(&body, words)
		writeWords(&body, make([]uint64, n))
		body.WriteByte(6)
		for range n * 64 {
			put(&body, 0)
		}
	}
	var mask Mask
	mask.Set(0)
	mask.Set(511)
	writeWords(&body, mask[:])
	blocks := body.Len()
	writeWords(&body, mask[:])
	body.WriteByte(6)
	for n := range frame.LeafSize {
		put(&body, n-100)
	}
	start := p.Len() + 24
	p.u64(uint64(start))
	p.u64(uint64(start + blocks))
	p.u64(uint64(start + body.Len()))
	p.Write(body.Bytes())
	return p.Bytes()
}

func TestEveryValueTypeIsRead(t *testing.T) {
	for kind, put := range map[string]func(p *pen, v int){
		"float":  func(p *pen, v int) { p.f32(float32(v)) },
		"double": func(p *pen, v int) { p.f64(float64(v)) },
		"int32":  func(p *pen, v int) { p.u32(uint32(int32(v))) },
		"int64":  func(p *pen, v int) { p.u64(uint64(int64(v))) },
		"vec3s":  func(p *pen, v int) { p.f32(float32(v)); p.f32(1); p.f32(float32(-v)) },
		"vec3d":  func(p *pen, v int) { p.f64(float64(v)); p.f64(1); p.f64(float64(-v)) },
		"vec3i":  func(p *pen, v int) { p.coord([3]int32{int32(v), 1, int32(-v)}) },
	} {
		f, err := Decode(byHand(kind, put), DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", kind, err)
			continue
		}
		g := f.Grids[0]
		in := g.Inspect()
		if in.Active != 2 || in.Low[0] != -100 || in.High[0] != 411 || string(g.Type) != kind {
			t.Errorf("%s: %+v", kind, in)
		}
		nc := g.Type.Components()
		out := make([][]float32, nc)
		for c := range out {
			out[c] = make([]float32, 1)
		}
		if err := g.Dense([3]int{0, 3, 7}, [3]int{1, 1, 1}, out); err != nil || out[0][0] != 31-100 {
			t.Errorf("%s: voxel (0,3,7) is %v, %v", kind, out, err)
		}
		if nc == 3 && out[2][0] != 100-31 {
			t.Errorf("%s: the third component is %g", kind, out[2][0])
		}
	}
	if _, err := Decode(byHand("ptdataidx32", func(p *pen, v int) { p.u32(0) }), DefaultLimits); err == nil {
		t.Error("a grid of points was taken")
	}
}
