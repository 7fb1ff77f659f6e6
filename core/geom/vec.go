package geom

// Vectors, rotations and boxes in float64. Everything here is a value without
// pointers, so that it can be copied into a loop, compared with == and used as the
// key of a map. Work on millions of voxels does not go through these types: grids
// are rows of float32 with kernels of their own. These serve what there are
// thousands of: vertices, emitters, cameras, rays of a probe.

import "math"

// Vec3 is a point or a direction, in metres unless said otherwise.
// The axes are those of the stage: y is up, x to the right, z towards the viewer.
type Vec3 struct{ X, Y, Z float64 }

// V makes a vector.
func V(x, y, z float64) Vec3 { return Vec3{x, y, z} }

// FromArray makes a vector of three numbers.
func FromArray(a [3]float64) Vec3 { return Vec3{a[0], a[1], a[2]} }

// Array gives the three numbers.
func (a Vec3) Array() [3]float64 { return [3]float64{a.X, a.Y, a.Z} }

// The arithmetic is by component; nothing here looks at a length, so that infinities
// and NaN pass through as IEEE 754 has it. Readers of files refuse such numbers at
// the door, therefore no function below asks again.
func (a Vec3) Add(b Vec3) Vec3     { return Vec3{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }
func (a Vec3) Sub(b Vec3) Vec3     { return Vec3{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }
func (a Vec3) Mul(s float64) Vec3  { return Vec3{a.X * s, a.Y * s, a.Z * s} }
func (a Vec3) Scale(b Vec3) Vec3   { return Vec3{a.X * b.X, a.Y * b.Y, a.Z * b.Z} }
func (a Vec3) Dot(b Vec3) float64  { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }
func (a Vec3) Len() float64        { return math.Sqrt(a.Dot(a)) }
func (a Vec3) Dist(b Vec3) float64 { return a.Sub(b).Len() }
func (a Vec3) Cross(b Vec3) Vec3 {
	return Vec3{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Min and Max are those of the language: a NaN in either operand makes the result
// NaN. A box grown over points with one NaN is therefore NaN, not silently smaller.
func (a Vec3) Min(b Vec3) Vec3       { return Vec3{min(a.X, b.X), min(a.Y, b.Y), min(a.Z, b.Z)} }
func (a Vec3) Max(b Vec3) Vec3       { return Vec3{max(a.X, b.X), max(a.Y, b.Y), max(a.Z, b.Z)} }
func (a Vec3) Abs() Vec3             { return Vec3{math.Abs(a.X), math.Abs(a.Y), math.Abs(a.Z)} }
func (a Vec3) MaxComponent() float64 { return max(a.X, a.Y, a.Z) }
func (a Vec3) MinComponent() float64 { return min(a.X, a.Y, a.Z) }

// Unit has length 1; the zero vector stays.
func (a Vec3) Unit() Vec3 {
	if l := a.Len(); l > 0 {
		return a.Mul(1 / l)
	}
	return a
}

// Mat3 is a rotation: rows are the images' coordinates, p' = M p.
// Nothing checks that it is orthogonal; an Affine uses it for scale and shear as
// well. Back, however, is right for rotations only.
type Mat3 [3]Vec3

// RotationXYZ turns by angles in degrees about x, then y, then z.
// As matrices it is Rz·Ry·Rx. Elements of a shot and cameras keep their turns as
// these three angles, since that is what a person types; Angles below is the way
// back.
func RotationXYZ(deg Vec3) Mat3 {
	r := math.Pi / 180
	sx, cx := math.Sincos(deg.X * r)
	sy, cy := math.Sincos(deg.Y * r)
	sz, cz := math.Sincos(deg.Z * r)
	return Mat3{
		{cz * cy, cz*sy*sx - sz*cx, cz*sy*cx + sz*sx},
		{sz * cy, sz*sy*sx + cz*cx, sz*sy*cx - cz*sx},
		{-sy, cy * sx, cy * cx},
	}
}

// Apply turns v.
func (m Mat3) Apply(v Vec3) Vec3 { return Vec3{m[0].Dot(v), m[1].Dot(v), m[2].Dot(v)} }

// Times is the turn by o and then by m.
func (m Mat3) Times(o Mat3) Mat3 {
	var out Mat3
	for r := range m {
		out[r] = o.Back(m[r])
	}
	return out
}

// Back turns v the other way round.
// That is the transposed matrix, which for a rotation is its inverse: no determinant
// is computed, and turning to and fro loses only rounding.
func (m Mat3) Back(v Vec3) Vec3 {
	return m[0].Mul(v.X).Add(m[1].Mul(v.Y)).Add(m[2].Mul(v.Z))
}

// Box is an axis-aligned box.
// A box with Min above Max on an axis is empty: Overlaps says no to it, and Size is
// negative there. Bounds of a set of points start so, from +∞ and −∞.
type Box struct{ Min, Max Vec3 }

// Size is the extent along each axis.
func (b Box) Size() Vec3 { return b.Max.Sub(b.Min) }

// Centre is the middle.
func (b Box) Centre() Vec3 { return b.Min.Add(b.Max).Mul(0.5) }

// Grow moves every side out by d.
func (b Box) Grow(d float64) Box { return Box{b.Min.Sub(V(d, d, d)), b.Max.Add(V(d, d, d))} }

// Overlaps reports whether two boxes share a point.
// Boxes that only touch count as overlapping: for a search this errs on the side of
// looking at one node too many.
func (b Box) Overlaps(c Box) bool {
	return b.Min.X <= c.Max.X && c.Min.X <= b.Max.X && b.Min.Y <= c.Max.Y && c.Min.Y <= b.Max.Y && b.Min.Z <= c.Max.Z && c.Min.Z <= b.Max.Z
}

// Contains reports whether c lies within b.
func (b Box) Contains(c Box) bool {
	return b.Min.X <= c.Min.X && b.Min.Y <= c.Min.Y && b.Min.Z <= c.Min.Z && b.Max.X >= c.Max.X && b.Max.Y >= c.Max.Y && b.Max.Z >= c.Max.Z
}

// Gap is the distance between two boxes, 0 where they overlap.
// It is a lower bound of the distance between what the two hold, which is what a
// search down a hierarchy needs to leave out a pair of nodes.
func (b Box) Gap(c Box) float64 {
	d := b.Min.Sub(c.Max).Max(c.Min.Sub(b.Max)).Max(Vec3{})
	return d.Len()
}

// Ray runs a ray through the box: the distances at which it enters and
// leaves, and whether it does.
// near is negative where o is inside; a box wholly behind o is not hit. An axis along
// which the ray does not move is asked apart, as 0/0 on a side would be NaN.
func (b Box) Ray(o, dir Vec3) (near, far float64, hit bool) {
	near, far = math.Inf(-1), math.Inf(1)
	for _, a := range [3][4]float64{{o.X, dir.X, b.Min.X, b.Max.X}, {o.Y, dir.Y, b.Min.Y, b.Max.Y}, {o.Z, dir.Z, b.Min.Z, b.Max.Z}} {
		if a[1] == 0 {
			if a[0] < a[2] || a[0] > a[3] {
				return 0, 0, false
			}
			continue
		}
		t0, t1 := (a[2]-a[0])/a[1], (a[3]-a[0])/a[1]
		if t0 > t1 {
			t0, t1 = t1, t0
		}
		near, far = max(near, t0), min(far, t1)
	}
	return near, far, near <= far && far > 0
}
