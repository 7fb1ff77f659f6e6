package shot

// What lights and sees the shot, and frames that were made elsewhere. No simulation
// reads lamps and cameras: moving one never makes a run stale.

import (
	"fmt"
	"math"

	"zarf/core/asset"
	"zarf/core/geom"
	"zarf/core/shot/val"
)

// axes that files can have.
var axes = opts("y-up", "y up, right-handed", "z-up", "z up, right-handed", "y-up-left", "y up, left-handed", "z-up-left", "z up, left-handed")

// sequences declares sequences of files.
func sequences() KindDef {
	return KindDef{Kind: Sequence, Name: "Volumes", Group: "comes from outside", Values: append([]Entry{
		of(val.Frames, Entry{Kind: Sequence, Label: "Frames", Type: Frozen, Main: true, Topic: "frames", Sim: true, Help: "The volumes that were brought in, one a frame."}),
		of(val.Start, Entry{Kind: Sequence, Label: "Begins at", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Main: true, Topic: "frames", Sim: true, Help: "Frame of the shot on which its first frame plays. Before and after it there is nothing."}),
		of(val.Position, Entry{Kind: Sequence, Label: "Shifted by", Type: Vector, Unit: Metre, Default: Vec(0, 0, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Sim: true, Help: "Moves it from where its files place it."}),
		of(val.Scale, Entry{Kind: Sequence, Label: "Size", Type: Number, Default: Num(1), Min: 1e-6, Max: 1e6, Keyable: true, Main: true, Topic: "place", Sim: true, Help: "Metres that one unit of its files is: 0.01 for files in centimetres. Velocities go along."}),
		of(val.Axes, Entry{Kind: Sequence, Label: "Its axes", Type: Choice, Default: Text("y-up"), Choices: axes, Main: true, Topic: "place", Sim: true, Help: "Which way is up in the files. Voxels and velocities are turned to y up, right-handed."}),
		of(val.DensityFrom, Entry{Kind: Sequence, Label: "Density from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "The channel that is read as density; auto takes density, smoke or dens, or the only one there is."}),
		of(val.TemperatureFrom, Entry{Kind: Sequence, Label: "Temperature from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "auto takes temperature, temp or heat."}),
		of(val.BurnFrom, Entry{Kind: Sequence, Label: "Flame from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "auto takes burn, flame, flames or fire."}),
		of(val.VelocityFrom, Entry{Kind: Sequence, Label: "Velocity from", Type: Word, Default: Text("auto"), Topic: "channels", Sim: true, Help: "auto takes velocity, vel or v; of three channels give the name before _x, _y and _z."}),
		of(val.HeatIs, Entry{Kind: Sequence, Label: "Temperature is in", Type: Choice, Default: Text("excess"), Choices: opts("excess", "kelvin above the air", "kelvin", "kelvin", "celsius", "degrees Celsius", "unit", "0 to 1"), Topic: "channels", Sim: true, Help: "What the files' numbers mean."}),
		of(val.HeatTop, Entry{Kind: Sequence, Label: "1 means", Type: Number, Unit: Kelvin, Default: Num(1000), Min: 1, Max: 20000, Step: 50, Fixed: fixedFrames, Topic: "channels", Sim: true, When: "heat_is=unit", Help: "Kelvin above the air that 1 stands for."}),
		of(val.VelocityIs, Entry{Kind: Sequence, Label: "Velocity is in", Type: Choice, Default: Text("second"), Choices: opts("second", "units per second", "frame", "units per frame"), Topic: "channels", Sim: true, Help: "Per frame is of the shot's frames."}),
		of(val.Grain, Entry{Kind: Sequence, Label: "Points fill", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Fixed: fixedGrid, Topic: "points", Sim: true, Help: "Edge of the voxels that points are poured into: PLY and Alembic bring places, not volumes. One point fills one voxel."}),
		of(val.Rendered, Entry{Kind: Sequence, Label: "In the picture", Type: Flag, Default: On(true), Topic: "points", Help: "Points are drawn as particles, in pictures and in the viewport. Volumes from outside only feed and carry."}),
		of(val.IDFrom, Entry{Kind: Sequence, Label: "Identity from", Type: Word, Default: Text("auto"), Topic: "points", Sim: true, Help: "The whole number by which a point is the same one from frame to frame; auto takes id, pid or identity. Without one it is told by its place in the file."}),
		of(val.SizeFrom, Entry{Kind: Sequence, Label: "Size from", Type: Word, Default: Text("auto"), Topic: "points", Sim: true, Help: "auto takes size, width, widths or diameter, and radius twice."}),
		of(val.SizeIs, Entry{Kind: Sequence, Label: "Size is", Type: Choice, Default: Text("diameter"), Choices: opts("diameter", "a diameter", "radius", "a radius"), Topic: "points", Sim: true, Help: "In the files' unit of length. What is called radius is taken for one anyway."}),
		of(val.SizeOwn, Entry{Kind: Sequence, Label: "… where it has none", Type: Number, Unit: Metre, Default: Num(0.01), Min: 1e-6, Max: 100, Step: 0.001, Fixed: fixedFrames, Topic: "points", Sim: true, Help: "Diameter of points whose files tell none."}),
		of(val.AgeFrom, Entry{Kind: Sequence, Label: "Age from", Type: Word, Default: Text("auto"), Topic: "points", Sim: true, Help: "Seconds since birth; auto takes age. Without it a point is young on the frame in which its identity is new."}),
		of(val.LifeFrom, Entry{Kind: Sequence, Label: "Life from", Type: Word, Default: Text("auto"), Topic: "points", Sim: true, Help: "Seconds from birth to death; auto takes life or lifetime."}),
	}, ParticleShape(Sequence, "")...),
		Sentence: func(s *Shot, e *Element) string {
			if val.Frames.Of(e) == "" {
				return "holds no frames yet."
			}
			return fmt.Sprintf("plays %s from frame %s on.", asset.Name(val.Frames.Of(e)), Short(val.Start.Of(e)))
		},
	}
}

// A lamp's strength is radiance, so a larger one at the same strength gives more
// light.
// lamps declares lamps.
func lamps() KindDef {
	return KindDef{Kind: Lamp, Name: "Lamp", Group: "lights it", Values: []Entry{
		of(val.Form, Entry{Kind: Lamp, Label: "Shape", Type: Choice, Default: Text("panel"), Choices: opts("panel", "Panel", "ball", "Ball"), Main: true, Topic: "place", Help: "A panel shines to its front; a ball all round."}),
		of(val.Position, Entry{Kind: Lamp, Label: "Position", Type: Vector, Unit: Metre, Default: Vec(2, 3, 2), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "Where its middle stands."}),
		of(val.Target, Entry{Kind: Lamp, Label: "Shines at", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", When: "form=panel", Help: "The point that a panel faces."}),
		of(val.Wide, Entry{Kind: Lamp, Label: "Width", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-3, Max: 1e4, Keyable: true, Main: true, Topic: "place", Help: "Width of a panel, diameter of a ball. Larger lamps make softer shadows."}),
		of(val.Tall, Entry{Kind: Lamp, Label: "Height", Type: Number, Unit: Metre, Default: Num(1), Min: 1e-3, Max: 1e4, Keyable: true, Main: true, Topic: "place", When: "form=panel", Help: "Height of a panel."}),
		of(val.Colour, Entry{Kind: Lamp, Label: "Light colour", Type: Colour, Default: Vec(1, 0.95, 0.85), Min: 0, Max: 1, Keyable: true, Main: true, Topic: "light", Help: "Colour of its light."}),
		of(val.Strength, Entry{Kind: Lamp, Label: "Strength", Type: Number, Default: Num(10), Min: 0, Max: 1e7, Step: 1, Keyable: true, Main: true, Topic: "light", Help: "How bright its surface is; a larger lamp of the same strength gives more light. 1 is white paper in plain light."}),
		of(val.Seen, Entry{Kind: Lamp, Label: "Seen itself", Type: Flag, Topic: "light", Help: "On: the lamp stands in the picture. Off: only its light does."}),
	},
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			d.Form, d.Target, d.Colour = val.Form.Of(e), d.vector(e, val.Target, ev), SRGB(val.Colour.At(e, ev))
			d.Size = [3]float64{val.Wide.At(e, ev), val.Tall.At(e, ev), 0}
		},
		Sentence: func(s *Shot, e *Element) string {
			m := s.metres()
			form := "panel"
			if val.Form.Of(e) == "ball" {
				form = "ball"
			}
			return fmt.Sprintf("shines with %s from a %s %s wide%s.", Short(val.Strength.Of(e)), form, m(val.Wide.Of(e)), s.KeyedWords(e, val.Strength))
		},
		Place: func(e, domain *Element, r Room) { // as a key light: beside, above and before
			long := r.Size.MaxComponent()
			val.Target.Set(e, r.Mid.X, r.Mid.Y, r.Mid.Z)
			val.Position.Set(e, Tidy(r.Mid.X+long*0.7), Tidy(r.Box.Max.Y+long*0.2), Tidy(r.Mid.Z+long*0.7))
			val.Wide.Set(e, Tidy(long*0.3))
			val.Tall.Set(e, Tidy(long*0.3))
		},
	}
}

// cameras declares cameras.
// The first camera of the cast is the one that pictures are made through.
func cameras() KindDef {
	return KindDef{Kind: Camera, Name: "Camera", Group: "sees it", Values: []Entry{
		of(val.Position, Entry{Kind: Camera, Label: "Position", Type: Vector, Unit: Metre, Default: Vec(3, 1.6, 4), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "Where the lens is."}),
		of(val.Target, Entry{Kind: Camera, Label: "Looks at", Type: Vector, Unit: Metre, Default: Vec(0, 1, 0), Min: -1e5, Max: 1e5, Keyable: true, Main: true, Topic: "place", Help: "The point in the middle of the picture."}),
		of(val.Lens, Entry{Kind: Camera, Label: "Focal length", Type: Number, Unit: Millimetre, Default: Num(35), Min: 4, Max: 2000, Step: 1, Keyable: true, Main: true, Topic: "lens", Help: "On a picture 36 mm wide. Longer brings things nearer."}),
		of(val.Aperture, Entry{Kind: Camera, Label: "Lens opening f/", Type: Number, Default: Num(0), Min: 0, Max: 128, Step: 0.1, Keyable: true, Main: true, Topic: "lens", Help: "Focal length over the opening: 1.4 blurs what is out of focus much, 16 hardly. 0 keeps all sharp. Blur wants more samples."}),
		of(val.Focus, Entry{Kind: Camera, Label: "Focus at", Type: Number, Unit: Metre, Default: Num(0), Min: 0, Max: 1e5, Step: 0.1, Keyable: true, Main: true, Topic: "lens", Help: "Distance that is sharp, along the view. 0 focuses on the point that it looks at."}),
		of(val.Shutter, Entry{Kind: Camera, Label: "Shutter", Type: Number, Unit: Degree, Default: Num(0), Min: 0, Max: 360, Step: 15, Keyable: true, Main: true, Topic: "lens", Help: "How long a picture is exposed: 180° is half a frame. Fluid is blurred by its own velocity, solids and camera by their motion. 0 freezes."}),
	},
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			d.Target, d.Lens = d.vector(e, val.Target, ev), val.Lens.At(e, ev)
		},
		Sentence: func(s *Shot, e *Element) string {
			d := geom.FromArray(val.Position.Of(e)).Sub(geom.FromArray(val.Target.Of(e))).Len()
			return fmt.Sprintf("looks from %s away through %s mm%s.", s.metres()(math.Round(d*100)/100), Short(val.Lens.Of(e)), s.KeyedWords(e, val.Position))
		},
		Place: func(e, domain *Element, r Room) {
			val.Target.Set(e, r.Mid.X, r.Mid.Y, r.Mid.Z)
			// From the front, to the right and a little above: the whole domain is
			// within the default lens.
			val.Position.Set(e, r.Mid.X+r.Size.X*1.2, r.Mid.Y+r.Size.Y*0.3, r.Mid.Z+r.Size.MaxComponent()*1.8)
		},
	}
}
