package shot

// Domains: boxes of voxels that hold a fluid. What can be held, and the values that
// only one fluid has, are registered by solvers; here is what all domains share.

import (
	"fmt"
	"strings"

	"zarf/core/shot/val"
)

// side declares one side of a domain.
func side(n val.TextKey, label, def string) Entry {
	return of(n, Entry{Kind: Domain, Label: label, Type: Choice, Default: Text(def), Choices: opts("outflow", "outflow", "wall", "wall"), Topic: "sides", Sim: true, Builds: true,
		Help: "Outflow lets fluid leave and outside air in; a wall stops it."})
}

// domains declares what all domains have, whatever they hold.
func domains() KindDef {
	return KindDef{Kind: Domain, Name: "Air", Group: "holds it", Sentence: domainSentence, Draw: drawDomain, Values: []Entry{
		of(val.Position, Entry{Kind: Domain, Label: "Position", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Fixed: fixedGrid, Main: true, Topic: "place", Sim: true, Builds: true, Help: "Where the middle of the box stands."}),
		of(val.Size, Entry{Kind: Domain, Label: "Size", Type: Vector, Unit: Metre, Default: Vec(1.5, 2, 1.5), Min: 1e-4, Max: 1e5, Fixed: fixedGrid, Main: true, Topic: "place", Sim: true, Builds: true, Help: "The box in which fluid is simulated. Changing it leaves the voxel size alone; time and memory grow with the volume."}),
		of(val.Voxel, Entry{Kind: Domain, Label: "Voxel size", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-5, Max: 1e4, Fixed: fixedGrid, Main: true, Topic: "detail", Sim: true, Builds: true, Help: "Edge of a grid cell. Half of it shows twice the detail, takes 8 times the memory and about 16 times the time."}),
		of(val.Fluid, Entry{Kind: Domain, Label: "Holds", Type: Choice, Default: Text("gas"), Main: true, Topic: "place", Sim: true, Builds: true, Help: "What is simulated in the box. A liquid is carried by particles; emitters in it pour."}),
		of(val.Carrier, Entry{Kind: Domain, Label: "Carried by", Type: Ref, Main: true, Topic: "carrier", Sim: true, When: "in=particles|cloth", Help: "The domain, or the sequence from outside, whose fluid carries particles and blows cloth: they feel its velocity, particles its heat too. Without one they are in still air, and in winds."}),
		of(val.Damping, Entry{Kind: Domain, Label: "Damping", Type: Number, Unit: PerSecond, Default: Num(0), Min: 0, Max: 1000, Step: 0.05, Keyable: true, Topic: "motion", Sim: true, Help: "Slows all motion, as if the air were thick."}),
		of(val.Flat, Entry{Kind: Domain, Label: "Flat", Type: Flag, Default: On(false), Topic: "bounds", Sim: true, Builds: true, Help: "One voxel deep along z: quick two-dimensional trials of timing and values. Curls look other than in depth."}),
		side(val.SideX0, "Side −x", "outflow"), side(val.SideX1, "Side +x", "outflow"), side(val.SideY0, "Floor −y", "wall"),
		side(val.SideY1, "Top +y", "outflow"), side(val.SideZ0, "Side −z", "outflow"), side(val.SideZ1, "Side +z", "outflow"),
		of(val.Cfl, Entry{Kind: Domain, Label: "Voxels a substep", Type: Number, Default: Num(2), Min: 0.1, Max: 20, Step: 0.5, Keyable: true, Topic: "solver", Sim: true, When: "in=gas|liquid|particles", Help: "How far the fastest gas may go in one substep. Lower is more exact and takes longer."}),
		of(val.MinSubsteps, Entry{Kind: Domain, Label: "Least substeps", Type: Integer, Default: Num(1), Min: 1, Max: 100, Step: 1, Keyable: true, Topic: "solver", Sim: true, When: "in=gas|liquid|particles", Help: "Substeps a frame at least."}),
		of(val.MaxSubsteps, Entry{Kind: Domain, Label: "Most substeps", Type: Integer, Default: Num(8), Min: 1, Max: 500, Step: 1, Keyable: true, Topic: "solver", Sim: true, When: "in=gas|liquid|particles", Help: "Substeps a frame at most; a run tells where it needed more."}),
		of(val.Tolerance, Entry{Kind: Domain, Label: "Pressure tolerance", Type: Number, Default: Num(1e-3), Min: 1e-7, Max: 0.1, Keyable: true, Topic: "solver", Sim: true, When: "in=gas|liquid", Help: "How exactly gas is kept from being squeezed. 0.001 looks right; smaller costs a little more time."}),
		of(val.Seed, Entry{Kind: Domain, Label: "Seed", Type: Integer, Default: Num(1), Min: 0, Max: 1e9, Step: 1, Fixed: fixedSeed, Topic: "solver", Sim: true, Builds: true, Help: "Another number gives other noise of the same character."}),
		of(val.CacheVelocity, Entry{Kind: Domain, Label: "Keep velocity", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Needed for motion blur and for handing velocity over; about two thirds of the disk space."}),
		of(val.CacheHalf, Entry{Kind: Domain, Label: "Cache in half precision", Type: Flag, Default: On(true), Topic: "cache", Sim: true, Help: "Half the disk space; pictures don't change."}),
	}}
}

// domainSentence says in a sentence what a domain is and does.
//
// Sides are told by the shorter list: what is a wall, or what is open. The fluid's
// own words come first (it may follow its gas) and last (viscosity, ignition).
func domainSentence(s *Shot, e *Element) string {
	m := s.metres()
	length := val.Units.Of(s)
	d, h, _ := e.Grid()
	size := val.Size.Of(e)
	var open, wall []string
	for i, free := range e.Open() {
		// order as in Sides, which is that of the sheet
		if free {
			open = append(open, Sides[i].Word)
		} else {
			wall = append(wall, Sides[i].Word)
		}
	}
	fluid := e.Fluid()
	sides := "lets " + fluid.Word + " out at " + list(open)
	switch {
	case len(wall) == 6:
		sides = "is closed on all sides"
	case len(wall) == 0:
		sides = "is open on all sides"
	case len(wall) < len(open):
		sides = "has walls at " + list(wall) + " only"
	}
	verb, more := "holds "+fluid.Word+" in", ""
	if fluid.Says != nil {
		var v string
		if v, more = fluid.Says(e); v != "" {
			verb = v
		}
	}
	for _, say := range also[fluid.Key] {
		more += say(e)
	}
	return fmt.Sprintf("%s %s × %s × %s at %s voxels (%d × %d × %d) and %s%s.",
		verb, Metre.Format(size[0], length), Metre.Format(size[1], length), m(size[2]), m(h), d.NX, d.NY, d.NZ, sides, more)
}

// drawDomain tells the viewport of its box.
// Walls are drawn apart from open sides, so the viewport is told of each.
func drawDomain(s *Shot, e *Element, ev val.Eval, d *Drawn) {
	b := e.DomainBox()
	d.Min, d.Max, d.Size = b.Min.Array(), b.Max.Array(), val.Size.Of(e)
	for _, open := range e.Open() {
		d.Walls = append(d.Walls, !open)
	}
}

// metres writes lengths in the shot's unit, with the unit.
// A function and not a method with a number, since sentences write several lengths.
func (s *Shot) metres() func(float64) string {
	length := val.Units.Of(s)
	return func(v float64) string { return Metre.Format(v, length) + " " + length }
}

// bare is a length as metres writes it, without its unit.
func bare(s string) string { return strings.TrimSuffix(s, unitOf(s)) }

func unitOf(s string) string { return s[strings.LastIndex(s, " "):] }
