package cloth

import (
	"math"

	"zarf/core/geom"
)

// Fire is how a fabric burns.
type Fire struct {
	At     float64 // K over the air, at which it catches fire; 0: never
	Lasts  float64 // s from then on until it is ash
	Spread float64 // m/s, by which fire goes on along it
}

const (
	// fibre is the heat that a kilogram takes up, J/(kg K): cotton, wool, wood.
	fibre = 1300.0
	// film is what hot gas gives to either side, by convection and radiation, W/(m² K).
	film = 60.0
	// boils is the heat over the air at which water leaves cloth, K, and latent what that takes, J/kg.
	boils, latent = 80.0, 2.26e6
	// flame is how hot burning cloth is over the air, K.
	flame = 700.0
	// catches is how long what is lit takes to catch fire, s.
	catches = 0.1
)

// Burns reports cloth that may catch fire, or has.
func (s *System) Burns() bool {
	for k := range s.Sheets {
		if s.Sheets[k].Fabric.Fire.At > 0 {
			return true
		}
	}
	return false
}

// warm heats cloth for dt seconds: by the gas about it, K over the air at a place, where it is lit,
// and by what burns beside it. What is wet dries first. What has caught fire burns on until it is
// ash. It returns how many vertices burn.
func (s *System) warm(dt float64, gas func(p geom.Vec3) float64, lit func(sheet int, p geom.Vec3) bool) (burning int) {
	gains := s.spread(dt)
	for v := range s.X {
		fab := &s.Sheets[s.sheet(v)].Fabric
		if fab.Fire.At <= 0 || s.Burnt[v] >= 1 || s.area[v] == 0 {
			continue
		}
		about := 0.0
		if gas != nil {
			about = gas(s.X[v])
		}
		held := fab.Mass * fibre // J/(m² K)
		rise := (about - s.Heat[v]) * -math.Expm1(-2*film*dt/held)
		if lit != nil && lit(s.sheet(v), s.X[v]) {
			gains[v] = max(gains[v], fab.Fire.At*dt/catches)
		}
		gain := max(rise, -s.Heat[v]) + gains[v]
		s.Heat[v] += gain
		if over := s.Heat[v] - boils; over > 0 && s.Wet[v] > 0 {
			dried := min(s.Wet[v], over*held/latent)
			s.Wet[v] -= dried
			s.Heat[v] -= dried * latent / held
		}
		lasts := max(fab.Fire.Lasts, 1e-3)
		switch over := s.Heat[v] - fab.Fire.At; {
		case s.Burnt[v] > 0:
			s.Burnt[v] = min(s.Burnt[v]+dt/lasts, 1)
			burning++
		case over >= 0: // within the step
			s.Burnt[v] = min(max(over/gain*dt, 1e-6)/lasts, 1)
			burning++
		}
		if s.Burnt[v] > 0 {
			s.Heat[v] = max(s.Heat[v], flame)
		}
		if s.Burnt[v] >= 1 {
			s.Heat[v] = 0
		}
	}
	return burning
}

// spread is by how much every vertex that doesn't burn is heated by those that do and share a face
// with it: so that it catches fire by the time that fire has come from there.
func (s *System) spread(dt float64) []float64 {
	gains := make([]float64, len(s.X))
	for k := range s.faces {
		f := &s.faces[k]
		fire := &s.Sheets[f.of].Fabric.Fire
		if fire.At <= 0 || fire.Spread <= 0 {
			continue
		}
		for _, a := range f.v {
			if s.Burnt[a] <= 0 || s.Burnt[a] >= 1 {
				continue
			}
			long := dt
			if since := s.Burnt[a] * max(fire.Lasts, 1e-3); since < dt { // it caught fire within the step before
				long += since
			}
			for _, b := range f.v {
				if b != a && s.Burnt[b] <= 0 {
					far := max(s.rest[a].Dist(s.rest[b]), 1e-9)
					gains[b] = max(gains[b], fire.At*fire.Spread/far*long)
				}
			}
		}
	}
	return gains
}

// isAsh reports a face that has burnt at all corners.
func (s *System) isAsh(k int) bool {
	v := s.faces[k].v
	return s.Burnt[v[0]] >= 1 && s.Burnt[v[1]] >= 1 && s.Burnt[v[2]] >= 1
}

// ash takes away faces that have burnt at all corners; it returns how many. One face stays whatever
// happens, as a system has some, but isn't shown.
func (s *System) ash() (gone int) {
	left := s.faces[:0:0]
	for k := range s.faces {
		if s.isAsh(k) {
			gone++
			continue
		}
		left = append(left, s.faces[k])
	}
	if len(left) == 0 {
		left, gone = s.faces[:1], gone-1
	}
	if gone == 0 {
		return 0
	}
	s.faces = left
	s.folds, s.bends = bends(s.rest, s.faces, s.Sheets)
	s.knit()
	return gone
}
