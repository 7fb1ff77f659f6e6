package stage_test

import (
	"bytes"
	"math"
	"testing"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/format"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	. "zarf/core/stage"
)

// alarm is warm smoke that rises into a sensor's box, and an emitter there that this lights.
func alarm(pairs ...val.Pair) (s *shot.Shot, sensor *shot.Element) {
	s = shot.New("A")
	val.Last.Set(s.Self, 30)
	d := s.Add(shot.Domain)
	val.Size.Set(d, 1, 1.5, 1)
	val.Position.Set(d, 0, 0.75, 0)
	val.Voxel.Set(d, 0.06)
	e := s.Add(shot.Emitter)
	val.Position.Set(e, 0, 0.15, 0)
	val.Size.Set(e, 0.4, 0.2, 0.4)
	val.Temperature.Set(e, 500)
	other := s.Add(shot.Emitter)
	val.Position.Set(other, 0.3, 1.2, 0)
	val.Size.Set(other, 0.2, 0.2, 0.2)
	val.Smoke.Set(other, 3)
	val.Temperature.Set(other, 293)
	sensor = s.Add(shot.Sensor)
	val.Position.Set(sensor, 0, 0.9, 0)
	val.Size.Set(sensor, 0.4, 0.4, 0.4)
	val.SensorOver.Set(sensor, 20)
	val.SensorHigh.Set(sensor, 0.05)
	val.SensorDrives.Set(sensor, "emitter2.smoke")
	for _, p := range pairs {
		sensor.Set(p.Name, p.Value)
	}
	return s, sensor
}

// watch runs a shot and gives, by frame, what the sensor measured and read and how much smoke
// lies round the second emitter.
func watch(t *testing.T, s *shot.Shot, e *shot.Element) (measured, read, smoke []float64) {
	t.Helper()
	r := mustRun(t, s)
	_, last := s.Range()
	for r.Next() <= last {
		_, st, err := Advance(r, nil)
		if err != nil {
			t.Fatal(err)
		}
		measured = append(measured, st.Of(Measured(e)))
		read = append(read, r.Base().Reading(e, r.Next()))
		f, sum := r.Shown(), 0.0
		for i, v := range f.Density.Data {
			x, y := i%f.Density.NX, i/f.Density.NX%f.Density.NY
			if x > f.Density.NX*3/4 && y > f.Density.NY*2/3 {
				sum += float64(v)
			}
		}
		smoke = append(smoke, sum)
	}
	return measured, read, smoke
}

// Smoke that reaches a sensor fires it; from the next frame on it drives what it should, and
// before that nothing comes of it.
func TestSensorFiresWhatItDrives(t *testing.T) {
	s, e := alarm(val.SensorLatched.Is(true))
	measured, read, smoke := watch(t, s, e)
	fired := -1
	for n := range measured {
		if measured[n] > 0 && fired < 0 {
			fired = n
		}
		if n > 0 && read[n] < read[n-1] {
			t.Errorf("frame %d: it stays on, and reads %g after %g", n+1, read[n], read[n-1])
		}
	}
	if fired < 3 || fired > 25 {
		t.Fatalf("it fires at frame %d: %v", fired+1, measured)
	}
	if smoke[fired] > 1e-3 || smoke[len(smoke)-1] < 1 {
		t.Errorf("smoke beside it: %g when it fires, %g at the end", smoke[fired], smoke[len(smoke)-1])
	}
}

// Stopped and resumed, with nothing but the figures of the frames before, a run with a sensor
// has the same bits; and so it has on any number of threads.
func TestSensorsResume(t *testing.T) {
	s, e := alarm(val.SensorHold.Is(3), val.SensorSmooth.Is(0.1))
	begin := func(threads int) Runner {
		r, err := New(s, "", grid.NewCrew(threads))
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	whole, kept := begin(2), map[int]sim.Stats{}
	var state bytes.Buffer
	for whole.Next() <= 30 {
		n, st, err := Advance(whole, nil)
		if err != nil {
			t.Fatal(err)
		}
		kept[n] = st
		if n == 23 {
			if err := whole.SaveState(&state); err != nil {
				t.Fatal(err)
			}
		}
	}
	if kept[23].Of(Measured(e)) == 0 {
		t.Fatal("nothing was measured by the frame at which it is stopped")
	}
	second := begin(1)
	if err := second.LoadState(&state, true); err != nil {
		t.Fatal(err)
	}
	second.Base().Past = func(n int) (sim.Stats, bool) { st, there := kept[n]; return st, there }
	for second.Next() <= 30 {
		if _, _, err := Advance(second, nil); err != nil {
			t.Fatal(err)
		}
	}
	a, b := new(bytes.Buffer), new(bytes.Buffer)
	printFrame(a, whole.Frame())
	printFrame(b, second.Frame())
	if !bytes.Equal(a.Bytes(), b.Bytes()) {
		t.Error("a resumed run with a sensor differs")
	}
}

// What a sensor answers with: inverted, held, smoothed, curved.
func TestSensorAnswers(t *testing.T) {
	past := []float64{0, 0, 0.5, 1, 0, 0, 0, 0, 0, 0}
	for _, c := range []struct {
		name  string
		pairs []val.Pair
		want  []float64
	}{
		{"as it is", nil, []float64{0, 0, 0, 0.5, 1, 0, 0, 0, 0, 0}},
		{"inverted", []val.Pair{val.SensorInverted.Is(true)}, []float64{1, 1, 1, 0.5, 0, 1, 1, 1, 1, 1}},
		{"latched", []val.Pair{val.SensorLatched.Is(true)}, []float64{0, 0, 0, 0.5, 1, 1, 1, 1, 1, 1}},
		{"held for 3", []val.Pair{val.SensorHold.Is(3)}, []float64{0, 0, 0, 0.5, 1, 1, 1, 1, 0, 0}},
		{"curved", []val.Pair{val.SensorCurve.Is("0 0; 0.5 0.2; 1 1")}, []float64{0, 0, 0, 0.2, 1, 0, 0, 0, 0, 0}},
		{"from 0.4", []val.Pair{val.SensorLow.Is(0.4)}, []float64{0, 0, 0, 1.0 / 6, 1, 0, 0, 0, 0, 0}},
	} {
		s, e := alarm(append([]val.Pair{val.SensorHigh.Is(1)}, c.pairs...)...)
		r := mustRun(t, s)
		r.Base().Past = func(n int) (st sim.Stats, there bool) {
			if n < 1 || n > len(past) {
				return st, false
			}
			st.Put(Measured(e), past[n-1])
			return st, true
		}
		for n, want := range c.want {
			if got := r.Base().Reading(e, n+1); math.Abs(got-want) > 2e-3 {
				t.Errorf("%s: for frame %d it reads %.3f, want %.3f", c.name, n+1, got, want)
			}
		}
	}
	s, e := alarm(val.SensorHigh.Is(1), val.SensorSmooth.Is(0.5), val.SensorLatched.Is(true))
	r := mustRun(t, s)
	r.Base().Past = func(n int) (st sim.Stats, there bool) { st.Put(Measured(e), 1); return st, n >= 1 }
	// two thirds within its time: 12 frames at 24 a second
	if got := r.Base().Reading(e, 13); math.Abs(got-(1-math.Exp(-1))) > 1e-9 {
		t.Errorf("smoothed, after its time it reads %g", got)
	}
}

// flooded fills the domain of an alarm with smoke up to 0.6 m, and lets its sensor measure alone.
func flooded(s *shot.Shot, sensor *shot.Element) {
	s.Remove("emitter2")
	src := s.Element("emitter1")
	val.Form.Set(src, "box")
	val.Size.Set(src, 3, 1.2, 3)
	val.Position.Set(src, 0, 0, 0)
	val.Temperature.Set(src, val.AirTemperature.Of(s.Self))
	val.Gravity.Set(s.Self, 0)
	val.SensorDrives.Set(sensor, "")
}

// The share of a sensor's volume that smoke fills is that of the shapes' overlap, within a
// hundredth, wherever they stand in the voxels.
func TestSensorsShareIsTheOverlap(t *testing.T) {
	for _, c := range []struct {
		form string
		size [3]float64
		y    float64
		want float64 // of the sensor, what lies below 0.6 m
	}{
		{"box", [3]float64{0.5, 0.4, 0.5}, 0.6, 0.5}, {"box", [3]float64{0.5, 0.4, 0.5}, 0.5, 0.75}, {"box", [3]float64{0.31, 0.4, 0.47}, 0.68, 0.3},
		{"sphere", [3]float64{0.5, 0.5, 0.5}, 0.6, 0.5}, {"sphere", [3]float64{0.6, 0.6, 0.6}, 0.45, 27.0 / 32}, {"cylinder", [3]float64{0.4, 0.5, 0.4}, 0.6, 0.5},
	} {
		s, e := alarm(val.SensorChannel.Is("density"), val.SensorOver.Is(0.5), val.Form.Is(c.form), val.Size.Is(c.size[0], c.size[1], c.size[2]), val.Position.Is(0.013, c.y, -0.021))
		flooded(s, e)
		r := mustRun(t, s)
		_, st, err := Advance(r, nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := st.Of(Measured(e)); math.Abs(got-c.want) > 0.01 {
			t.Errorf("%s of %v at %g m is filled to %.4f, its overlap is %.4f", c.form, c.size, c.y, got, c.want)
		}
	}
}

// An imported mesh measures like a form: half of a ball from a file is half of what it holds.
func TestSensorOfAMesh(t *testing.T) {
	var b bytes.Buffer
	if err := format.Of("obj").WriteMesh(&b, geom.BallMesh(0.25, 32)); err != nil {
		t.Fatal(err)
	}
	files := asset.NewMemory()
	ref, _, err := files.Bring("ball.obj", b.Bytes(), nil, bring.Options{Unit: 1})
	if err != nil {
		t.Fatal(err)
	}
	for y, want := range map[float64]float64{0.6: 0.5, 0.475: 27.0 / 32} {
		s, e := alarm(val.SensorChannel.Is("density"), val.SensorOver.Is(0.5), val.Form.Is("mesh"), val.Mesh.Is(ref), val.Size.Is(0.5, 0.5, 0.5), val.Position.Is(0.013, y, -0.021))
		s.Attach(asset.New(files))
		flooded(s, e)
		r := mustRun(t, s)
		_, st, err := Advance(r, nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := st.Of(Measured(e)); math.Abs(got-want) > 0.015 { // facets lack 1 % of a ball
			t.Errorf("a ball of a mesh at %g m is filled to %.4f, its overlap is %.4f", y, got, want)
		}
	}
}

// A sensor in another domain reads that one's frames, which count in the key.
func TestSensorInAnotherDomain(t *testing.T) {
	s, e := alarm()
	d := s.Of(shot.Domain)[0]
	far := s.Add(shot.Domain)
	val.Position.Set(far, 5, 0.75, 0)
	val.Voxel.Set(far, 0.1)
	for _, x := range s.Of(shot.Emitter) {
		x.ActsOn = []string{d.ID}
	}
	lit := s.Add(shot.Emitter)
	val.Position.Set(lit, 5, 0.3, 0)
	lit.ActsOn = []string{far.ID}
	e.ActsOn = []string{far.ID}
	val.SensorOf.Set(e, d.ID)
	val.SensorDrives.Set(e, lit.ID+".smoke")
	order, err := s.Order()
	if err != nil || order[0] != d {
		t.Fatalf("the domain that is measured comes first: %v %v", order, err)
	}
	was := Key(s, far)
	val.Vorticity.Set(d, 0.9)
	if Key(s, far) == was {
		t.Error("another flow in the domain that is measured leaves the other current")
	}
	first := mustRun(t, s)
	frames := map[int]*frame.Frame{}
	for first.Next() <= 24 {
		n, _, err := Advance(first, nil)
		if err != nil {
			t.Fatal(err)
		}
		frames[n] = first.Frame()
	}
	second, err := New(s, far.ID, grid.NewCrew(2))
	if err != nil {
		t.Fatal(err)
	}
	second.FedBy(func(_ *shot.Element, n int) (*frame.Frame, error) { return frames[n], nil })
	fired := 0.0
	for second.Next() <= 24 {
		_, st, err := Advance(second, nil)
		if err != nil {
			t.Fatal(err)
		}
		fired = max(fired, st.Of(Measured(e)))
	}
	if sum := total(second.Shown().Density); fired == 0 || sum == 0 {
		t.Errorf("it measured %g and let out %g", fired, sum)
	}
}

func total(f *grid.Field) (sum float64) {
	for _, v := range f.Data {
		sum += float64(v)
	}
	return sum
}

// A sensor tells how far an element is, from form to form, and what follows it goes by that:
// a ball that comes nearer turns an emitter up.
func TestSensorTellsNearness(t *testing.T) {
	s, e := alarm(val.SensorChannel.Is("near"), val.SensorFrom.Is("collider1"), val.SensorLow.Is(1), val.SensorHigh.Is(0.2))
	val.Last.Set(s.Self, 12)
	c := s.Add(shot.Collider)
	val.Form.Set(c, "sphere")
	val.Size.Set(c, 0.2, 0.2, 0.2)
	for _, k := range []struct{ frame, x float64 }{{1, 1.4}, {11, 0.35}} {
		if err := c.PutKey(val.Position, shot.Key{Frame: k.frame, Value: shot.Vec(k.x, 0.9, 0)}); err != nil {
			t.Fatal(err)
		}
	}
	measured, read, smoke := watch(t, s, e)
	// the box ends at 0.2, the ball is 0.1 wide each way
	if d := measured[0]; math.Abs(d-1.1) > 1e-3 {
		t.Errorf("at first it is %g m away, want 1.1", d)
	}
	if d := measured[10]; math.Abs(d-0.05) > 1e-3 {
		t.Errorf("in the end it is %g m away, want 0.05", d)
	}
	if read[0] != 0 || read[10] != 1 || read[6] <= read[5] {
		t.Errorf("it reads %v", read)
	}
	if smoke[1] > 1e-3 || smoke[11] < 1 {
		t.Errorf("smoke where nothing is near %g, and in the end %g", smoke[1], smoke[11])
	}
	// what doesn't act in the domain is never near
	c.Muted = true
	if measured, _, _ = watch(t, s, e); measured[11] != 0 {
		t.Errorf("a muted ball is measured: %g", measured[11])
	}
}

// A sensor tells how far the nearest smoke is.
func TestSensorTellsHowFarSmokeIs(t *testing.T) {
	s, e := alarm(val.SensorChannel.Is("reach"), val.SensorOver.Is(0.01), val.SensorLow.Is(0.5), val.SensorHigh.Is(0.05))
	measured, _, _ := watch(t, s, e)
	// the emitter's top is 0.25 high, the sensor's floor 0.7
	if d := measured[0]; math.Abs(d-0.45) > 0.09 {
		t.Errorf("at first smoke is %g m away, want about 0.45", d)
	}
	if d := measured[20]; d > 0.06 {
		t.Errorf("once it has come it is %g m away", d)
	}
}

// One sensor tells how long ago another fired; what it drives comes so much later.
func TestSensorTellsTimeSinceAnotherFired(t *testing.T) {
	s, first := alarm(val.SensorLatched.Is(true), val.SensorDrives.Is(""))
	later := s.Add(shot.Sensor)
	val.SensorChannel.Set(later, "since")
	val.SensorFrom.Set(later, first.ID)
	val.SensorLow.Set(later, 0.15)
	val.SensorHigh.Set(later, 0.15)
	val.SensorDrives.Set(later, "emitter2.smoke")
	r := mustRun(t, s)
	fired, came := 0, 0
	for r.Next() <= 30 {
		n, _, err := Advance(r, nil)
		if err != nil {
			t.Fatal(err)
		}
		if fired == 0 && r.Base().Reading(first, n) >= 0.5 {
			fired = n
		}
		if came == 0 && r.Base().Reading(later, n) >= 0.5 {
			came = n
		}
	}
	// 0.15 s are 3.6 frames of 1/24 s; it is measured when a frame is finished
	if fired == 0 || came-fired != 5 {
		t.Errorf("one fires at frame %d, what waits 0.15 s at %d", fired, came)
	}
}

// A mask lets an emitter emit, and a force push, only within a sensor's form.
func TestMaskLimitsPlaceByPlace(t *testing.T) {
	build := func(mask bool) *shot.Shot {
		s := shot.New("M")
		val.Last.Set(s.Self, 1)
		d := s.Add(shot.Domain)
		val.Size.Set(d, 1, 1, 1)
		val.Position.Set(d, 0, 0.5, 0)
		val.Voxel.Set(d, 0.05)
		e := s.Add(shot.Emitter)
		val.Form.Set(e, "box")
		val.Position.Set(e, 0, 0.5, 0)
		val.Size.Set(e, 0.8, 0.2, 0.2)
		val.Temperature.Set(e, 293)
		x := s.Add(shot.Sensor)
		val.Position.Set(x, 0.25, 0.5, 0)
		val.Size.Set(x, 0.5, 1, 1)
		if mask {
			val.Mask.Set(e, x.ID)
			val.MaskFade.Set(e, 0)
		}
		return s
	}
	half := func(s *shot.Shot) (left, right float64) {
		r := mustRun(t, s)
		if _, _, err := Advance(r, nil); err != nil {
			t.Fatal(err)
		}
		f := r.Shown().Density
		for i, v := range f.Data {
			if i%f.NX < f.NX/2 {
				left += float64(v)
			} else {
				right += float64(v)
			}
		}
		return left, right
	}
	l0, r0 := half(build(false))
	l1, r1 := half(build(true))
	if l1 != 0 || l0 == 0 || math.Abs(r1/r0-1) > 1e-3 {
		t.Errorf("smoke at the left %g, at the right %g; without a mask %g and %g", l1, r1, l0, r0)
	}
	// a shot that has none keeps its key, one whose mask's form moves another
	a, b := build(false), build(true)
	k := Key(b, b.Of(shot.Domain)[0])
	val.Position.Set(b.Of(shot.Sensor)[0], 0.3, 0.5, 0)
	if k == Key(a, a.Of(shot.Domain)[0]) || k == Key(b, b.Of(shot.Domain)[0]) {
		t.Error("a mask doesn't count in the key")
	}
}
