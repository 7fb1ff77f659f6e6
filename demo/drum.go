package demo

import (
	"bytes"
	"embed"
	"math"

	"zarf/core/asset"
	"zarf/core/bring"
	"zarf/core/format/gltf"
	"zarf/core/geom"
	"zarf/core/model"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// The slipway falls along +x at this angle; the drum's outer radius, m.
const (
	slope      = 11.0
	drumRadius = 0.55
	drumWidth  = 0.8
	drumFrames = 84
)

// runway is how far the drum has rolled at t seconds: it stands for a quarter
// of a second, then a solid cylinder rolls at ⅔ g sin α.
func runway(t float64) float64 {
	t = max(0, t-0.25)
	return 0.5 * (2.0 / 3 * 9.81 * math.Sin(slope*math.Pi/180)) * t * t
}

// drumScene is the animated drum and the camera that follows it, as a scene
// file at 24 frames a second.
func drumScene() ([]byte, error) {
	around := 40
	w := drumWidth / 2
	// turned about y, then laid along z
	lay := geom.RotationXYZ(geom.V(90, 0, 0))
	flange := func(y0, y1 float64) *geom.Mesh {
		return geom.LatheMesh([][2]float64{{0, y0}, {drumRadius - 0.015, y0}, {drumRadius, y0 + 0.015}, {drumRadius, y1 - 0.015}, {drumRadius - 0.015, y1}, {0, y1}}, around).Turned(lay)
	}
	// the cable lies in turns on the core
	cable := [][2]float64{{0, -w + 0.1}}
	turns := 9
	for i := range turns {
		y := -w + 0.1 + (drumWidth-0.2)*float64(i)/float64(turns)
		step := (drumWidth - 0.2) / float64(turns)
		cable = append(cable, [2]float64{0.40, y + 0.1*step}, [2]float64{0.43, y + 0.5*step}, [2]float64{0.40, y + 0.9*step})
	}
	cable = append(cable, [2]float64{0, w - 0.1})
	m := &model.Model{}
	part := func(name string, parent int, mesh *geom.Mesh) {
		n := model.NewNode(name)
		n.Parent, n.Mesh = parent, len(m.Meshes)
		m.Meshes = append(m.Meshes, model.Mesh{Mesh: *mesh})
		m.Nodes = append(m.Nodes, n)
	}
	m.Nodes = append(m.Nodes, model.NewNode("drum"))
	part("cable", 0, geom.LatheMesh(cable, around).Turned(lay))
	part("near flange", 0, flange(-w, -w+0.1))
	part("far flange", 0, flange(w-0.1, w))
	m.Cameras = []model.Camera{{Name: "chase", YFov: 0.62}}
	eye := model.NewNode("chase")
	eye.Camera = 0
	m.Nodes = append(m.Nodes, eye)

	sin, cos := math.Sincos(slope * math.Pi / 180)
	clip := model.Clip{Name: "runaway"}
	tracks := [4]model.Track{{Node: 0, Path: model.Translation}, {Node: 0, Path: model.Rotation}, {Node: len(m.Nodes) - 1, Path: model.Translation}, {Node: len(m.Nodes) - 1, Path: model.Rotation}}
	for f := range drumFrames {
		t := float64(f) / 24
		s := runway(t)
		at := geom.V(-3.4+s*cos, 1.36+drumRadius-s*sin, 0)
		spin := geom.AxisAngle(geom.V(0, 0, 1), -s/drumRadius)
		eyeAt := geom.V(-0.6+0.55*s*cos, 1.5, 6.6)
		look := at.Add(geom.V(-0.4, 0.35, 0)).Sub(eyeAt)
		yaw := math.Atan2(-look.X, -look.Z)
		pitch := math.Atan2(look.Y, math.Hypot(look.X, look.Z))
		turn := geom.RotationXYZ(geom.V(pitch*180/math.Pi, yaw*180/math.Pi, 0))
		for n, v := range [4][]float64{{at.X, at.Y, at.Z}, {spin.X, spin.Y, spin.Z, spin.W}, {eyeAt.X, eyeAt.Y, eyeAt.Z}, quatOf(turn)} {
			tracks[n].How = model.Linear
			tracks[n].Times = append(tracks[n].Times, t)
			tracks[n].Values = append(tracks[n].Values, v...)
		}
	}
	clip.Tracks = tracks[:]
	m.Clips = []model.Clip{clip}
	var b bytes.Buffer
	err := gltf.Encode(&b, m)
	return b.Bytes(), err
}

// quatOf is a rotation without a turn of 180° as a quaternion.
func quatOf(m geom.Mat3) []float64 {
	w := math.Sqrt(max(1e-12, 1+m[0].X+m[1].Y+m[2].Z)) / 2
	return []float64{(m[2].Y - m[1].Z) / (4 * w), (m[0].Z - m[2].X) / (4 * w), (m[1].X - m[0].Y) / (4 * w), w}
}

// RunawayDrum is BL090: a burning cable drum breaks loose and rolls down the
// slipway.
func RunawayDrum(files Keeper) (*shot.Shot, error) {
	data, err := drumScene()
	if err != nil {
		return nil, err
	}
	ref, f, err := files.Bring("runaway drum.glb", data, nil, bring.Options{})
	if err != nil {
		return nil, err
	}
	s := shot.New("BL090")
	s.Title = "Runaway drum"
	s.Note = "The cable on the drum has caught fire; it breaks loose and rolls down the slipway."
	set(s.Self, val.Last.Is(drumFrames))
	set(s.Self, val.AirTemperature.Is(283))
	parts := cook(s, "brazier", geom.V(-3.4, 1.9, 0), 0.9, 1)
	set(parts["Fire air"], val.Position.Is(0.6, 2.3, 0), val.Size.Is(11.6, 4.6, 3.0), val.Voxel.Is(0.06), val.Bounds.Is("follow"), val.FollowMargin.Is(0.5))
	// the cable alone burns; the whole drum stops gas
	c, size := f.Centre, f.Size
	file := []val.Pair{val.Form.Is("mesh"), val.Mesh.Is(ref), val.Position.Is(c[0], c[1], c[2]), val.Size.Is(size[0], size[1], size[2]), val.MotionStart.Is(1)}
	fire := parts["Embers"]
	fire.Reset(val.Taper, val.Wall)
	fire.Name = "Burning cable"
	set(fire, file...)
	set(fire, val.Share.Is("parts"), val.From.Is("surface"), val.Shell.Is(0.16), val.Breakup.Is(0.5), val.BreakupSize.Is(0.22), val.Inherit.Is(0.7))
	val.ShareNames.Set(fire, "cable")
	drum := add(s, shot.Collider, "Drum", file...)
	set(drum, val.Colour.Is(0.16, 0.1, 0.055))
	add(s, shot.Collider, "Slipway", val.Form.Is("box"), val.Position.Is(1.05, 0.26, 0), val.Size.Is(14, 0.4, 3.4), val.Turn.Is(0, 0, -slope), val.Colour.Is(0.2, 0.195, 0.185))
	add(s, shot.Mesh, "Bollard", val.Form.Is("cylinder"), val.Position.Is(-4.6, 1.75, 1.3), val.Size.Is(0.34, 0.7, 0.34), val.Taper.Is(0.8), val.Colour.Is(0.12, 0.12, 0.13))
	add(s, shot.Wind, "Sea wind", val.Velocity.Is(-0.9, 0.1, -0.3), val.Grip.Is(0.4), val.Gust.Is(0.5), val.GustTime.Is(1.2), val.Position.Is(4, 3.6, 0.8))
	if err := chase(s, data); err != nil {
		return nil, err
	}
	lk := s.Looks[0]
	lk.Name = "Dusk"
	set(lk, val.Exposure.Is(0.4), val.SunBearing.Is(240.0), val.SunHeight.Is(6.0), val.SunStrength.Is(0.5), val.SunColour.Is(1, 0.66, 0.42), val.SkyStrength.Is(0.16), val.GroundColour.Is(0.06, 0.06, 0.065))
	return s, overPlate(s, files)
}

//go:embed plate/*.jpg
var plateFiles embed.FS

// overPlate adds the look that lays the fire over the filmed slipway: what the
// plate shows already is held out, the ground takes shadows alone.
func overPlate(s *shot.Shot, files Keeper) error {
	f := &asset.File{Side: map[string][]byte{}}
	list, err := plateFiles.ReadDir("plate")
	if err != nil {
		return err
	}
	for n, e := range list {
		b, err := plateFiles.ReadFile("plate/" + e.Name())
		if err != nil {
			return err
		}
		if n == 0 {
			f.Name, f.Data = e.Name(), b
			continue
		}
		f.Side[e.Name()] = b
	}
	ref, err := files.Put(f, nil)
	if err != nil {
		return err
	}
	for _, e := range s.Elements {
		if e.Kind == shot.Collider || e.Kind == shot.Mesh {
			set(e, val.Holdout.Is(true))
		}
	}
	set(s.Element("camera"), val.Shutter.Is(180.0))
	lk := s.Looks[0]
	set(lk, val.Background.Is("plate"), val.Plate.Is(ref), val.GroundAs.Is("catcher"), val.Bloom.Is(0.08), val.BloomSize.Is(0.06))
	final(s)
	// what goes to the compositor: linear light in layers, laid over the plate there
	layers := lk.Copy("Layers")
	layers.ID = "layers"
	set(layers, val.File.Is("exr"), val.Samples.Is(8))
	s.Looks = append(s.Looks, layers)
	set(s.Handover, val.What.Is("pictures"), val.Start.Is(1001))
	return nil
}

// chase gives the shot the file's camera, a key a frame.
func chase(s *shot.Shot, data []byte) error {
	m, err := gltf.Decode(data, nil)
	if err != nil {
		return err
	}
	cam := s.Element("camera")
	for f := range drumFrames {
		a, fov, _ := m.CameraAt(float64(f) / 24)
		q := a.T.Add(a.M.Apply(geom.V(0, 0, -1)).Mul(6.8))
		for key, p := range map[val.VecKey]geom.Vec3{val.Position: a.T, val.Target: q} {
			cam.SetKey(key, shot.Key{Frame: float64(f + 1), Value: shot.Vec(round4(p.X), round4(p.Y), round4(p.Z)), Way: "ramp"})
		}
		val.Lens.Set(cam, round4(18/(math.Tan(fov*math.Pi/360)*16/9)))
	}
	return nil
}

func round4(v float64) float64 { return math.Round(v*1e4) / 1e4 }
