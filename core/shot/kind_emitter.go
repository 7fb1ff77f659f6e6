package shot

// Emitters: what all of them have, whatever fluid they let in. The amounts
// themselves (smoke, fuel, flow) are declared by the solvers that read them.

import (
	"fmt"

	"zarf/core/asset"
	"zarf/core/geom"
	"zarf/core/shot/val"
)

// emitters declares what all emitters have.
// The kind has what every fluid needs: form, time, speed, breakup and where from. A
// solver's own amounts join the sheet when it registers its fluid.
func emitters() KindDef {
	return KindDef{Kind: Emitter, Name: "Emitter", Group: "lets fluid in", Shaped: true, Scoped: true, Sentence: emitterSentence,
		Values: append(Placed("sphere", Vec(0.3, 0.3, 0.3)), []Entry{
			of(val.Temperature, Entry{Kind: Emitter, Label: "Temperature", Type: Number, Unit: Kelvin, Default: Num(330), Min: 1, Max: 6000, Step: 5, Keyable: true, Main: true, Topic: "amounts", Sim: true, When: "in=gas|particles|warmth", Help: "Of what comes out. Warmer gas than the air rises, colder sinks; a cold liquid is stiff."}),
			of(val.Speed, Entry{Kind: Emitter, Label: "Inflow speed", Type: Number, Unit: Speed, Default: Num(0), Min: -2000, Max: 2000, Step: 0.1, Keyable: true, Main: true, Topic: "motion", Sim: true, Help: "Speed with which new gas leaves the emitter. Fast gas needs more substeps."}),
			of(val.Along, Entry{Kind: Emitter, Label: "Leaves along", Type: Choice, Default: Text("normal"), Choices: opts("normal", "its surface's normal", "axis", "its own up axis"), Topic: "motion", Sim: true, Help: "Out of the surface on all sides, or as a jet along the element's own y axis."}),
			of(val.Push, Entry{Kind: Emitter, Label: "Push", Type: Vector, Unit: Speed, Default: Vec(0, 0, 0), Min: -2000, Max: 2000, Keyable: true, Topic: "motion", Sim: true, Help: "Velocity given to the gas on top."}),
			of(val.Inherit, Entry{Kind: Emitter, Label: "Takes along", Type: Number, Default: Num(1), Min: -10, Max: 10, Step: 0.1, Keyable: true, Topic: "motion", Sim: true, Help: "Share of its own velocity that a moving emitter gives to the gas."}),
			of(val.From, Entry{Kind: Emitter, Label: "From", Type: Choice, Default: Text("volume"), Choices: opts("volume", "the whole volume", "surface", "a shell at the surface", "fluid", "another fluid"), Topic: "amounts", Sim: true, Help: "Where the gas appears. Another domain's fluid is read from its cache, frame by frame: run that one first, or let Run do both."}),
			of(val.FedBy, Entry{Kind: Emitter, Label: "Fed by", Type: Ref, Topic: "amounts", Sim: true, When: "in=gas|particles|liquid&from=fluid", Help: "The domain, or the sequence from outside, whose fluid emits. Particles turn to liquid; another liquid is kept full where it reaches into this domain."}),
			of(val.FedWhere, Entry{Kind: Emitter, Label: "… where it has", Type: Choice, Default: Text("density"), Choices: opts("density", "smoke", "burn", "flame", "temperature", "heat", "surface", "a liquid's surface", "foam", "a liquid's foam"), Topic: "amounts", Sim: true, When: "in=gas|particles&from=fluid", Help: "Amounts count once where smoke is 1 dense, where flame is full, at 1000 K over the air, at a liquid's surface, or where its foam is 1 thick, and in proportion elsewhere. “Takes along” hands its velocity on."}),
			of(val.Shell, Entry{Kind: Emitter, Label: "Shell", Type: Number, Unit: Metre, Default: Num(0.05), Min: 1e-4, Max: 1e4, Keyable: true, Topic: "amounts", Sim: true, When: "from=surface", Help: "Thickness of the shell; at least a voxel counts."}),
			of(val.Breakup, Entry{Kind: Emitter, Label: "Breakup", Type: Number, Default: Num(0), Min: 0, Max: 1, Step: 0.05, Keyable: true, Main: true, Topic: "breakup", Sim: true, Help: "Noise that leaves gaps in the emission, 0 none to 1 only wisps. Costs nothing."}),
			of(val.BreakupSize, Entry{Kind: Emitter, Label: "Breakup size", Type: Number, Unit: Metre, Default: Num(0.12), Min: 1e-4, Max: 1e4, Keyable: true, Main: true, Topic: "breakup", Sim: true, Counts: "breakup=+", Help: "Size of the gaps. Under two voxels they can't be seen."}),
			of(val.BreakupRate, Entry{Kind: Emitter, Label: "Breakup speed", Type: Number, Unit: PerSecond, Default: Num(1), Min: 0, Max: 1000, Step: 0.1, Keyable: true, Topic: "breakup", Sim: true, Counts: "breakup=+", Help: "How many times a second the pattern has changed altogether."}),
			of(val.Mask, mask),
			of(val.MaskFade, maskFade),
			of(val.Pulse, Entry{Kind: Emitter, Label: "Pulses every", Type: Number, Unit: Second, Default: Num(0), Min: 0, Max: 10000, Step: 0.1, Keyable: true, Topic: "time", Sim: true, Help: "Time from one puff to the next; 0 emits all the time."}),
			of(val.PulseShare, Entry{Kind: Emitter, Label: "Pulse length", Type: Number, Default: Num(0.4), Min: 0, Max: 1, Step: 0.05, Keyable: true, Topic: "time", Sim: true, Counts: "pulse=+", Help: "Share of that time for which it emits."}),
			of(val.Begin, Entry{Kind: Emitter, Label: "From frame", Type: Integer, Unit: Frames, Default: Num(-100000), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "time", Sim: true, Help: "First frame on which it emits; −100000 means always."}),
			of(val.End, Entry{Kind: Emitter, Label: "To frame", Type: Integer, Unit: Frames, Default: Num(1000000), Min: -100000, Max: 1000000, Step: 1, Fixed: fixedFrames, Topic: "time", Sim: true, Help: "Last frame on which it emits; 1000000 means always."}),
		}...),
		Draw: func(s *Shot, e *Element, ev val.Eval, d *Drawn) {
			first, last := s.Range()
			// A bar on the timeline; frames outside the shot aren't drawn.
			d.Begin, d.End = max(first, int(val.Begin.Of(e))), min(last, int(val.End.Of(e)))
			if val.Along.Of(e) == "axis" {
				sh := e.Shape(ev)
				d.Vector = sh.Axis().Mul(val.Speed.At(e, ev)).Array()
			}
		},
		Place: func(e, domain *Element, r Room) {
			// On the floor in the middle, a fifth of the domain wide: smoke rises
			// from it and is seen at once, which tells a newcomer that the set-up
			// works.
			val.Size.Set(e, r.Small, r.Small, r.Small)
			val.Position.Set(e, r.Mid.X, r.Box.Min.Y+r.Small, r.Mid.Z)
			val.BreakupSize.Set(e, r.Small*0.4)
			if f := domain.Fluid(); f.Feeds != nil {
				f.Feeds(domain, e)
			}
		},
	}
}

// emitterSentence says what an emitter lets in, in the words of the fluids that
// it acts on.
//
// A sentence names what was decided and leaves out what is as by default: one that
// lists everything is read by nobody. Its parts come in the order in which one would
// say them: what, how fast, from where, when, how broken up.
func emitterSentence(s *Shot, e *Element) string {
	m := s.metres()
	fluids := s.fluidsOf(e)
	// one fluid with a sentence of its own: a liquid is poured, not let out
	if len(fluids) == 1 && fluids[0].Pours != nil {
		return fluids[0].Pours(s, e) + s.Scope(e) + "."
	}
	t := "lets out " + s.fluidWord()
	// A sentence for each would say the same form and times twice.
	// of several fluids the first that has words speaks for all
	for _, f := range fluids {
		if f.Emits != nil {
			t = f.Emits(s, e)
			break
		}
	}
	if v := val.Speed.Of(e); v != 0 {
		t += fmt.Sprintf(" at %s m/s", Short(v))
		if val.Along.Of(e) == "axis" {
			t += " along its axis"
		}
	}
	if val.From.Of(e) == "surface" {
		t += " from the surface of a " + s.SizeWords(e)
	} else if d := s.Source(e); val.From.Of(e) == "fluid" {
		where := map[string]string{"density": "the smoke", "burn": "the flame", "temperature": "the heat", "surface": "its surface", "foam": "its foam"}[val.FedWhere.Of(e)]
		if d != nil && d.Kind == Domain && d.Fluid().Loose {
			where = d.Fluid().Word
		}
		if d == nil {
			t += " where another domain has " + where + ", which none does yet"
		} else {
			t += " where " + d.Name + " has " + where
		}
	} else {
		t += " from a " + s.SizeWords(e)
	}
	a, b := val.Begin.Of(e), val.End.Of(e)
	switch {
	// the defaults at both ends mean “with the shot”, and aren't said
	case a > -100000 && b < 1000000:
		t += fmt.Sprintf(", frames %d–%d", int(a), int(b))
	case a > -100000:
		t += fmt.Sprintf(", from frame %d", int(a))
	case b < 1000000:
		t += fmt.Sprintf(", to frame %d", int(b))
	}
	if p := val.Pulse.Of(e); p > 0 {
		t += fmt.Sprintf(", in puffs every %s s", Short(p))
	}
	if k := val.Breakup.Of(e); k > 0 {
		t += ", with breakup " + m(val.BreakupSize.Of(e))
	}
	return t + s.KeyedWords(e, val.Speed) + s.Scope(e) + "."
}

// SizeWords says what form an element has and how large it is.
// In the shot's unit; a size that is the same along all axes is one number.
func (s *Shot) SizeWords(e *Element) string {
	m := s.metres()
	v := val.Size.Of(e)
	form := val.Form.Of(e)
	if form == string(geom.Imported) {
		form = "mesh"
		if ref := val.Mesh.Of(e); ref != "" {
			form += " " + asset.Name(ref)
		}
		switch val.Share.Of(e) {
		case "parts", "joints":
			form += " (" + list(val.ShareNames.Of(e)) + ")"
		case "colour":
			form += " (its bright colours)"
		case "painted":
			form += " (painted)"
		}
		return fmt.Sprintf("%s, %s wide", form, m(v[0]))
	}
	switch {
	case v[0] == v[1] && v[1] == v[2]:
		return fmt.Sprintf("%s of %s", form, m(v[0]))
	case form == "cylinder" || form == "tube":
		return fmt.Sprintf("%s of %s by %s", form, m(v[0]), m(v[1]))
	}
	return fmt.Sprintf("%s of %s × %s × %s", form, bare(m(v[0])), bare(m(v[1])), m(v[2]))
}
