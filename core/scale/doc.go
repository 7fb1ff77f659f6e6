// Package scale tells how large an effect reads on the screen.
//
// Who watches has no ruler: size is judged by how quickly a thing moves against
// its own size. What gravity drives obeys Froude scaling: a front at distance L
// from its source goes on at U = c·√(g′·L), with the reduced gravity
// g′ = g·ΔT/(T+ΔT) of its mean excess temperature. For thermals c is 0.6: they
// rise with w = 1.2·√(g′·r) and widen as r = z/4 (Scorer, J. Fluid Mech. 2,
// 1957). That counts all of a thermal's warmth within a ball; the mean over what
// can be seen is less, so that 0.85 is used, with which thermals that the gas
// solver makes by itself at 1.5 and at 40 m read as what they are. A front measured at U on the screen, by seconds of the picture,
// therefore reads as a size of g′·c²·(L/U)².
//
// A blast grows by its own pressure first and slows down: R ∝ t^(2/5) (Taylor,
// Proc. R. Soc. A 201, 1950). Its fire reaches its largest diameter D after a
// third of t = 1.08·√D, in metres and seconds (from D = 5.8·m^⅓ and
// t = 2.6·m^⅙; Roberts, Fire Safety J. 4, 1981), so that one which takes t to
// grow reads as (t/0.36)² across.
//
// These are laws of still air and single fronts: guides, wind and walls are not
// known to them, and a reading is good to about a factor of two.
package scale
