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
	key   [sha256.Size]byte
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
	key := dressKey(l, c.Shutter)
	if k.v != nil && k.key == key {
		return k.v, k.notes, nil
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
	k.key, k.v, k.notes, k.told, k.clean = key, v, said, said, true
	return v, said, nil
}

// dressKey tells looks apart that shade a volume differently.
func dressKey(l *look.Look, shutter float64) (key [sha256.Size]byte) {
	sum := sha256.New()
	fmt.Fprint(sum, l.SmokeFrom, "/", l.TintFrom, "/", l.FlameBy, "/")
	numbers := []float64{shutter, l.FlameThickness, l.FlameSoot, l.FlameScale, l.FlameMix, l.FlameSoft, float64(l.FlameBands), l.Extinction[0], l.Extinction[1], l.Extinction[2]}
	for _, yes := range []bool{l.Lit(), l.FlameAnywhere, l.Smooth} {
		numbers = append(numbers, map[bool]float64{true: 1}[yes])
	}
	binary.Write(sum, binary.LittleEndian, numbers)
	for _, t := range []*look.Table{l.Opacity, l.Tint, l.FlameRamp, l.FlameCurve} {
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
