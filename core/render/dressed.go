package render

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"sync"

	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/look"
)

// kept is a volume as a look shades it, for as long as what shades it stays: most of a
// look acts on its light alone.
type kept struct {
	mu    sync.Mutex
	smoke [sha256.Size]byte // by which look they are shaded
	fire  [sha256.Size]byte
	v     *Volume
	notes []string
	told  []string // what was found when values were cleaned, which is done once
	clean bool
}

// Keep lets Volume remember.
func (c *Channels) Keep() { c.kept = &kept{} }

// Volume is what the channels show by a look, of voxels of h from origin on, and notes of
// what had to be left out.
func (c *Channels) Volume(h float64, origin geom.Vec3, l *look.Look, crew grid.Crew) (*Volume, []string, error) {
	k := c.kept
	if k == nil {
		k = &kept{}
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	smoke, fire := dressKeys(l, c.Shutter)
	if k.v != nil && k.smoke == smoke && k.fire == fire {
		return k.v, k.notes, nil
	}
	if k.v != nil && k.smoke == smoke { // what glows alone
		v := k.v.unlit()
		if err := v.ignite(c, l, crew); err != nil {
			return nil, nil, err
		}
		k.fire, k.v = fire, v
		return v, k.notes, nil
	}
	v, bad := NewVolume(c.Density, h, origin, crew)
	said, err := v.Dress(c, l, crew)
	if err != nil {
		return nil, nil, err
	}
	if bad > 0 {
		said = append(said, fmt.Sprintf("%d voxels of density are negative or not finite and count as empty; the run may have blown up", bad))
	}
	if k.clean {
		said = append(said, k.told...)
	}
	k.smoke, k.fire, k.v, k.notes, k.told, k.clean = smoke, fire, v, said, said, true
	return v, said, nil
}

// unlit is a volume of the same smoke in which nothing glows.
func (v *Volume) unlit() *Volume {
	out := &Volume{Density: v.Density, opacity: v.opacity, spline: v.spline, H: v.H, Origin: v.Origin, tintBy: v.tintBy, tint: v.tint, moves: v.moves,
		tiles: v.tiles, major: v.major, still: v.still, skip: make([]uint8, len(v.skip))}
	out.measure()
	return out
}

// dressKeys tell looks apart that shade a volume's smoke differently, and what glows in it.
func dressKeys(l *look.Look, shutter float64) (smoke, fire [sha256.Size]byte) {
	key := func(names string, numbers []float64, tables ...*look.Table) (key [sha256.Size]byte) {
		sum := sha256.New()
		fmt.Fprint(sum, names, "/")
		binary.Write(sum, binary.LittleEndian, numbers)
		for _, t := range tables {
			if t == nil {
				sum.Write([]byte{0})
				continue
			}
			binary.Write(sum, binary.LittleEndian, []float64{1, t.Low, t.High})
			binary.Write(sum, binary.LittleEndian, t.V[:])
		}
		copy(key[:], sum.Sum(nil))
		return key
	}
	yes := func(b bool) float64 { return map[bool]float64{true: 1}[b] }
	smoke = key(l.SmokeFrom+"/"+l.TintFrom, []float64{shutter, yes(l.Smooth)}, l.Opacity, l.Tint)
	fire = key(l.FlameBy, []float64{l.FlameThickness, l.FlameSoot, l.FlameScale, l.FlameMix, l.FlameSoft, float64(l.FlameBands), l.Extinction[0], l.Extinction[1], l.Extinction[2], yes(l.Lit()), yes(l.FlameAnywhere), yes(l.Smooth)}, l.FlameRamp, l.FlameCurve)
	return smoke, fire
}
