package liquid

import (
	"crypto/sha256"
	"encoding/binary"
	"fmt"
	"math"
	"os"
	"os/exec"
	"strings"
	"testing"

	"zarf/core/geom"
	"zarf/core/sim"
	"zarf/core/vec"
)

// pool is a tank with a jet, a ball, foam and a little of everything else.
func pool() Inputs {
	p := water
	p.Viscosity, p.Tension, p.Affine, p.Smooth = 2, 0.07, false, 0.05
	e := Emitter{Emitter: block(geom.V(0.2, 0.36, 0.2), geom.V(0.28, 0.44, 0.28)), ID: "jet"}
	e.AlongAxis, e.Speed = true, -2
	ball := geom.Shape{Form: geom.Sphere, Centre: geom.V(0.24, 0.2, 0.24), Size: geom.V(0.12, 0.12, 0.12), Turn: geom.RotationXYZ(geom.Vec3{})}
	return Inputs{Physics: p, Foam: Foam{Amount: 80, Lasts: 1}, Emitters: []Emitter{body(geom.V(0, 0, 0), geom.V(0.48, 0.12, 0.48)), e}, Scene: sim.Scene{Colliders: []sim.Collider{{Shape: ball, Before: ball, Friction: 0.5}}}}
}

func digest(s *Solver) string {
	h := sha256.New()
	put := func(v ...float32) {
		for _, x := range v {
			binary.Write(h, binary.LittleEndian, math.Float32bits(x))
		}
	}
	for _, p := range s.P {
		put(p.X[:]...)
		put(p.V[:]...)
	}
	for _, c := range s.C {
		for a := range c {
			put(c[a][:]...)
		}
	}
	for _, d := range s.Drops {
		put(d.X[:]...)
		put(d.V[:]...)
		put(d.Left, d.Age, float32(d.ID))
	}
	return fmt.Sprintf("%x", h.Sum(nil))
}

// digestOnly makes a process of this test print its digest and end.
const digestOnly = "ZARF_TEST_DIGEST"

// Every set of kernels gives the bits of the others over 20 steps and more.
func TestEverySetGivesTheSameBits(t *testing.T) {
	s := box(t, 24, 24, 24, 0.02, 2)
	run(t, s, 10, pool(), nil)
	if s.steps < 20 || len(s.Drops) == 0 {
		t.Fatalf("%d steps, %d drops: too little to compare", s.steps, len(s.Drops))
	}
	mine := "digest " + digest(s)
	if os.Getenv(digestOnly) != "" {
		fmt.Println(mine)
		return
	}
	for _, set := range vec.Sets() {
		if set == vec.Chosen {
			continue
		}
		cmd := exec.Command(os.Args[0], "-test.run=^TestEverySetGivesTheSameBits$")
		cmd.Env = append(os.Environ(), vec.Switch+"="+set.String(), digestOnly+"=1")
		out, err := cmd.CombinedOutput()
		if err != nil || !strings.Contains(string(out), mine) {
			t.Errorf("%s: %v: %s, with %s %s", set, err, out, vec.Chosen, mine)
		}
	}
}

func TestSameBitsOnAnyThreads(t *testing.T) {
	want := ""
	for _, threads := range []int{1, 2, 4} {
		s := box(t, 24, 24, 24, 0.02, threads)
		in := pool()
		run(t, s, 5, in, nil)
		in.Physics.Affine = true
		run(t, s, 3, in, nil)
		if s.steps < 20 {
			t.Fatalf("only %d steps", s.steps)
		}
		got := digest(s)
		if want == "" {
			want = got
		}
		if got != want {
			t.Errorf("%d threads give other bits than one", threads)
		}
	}
}
