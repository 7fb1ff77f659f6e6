package measure

import "math"

// diskCells is how many cells the slotted disk's square has each way.
const diskCells = 100

// diskSteps is how many steps a turn takes, Zalesak's own number: about one cell a step at the rim.
const diskSteps = 628

// square is a field on the slotted disk's cells, x fastest.
type square [diskCells * diskCells]float64

// slottedDisk is Zalesak's (1979): a disk of radius 15 about (50, 75), with a slot 5 wide.
func slottedDisk() *square {
	var f square
	for c := range f {
		x, y := float64(c%diskCells)+0.5-50, float64(c/diskCells)+0.5-75
		if x*x+y*y < 225 && !(math.Abs(x) < 2.5 && y < 10) {
			f[c] = 1
		}
	}
	return &f
}

// off is the mean |difference| of two fields.
func (f *square) off(g *square) (e float64) {
	for c, v := range f {
		e += math.Abs(v - g[c])
	}
	return e / float64(len(f))
}

// linear reads between cells, and tells the least and the largest of the four it reads.
func (f *square) linear(x, y float64) (v, least, most float64) {
	at := func(i, j int) float64 {
		i, j = min(max(i, 0), diskCells-1), min(max(j, 0), diskCells-1)
		return f[j*diskCells+i]
	}
	i, j := int(math.Floor(x)), int(math.Floor(y))
	a, b := x-float64(i), y-float64(j)
	p, q, r, s := at(i, j), at(i+1, j), at(i, j+1), at(i+1, j+1)
	return (p*(1-a)+q*a)*(1-b) + (r*(1-a)+s*a)*b, min(p, q, r, s), max(p, q, r, s)
}

// turned is where the middle of a cell comes to by a turn about the square's middle, in cells
// from the middle of the first.
func turned(c int, angle float64) (x, y float64) {
	sin, cos := math.Sincos(angle)
	x, y = float64(c%diskCells)+0.5-50, float64(c/diskCells)+0.5-50
	return cos*x - sin*y + 50 - 0.5, sin*x + cos*y + 50 - 0.5
}

// publishedDisk is the error of the slotted disk after one turn in so many steps by MacCormack's
// scheme as it was published (Selle, Fedkiw, Kim, Liu and Rossignac 2008, An unconditionally
// stable MacCormack method), against that of its semi-Lagrangian half: φ̂ = A(φ), φ = A⁻(φ̂)
// back again, φ̂ + ½ (φ − φ back), limited to the cells that φ̂ was read from. Ways are exact, so that nothing
// but the scheme counts.
func publishedDisk(steps int) float64 {
	angle := 2 * math.Pi / float64(steps)
	both := [2]*square{slottedDisk(), slottedDisk()}
	for range steps {
		for n, f := range both {
			var ahead, least, most, out square
			for c := range f {
				x, y := turned(c, -angle)
				ahead[c], least[c], most[c] = f.linear(x, y)
			}
			if out = ahead; n == 1 {
				for c := range f {
					x, y := turned(c, angle)
					again, _, _ := ahead.linear(x, y)
					out[c] = min(max(ahead[c]+(f[c]-again)/2, least[c]), most[c])
				}
			}
			both[n] = &out
		}
	}
	return both[1].off(slottedDisk()) / both[0].off(slottedDisk())
}
