package mote

import "zarf/core/vec"

// How drag carries a ball over a step. With k = 1/τ constant, its velocity goes to u + a/k
// as e^−kt, exact for Stokes' drag whatever the step:
//
//	v(t) = u + (v − u) e^−kt + a (1 − e^−kt)/k
//
// and its place by the mean of that, in which e^−kt counts with m = (1 − e^−kt)/kt and the
// last term with (1 − m)/k. k depends on the speed against the fluid, so it is taken where
// that is in the step's middle (midpoint rule, second order).

// drag moves the velocities in t.was on for dt seconds, for n particles: to t.v, with their
// mean over the step in t.mean.
func (t *room) drag(n int, dt float32) {
	full := (n + vec.Lanes - 1) &^ (vec.Lanes - 1)
	for i := n; i < full; i++ {
		t.size[i], t.density[i] = 1, 1 // of nothing
	}
	one := t.of[0]
	t.rates(t.k[:full], one, dt)
	for i := range n { // those in other fluids, all of one at a time
		for f := t.of[i]; f != one && !t.told[i]; {
			t.rates(t.other[:full], f, dt)
			for j := i; j < n; j++ {
				if t.of[j] == f {
					t.k[j], t.told[j] = t.other[j], true
				}
			}
		}
	}
	clear(t.told[:n])
	vec.Fading(t.left[:full], t.m[:full], t.rise[:full], t.k[:full], dt)
	for c := range 3 {
		vec.Carried(t.v[c][:full], t.mean[c][:full], t.was[c][:full], t.u[c][:full], t.a[c][:full], t.left[:full], t.m[:full], t.rise[:full], dt)
	}
}

// rates are those of all in a fluid.
func (t *room) rates(k []float32, f *Fluid, dt float32) {
	s := vec.Slowing{Fluid: f.Density, Viscosity: f.Viscosity, Step: dt}
	s.Rates(k, t.size[:len(k)], t.density[:len(k)], &t.was, &t.u, &t.a)
}
