package liquid

import (
	"fmt"
	"math"

	"zarf/core/check"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/stage"
)

// inSeas calls fn with every liquid domain that lies in a sea.
func inSeas(s *check.Scene, fn func(d, sea *shot.Element)) {
	for _, d := range liquids(s) {
		if e := s.SeaOf(d); e != nil {
			fn(d, e)
		}
	}
}

// seaDry finds seas in which no domain of liquid lies.
func seaDry(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Of(shot.Sea) {
		found := false
		for _, d := range liquids(s) {
			found = found || e.Acts(d)
		}
		if !found {
			out = append(out, check.Finding{Severity: check.Note, Element: e.ID, What: e.Name + " surrounds no domain of liquid: it is only drawn.", Why: "Waves break on things within a domain that holds a liquid and is crossed by the sea's level. Gas doesn't feel a sea."})
		}
	}
	return out
}

// seaCalm finds seas without a wind.
func seaCalm(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Of(shot.Sea) {
		if val.SeaWind.Of(e) > 0 {
			continue
		}
		f := check.Finding{Severity: check.Note, Element: e.ID, What: e.Name + " is flat: its wind speed is 0.", Why: "A wind raises the waves.", Mend: &check.Mend{Label: "Let a breeze of 6 m/s blow", Element: e.ID, Key: val.SeaWind.Name(), Value: shot.Num(6)}}
		if val.CrestHeight.Of(e) > 0 {
			f.Severity, f.Why = check.Warning, "The large wave takes its length from those of the wind: without one there is none."
		}
		out = append(out, f)
	}
	return out
}

// seaSeveral finds domains in more than one sea.
func seaSeveral(s *check.Scene) (out []check.Finding) {
	inSeas(s, func(d, one *shot.Element) {
		for _, e := range s.Of(shot.Sea) {
			if e != one && e.Acts(d) {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s lies in two seas; %s counts, %s doesn't.", d.Name, one.Name, e.Name), Why: "A domain's sides follow one sea. Let the other act on other domains, or mute it."})
			}
		}
	})
	return out
}

// seaLevel finds domains that the sea's surface doesn't cross with room for its waves.
func seaLevel(s *check.Scene) (out []check.Finding) {
	inSeas(s, func(d, e *shot.Element) {
		b, y := d.DomainBox(), val.SeaLevel.Of(e)
		st := stage.SeaState(s.Shot, e)
		high := max(st.Significant(), st.Crest.High)
		length := val.Units.Of(s.Shot)
		m := func(v float64) string { return shot.Metre.Format(shot.Tidy(v), length) + " " + length }
		middle := &check.Mend{Label: "Set the level to the domain's middle", Element: e.ID, Key: val.SeaLevel.Name(), Value: shot.Num(shot.Tidy(b.Centre().Y))}
		switch {
		case y <= b.Min.Y || y >= b.Max.Y:
			out = append(out, check.Finding{Severity: check.Fault, Element: e.ID, What: fmt.Sprintf("%s's level, %s, is outside %s, which goes from %s to %s.", e.Name, m(y), d.Name, m(b.Min.Y), m(b.Max.Y)), Why: "The domain would be empty, or full to the top.", Mend: middle})
		case y+high > b.Max.Y || y-high < b.Min.Y:
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s's waves, some %s from the level, reach %s's top or floor.", e.Name, m(high), d.Name), Why: "Crests are cut off at the top, and troughs lay the floor bare: make the domain higher."})
		}
	})
	return out
}

// seaWalls finds sides of domains in a sea that are walls.
func seaWalls(s *check.Scene) (out []check.Finding) {
	inSeas(s, func(d, e *shot.Element) {
		for side, open := range d.Open() {
			if !open && side != 2 && side != 3 {
				out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s's side at %s is a wall: waves of %s neither come in nor leave there.", d.Name, shot.Sides[side].Word, e.Name), Why: "They are thrown back, and the picture shows an edge against the sea.",
					Mend: &check.Mend{Label: "Open the side to the sea", Element: d.ID, Key: shot.Sides[side].Name.Name(), Value: shot.Text("outflow")}})
			}
		}
	})
	return out
}

// seaFloor finds floors that waves feel where the sea is deeper, and seas that are shallower
// than their domain.
func seaFloor(s *check.Scene) (out []check.Finding) {
	inSeas(s, func(d, e *shot.Element) {
		under, depth := val.SeaLevel.Of(e)-d.DomainBox().Min.Y, val.SeaDepth.Of(e)
		st := stage.SeaState(s.Shot, e)
		length := val.Units.Of(s.Shot)
		m := func(v float64) string { return shot.Metre.Format(shot.Tidy(v), length) + " " + length }
		switch {
		case under <= 0:
		case depth < 0.95*under:
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s is %s deep, and %s goes down to %s under its level.", e.Name, m(depth), d.Name, m(under)), Why: "Waves come in as over shallower water than they then run in.",
				Mend: &check.Mend{Label: "Make the sea as deep as the domain", Element: e.ID, Key: val.SeaDepth.Name(), Value: shot.Num(shot.Tidy(under))}})
		case depth > 1.05*under && val.SideY0.Of(d) == "wall" && 0.35*st.PeakLength() > under:
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("Waves of %s stir water deeper than %s's floor, which is a wall %s under the level.", m(st.PeakLength()), d.Name, m(under)), Why: fmt.Sprintf("The sea is %s deep: its waves would be those of deep water outside, and run over a ground within.", m(depth)),
				Mend: &check.Mend{Label: "Let the sea through the floor", Element: d.ID, Key: val.SideY0.Name(), Value: shot.Text("outflow")}})
		}
	})
	return out
}

// seaCoarse finds voxels too large for the waves.
func seaCoarse(s *check.Scene) (out []check.Finding) {
	inSeas(s, func(d, e *shot.Element) {
		st := stage.SeaState(s.Shot, e)
		h, long := val.Voxel.Of(d), st.PeakLength()
		if long <= 0 || long >= 10*h {
			return
		}
		to := shot.Tidy(long / 16)
		out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s's highest waves are %s m long; %s's voxels are %s m.", e.Name, shot.Short(math.Round(long*100)/100), d.Name, shot.Short(h)), Why: "Waves under ten voxels die within the domain.",
			Mend: &check.Mend{Label: fmt.Sprintf("Use voxels of %s m", shot.Short(to)), Element: d.ID, Key: val.Voxel.Name(), Value: shot.Num(to)}})
	})
	return out
}
