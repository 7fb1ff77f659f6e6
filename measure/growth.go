package measure

import (
	"fmt"
	"math"
	"runtime"
	"sync"
	"time"

	"zarf/core/gas"
	"zarf/core/grid"
	"zarf/core/sim"
)

// growth tells what a voxel of smoke costs as boxes grow, at the same way a step in
// voxels, and what a second thread gains.
func growth(t *Table) {
	cell := map[int]float64{}
	for _, n := range []int{64, 128, 192, 256, 320} {
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		s, scene := still(n, t.crew)
		dt := 2.0 / 3 / float64(n)
		one := func() {
			if _, err := s.Frame(dt, sim.Substeps{CFL: 1000, Min: 1, Max: 1}, scene, nil); err != nil {
				panic(err)
			}
		}
		warm, reps := max(2, 512/n), max(2, 512/n)
		for range warm {
			one()
		}
		best := fastest(reps, one)
		runtime.ReadMemStats(&after)
		cells := math.Pow(float64(n), 3)
		cell[n] = best.Seconds() * 1e9 / cells
		t.most(fmt.Sprintf("smoke step %d³, time a cell", n), cell[n], 0, "ns")
		if n == 256 {
			bytes := float64(after.HeapAlloc-before.HeapAlloc) / cells
			t.most("memory of 16 million voxels of smoke", bytes*16e6/(1<<30), 24, "GiB")
		}
		runtime.KeepAlive(s)
	}
	least, most := cell[64], cell[64]
	for _, v := range cell {
		least, most = min(least, v), max(most, v)
	}
	t.most("smoke step, dearest cell of 64³ to 320³ against the cheapest", most/least, 1.3, "×")
	if t.crew.Threads() > 1 {
		for _, n := range []int{64, 128} {
			threads(t, n)
		}
	}
}

// still is a plume's box before its first step.
func still(n int, crew grid.Crew) (*gas.Solver, gas.Scene) {
	s, err := gas.New(gas.Box{Dims: cube(n), H: 1 / float64(n), Open: openTop}, crew)
	if err != nil {
		panic(err)
	}
	return s, plumeScene
}

// threads compares one thread with two, in turns, and tells what share of a step is
// serial by that (Amdahl), and what sixteen would gain. The goal is told for a machine
// whose second core doubles it: where two steps that have nothing to do with each other
// gain less side by side, as they share memory, cache and heat, so may one on both.
func threads(t *Table, n int) {
	type runner struct {
		name string
		make func(n int, crew grid.Crew) (*gas.Solver, gas.Scene)
	}
	for _, r := range []runner{{"smoke", plume}, {"burning", fire}} {
		one, scene1 := r.make(n, grid.NewCrew(1))
		other, scene3 := r.make(n, grid.NewCrew(1))
		two, scene2 := r.make(n, grid.NewCrew(2))
		alone, shared, apart := time.Duration(math.MaxInt64), time.Duration(math.MaxInt64), time.Duration(math.MaxInt64)
		for range max(12, 1536/n) {
			alone = min(alone, fastest(1, func() { step(one, scene1) }))
			shared = min(shared, fastest(1, func() { step(two, scene2) }))
			apart = min(apart, fastest(1, func() { both(func() { step(one, scene1) }, func() { step(other, scene3) }) }))
		}
		gain, machine := alone.Seconds()/shared.Seconds(), 2*alone.Seconds()/apart.Seconds()
		// Amdahl: 1/gain = serial + (1 − serial)/machine
		serial := max(0, (1/gain-1/machine)/(1-1/machine))
		name := fmt.Sprintf("%s step %d³, ", r.name, n)
		t.least(name+"two separate ones side by side against one after the other", machine, 0, "×")
		t.least(name+"two threads against one", gain, 1.85*min(machine/2, 1), "×")
		row := &t.Rows[len(t.Rows)-1]
		row.Target += fmt.Sprintf(" (1.85 where separate ones gain 2; here %.2f)", machine)
		t.least(name+"serial by that", 100*serial, 0, "%")
		t.least(name+"sixteen threads would gain, had they the memory", 1/(serial+(1-serial)/16), 0, "×")
	}
}

// both runs two things at once.
func both(a, b func()) {
	var done sync.WaitGroup
	done.Go(a)
	b()
	done.Wait()
}
