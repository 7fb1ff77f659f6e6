package model

import (
	"bytes"
	"fmt"
	"image"
	_ "image/gif"  // pictures that terrain can be read from
	_ "image/jpeg" // pictures that terrain can be read from
	_ "image/png"  // pictures that terrain can be read from

	"zarf/core/geom"
)

// MaxTerrain is the number of height samples along the longer side; finer
// pictures are averaged down.
const MaxTerrain = 512

// Terrain makes a closed block of ground from a grey picture: black is 0,
// white is height metres up; width metres along x, the picture's top at −z.
// Sixteen-bit greys keep their steps.
func Terrain(data []byte, width, height float64) (*geom.Mesh, error) {
	cfg, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("terrain: the picture can't be read (%v); give a PNG, JPEG or GIF", err)
	}
	if cfg.Width < 2 || cfg.Height < 2 || cfg.Width > 8192 || cfg.Height > 8192 {
		return nil, fmt.Errorf("terrain: the picture has %d × %d pixels; 2 to 8192 each way are taken", cfg.Width, cfg.Height)
	}
	img, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("terrain: the picture is broken: %v", err)
	}
	by := max(1, (max(cfg.Width, cfg.Height)+MaxTerrain-1)/MaxTerrain)
	nx, nz := cfg.Width/by, cfg.Height/by
	if nx < 2 || nz < 2 {
		return nil, fmt.Errorf("terrain: a picture of %d × %d pixels is too narrow", cfg.Width, cfg.Height)
	}
	// square steps: the depth follows from the picture's shape
	step := width / float64(nx-1)
	depth := step * float64(nz-1)
	m := &geom.Mesh{}
	b := img.Bounds()
	for j := range nz {
		for i := range nx {
			// blocks are averaged: a picture finer than the limit isn't sampled but
			// smoothed
			var sum float64
			for y := range by {
				for x := range by {
					r, g, bl, _ := img.At(b.Min.X+i*by+x, b.Min.Y+j*by+y).RGBA()
					sum += (float64(r) + float64(g) + float64(bl)) / (3 * 65535)
				}
			}
			m.P = append(m.P, geom.V(float64(i)*step-width/2, height*sum/float64(by*by), float64(j)*step-depth/2))
		}
	}
	at := func(i, j int) int32 { return int32(j*nx + i) }
	for j := range nz - 1 {
		for i := range nx - 1 {
			m.Tri = append(m.Tri, [3]int32{at(i, j), at(i, j+1), at(i+1, j+1)}, [3]int32{at(i, j), at(i+1, j+1), at(i+1, j)})
		}
	}
	// a skirt down to a floor, round the edge in the order in which the ground
	// lies to its left
	var rim []int32
	for i := range nx - 1 {
		rim = append(rim, at(i, 0))
	}
	for j := range nz - 1 {
		rim = append(rim, at(nx-1, j))
	}
	for i := nx - 1; i > 0; i-- {
		rim = append(rim, at(i, nz-1))
	}
	for j := nz - 1; j > 0; j-- {
		rim = append(rim, at(0, j))
	}
	base := int32(len(m.P))
	// a floor under the lowest ground, so that the block is closed and has an inside
	floor := -max(height*0.1, width*0.01)
	for _, v := range rim {
		m.P = append(m.P, geom.V(m.P[v].X, floor, m.P[v].Z))
	}
	mid := int32(len(m.P))
	m.P = append(m.P, geom.V(0, floor, 0))
	for n, v := range rim {
		o := (n + 1) % len(rim)
		a, c := base+int32(n), base+int32(o)
		m.Tri = append(m.Tri, [3]int32{v, rim[o], c}, [3]int32{v, c, a}, [3]int32{a, c, mid})
	}
	return m, nil
}
