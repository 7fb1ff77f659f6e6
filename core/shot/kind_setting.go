package shot

// The settings of the shot as a whole. They are values of an element like all
// others, so they can be keyed where that makes sense, compared, and reset.

import "zarf/core/shot/val"

// settings declares what belongs to the shot as a whole.
func settings() KindDef {
	return KindDef{Kind: Setting, Values: []Entry{
		of(val.Rate, Entry{Kind: Setting, Label: "Frame rate", Type: Number, Unit: FrameRate, Default: Num(24), Min: 1, Max: 240, Step: 1, Fixed: fixedFrames, Main: true, Sim: true, Builds: true, Help: "Frames a second. 23.976 is written as 24000/1001."}),
		of(val.First, Entry{Kind: Setting, Label: "First frame", Type: Integer, Unit: Frames, Default: Num(1), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Main: true, Sim: true, Builds: true, Help: "Number of the first frame."}),
		of(val.Last, Entry{Kind: Setting, Label: "Last frame", Type: Integer, Unit: Frames, Default: Num(72), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Main: true, Help: "Number of the last frame. Making it later keeps the frames that are there."}),
		of(val.Preroll, Entry{Kind: Setting, Label: "Pre-roll", Type: Integer, Unit: Frames, Default: Num(0), Min: 0, Max: 100000, Step: 1, Fixed: fixedFrames, Main: true, Sim: true, Builds: true, Help: "Frames that are simulated before the first and not kept, so that the fluid is already moving. Costs as much time as frames that are kept."}),
		of(val.TimeScale, Entry{Kind: Setting, Label: "Time scale", Type: Number, Default: Num(1), Min: 0.001, Max: 100, Step: 0.05, Keyable: true, Topic: "time", Sim: true, Help: "Seconds of fluid in a second of the picture. Under 1 it runs slower and reads as larger; keys keep their frames."}),
		of(val.Units, Entry{Kind: Setting, Label: "Lengths shown in", Type: Choice, Default: Text("m"), Choices: opts("mm", "mm", "cm", "cm", "m", "m"), Main: true, Help: "Only what the pages show; any unit can be typed."}),
		of(val.Gravity, Entry{Kind: Setting, Label: "Gravity", Type: Number, Unit: Accel, Default: Num(9.81), Min: -1000, Max: 1000, Step: 0.1, Keyable: true, Main: true, Topic: "air", Sim: true, Help: "Pull downwards. Without it warm smoke doesn't rise."}),
		of(val.AirTemperature, Entry{Kind: Setting, Label: "Air temperature", Type: Number, Unit: Kelvin, Default: Num(293), Min: 1, Max: 5000, Step: 1, Fixed: fixedAir, Main: true, Topic: "air", Sim: true, Counts: "in=gas|particles|cloth", Builds: true, Help: "Temperature of the air outside. Only the difference to it makes gas rise or sink."}),
		of(val.AirDensity, Entry{Kind: Setting, Label: "Air density", Type: Number, Unit: Density, Default: Num(1.2), Min: 0.001, Max: 10000, Step: 0.01, Fixed: fixedAir, Topic: "air", Sim: true, Counts: "in=gas|particles|liquid|cloth", Help: "Weight of the air, against which smoke's weight counts."}),
	}}
}
