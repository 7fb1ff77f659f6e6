package geom

import "math"

// Affine is p' = M p + T; rows of M are the images' coordinates.
type Affine struct {
	M Mat3
	T Vec3
}

// Identity changes nothing.
var Identity = Affine{M: Mat3{V(1, 0, 0), V(0, 1, 0), V(0, 0, 1)}}

// Point moves a point.
func (a Affine) Point(p Vec3) Vec3 { return a.M.Apply(p).Add(a.T) }

// Then is the transform that does a first and b after it.
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
func (a Affine) Det() float64 { return a.M[0].Dot(a.M[1].Cross(a.M[2])) }

// Inverse undoes a; ok is false where a flattens space.
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
func (q Quat) Mat3() Mat3 {
	// Hamilton's product q v q* written out
	x, y, z, w := q.X, q.Y, q.Z, q.W
	return Mat3{
		{1 - 2*(y*y+z*z), 2 * (x*y - z*w), 2 * (x*z + y*w)},
		{2 * (x*y + z*w), 1 - 2*(x*x+z*z), 2 * (y*z - x*w)},
		{2 * (x*z - y*w), 2 * (y*z + x*w), 1 - 2*(x*x+y*y)},
	}
}

// AxisAngle turns by radians about an axis of length 1.
func AxisAngle(axis Vec3, angle float64) Quat {
	s, c := math.Sincos(angle / 2)
	return Quat{axis.X * s, axis.Y * s, axis.Z * s, c}
}

// Slerp goes from a to b along the shorter arc (Shoemake 1985).
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
func (m Mat3) Angles() Vec3 {
	d := 180 / math.Pi
	sy := -m[2].X
	// gimbal lock: the first and third axis are the same
	if math.Abs(sy) > 1-1e-12 { // only the sum of the other two counts
		return V(0, math.Copysign(90, sy), d*math.Atan2(-m[0].Y, m[1].Y))
	}
	return V(d*math.Atan2(m[2].Y, m[2].Z), d*math.Asin(sy), d*math.Atan2(m[1].X, m[0].X))
}
