package demo

import (
	"bytes"

	"zarf/core/bring"
	"zarf/core/format/gltf"
	"zarf/core/format/ply"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/model"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/surface"
)

// rimAt is how far along the windlass's axle its two brake rims turn, m from the middle,
// and axleHigh how high.
const (
	rimAt    = 0.62
	axleHigh = 0.66
)

// windlassScene is the windlass as it is modelled: an axle with a barrel between two rims,
// on two trestles of loose beams, which are open where they meet.
func windlassScene() (file []byte, all *geom.Mesh, err error) {
	m := &model.Model{}
	all = &geom.Mesh{}
	part := func(name string, mesh *geom.Mesh) {
		n := model.NewNode(name)
		n.Mesh = len(m.Meshes)
		m.Meshes = append(m.Meshes, model.Mesh{Mesh: *mesh})
		m.Nodes = append(m.Nodes, n)
		if name != "rim" { // the bands on those smoke
			all.Append(mesh)
		}
	}
	lay := geom.RotationXYZ(geom.V(90, 0, 0))
	high := geom.V(0, axleHigh, 0)
	barrel := [][2]float64{{0, -0.5}, {0.24, -0.5}, {0.19, -0.2}, {0.19, 0.2}, {0.24, 0.5}, {0, 0.5}}
	part("barrel", geom.LatheMesh(barrel, 32).Turned(lay).Move(high, 1))
	part("axle", geom.LatheMesh([][2]float64{{0, -0.95}, {0.05, -0.95}, {0.05, 0.95}, {0, 0.95}}, 16).Turned(lay).Move(high, 1))
	for _, side := range []float64{-1, 1} {
		rim := [][2]float64{{0.4, side*rimAt - 0.05}, {0.44, side*rimAt - 0.05}, {0.44, side*rimAt + 0.05}, {0.4, side*rimAt + 0.05}, {0.4, side*rimAt - 0.05}}
		part("rim", geom.LatheMesh(rim, 40).Turned(lay).Move(high, 1))
		for _, lean := range []float64{-1, 1} {
			beam := geom.Shape{Form: geom.Block, Centre: geom.V(lean*0.24, 0.33, side*0.86), Size: geom.V(0.09, 0.8, 0.09), Turn: geom.RotationXYZ(geom.V(0, 0, lean*34)), Taper: 1}
			part("beam", beam.Mesh())
		}
	}
	foot := geom.Shape{Form: geom.Block, Centre: geom.V(0, 0.04, 0), Size: geom.V(1.1, 0.08, 1.9), Turn: geom.RotationXYZ(geom.Vec3{}), Taper: 1}
	part("foot", foot.Mesh())
	var b bytes.Buffer
	err = gltf.Encode(&b, m)
	return b.Bytes(), all, err
}

// WindlassBrake is BL130: the slipway's windlass runs away, and its brake bands smoke.
func WindlassBrake(files Keeper) (*shot.Shot, error) {
	data, mesh, err := windlassScene()
	if err != nil {
		return nil, err
	}
	ref, f, err := files.Bring("windlass.glb", data, nil, bring.Options{})
	if err != nil {
		return nil, err
	}
	s := shot.New("BL130")
	s.Title = "Windlass brake"
	s.Note = "The slipway's windlass runs away. The bands on its two rims begin to smoke, harder with every turn, and the smoke rolls heavily over the ground."
	set(s.Self, val.Last.Is(96))
	set(s.Self, val.AirTemperature.Is(284))
	parts := cook(s, "friction-smoke", geom.V(0, axleHigh-0.53, rimAt), 0.86, 1)
	set(parts["Brake air"], val.Position.Is(0.3, 1.05, 0), val.Size.Is(6.4, 2.1, 5.2), val.Voxel.Is(0.045), val.SmokeWeight.Is(0.3))
	near := parts["Brake band"]
	near.Name = "Near brake band"
	far := s.Duplicate(near)
	far.Name = "Far brake band"
	for e, z := range map[*shot.Element]float64{near: rimAt, far: -rimAt} {
		set(e, val.Position.Is(0, axleHigh, z))
	}
	set(far, val.Smoke.Is(2.6), val.BreakupSize.Is(0.16)) // the far band bites less
	keys(far, val.Smoke, 1, 0, 31, 2.6)

	c, size := f.Centre, f.Size
	add(s, shot.Mesh, "Windlass", val.Form.Is("mesh"), val.Mesh.Is(ref), val.Position.Is(c[0], c[1], c[2]), val.Size.Is(size[0], size[1], size[2]), val.Colour.Is(0.2, 0.13, 0.075))
	stand, g, err := standIn(files, mesh)
	if err != nil {
		return nil, err
	}
	// a little smaller than it was wrapped, so that it hides in what it stands for
	const within = 0.9
	add(s, shot.Collider, "Windlass stand-in", val.Form.Is("mesh"), val.Mesh.Is(stand), val.Position.Is(g.Centre[0], g.Centre[1], g.Centre[2]), val.Size.Is(within*g.Size[0], within*g.Size[1], within*g.Size[2]), val.Colour.Is(0.2, 0.13, 0.075))
	add(s, shot.Wind, "Land breeze", val.Velocity.Is(0.35, 0, -0.1), val.Grip.Is(0.15), val.Gust.Is(0.4), val.GustTime.Is(2.0), val.Position.Is(-2, 1.6, 0.8))
	set(s.Element("camera"), val.Position.Is(1.9, 1.2, 3.9), val.Target.Is(0.1, 0.62, 0), val.Lens.Is(36.0))
	lk := s.Looks[0]
	lk.Name = "Morning"
	set(lk, val.SunBearing.Is(215.0), val.SunHeight.Is(24.0), val.SunStrength.Is(3.0), val.SunColour.Is(1, 0.9, 0.76), val.SkyStrength.Is(0.7), val.GroundColour.Is(0.17, 0.16, 0.14))
	// see-through by the look alone: the run is as thick as ever, and what is thin isn't shown
	thin := lk.Copy("See-through")
	thin.ID = "thin"
	set(thin, val.Extinction.Is(2.2), val.SmokeFrom.Is("curve"), val.SmokeLow.Is(0.25), val.SmokeHigh.Is(2.5))
	final(s)
	s.Looks = append(s.Looks, thin)
	return s, nil
}

// standIn wraps a mesh, and takes what comes of it.
func standIn(files Keeper, mesh *geom.Mesh) (string, *bring.Facts, error) {
	m, err := surface.Wrap(mesh, 0.12, 0, true, grid.NewCrew(0).For)
	if err != nil {
		return "", nil, err
	}
	var b bytes.Buffer
	if err := ply.Encode(&b, m); err != nil {
		return "", nil, err
	}
	return files.Bring("windlass wrapped.ply", b.Bytes(), nil, bring.Options{})
}
