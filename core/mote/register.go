package mote

import (
	"fmt"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// Key is what particles are called in shot files, and in conditions of values.
const Key = "particles"

// Version is part of every key: raise it when results change.
const Version = "mote/2"

// Figures of a frame.
const (
	Births      sim.Amount = "births"
	Deaths      sim.Amount = "deaths"
	Hits        sim.Amount = "hits"
	LeftOut     sim.Amount = "left_out"     // for want of room
	Hottest     sim.Amount = "hottest"      // K
	ChannelLow  sim.Amount = "channel_low"  // of a channel in which nothing was born
	ChannelHigh sim.Amount = "channel_high" //
)

func init() {
	stage.Register(stage.Solver{
		Fluid:   shot.Fluid{Key: Key, Label: "particles", Word: "particles", Loose: true, Values: values(), Says: says, Emits: emits},
		Version: Version, Points: true,
		Binds: []shot.Kind{shot.Emitter, shot.Collider, shot.Cloth, shot.Wind, shot.Turbulence, shot.Vortex, shot.Radial, shot.Drag, shot.Guide, shot.Pull},
		New: func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Runner, error) {
			return newStage(s, d, crew)
		},
		Bytes: func(*shot.Element) float64 { return 24 }, // of the grids that are cached; particles count by their number
		Guess: guess, Channels: channels, Amounts: amounts, After: after,
		Gives: func(e *shot.Element, now val.Eval) bool {
			if val.From.Of(e) == "fluid" {
				return val.BirthDensity.At(e, now) > 0 || val.BirthCount.At(e, now) > 0
			}
			return val.BirthRate.At(e, now) > 0
		},
		Nothing: "no particles", NothingWhy: "Give it births per second.",
		Checks: []check.Check{{ID: "particles-many", Find: tooMany}, {ID: "carrier-still", Find: carrierStill}, {ID: "carrier-missing", Find: carrierMissing}, {ID: "push-nowhere", Find: pushNowhere}, {ID: "channel-name", Find: namesTaken}, {ID: "channel-nothing", Find: channelNowhere}},
	})
}

// says is how the sentence of a domain of particles goes.
func says(d *shot.Element) (verb, more string) {
	more = map[string]string{"bounce": "", "stick": "; they stick to what they hit", "die": "; they die on hitting something"}[val.OnHit.Of(d)]
	if val.Carrier.Of(d) != "" {
		more = "; a fluid carries them" + more
	}
	return "", more
}

// emits says what an emitter bears.
func emits(s *shot.Shot, e *shot.Element) string {
	t := ""
	if val.From.Of(e) != "fluid" {
		t = " " + shot.Short(val.BirthRate.Of(e)) + " per second"
	}
	return fmt.Sprintf("lets out particles of %s%s", shot.Metre.Format(val.Diameter.Of(e), val.Units.Of(s))+" "+val.Units.Of(s), t)
}

func channels(d *shot.Element) []stage.Channel {
	return []stage.Channel{{Name: frame.Density, Label: "how thick particles are", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Temperature, Label: "how hot they are over the air", Unit: "K", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Velocity, Label: "velocity", Unit: "m/s", Role: frame.Vector, Keep: val.CacheVelocity, Kept: val.CacheVelocity.Of(d), Every: true}}
}

var amounts = []stage.Quantity{
	{Name: sim.Particles, Label: "Particles"},
	{Name: Births, Label: "Births per frame"},
	{Name: Deaths, Label: "Deaths per frame"},
	{Name: Hits, Label: "Hits per frame"},
	{Name: Hottest, Label: "Hottest particle", Unit: "K"},
	{Name: LeftOut, Label: "Births left out per frame"},
}

// alive is how many particles a domain comes to by its emitters' own numbers; those born of
// fluids and of other particles aren't known before.
func alive(s *shot.Shot, d *shot.Element) (n float64) {
	first, last := s.Range()
	lasts := float64(last-first+1) / s.Rate() * val.TimeScale.Of(s)
	for _, e := range s.Of(shot.Emitter) {
		if !e.Acts(d) || val.From.Of(e) == "fluid" {
			continue
		}
		rate := max(val.BirthRate.Of(e), check.Highest(e, val.BirthRate))
		if limit := val.BirthLimit.Of(e); limit > 0 {
			rate = min(rate, limit*s.Rate())
		}
		life := val.Life.Of(e)
		if life <= 0 || life > lasts {
			life = lasts
		}
		n += rate * life
	}
	return n
}

// guess fills in what a run will take.
func guess(s *shot.Shot, d *shot.Element, rate float64, e *stage.Estimate) {
	n := alive(s, d)
	for _, m := range s.Of(shot.Emitter) {
		if m.Acts(d) && val.From.Of(m) == "fluid" {
			n += 2e4 // nobody knows before
		}
	}
	n = min(n, val.MostParticles.Of(d))
	e.Memory += 100 * n
	e.Disk = float64(e.Frames)*(52*n+0.05*e.Voxels) + 84*n
	if rate > 0 {
		e.Seconds = (float64(e.Frames) + val.Preroll.Of(s)) * (n*3 + e.Voxels*0.3) / rate
	}
}

// pushNowhere finds particles whose push no gas is handed.
func pushNowhere(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key != Key || val.AirPush.Of(d) <= 0 {
			continue
		}
		fed := false
		for _, g := range s.Domains {
			for _, e := range s.Emitters {
				if by := s.FedBy(e, g); by == d && g.Fluid().Key == "gas" {
					fed = true
				}
			}
		}
		if !fed {
			out = append(out, check.Finding{Severity: check.Note, Element: d.ID, What: d.Name + " pushes the air, and feeds no gas.", Why: "An emitter of a gas domain, from another fluid and fed by these particles, hands the push on; it may give no smoke.",
				Mend: check.Set("Let it push nothing", d, val.AirPush.Is(0))})
		}
	}
	return out
}

// tooMany finds domains whose emitters make more particles than may live.
func tooMany(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key != Key {
			continue
		}
		n, most := alive(s.Shot, d), val.MostParticles.Of(d)
		if n <= most*1.001 {
			continue
		}
		f := check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s would come to %s particles; %s may live.", d.Name, shot.Short(n), shot.Short(most)),
			Why: "Births over that are left out. Lower births or life, or allow more."}
		if n > 1.5e7 { // 15 GB with what frames take beside
			f.Severity, f.Why = check.Fault, fmt.Sprintf("They would take %.0f GB of memory and %.0f GB of disk a hundred frames. Lower births or life.", n*100/1e9, n*52*100/1e9)
		} else {
			f.Mend = check.Set("Allow as many", d, val.MostParticles.Is(min(2e7, n*1.1)))
		}
		out = append(out, f)
	}
	return out
}

// carrierStill finds domains that are carried by a fluid whose velocity isn't kept.
func carrierStill(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if c := s.Carrier(d); c != nil && c.Kind == shot.Domain && !val.CacheVelocity.Of(c) {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: fmt.Sprintf("%s keeps no velocity to carry %s by.", c.Name, d.Name), Why: "Its cache has none, so the particles would move through still air.",
				Mend: check.Set("Keep velocity", c, val.CacheVelocity.Is(true))})
		}
	}
	return out
}

// carrierMissing finds domains whose carrier is gone or muted.
func carrierMissing(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key == Key && val.Carrier.Of(d) != "" && s.Carrier(d) == nil {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " is carried by a domain that is gone or muted.", Why: "Its particles would move through still air.",
				Mend: check.Set("Let still air carry them", d, val.Carrier.Is(""))})
		}
	}
	return out
}

// namesTaken finds channels of particles' own that have the name of another.
func namesTaken(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key != Key {
			continue
		}
		good := ownNames(d)
		for n := 1; n <= Owns; n++ {
			name := ownName(n).Of(d)
			if _, there := good[n]; there || name == "" {
				continue
			}
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: fmt.Sprintf("Channel %d of %s is called %s, which another number of its particles is.", n, d.Name, name), Why: "It is left out until it has a name of its own.",
				Mend: check.Set("Call it own_"+name, d, ownName(n).Is("own_"+name))})
		}
	}
	return out
}

// channelNowhere finds channels that follow a fluid where none carries the particles.
func channelNowhere(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key != Key || s.Carrier(d) != nil {
			continue
		}
		names := ownNames(d)
		for n := 1; n <= Owns; n++ {
			if _, there := names[n]; there && ownFrom(n).Of(d) != "birth" {
				out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("Channel %s of %s follows a fluid, and none carries it.", ownName(n).Of(d), d.Name), Why: "It stays 0. Choose what the particles are carried by."})
			}
		}
	}
	return out
}

// after looks at how a run went.
func after(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) (out []check.Finding) {
	born, over, low, high, asked := 0.0, 0.0, 0.0, 0.0, false
	for _, f := range frames {
		born += f.Of(Births)
		over += f.Of(LeftOut)
		if l, h := f.Of(ChannelLow), f.Of(ChannelHigh); l != 0 || h != 0 {
			if !asked {
				low, high = l, h
			}
			low, high, asked = min(low, l), max(high, h), true
		}
	}
	if over > 0 {
		out = append(out, check.Finding{ID: "particles-capped", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s births were left out of %s.", shot.Short(over), shot.Short(over+born)), Why: "As many particles lived as may.",
			Mend: check.Set("Allow twice as many", d, val.MostParticles.Is(min(2e7, 2*val.MostParticles.Of(d))))})
	}
	if born == 0 && asked && len(frames) > 0 {
		out = append(out, check.Finding{ID: "particles-none", Severity: check.Warning, Element: d.ID, What: "No particle was born: the channel never had such a value.", Why: fmt.Sprintf("It went from %s to %s.", shot.Short(low), shot.Short(high))})
	}
	return out
}
