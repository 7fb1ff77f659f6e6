package shot

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"zarf/core/shot/val"
)

const fixedSensor = "What a sensor answers with stays; what it drives may have keys."

// Drives is the type of what a sensor drives: values of elements, as "emitter2.fuel,
// emitter2.smoke".
const Drives Type = "drives"

// Driven is a value of an element that a sensor drives: by the sensor's own way, or with a
// span from the first number, where it reads 0, to the second.
type Driven struct {
	Element, Key string
	Spans        bool
	From, To     float64
}

// driveParts parts a list of driven values.
func driveParts(text string) (out []string) {
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == '\n' || r == ';' }) {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

// drivesIn reads a list of driven values as a person types it.
func drivesIn(text string) (out []Driven, err error) {
	for _, part := range driveParts(text) {
		var d Driven
		words := strings.Fields(part)
		id, key, ok := strings.Cut(words[0], ".")
		d.Element, d.Key = id, key
		if len(words) == 4 && words[2] == "to" {
			var bad [2]error
			d.From, bad[0] = strconv.ParseFloat(words[1], 64)
			d.To, bad[1] = strconv.ParseFloat(words[3], 64)
			d.Spans = bad == [2]error{} && !math.IsNaN(d.From+d.To) && !math.IsInf(d.From+d.To, 0)
		}
		if !ok || id == "" || key == "" || len(words) != 1 && !d.Spans {
			return nil, fmt.Errorf("%q is no value of an element; give its id, a dot and the value's name, such as emitter2.fuel, and for a span two numbers: emitter2.temperature 290 to 1100", part)
		}
		out = append(out, d)
	}
	return out, nil
}

// Driven are the values that a sensor drives.
func (e *Element) Driven() []Driven {
	list, _ := drivesIn(val.SensorDrives.Of(e)) // it was checked as it came in
	return list
}

// Drivable tells why a value of an element can't be driven by sensors; "" where it can.
func (e *Element) Drivable(x *Entry) string {
	switch {
	case e.Kind == Sensor:
		return "sensors don't drive sensors"
	case !x.Keyable || !x.Type.Numeric():
		return "only numbers that can have keys can be driven"
	case !x.Sim:
		return "no simulation reads it"
	}
	return ""
}

// Drive adds a value to those that a sensor drives, or takes it from them; the others stay
// as they were typed.
func (e *Element) Drive(element, key string, on bool) error {
	var kept []string
	for _, part := range driveParts(val.SensorDrives.Of(e)) {
		if words := strings.Fields(part); words[0] != element+"."+key {
			kept = append(kept, strings.Join(words, " "))
		}
	}
	if on {
		kept = append(kept, element+"."+key)
	}
	return e.Put(val.SensorDrives.Name(), Text(strings.Join(kept, ", ")))
}

// Follows is the first sensor that drives a value of an element; nil where none does.
func (s *Shot) Follows(element, key string) *Element {
	for _, e := range s.Of(Sensor) {
		if e.Drives(element, key) {
			return e
		}
	}
	return nil
}

// MaskOf is the sensor whose form limits an element in a domain; nil without, or where it
// is muted or doesn't act there.
func (s *Shot) MaskOf(e, d *Element) *Element {
	if by := s.Element(e.Masked()); by != nil && by.Kind == Sensor && !by.Muted && by.Acts(d) {
		return by
	}
	return nil
}

// Masked is the id of the sensor whose form limits an element; "" without.
func (e *Element) Masked() string {
	if Find(e.Kind, val.Mask.Name()) == nil {
		return ""
	}
	return val.Mask.Of(e)
}

// Drives tells that a sensor drives a value of an element.
func (e *Element) Drives(element, key string) bool {
	return slices.ContainsFunc(e.Driven(), func(d Driven) bool { return d.Element == element && d.Key == key })
}

// drivesType is a list of values of elements.
func drivesType() TypeDef {
	return TypeDef{Type: Drives, Want: "values of elements, such as emitter2.fuel", Show: orNothing, Check: func(e *Entry, v Value) error {
		list, err := drivesIn(v.Text)
		if err == nil && len(list) > 64 {
			err = fmt.Errorf("%d values; a sensor drives up to 64", len(list))
		}
		if err != nil {
			return fmt.Errorf("%s: %w", e.Label, err)
		}
		return nil
	}}
}

// Senses is the domain that a sensor measures for a run of d: d itself, or one that it
// names; nil where that is muted or gone.
func (s *Shot) Senses(e, d *Element) *Element {
	id := val.SensorOf.Of(e)
	if id == "" || id == d.ID {
		return d
	}
	if o := s.Element(id); o != nil && o.Kind == Domain && !o.Muted {
		return o
	}
	return nil
}

// sensors declares sensors.
func sensors() KindDef {
	entry := func(n val.Name, e Entry) Entry {
		e.Kind, e.Sim = Sensor, true
		return Named(n, e)
	}
	return KindDef{Kind: Sensor, Name: "Sensor", Group: "measures it", Shaped: true, Scoped: true, Values: append(Placed("box", Vec(1, 1, 1)), []Entry{
		entry(val.SensorOf, Entry{Label: "In", Type: Ref, Topic: "measures", Help: "The domain that it measures. Nothing: that which is run. Another one is made first, and then read from its cache."}),
		entry(val.SensorChannel, Entry{Label: "Measures", Type: Choice, Default: Text("temperature"), Choices: opts("density", "smoke, or how full of liquid", "temperature", "heat, K over the air", "burn", "flame", "particles", "how many particles", "stretch", "how far cloth is stretched", "wet", "how wet cloth is", "near", "how far away an element is", "reach", "how far away smoke or liquid is", "since", "seconds since a sensor fired"), Main: true, Topic: "measures", Help: "What it measures within its form, or in metres from its form on. A sensor has fired once it reads half, and fires anew after it was under that."}),
		entry(val.SensorFrom, Entry{Label: "Of", Type: Ref, Refs: []Kind{Emitter, Collider, Wind, Turbulence, Vortex, Radial, Drag, Guide, Pull, Sensor}, Main: true, Topic: "measures", When: "sensor_channel=near|since", Help: "The element whose distance it measures, from form to form, or the sensor whose firing it waits for."}),
		entry(val.SensorMeasure, Entry{Label: "As", Type: Choice, Default: Text("share"), Choices: opts("share", "share of its volume over a value, of cloth of the area in it", "mean", "mean", "most", "largest", "total", "total over its volume"), Main: true, Topic: "measures", When: "sensor_channel=density|temperature|burn|stretch|wet", Help: "A share is from 0 to 1; a total is the channel's value times cubic metres, of cloth times square metres."}),
		entry(val.SensorOver, Entry{Label: "Over", Type: Number, Default: Num(100), Min: -1e6, Max: 1e6, Step: 10, Main: true, Fixed: fixedSensor, Topic: "measures", When: "sensor_channel=density|temperature|burn|stretch|wet|reach&sensor_measure=share", Help: "The value that counts as reached: heat in kelvin over the air, smoke, flame and wetness from 0 to 1, stretch as a share of the length."}),
		entry(val.SensorLow, Entry{Label: "Off at", Type: Number, Default: Num(0), Min: -1e9, Max: 1e9, Step: 0.05, Fixed: fixedSensor, Topic: "response", Help: "What is measured where the sensor reads 0."}),
		entry(val.SensorHigh, Entry{Label: "Full at", Type: Number, Default: Num(0.1), Min: -1e9, Max: 1e9, Step: 0.05, Main: true, Fixed: fixedSensor, Topic: "response", Help: "What is measured where it reads 1. A tenth of its volume, as a share."}),
		entry(val.SensorCurve, Entry{Label: "Response", Type: Curve, Default: Text("0 0; 1 1"), Min: 0, Max: 1, Topic: "response", Help: "From off, at the left, to full."}),
		entry(val.SensorInverted, Entry{Label: "Inverted", Type: Flag, Default: On(false), Topic: "response", Help: "It reads 1 where nothing is measured."}),
		entry(val.SensorLatched, Entry{Label: "Stays on", Type: Flag, Default: On(false), Topic: "response", Help: "What it has once read it keeps: a fuse."}),
		entry(val.SensorHold, Entry{Label: "Holds for", Type: Integer, Unit: Frames, Default: Num(0), Min: 0, Max: 10000, Step: 1, Fixed: fixedSensor, Topic: "response", When: "sensor_latched=false", Help: "Frames for which it keeps its largest reading."}),
		entry(val.SensorSmooth, Entry{Label: "Follows within", Type: Number, Unit: Second, Default: Num(0), Min: 0, Max: 1000, Step: 0.1, Fixed: fixedSensor, Topic: "response", Help: "Time in which it has taken up two thirds of a change. 0: at once."}),
		entry(val.SensorDrives, Entry{Label: "Drives", Type: Drives, Main: true, Topic: "drives", Help: "Values of elements that it changes, each an id, a dot and a name, parted by commas: emitter2.fuel, emitter2.temperature 290 to 1100. The second goes from 290 where the sensor reads 0 to 1100 where it reads 1. Any number that can have keys. The id stands in the address of the element's sheet."}),
		entry(val.SensorHow, Entry{Label: "By", Type: Choice, Default: Text("times"), Choices: opts("times", "times its reading", "plus", "plus its reading times an amount", "set", "set to its reading times an amount"), Topic: "drives", Help: "What its reading does to the value and its keys."}),
		entry(val.SensorAmount, Entry{Label: "Amount", Type: Number, Default: Num(1), Min: -1e6, Max: 1e6, Step: 0.1, Fixed: fixedSensor, Topic: "drives", When: "sensor_how=plus|set", Help: "In the value's own unit."}),
	}...),
		Sentence: func(s *Shot, e *Element) string {
			what := map[string]string{"density": "smoke", "temperature": "heat", "burn": "flame", "particles": "particles", "stretch": "how far cloth is stretched", "wet": "how wet cloth is"}[val.SensorChannel.Of(e)]
			t := "measures " + what + " in a " + s.SizeWords(e)
			of := "an element"
			if o := s.Element(val.SensorFrom.Of(e)); o != nil {
				of = o.Name
			}
			switch val.SensorChannel.Of(e) {
			case "near":
				t = "measures how far " + of + " is from a " + s.SizeWords(e)
			case "reach":
				t = "measures how far smoke or liquid is from a " + s.SizeWords(e)
			case "since":
				t = "measures the time since " + of + " fired"
			}
			if val.SensorLatched.Of(e) {
				t += ", stays on once it has fired"
			}
			var names []string
			for _, d := range e.Driven() {
				if o := s.Element(d.Element); o != nil {
					if x := Find(o.Kind, d.Key); x != nil {
						names = append(names, strings.ToLower(x.Label)+" of "+o.Name)
					}
				}
			}
			if len(names) == 0 {
				return t + " and drives nothing yet" + s.Scope(e) + "."
			}
			return t + " and drives " + list(names) + s.Scope(e) + "."
		},
		Place: func(e, domain *Element, r Room) {
			val.Size.Set(e, r.Small, r.Small, r.Small)
			val.Position.Set(e, r.Mid.X, r.Box.Min.Y+r.Small, r.Mid.Z)
		},
	}
}
