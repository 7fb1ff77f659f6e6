package stage

import (
	"math"
	"slices"
	"sync"

	"zarf/core/sea"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// TimeOf is the fluid's time at which a frame stands, s after the start; frames may be parts.
func TimeOf(s *shot.Shot, frame float64) float64 {
	n := math.Floor(frame)
	return began(s, int(n)+1) + (frame-n)*Lasts(s, int(n)+1)
}

// SeaState is what an element that is a sea says of it.
func SeaState(s *shot.Shot, e *shot.Element) sea.State {
	st := sea.State{Wind: val.SeaWind.Of(e), Bearing: val.SeaBearing.Of(e) * math.Pi / 180, Fetch: val.SeaFetch.Of(e), Depth: val.SeaDepth.Of(e),
		Spread: val.WaveSpread.Of(e), Choppy: val.Choppy.Of(e), Height: val.WaveHeight.Of(e), Shortest: val.ShortestWave.Of(e),
		Level: val.SeaLevel.Of(e), Gravity: max(math.Abs(val.Gravity.Of(s)), 0.01), Seed: uint64(val.Seed.Of(e))}
	if h := val.CrestHeight.Of(e); h > 0 {
		place := val.CrestPlace.Of(e)
		st.Crest = sea.Crest{High: h, X: place[0], Z: place[2], T: TimeOf(s, val.CrestFrame.Of(e))}
	}
	// eight of the highest waves fit a tile, and it is never as small as a pond
	st.Longest = max(8*st.PeakLength(), 60)
	return st
}

// seas are those that were made last: making one takes a tenth of a second.
var seas struct {
	sync.Mutex
	list []*sea.Sea
}

// SeaOf is the sea that an element is.
func SeaOf(s *shot.Shot, e *shot.Element) (*sea.Sea, error) { return madeSea(SeaState(s, e)) }

// Ripples are a sea's waves that are too short for voxels of h.
func Ripples(s *shot.Shot, e *shot.Element, h float64) (*sea.Sea, error) {
	st := SeaState(s, e)
	st.Under = 6 * h
	return madeSea(st)
}

func madeSea(st sea.State) (*sea.Sea, error) {
	seas.Lock()
	defer seas.Unlock()
	for n, o := range seas.list {
		if o.State == st {
			seas.list = append(slices.Delete(seas.list, n, n+1), o)
			return o, nil
		}
	}
	o, err := sea.New(st)
	if err != nil {
		return nil, err
	}
	if len(seas.list) >= 4 {
		seas.list = slices.Delete(seas.list, 0, 1)
	}
	seas.list = append(seas.list, o)
	return o, nil
}

// Rim is how wide the rim is in which a domain follows its sea, m.
func Rim(e, d *shot.Element) float64 {
	if r := val.SeaRim.Of(e); r > 0 {
		return max(r, 2*val.Voxel.Of(d))
	}
	b := d.DomainBox().Size()
	return max(min(b.X, b.Z)/8, 6*val.Voxel.Of(d))
}
