package pressure

import (
	"unsafe"

	"zarf/core/grid"
)

const (
	omega         float32 = 0.857 // damping of the Jacobi smoother
	oneMinusOmega float32 = 1 - omega
	pad                   = 16
)

type rowKind uint8

const (
	rowEmpty    rowKind = iota // no fluid in the row
	rowPlain                   // all fluid, all inner faces fully open
	rowWeighted                // needs its face weights
)

// level is one grid of the hierarchy.
type level struct {
	grid.Dims
	n      int // padded row length
	sy, sz int // strides of j and k
	log    [3]int
	// frac holds open face fractions before geometry is applied, on the
	// staggered grid, for making the next level; freed after setup on the finest.
	wx, wy, wz []float32 // weight of each cell's lower face
	diag, invd []float32
	pn         []float32 // normalisation of the prolongation onto this level
	x, b, r, t []float32
	kind       []rowKind // by k*NY+j
	planes     []float64 // one partial sum a plane
}

func newLevel(d grid.Dims, log [3]int) *level {
	l := &level{Dims: d, log: log}
	l.n = (d.NX + 15) / 16 * 16
	l.sy = l.n + pad
	l.sz = l.sy * (d.NY + 2)
	l.wx, l.wy, l.wz = l.alloc(), l.alloc(), l.alloc()
	l.diag, l.invd, l.pn = l.alloc(), l.alloc(), l.alloc()
	l.x, l.b, l.r, l.t = l.alloc(), l.alloc(), l.alloc(), l.alloc()
	l.kind = make([]rowKind, d.NY*d.NZ)
	l.planes = make([]float64, d.NZ)
	return l
}

// alloc makes an array with halo whose rows start on 64-byte boundaries.
func (l *level) alloc() []float32 {
	size := l.sz*(l.NZ+2) + pad
	raw := make([]float32, size+16)
	skip := 0
	for uintptr(unsafe.Pointer(&raw[skip]))%64 != 0 {
		skip++
	}
	return raw[skip : skip+size : skip+size]
}

// at is the position of cell (0,j,k); j and k may be −1 or one past the end.
func (l *level) at(j, k int) int { return (k+1)*l.sz + (j+1)*l.sy + pad }

func (l *level) row(a []float32, j, k int) []float32 {
	o := l.at(j, k)
	return a[o : o+l.n : o+l.n]
}

// hood is a run of n values and the runs round it.
func (l *level) hood(a []float32, o, n int) (x, xm, xp, ym, yp, zm, zp []float32) {
	return a[o : o+n], a[o-1 : o-1+n], a[o+1 : o+1+n],
		a[o-l.sy : o-l.sy+n], a[o+l.sy : o+l.sy+n], a[o-l.sz : o-l.sz+n], a[o+l.sz : o+l.sz+n]
}

// weights are the face weights of a run: lower and upper along each axis.
func (l *level) weights(o, n int) (x, xp, y, yp, z, zp []float32) {
	return l.wx[o : o+n], l.wx[o+1 : o+1+n], l.wy[o : o+n], l.wy[o+l.sy : o+l.sy+n], l.wz[o : o+n], l.wz[o+l.sz : o+l.sz+n]
}

// fractions are open face fractions on the staggered grid: x has NX+1 values a
// row, and so on.
type fractions struct{ x, y, z *grid.Field }

func newFractions(d grid.Dims) fractions {
	return fractions{
		grid.NewField(grid.Dims{NX: d.NX + 1, NY: d.NY, NZ: d.NZ}),
		grid.NewField(grid.Dims{NX: d.NX, NY: d.NY + 1, NZ: d.NZ}),
		grid.NewField(grid.Dims{NX: d.NX, NY: d.NY, NZ: d.NZ + 1}),
	}
}

// geometry returns, for axis a, the weight factor of inner faces and of the
// faces at the low and the high side, with p = 0 half a fine cell outside.
func (l *level) geometry(a, nFine int) (inner, low, high float32) {
	n := [3]int{l.NX, l.NY, l.NZ}[a]
	top := max(l.log[0], l.log[1], l.log[2])
	ratio := float64(int(1) << (top - l.log[a]))
	h := float64(int(1) << l.log[a])
	dLow := (0.5*h + 0.5) / h
	dHigh := max(0.25, (float64(nFine)+0.5-(float64(n)-0.5)*h)/h)
	r2 := ratio * ratio
	return float32(r2), float32(r2 / dLow), float32(r2 / dHigh)
}

// assemble fills weights, diagonal and row kinds from the open fractions.
func (l *level) assemble(crew grid.Crew, f fractions, fine grid.Dims) {
	gx, gxl, gxh := l.geometry(0, fine.NX)
	gy, gyl, gyh := l.geometry(1, fine.NY)
	gz, gzl, gzh := l.geometry(2, fine.NZ)
	pick := func(i, n int, in, lo, hi float32) float32 {
		switch i {
		case 0:
			return lo
		case n:
			return hi
		}
		return in
	}
	crew.For(l.NZ, 1, func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			for j := range l.NY {
				o := l.at(j, k)
				fx := f.x.Row(j, k)
				y0, y1 := f.y.Row(j, k), f.y.Row(j+1, k)
				z0, z1 := f.z.Row(j, k), f.z.Row(j, k+1)
				ay, by := pick(j, l.NY, gy, gyl, gyh), pick(j+1, l.NY, gy, gyl, gyh)
				az, bz := pick(k, l.NZ, gz, gzl, gzh), pick(k+1, l.NZ, gz, gzl, gzh)
				kind := rowEmpty
				plain := true
				for i := range l.NX {
					xl, xh := fx[i]*pick(i, l.NX, gx, gxl, gxh), fx[i+1]*pick(i+1, l.NX, gx, gxl, gxh)
					yl, yh := y0[i]*ay, y1[i]*by
					zl, zh := z0[i]*az, z1[i]*bz
					d := ((xl + xh) + (yl + yh)) + (zl + zh)
					l.wx[o+i], l.wy[o+i], l.wz[o+i] = xl, yl, zl
					l.diag[o+i] = d
					if d <= 0 {
						l.diag[o+i], l.invd[o+i] = 0, 0
						plain = false
						continue
					}
					l.invd[o+i] = 1 / d
					kind = rowWeighted
					if (i > 0 && xl != 1) || (i+1 < l.NX && xh != 1) || (j > 0 && yl != 1) ||
						(j+1 < l.NY && yh != 1) || (k > 0 && zl != 1) || (k+1 < l.NZ && zh != 1) {
						plain = false
					}
				}
				// the weight of the last cell's upper face has nowhere to stand
				// but the pad, where x is zero: it lives in the diagonal alone
				if kind == rowWeighted && plain {
					kind = rowPlain
				}
				l.kind[k*l.NY+j] = kind
			}
		}
	})
}

// coarsen makes the fractions of the next level: means over the fine faces
// that a coarse face covers.
func coarsen(crew grid.Crew, f fractions, d, c grid.Dims, by [3]int) fractions {
	g := newFractions(c)
	mean := func(src, dst *grid.Field, axis int) {
		crew.For(dst.NZ, 1, func(k0, k1 int) {
			for k := k0; k < k1; k++ {
				for j := range dst.NY {
					row := dst.Row(j, k)
					for i := range row {
						at := [3]int{i * by[0], j * by[1], k * by[2]}
						span := by
						span[axis] = 1
						n := [3]int{src.NX, src.NY, src.NZ}
						at[axis] = min(at[axis], n[axis]-1)
						var s float32
						for c := range span[2] {
							for b := range span[1] {
								for a := range span[0] {
									x, y, z := at[0]+a, at[1]+b, at[2]+c
									if x < n[0] && y < n[1] && z < n[2] {
										s += src.At(x, y, z)
									}
								}
							}
						}
						row[i] = s / float32(span[0]*span[1]*span[2])
					}
				}
			}
		})
	}
	mean(f.x, g.x, 0)
	mean(f.y, g.y, 1)
	mean(f.z, g.z, 2)
	return g
}
