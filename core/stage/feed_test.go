package stage_test

import (
	"zarf/core/frame"
	"zarf/core/gas"
	_ "zarf/core/solvers"
	. "zarf/core/stage"

	"runtime"
	"strings"
	"testing"

	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// chained is a shot whose second domain is fed by the smoke of its first.
func chained() *shot.Shot {
	s := sample()
	s.Element("emitter1").ActsOn = []string{"domain1"}
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1, 1.2, 1)
	val.Voxel.Set(d, 0.08)
	val.Position.Set(d, 0, 0.6, 0)
	e := s.Add(shot.Emitter)
	val.From.Set(e, "fluid")
	val.FedBy.Set(e, "domain1")
	val.Smoke.Set(e, 2)
	e.ActsOn = []string{d.ID}
	return s
}

func TestOneDomainFeedsAnother(t *testing.T) {
	s := chained()
	order, err := s.Order()
	if err != nil || len(order) != 2 || order[0].ID != "domain1" {
		t.Fatalf("%v %v", order, err)
	}
	frames := map[int]*frame.Frame{}
	g := mustGas(t, s)
	for range 6 {
		n, _, err := g.Advance(nil)
		if err != nil {
			t.Fatal(err)
		}
		frames[n] = g.Frame()
	}
	second := func() *gas.Stage {
		f, err := gas.NewStage(s, "domain2", grid.NewCrew(1))
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	f := second()
	if _, _, err := f.Advance(nil); err == nil || !strings.Contains(err.Error(), "fed by") {
		t.Errorf("without its feed it went on: %v", err)
	}
	f = second()
	asked := 0
	f.Feed = func(d *shot.Element, n int) (*frame.Frame, error) {
		asked++
		if d.ID != "domain1" || frames[n] == nil {
			t.Fatalf("frame %d of %s was asked for", n, d.ID)
		}
		return frames[n], nil
	}
	for range 6 {
		if _, _, err := f.Advance(nil); err != nil {
			t.Fatal(err)
		}
	}
	if asked > 6 {
		t.Errorf("6 frames were read %d times", asked)
	}
	// it holds at least twice the density wherever the first has smoke
	src, err := SourceOf(frames[6], frame.Density)
	if err != nil {
		t.Fatal(err)
	}
	sv, worst, most := f.Solver, 1.0, 0.0
	for k := range sv.NZ {
		for j := range sv.NY {
			for i := range sv.NX {
				p := sv.Origin
				p.X, p.Y, p.Z = p.X+(float64(i)+0.5)*sv.H, p.Y+(float64(j)+0.5)*sv.H, p.Z+(float64(k)+0.5)*sv.H
				q := p.Sub(src.Origin).Mul(1 / src.H)
				if q.X < 1 || q.Y < 1 || q.Z < 1 || q.X > float64(src.Share.NX)-1 || q.Y > float64(src.Share.NY)-1 || q.Z > float64(src.Share.NZ)-1 {
					continue
				}
				want := float64(src.Share.Sample(float32(q.X-0.5), float32(q.Y-0.5), float32(q.Z-0.5)))
				if want > 0.3 && want <= 1 {
					worst = min(worst, float64(sv.Smoke.At(i, j, k))/(2*want))
				}
				most = max(most, float64(sv.Smoke.At(i, j, k)))
			}
		}
	}
	if worst < 0.75 || most > 2.3 {
		t.Errorf("it holds from %.2f of what feeds it, at most %.2f", worst, most)
	}
	runtime.KeepAlive(f)
}

func TestChainsKeys(t *testing.T) {
	s := chained()
	first, second := Key(s, s.Element("domain1")), Key(s, s.Element("domain2"))
	for what, c := range map[string]struct {
		change func(*shot.Shot)
		a, b   bool // whether the first, the second becomes stale
	}{
		"a value of the first":         {func(s *shot.Shot) { val.Smoke.Set(s.Element("emitter1"), 3) }, true, true},
		"a value of the second":        {func(s *shot.Shot) { val.Smoke.Set(s.Element("emitter2"), 3) }, false, true},
		"a look":                       {func(s *shot.Shot) { val.Phase.Set(s.Looks[0], 0.5) }, false, false},
		"the last frame":               {func(s *shot.Shot) { val.Last.Set(s.Self, 99) }, false, false},
		"which channel feeds it":       {func(s *shot.Shot) { val.FedWhere.Set(s.Element("emitter2"), "temperature") }, false, true},
		"a name":                       {func(s *shot.Shot) { s.Element("domain1").Name = "Other" }, false, false},
		"upres of the first":           {func(s *shot.Shot) { val.Upres.Set(s.Element("domain1"), "2") }, true, true},
		"what the second doesn't read": {func(s *shot.Shot) { val.Shell.Set(s.Element("emitter2"), 2) }, false, false},
	} {
		x := s.Clone()
		c.change(x)
		if a, b := Key(x, x.Element("domain1")) != first, Key(x, x.Element("domain2")) != second; a != c.a || b != c.b {
			t.Errorf("%s: stale %v and %v, want %v and %v", what, a, b, c.a, c.b)
		}
	}
	val.From.Set(s.Element("emitter1"), "fluid")
	val.FedBy.Set(s.Element("emitter1"), "domain2")
	if _, err := s.Order(); err == nil || !strings.Contains(err.Error(), "Air → Air 2 → Air") {
		t.Errorf("a ring: %v", err)
	}
	Key(s, s.Element("domain1")) // ends
}

func TestChannelsThatAreKept(t *testing.T) {
	for _, c := range []struct {
		off  []string
		want string
	}{{nil, "density temperature fuel burn velocity"}, {[]string{"cache_temperature"}, "density fuel burn velocity"}, {[]string{"cache_fire", "cache_velocity"}, "density temperature"}, {[]string{"cache_temperature", "cache_fire", "cache_velocity"}, "density"}} {
		s := sample()
		d := s.Element("domain1")
		val.Burning.Set(d, "fuel")
		for _, k := range c.off {
			d.Set(k, shot.On(false))
		}
		g := mustGas(t, s)
		if _, _, err := g.Advance(nil); err != nil {
			t.Fatal(err)
		}
		var names []string
		for _, x := range g.Frame().Grids {
			names = append(names, x.Name)
		}
		if got := strings.Join(names, " "); got != c.want {
			t.Errorf("without %v: %s", c.off, got)
		}
	}
}
