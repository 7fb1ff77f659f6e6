package handover

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"math"
	"strconv"

	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot/val"
)

// maxLines is how many voxels a table can have.
const maxLines = 4 << 20

// box is the block of voxels round a grid's leaves; whole multiples of n.
func box(g *frame.Grid, n int) (lo, size [3]int) {
	var hi [3]int
	for i, l := range g.Leaves {
		for a := range 3 {
			from := int(l.Origin[a])
			if i == 0 {
				lo[a], hi[a] = from, from+8
			}
			lo[a], hi[a] = min(lo[a], from), max(hi[a], from+8)
		}
	}
	for a := range 3 {
		lo[a] = int(math.Floor(float64(lo[a])/float64(n))) * n
		size[a] = max((hi[a]-lo[a]+n-1)/n*n, n)
	}
	return lo, size
}

// dense reads a vector grid as three arrays, x fastest.
func dense(g *frame.Grid, lo, size [3]int) ([][]float32, error) {
	total := size[0] * size[1] * size[2]
	if total > 1<<28 {
		return nil, fmt.Errorf("the field has %d × %d × %d voxels, which are too many; crop it", size[0], size[1], size[2])
	}
	out := [][]float32{make([]float32, total), make([]float32, total), make([]float32, total)}
	return out, g.Dense(lo, size, out)
}

// coarser takes means over blocks of n³ voxels.
func coarser(g *frame.Grid, n int, crew grid.Crew) (*frame.Grid, error) {
	lo, size := box(g, n)
	v, err := dense(g, lo, size)
	if err != nil {
		return nil, err
	}
	var at, few [3]int
	for a := range 3 {
		at[a], few[a] = lo[a]/n, size[a]/n
	}
	out := make([][]float32, 3)
	for c := range out {
		out[c] = make([]float32, few[0]*few[1]*few[2])
		crew.For(few[2], 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range few[1] {
					for i := range few[0] {
						sum := 0.0
						for z := range n {
							for y := range n {
								row := v[c][((k*n+z)*size[1]+j*n+y)*size[0]+i*n:]
								for _, x := range row[:n] {
									sum += float64(x)
								}
							}
						}
						out[c][(k*few[1]+j)*few[0]+i] = float32(sum / float64(n*n*n))
					}
				}
			}
		})
	}
	o := frame.FromDense(g.Name, at, few, out, 0, 0, crew.For)
	h := g.Transform.M[0][0]
	var first [3]float64
	for a := range 3 { // the middle of block 0
		first[a] = g.Transform.M[3][a] + h*float64(n-1)/2
	}
	o.Transform, o.Class = frame.Uniform(h*float64(n), first), g.Class
	return o, nil
}

// table writes a vector field as text. Lines that begin with # tell what it is;
// then one line a voxel, x running fastest.
func (w *work) table(number int, name string, top ranges, crew grid.Crew) (bool, error) {
	if w.again(name, nil) {
		return true, nil
	}
	grids, said, err := w.convert(number, []string{frame.Velocity}, top, crew)
	if err != nil {
		return false, err
	}
	g := grids[0]
	lo, size := box(g, 1)
	if n := size[0] * size[1] * size[2]; n > maxLines {
		return false, tooLong(number, size, val.FieldStep.Of(w.Settings))
	}
	v, err := dense(g, lo, size)
	if err != nil {
		return false, err
	}
	h := g.Transform.M[0][0]
	var first [3]float64
	for a := range 3 {
		first[a] = g.Transform.M[3][a] + h*float64(lo[a])
	}
	num := func(b []byte, x float64) []byte { return strconv.AppendFloat(b, x, 'g', 7, 64) }
	write := func(to io.Writer) error {
		o := bufio.NewWriterSize(to, 1<<18)
		fmt.Fprintf(o, "# vector field of shot %s, frame %d\n# size %d %d %d\n# voxel %.9g\n# first %.9g %.9g %.9g\n# axes %s\n# units a metre %g\n# velocity in %s\nx,y,z,vx,vy,vz\n",
			w.Take.Name, number, size[0], size[1], size[2], h, first[0], first[1], first[2], w.sp.name, w.sp.scale, said[0].Unit)
		var line []byte
		for k := range size[2] {
			for j := range size[1] {
				for i := range size[0] {
					n := (k*size[1]+j)*size[0] + i
					line = line[:0]
					for a, at := range [3]int{i, j, k} {
						line = append(num(line, first[a]+h*float64(at)), ',')
					}
					line = append(num(append(num(append(num(line, float64(v[0][n])), ','), float64(v[1][n])), ','), float64(v[2][n])), '\n')
					o.Write(line)
				}
			}
		}
		return o.Flush()
	}
	said[0].Type = "text"
	return false, w.file(name, number, entry{Channels: said}, write, func(b []byte) error { return checkTable(b, size[0]*size[1]*size[2]) })
}

// tooLong names the means over blocks with which a field fits a table.
func tooLong(number int, size [3]int, step float64) error {
	n := float64(size[0]) * float64(size[1]) * float64(size[2])
	need := int(math.Ceil(math.Cbrt(n/maxLines)*step + 1e-9))
	return fmt.Errorf("the field of frame %d has %d × %d × %d voxels, and a table has %d lines at most: take %d voxels to one, or crop it", number, size[0], size[1], size[2], maxLines, need)
}

// checkTable reads a table back.
func checkTable(b []byte, want int) error {
	r := csv.NewReader(bytes.NewReader(b))
	r.Comment, r.ReuseRecord, r.FieldsPerRecord = '#', true, 6
	n := -1 // the heading
	for {
		rec, err := r.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if n++; n == 0 {
			continue
		}
		for _, x := range rec {
			if v, err := strconv.ParseFloat(x, 64); err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
				return fmt.Errorf("line %d holds %q, which is no number", n, x)
			}
		}
	}
	if n != want {
		return fmt.Errorf("it has %d lines, %d were written", n, want)
	}
	return nil
}
