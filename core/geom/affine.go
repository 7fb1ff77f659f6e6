package geom

// Transforms of space: affine maps, and unit quaternions for their turning part.
// Files bring matrices by rows or by columns, quaternions with w first or last,
// angles in six orders; readers convert to what is written here, once, at the edge.

import "math"

// Affine is p' = M p + T; rows of M are the images' coordinates.
// The bottom row of the 4×4 matrix would be 0 0 0 1 and is not kept: nothing on a
// stage is a projection.
type Affine struct {
	M Mat3
	T Vec3
}

// Identity changes nothing.
var Identity = Affine{M: Mat3{V(1, 0, 0), V(0, 1, 0), V(0, 0, 1)}}

// Point moves a point.
func (a Affine) Point(p Vec3) Vec3 { return a.M.Apply(p).Add(a.T) }

// Then is the transform that does a first and b after it.
// It reads in the order in which things happen, child.Then(parent), the reverse of
// how the matrices are written in a product. M = b.M·a.M, T = b.M·a.T + b.T.
func (a Affine) Then(b Affine) Affine {
	var c Affine
	cols := [3]Vec3{V(a.M[0].X, a.M[1].X, a.M[2].X), V(a.M[0].Y, a.M[1].Y, a.M[2].Y), V(a.M[0].Z, a.M[1].Z, a.M[2].Z)}
	for r := range 3 {
		c.M[r] = V(b.M[r].Dot(cols[0]), b.M[r].Dot(cols[1]), b.M[r].Dot(cols[2]))
	}
	c.T = b.Point(a.T)
	return c
}

// Det is the factor by which volumes grow; below 0 it mirrors.
// It is the triple product of the rows. Its sign decides whether a mesh under the
// transform must have its triangles turned round to keep its outside outside.
func (a Affine) Det() float64 { return a.M[0].Dot(a.M[1].Cross(a.M[2])) }

// Inverse undoes a; ok is false where a flattens space.
// Only an exact 0 or NaN is refused. A flattened element is caught earlier by the
// limits on size in the catalogue; a nearly flat one has an inverse that is large
// but true.
func (a Affine) Inverse() (inv Affine, ok bool) {
	d := a.Det()
	if d == 0 || math.IsNaN(d) {
		return Identity, false
	}
	// the adjugate over the determinant
	c0, c1, c2 := a.M[1].Cross(a.M[2]).Mul(1/d), a.M[2].Cross(a.M[0]).Mul(1/d), a.M[0].Cross(a.M[1]).Mul(1/d)
	inv.M = Mat3{V(c0.X, c1.X, c2.X), V(c0.Y, c1.Y, c2.Y), V(c0.Z, c1.Z, c2.Z)}
	inv.T = inv.M.Apply(a.T).Mul(-1)
	return inv, true
}

// Rigid reports a turn and a shift without scaling or shear, to within tol.
// The test is M·Mᵀ = 1, entry by entry, and a positive determinant. Level sets and
// speeds carry over a rigid move unchanged; under any other the field is made anew.
func (a Affine) Rigid(tol float64) bool {
	for r := range 3 {
		for c := range 3 {
			want := 0.0
			if r == c {
				want = 1
			}
			if math.Abs(a.M[r].Dot(a.M[c])-want) > tol {
				return false
			}
		}
	}
	return a.Det() > 0
}

// Quat is a rotation x i + y j + z k + w.
// Keys between two attitudes run over quaternions, since Euler angles swing about on
// the way and a matrix entry by entry shrinks in the middle.
type Quat struct{ X, Y, Z, W float64 }

// Unit has length 1; the zero quaternion becomes no rotation.
func (q Quat) Unit() Quat {
	l := math.Sqrt(q.X*q.X + q.Y*q.Y + q.Z*q.Z + q.W*q.W)
	if l == 0 {
		return Quat{W: 1}
	}
	return Quat{q.X / l, q.Y / l, q.Z / l, q.W / l}
}

// Mat3 is the rotation as a matrix; q has length 1.
// q and −q are the same rotation, and give the same matrix bit for bit.
func (q Quat) Mat3() Mat3 {
	// Hamilton's product q v q* written out
	x, y, z, w := q.X, q.Y, q.Z, q.W
	return Mat3{
		{1 - 2*(y*y+z*z), 2 * (x*y - z*w), 2 * (x*z + y*w)},
		{2 * (x*y + z*w), 1 - 2*(x*x+z*z), 2 * (y*z - x*w)},
		{2 * (x*z - y*w), 2 * (y*z + x*w), 1 - 2*(x*x+y*y)},
	}
}

// Quat is the rotation as a quaternion of length 1 (Shepperd 1978).
func (m Mat3) Quat() Quat {
	// the largest of four squares, so that none of its divisions is by little
	x, y, z := m[0].X, m[1].Y, m[2].Z
	var q Quat
	switch w := x + y + z; max(w, x, y, z) {
	case w:
		q = Quat{m[2].Y - m[1].Z, m[0].Z - m[2].X, m[1].X - m[0].Y, 1 + w}
	case x:
		q = Quat{1 + x - y - z, m[0].Y + m[1].X, m[0].Z + m[2].X, m[2].Y - m[1].Z}
	case y:
		q = Quat{m[0].Y + m[1].X, 1 - x + y - z, m[1].Z + m[2].Y, m[0].Z - m[2].X}
	default:
		q = Quat{m[0].Z + m[2].X, m[1].Z + m[2].Y, 1 - x - y + z, m[1].X - m[0].Y}
	}
	return q.Unit()
}

// AxisAngle turns by radians about an axis of length 1.
// Right-handed: seen with the axis pointing at the viewer, a positive angle turns
// anticlockwise.
func AxisAngle(axis Vec3, angle float64) Quat {
	s, c := math.Sincos(angle / 2)
	return Quat{axis.X * s, axis.Y * s, axis.Z * s, c}
}

// Slerp goes from a to b along the shorter arc (Shoemake 1985).
// The one of ±b with the positive product with a is taken; without that a key at
// 179° and one at −179° would go the long way round. t may lie outside 0 to 1.
func Slerp(a, b Quat, t float64) Quat {
	dot := a.X*b.X + a.Y*b.Y + a.Z*b.Z + a.W*b.W
	if dot < 0 {
		b, dot = Quat{-b.X, -b.Y, -b.Z, -b.W}, -dot
	}
	x, y := 1-t, t
	// nearly the same: a straight line is as good, and sin has no digits left
	if dot < 0.9995 {
		angle := math.Acos(dot)
		s := math.Sin(angle)
		x, y = math.Sin((1-t)*angle)/s, math.Sin(t*angle)/s
	}
	return Quat{a.X*x + b.X*y, a.Y*x + b.Y*y, a.Z*x + b.Z*y, a.W*x + b.W*y}.Unit()
}

// TRS scales, then turns, then shifts.
func TRS(t Vec3, r Quat, s Vec3) Affine {
	m := r.Mat3()
	for n := range m {
		m[n] = m[n].Scale(s)
	}
	return Affine{m, t}
}

// Angles are the degrees about x, then y, then z whose RotationXYZ is m.
// The middle angle comes out within ±90°. There are always two sets of angles for a
// rotation; a curve through several must be unwound by the caller (see anim).
func (m Mat3) Angles() Vec3 {
	d := 180 / math.Pi
	// m[2].X is −sin y in the matrix that RotationXYZ writes out; the others follow
	// from ratios in which cos y cancels, which is why they fail where it is 0.
	sy := -m[2].X
	// gimbal lock: the first and third axis are the same
	if math.Abs(sy) > 1-1e-12 { // only the sum of the other two counts
		return V(0, math.Copysign(90, sy), d*math.Atan2(-m[0].Y, m[1].Y))
	}
	return V(d*math.Atan2(m[2].Y, m[2].Z), d*math.Asin(sy), d*math.Atan2(m[1].X, m[0].X))
}
