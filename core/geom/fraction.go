package geom

// insideTriangle is the share of a triangle where a linear φ < 0: the corner
// whose sign differs from the other two cuts off a similar triangle.
func insideTriangle(a, b, c float32) float32 {
	cut := func(p, q, r float32) float32 { return p / (p - q) * (p / (p - r)) }
	na, nb, nc := a < 0, b < 0, c < 0
	var share float32
	var lone bool // the sign of the lone corner
	switch {
	case na == nb && nb == nc:
		if na {
			return 1
		}
		return 0
	case nb == nc:
		share, lone = cut(a, b, c), na
	case na == nc:
		share, lone = cut(b, a, c), nb
	default:
		share, lone = cut(c, a, b), nc
	}
	if lone {
		return share
	}
	return 1 - share
}

// InsideSquare is the share of a face where φ < 0, from its corners in order
// round the face, by the four triangles about its middle.
func InsideSquare(a, b, c, d float32) float32 {
	if a >= 0 && b >= 0 && c >= 0 && d >= 0 {
		return 0
	}
	if a < 0 && b < 0 && c < 0 && d < 0 {
		return 1
	}
	m := (a + b + c + d) / 4
	return (insideTriangle(a, b, m) + insideTriangle(b, c, m) + insideTriangle(c, d, m) + insideTriangle(d, a, m)) / 4
}
