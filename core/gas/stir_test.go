package gas

import (
	"math"
	"testing"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/pressure"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// The noise of sub-grid turbulence has no divergence, mean square 1 a component, and its
// waves between two and seven voxels; in a single layer nothing goes across.
func TestStirringNoise(t *testing.T) {
	for _, flat := range []bool{false, true} {
		w := newStirring(5, flat)
		for which := range w.tiles {
			v := w.tiles[which]
			at := func(c, i, j, k int) float64 {
				return float64(v[c][((k&stirMask)*stirTile+j&stirMask)*stirTile+i&stirMask])
			}
			var div, mean, square float64
			var crossings, n float64
			for k := range stirTile {
				for j := range stirTile {
					for i := range stirTile {
						d := at(0, i+1, j, k) - at(0, i-1, j, k) + at(1, i, j+1, k) - at(1, i, j-1, k)
						if flat {
							if at(2, i, j, k) != 0 {
								t.Fatal("it goes across the layer")
							}
						} else {
							d += at(2, i, j, k+1) - at(2, i, j, k-1)
						}
						div = max(div, math.Abs(d))
						for c := range 3 {
							mean += at(c, i, j, k)
							square += at(c, i, j, k) * at(c, i, j, k)
						}
						if at(0, i, j, k)*at(0, i, j+1, k) < 0 {
							crossings++
						}
						n++
					}
				}
			}
			parts := 3.0
			if flat {
				parts = 2
			}
			wave := 2 * n / crossings // voxels
			if div > 1e-4 || math.Abs(mean/n) > 1e-3 || math.Abs(square/(parts*n)-1) > 1e-4 || wave < 2.5 || wave > 7 {
				t.Errorf("flat %v: divergence up to %g, mean %g, mean square %g, waves of %.1f voxels", flat, div, mean/n, square/(parts*n), wave)
			}
		}
	}
}

// Sub-grid turbulence stirs what is carried and not the flow, keeps amounts, does nothing where
// nothing turns, and holds in a single layer too.
func TestStirringStirsWhatIsCarried(t *testing.T) {
	run := func(strength float64, spins, flat bool, per float64) (*Solver, float64) {
		b := withPoints(room(32, 0.05, pressure.Sides{}), per)
		if flat {
			b.NZ = 1
		}
		s := mustNew(t, b, 2)
		for k := range s.NZ {
			for j := range s.NY {
				for i := 8; i < 24; i++ {
					if j > 8 && j < 24 {
						s.Smoke.Set(i, j, k, 1)
					}
				}
			}
		}
		before := s.total(s.Smoke)
		still := calm
		still.Gravity, still.SubGrid = 0, strength
		if spins {
			spin(s)
		}
		s.Forget()
		frames(t, s, 6, Inputs{Physics: still})
		return s, s.total(s.Smoke)/before - 1
	}
	gap := func(a, b *grid.Field) (sum float64) {
		for i, v := range a.Data {
			sum += math.Abs(float64(v - b.Data[i]))
		}
		return sum / float64(len(a.Data))
	}
	for _, flat := range []bool{false, true} {
		for _, per := range []float64{0, 16} {
			plain, _ := run(0, true, flat, per)
			stirred, off := run(2, true, flat, per)
			if d := gap(plain.Smoke, stirred.Smoke); d < 2e-3 {
				t.Errorf("flat %v, %g points: smoke differs by %g", flat, per, d)
			}
			if math.Abs(off) > 0.03 {
				t.Errorf("flat %v, %g points: smoke becomes %.3f of itself", flat, per, 1+off)
			}
			if gap(plain.U, stirred.U) != 0 || gap(plain.V, stirred.V) != 0 {
				t.Errorf("flat %v: the flow itself is stirred", flat)
			}
			resting, _ := run(0, false, flat, per)
			still, _ := run(2, false, flat, per)
			if gap(resting.Smoke, still.Smoke) != 0 {
				t.Errorf("flat %v: air at rest is stirred", flat)
			}
		}
	}
}

// Stirred runs have the same bits on any number of threads, and when they were stopped and gone on
// with.
func TestStirringHasTheSameBits(t *testing.T) {
	for _, by := range []string{"voxels", "points"} {
		sameBits(t, "by "+by, func(s *shot.Shot, d *shot.Element) {
			val.SubGrid.Set(d, 1.5)
			val.SmokeBy.Set(d, by)
			val.Bounds.Set(d, "follow")
			val.Speed.Set(s.Of(shot.Emitter)[0], 1.5) // it makes room, which the next step looks at
		}, func(s *Solver) bool { return s.stirs != nil && s.stirs.Drift != (geom.Vec3{}) })
	}
}
