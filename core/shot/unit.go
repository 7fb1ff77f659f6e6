package shot

// Units. Inside the program every number is in SI units, lenses in millimetres and
// angles in degrees excepted; here is the way in and out for people, who type "35
// cm" and "1/48 s" and read lengths in the unit that their shot is set to.

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Unit is the SI unit of a number.
// It is the unit in which the document holds the number, and the text that stands
// behind it on a page.
type Unit string

// The units.
const (
	Metre      Unit = "m"
	Speed      Unit = "m/s"
	Accel      Unit = "m/s²"
	Kelvin     Unit = "K"
	PerSecond  Unit = "1/s"
	PerMetre   Unit = "1/m"
	Density    Unit = "kg/m³"
	Degree     Unit = "°"
	Second     Unit = "s"
	Energy     Unit = "MJ/kg"
	Power      Unit = "kW"
	CoolRate   Unit = "K/s"
	Frames     Unit = "frames"
	FrameRate  Unit = "fps"
	Millimetre Unit = "mm" // of lenses
	Stops      Unit = "stops"
	Viscosity  Unit = "Pa·s"
	Tension    Unit = "N/m"
	HeatUnit   Unit = "J/(kg K)"
	HeatFlow   Unit = "W/(m² K)"
	Conduction Unit = "W/(m K)"
	AreaMass   Unit = "kg/m²"
	Rigidity   Unit = "N·m"
	Pascal     Unit = "Pa"
	Plain      Unit = ""
)

// spellings are the units that a typed number may carry, with what turns them
// into the SI unit: si = factor·n + offset.
// Keys are in lower case, as typed units are compared so. A mega and a milli
// therefore can't be told apart, and for each unit the one that makes sense stands
// here: MPa·s is nobody's viscosity. Imperial units are left out: a message says
// what is taken.
var spellings = map[Unit]map[string][2]float64{
	Metre:      {"m": {1}, "cm": {0.01}, "mm": {0.001}, "km": {1000}},
	Millimetre: {"mm": {1}, "cm": {10}},
	Speed:      {"m/s": {1}, "cm/s": {0.01}, "mm/s": {0.001}, "km/h": {1 / 3.6}},
	Accel:      {"m/s²": {1}, "m/s2": {1}, "cm/s²": {0.01}, "cm/s2": {0.01}, "g": {9.80665}},
	Kelvin:     {"k": {1}, "°c": {1, 273.15}, "c": {1, 273.15}},
	PerSecond:  {"1/s": {1}, "/s": {1}, "1/min": {1.0 / 60}},
	PerMetre:   {"1/m": {1}, "/m": {1}, "1/cm": {100}},
	Density:    {"kg/m³": {1}, "kg/m3": {1}, "g/m³": {0.001}, "g/m3": {0.001}},
	Viscosity:  {"pa·s": {1}, "pas": {1}, "pa s": {1}, "mpa·s": {0.001}, "cp": {0.001}, "p": {0.1}},
	Tension:    {"n/m": {1}, "mn/m": {0.001}, "kn/m": {1000}},
	AreaMass:   {"kg/m²": {1}, "kg/m2": {1}, "g/m²": {0.001}, "g/m2": {0.001}},
	Rigidity:   {"n·m": {1}, "nm": {1}, "mn·m": {0.001}, "µn·m": {1e-6}, "un·m": {1e-6}},
	Pascal:     {"pa": {1}, "kpa": {1000}, "mbar": {100}},
	HeatUnit:   {"j/(kg k)": {1}, "j/kg/k": {1}, "kj/(kg k)": {1000}},
	HeatFlow:   {"w/(m² k)": {1}, "w/m²/k": {1}, "w/(m2 k)": {1}, "w/m2/k": {1}},
	Conduction: {"w/(m k)": {1}, "w/m/k": {1}},
	Degree:     {"°": {1}, "deg": {1}, "rad": {180 / math.Pi}},
	Second:     {"s": {1}, "ms": {0.001}, "min": {60}},
	Energy:     {"mj/kg": {1}, "kj/kg": {0.001}, "kj/g": {1}},
	Power:      {"kw": {1}, "w": {0.001}, "mw": {1000}, "gw": {1e6}},
	CoolRate:   {"k/s": {1}},
	Frames:     {"frames": {1}, "frame": {1}, "f": {1}},
	FrameRate:  {"fps": {1}, "/s": {1}},
	Stops:      {"stops": {1}, "stop": {1}, "ev": {1}},
	Plain:      {"%": {0.01}},
}

// Parse reads a number as people type it: "0.35", "35 cm", "1/48 s", "1e-3",
// "1,5". A number without a unit is in shown, the unit that the page shows.
//
// A typed number is first cut into number and unit: what follows the longest thing
// that reads as a number is the unit. An unknown unit is told with those that are
// known, since “35 inch” must never become 35 m.
func (u Unit) Parse(s string, shown string) (float64, error) {
	// the minus sign of typography, as our own pages write it
	t := strings.TrimSpace(strings.ReplaceAll(s, "−", "-"))
	if t == "" {
		return 0, fmt.Errorf("nothing was typed; give a number")
	}
	end := 0
	// Bytes are walked, not signs: what makes up a number is ASCII, and the first
	// byte of anything else ends it.
	for end < len(t) && (strings.ContainsRune("0123456789.,+-/eE", rune(t[end]))) {
		// a slash belongs to the number where a digit follows, else to the unit:
		// 1/48, 12/s
		if t[end] == '/' && (end+1 >= len(t) || !strings.ContainsRune("0123456789.", rune(t[end+1]))) {
			break
		}
		// likewise e: 1e-3, but 5 ev
		if (t[end] == 'e' || t[end] == 'E') && (end+1 >= len(t) || !strings.ContainsRune("0123456789+-", rune(t[end+1]))) {
			break
		}
		end++
	}
	num, unit := t[:end], strings.ToLower(strings.TrimSpace(t[end:]))
	n, err := fraction(num)
	if err != nil {
		return 0, fmt.Errorf("%q is not a number", clip(s))
	}
	// A page in centimetres has fields in centimetres, so "35" in one means 35 cm.
	// without a unit it is in the one that the page shows beside the field
	if unit == "" {
		unit = strings.ToLower(shown)
	}
	if unit == "" || unit == strings.ToLower(string(u)) {
		return n, nil
	}
	c, ok := spellings[u][unit]
	if !ok {
		var known []string
		for k := range spellings[u] {
			known = append(known, k)
		}
		return 0, fmt.Errorf("%q has the unit %q; %s is measured in %s", clip(s), unit, "this", strings.Join(sorted(known), ", "))
	}
	// Only kelvin has an offset: 20 °C are 293.15 K.
	return n*c[0] + c[1], nil
}

// fraction reads a number that may be written as a fraction, such as 24000/1001.
func fraction(s string) (float64, error) {
	// one comma: thousands parted by commas are refused as no number
	// A comma is the decimal sign of half of our users.
	s = strings.Replace(s, ",", ".", 1)
	if a, b, ok := strings.Cut(s, "/"); ok {
		x, err1 := strconv.ParseFloat(a, 64)
		y, err2 := strconv.ParseFloat(b, 64)
		if err1 != nil || err2 != nil || y == 0 {
			return 0, fmt.Errorf("bad fraction")
		}
		return x / y, nil
	}
	return strconv.ParseFloat(s, 64)
}

// Shown is the unit that a page shows for u where lengths are shown in length.
func (u Unit) Shown(length string) string {
	if u == Metre && (length == "cm" || length == "mm") {
		return length
	}
	return string(u)
}

// Format writes a number in the shown unit, without the unit.
// Up to seven figures; what was typed with fewer comes back as it was typed.
// What Format writes, Parse reads back in the same shown unit; numberType relies on
// it to tell a field that was touched from one that wasn't.
func (u Unit) Format(n float64, shown string) string {
	if c, ok := spellings[u][strings.ToLower(shown)]; ok && c[0] != 0 {
		n = (n - c[1]) / c[0]
	}
	return Short(n)
}

// Short writes a number with up to seven figures.
func Short(n float64) string {
	if n == 0 {
		return "0"
	}
	// seven figures are what a float32 has; beyond that rounding would show
	s := strconv.FormatFloat(n, 'g', 7, 64)
	// Between, plain digits: nobody reads 1.5e+06 voxels.
	if a := math.Abs(n); a >= 1e9 || a < 1e-4 {
		return s
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return s
	}
	return strconv.FormatFloat(v, 'f', -1, 64)
}

// Tidy rounds to three figures: nobody wants 0.353553 on a sheet.
// For values that the program proposes: places of new lamps, sizes of new emitters.
func Tidy(v float64) float64 {
	if v == 0 {
		return 0
	}
	p := math.Pow(10, 2-math.Floor(math.Log10(math.Abs(v))))
	return math.Round(v*p) / p
}
