// Package scale tells how large an effect reads on the screen.
//
// Who watches has no ruler: size is judged by how quickly a thing moves against
// its own size. What gravity drives obeys Froude scaling: a front at distance L
// from its source goes on at U = c·√(g′·L), with the reduced gravity
// g′ = g·ΔT/(T+ΔT) of its mean excess temperature. For thermals c is 0.6: they
// rise with w = 1.2·√(g′·r) and widen as r = z/4 (Scorer, J. Fluid Mech. 2,
// 1957). That counts all of a thermal's warmth within a ball; the mean over what
// can be seen is less, so that 0.72 is used, with which thermals that the gas
// solver makes by itself at 1.5 and at 40 m read as what they are. A front measured at U on the screen, by seconds of the picture,
// therefore reads as a size of g′·c²·(L/U)².
//
// A blast's fire is told by its fuel: M kilograms of it swell to R = 2.9·M^⅓ metres and
// burn for 0.45·M^⅓ seconds (Roberts, Fire Safety J. 4, 1981), so that one which burns
// for t reads as t/0.155 across a half. Its front slows down, as R ∝ t^(2/5) where
// pressure drives it (Taylor, Proc. R. Soc. A 201, 1950).
//
// These are laws of single fronts in still air. Of what winds, guides, pulls, vortices or
// pushes drive nothing is said, nor of fires that burn on, but for how high the flame of
// such a power is. Readings of what the solver makes by itself are within a quarter.
package scale
