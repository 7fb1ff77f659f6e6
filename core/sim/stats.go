package sim

import (
	"encoding/json"
	"maps"
)

// Amount names a figure of a frame. What it is called on the page, and its
// unit, is told by the solver that makes it.
type Amount string

// Amounts that more than one package reads; names are those in the records of
// cached frames.
const (
	SmokeTotal Amount = "smoke_total" // density integrated, m³
	HeatTotal  Amount = "heat_total"  // K·m³ over the air
	FuelTotal  Amount = "fuel_total"  // kg
	FuelBurnt  Amount = "fuel_burnt"  // kg in this frame
	HeatMade   Amount = "heat_made"   // K·m³ in this frame, by burning
	SootMade   Amount = "soot_made"   // m³ of density 1
	Expanded   Amount = "expanded"    // m³ of gas that burning made room for
	VolumeMade Amount = "volume_made" // m³ in this frame, by emitters and expansion
	VolumeHeld Amount = "volume_held" // m³ that found no way out of a closed box
	Lost       Amount = "lost"        // smoke in tiles given up, m³
	Tiles      Amount = "tiles"       // in use
	PeakHeat   Amount = "peak_temp"   // K over the air
	Warm       Amount = "warm"        // mean excess temperature of what can be seen, K
	FastX      Amount = "fast_x"      // where the fastest is, m
	FastY      Amount = "fast_y"
	FastZ      Amount = "fast_z"
	Particles  Amount = "particles"
	Drops      Amount = "drops"   // of foam, spray and bubbles
	Volume     Amount = "volume"  // of a liquid, m³
	Drained    Amount = "drained" // m³ taken away in this frame
)

// Stats tells how a frame went: what every solver can tell, and named amounts.
type Stats struct {
	Substeps    int        `json:"substeps"`
	Capped      bool       `json:"capped"` // more substeps were needed than allowed
	Iterations  int        `json:"iterations"`
	Residual    float64    `json:"residual"` // the worst
	Unconverged int        `json:"unconverged"`
	MaxSpeed    float64    `json:"max_speed"`
	Cut         [6]float64 `json:"cut"`              // that left through each side, m³: −x, +x, −y, +y, −z, +z
	AtLimit     [6]bool    `json:"at_limit"`         // sides where growing bounds were stopped
	Voxels      int        `json:"voxels,omitempty"` // in use
	Window      [3]int     `json:"window"`           // cells that arrays are laid out for
	Top         float64    `json:"top,omitempty"`    // height of the highest fluid over the floor, m
	Width       float64    `json:"width,omitempty"`  // widest extent in x, m
	Low         [3]float64 `json:"low"`              // the box of what can be seen, m
	High        [3]float64 `json:"high"`
	Bulk        float64    `json:"bulk,omitempty"` // what can be seen, m³

	Amounts map[Amount]float64 `json:"-"` // beside the others in JSON
}

// Of is an amount; 0 where the solver tells none.
func (s Stats) Of(a Amount) float64 { return s.Amounts[a] }

// Put sets an amount; 0 is left out.
func (s *Stats) Put(a Amount, v float64) {
	if v == 0 {
		return
	}
	if s.Amounts == nil {
		s.Amounts = map[Amount]float64{}
	}
	s.Amounts[a] = v
}

// plain is Stats without its own way to be written.
type plain Stats

// MarshalJSON writes amounts as fields beside the others.
func (s Stats) MarshalJSON() ([]byte, error) {
	b, err := json.Marshal(plain(s))
	if err != nil || len(s.Amounts) == 0 {
		return b, err
	}
	m, err := json.Marshal(s.Amounts)
	if err != nil {
		return nil, err
	}
	return append(append(b[:len(b)-1], ','), m[1:]...), nil
}

// UnmarshalJSON takes every number that is none of the fields as an amount, so
// that records of other versions can be read.
// A record of a newer version may hold amounts that nobody here knows: they are kept
// and written back.
func (s *Stats) UnmarshalJSON(b []byte) error {
	if err := json.Unmarshal(b, (*plain)(s)); err != nil {
		return err
	}
	var all map[string]json.RawMessage
	if err := json.Unmarshal(b, &all); err != nil {
		return err
	}
	maps.DeleteFunc(all, func(name string, _ json.RawMessage) bool { return fields[name] })
	for name, raw := range all {
		var v float64
		if json.Unmarshal(raw, &v) == nil {
			s.Put(Amount(name), v)
		}
	}
	return nil
}

// fields are the names in JSON of the fields of Stats.
var fields = func() map[string]bool {
	b, err := json.Marshal(plain{Voxels: 1, Top: 1, Width: 1, Bulk: 1})
	if err != nil {
		panic(err)
	}
	var all map[string]json.RawMessage
	if err := json.Unmarshal(b, &all); err != nil {
		panic(err)
	}
	out := map[string]bool{}
	for name := range all {
		out[name] = true
	}
	return out
}()
