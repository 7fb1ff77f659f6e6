package cloth

import (
	"fmt"
	"math"
	"slices"

	"zarf/core/check"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/grid"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/core/sim"
	"zarf/core/stage"
)

// Key is what cloth is called in shot files, and in conditions of values.
const Key = "cloth"

// Version is part of every key: raise it when results change.
const Version = "cloth/3"

// Figures of a frame.
const (
	Vertices sim.Amount = "vertices"
	Stretch  sim.Amount = "stretch" // the most, %
	Torn     sim.Amount = "torn"    // vertices parted in the frame
	Parts    sim.Amount = "parts"   // that hang together, once something tore
	Zones    sim.Amount = "zones"   // of vertices that had to move as one

	Dense     sim.Amount = "dense" // %, the mean of drops that are denser than at rest
	Soaked    sim.Amount = "soaked"
	Burning   sim.Amount = "burning"    // vertices on fire
	DropsLeft sim.Amount = "drops_left" // for want of room
)

func init() {
	stage.Register(stage.Solver{
		Fluid:   shot.Fluid{Key: Key, Label: "cloth and drops", Word: "cloth", Loose: true, Values: values(), Says: says, Emits: emits},
		Version: Version, Points: true,
		Binds: []shot.Kind{shot.Cloth, shot.Emitter, shot.Collider, shot.Wind, shot.Turbulence, shot.Vortex, shot.Radial},
		New: func(s *shot.Shot, d *shot.Element, crew grid.Crew) (stage.Runner, error) {
			return newStage(s, d, crew)
		},
		Bytes: func(*shot.Element) float64 { return 20 }, // of the grids that are cached; cloth counts by its vertices
		Guess: guess, Coarsen: coarsen, Made: []shot.Kind{shot.Cloth}, Channels: channels, Amounts: amounts, After: after,
		Gives:   func(*shot.Element, val.Eval) bool { return true },
		Nothing: "no drops", NothingWhy: "Drops fill its form.",
		Checks: []check.Check{{ID: "cloth-none", Find: none}, {ID: "cloth-homeless", Find: homeless}, {ID: "cloth-falls", Find: falls}, {ID: "cloth-inside", Find: inside}, {ID: "cloth-crossed", Find: crossed}, {ID: "cloth-mesh", Find: meshes}, {ID: "cloth-thick", Find: thick}, {ID: "cloth-fast", Find: fast}, {ID: "cloth-unlit", Find: unlit}, {ID: "drops-large", Find: large}, {ID: "drops-many", Find: many}},
	})
}

func values() []shot.Entry {
	d := func(n val.Name, e shot.Entry) shot.Entry {
		e.Kind, e.Sim, e.When, e.Topic = shot.Domain, true, "in=cloth", "cloth"
		return shot.Named(n, e)
	}
	return []shot.Entry{
		d(val.ClothSteps, shot.Entry{Label: "Steps per frame", Type: shot.Integer, Default: shot.Num(2), Min: 1, Max: 200, Step: 1, Keyable: true, Main: true, Help: "How often cloth is solved within a frame. What it is like doesn't change; fast folds and swings are truer with more, and take as much longer."}),
		d(val.WindsOn, shot.Entry{Label: "Winds act on", Type: shot.Choice, Default: shot.Text("both"), Choices: shot.Options("both", "cloth and drops", "cloth", "cloth alone", "drops", "drops alone"), Help: "Winds, turbulence, vortices and pushes that act on this domain, and the fluid that carries it."}),
		d(val.DropSize, shot.Entry{Label: "Drop size", Type: shot.Number, Unit: shot.Metre, Default: shot.Num(0.02), Min: 1e-4, Max: 10, Step: 0.005, Builds: true, Fixed: "A drop stays what it is.", Help: "Edge of the cube that a drop of the emitters fills, about as large as what splashes; a litre is 125 drops of 2 cm, 1,000 of 1 cm. Half of it are eight times as many."}),
		d(val.DropDensity, shot.Entry{Label: "Drops weigh", Type: shot.Number, Unit: shot.Density, Default: shot.Num(1000), Min: 1, Max: 25000, Step: 50, Builds: true, Fixed: "A drop stays what it is.", Help: "Of a cubic metre: water 1,000, oil 850, mud 1,600."}),
		d(val.DropThick, shot.Entry{Label: "Drops' viscosity", Type: shot.Number, Unit: shot.Viscosity, Default: shot.Num(0.001), Min: 0, Max: 1e5, Step: 0.1, Keyable: true, Help: "Water 0.001, oil 0.1, honey 10. Under about 0.1 it isn't told from the solver's own."}),
		d(val.DropTension, shot.Entry{Label: "Drops' tension", Type: shot.Number, Unit: shot.Tension, Default: shot.Num(0.072), Min: 0, Max: 100, Step: 0.01, Keyable: true, Help: "Surface tension: water 0.072. It is felt by drops under about 5 mm; raise it for larger ones that are to hold together."}),
		d(val.DropWets, shot.Entry{Label: "Cloth repels or draws drops", Type: shot.Number, Default: shot.Num(0.5), Min: -1, Max: 1, Step: 0.1, Keyable: true, Help: "Cosine of the angle at which they meet: −1 pearls off, 1 spreads. Small drops then hang from it."}),
		d(val.DripsAway, shot.Entry{Label: "Remove drops that drip off", Type: shot.Flag, Help: "What falls off cloth is removed on the next frame. For a liquid that is fed by this domain's drops as they drip off, and goes on with them."}),
		d(val.MostDrops, shot.Entry{Label: "Most drops", Type: shot.Integer, Default: shot.Num(200000), Min: 1, Max: 5e6, Step: 10000, Fixed: "It would change which are poured.", Help: "No more are poured while as many are there. A run tells how many it left out."}),
		d(val.Hang, shot.Entry{Label: "Hangs before", Type: shot.Number, Unit: shot.Second, Default: shot.Num(0), Min: 0, Max: 100, Step: 0.5, Fixed: "It is over before the first frame.", Builds: true, Help: "Seconds for which cloth comes to rest by its weight before the first frame, while all else stands still. 0: it begins as modelled."}),
	}
}

// says is how the sentence of a domain of cloth goes.
func says(d *shot.Element) (verb, more string) {
	if val.Carrier.Of(d) != "" {
		more = "; a fluid blows it"
	}
	return "", more
}

func channels(d *shot.Element) []stage.Channel {
	return []stage.Channel{{Name: frame.Density, Label: "where cloth is", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Temperature, Label: "how hot it is over the air", Unit: "K", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Strain, Label: "how far it is stretched, as a share of its length", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Soaked, Label: "how wet it is, as a share of what it soaks up", Role: frame.Amount, Kept: true, Every: true},
		{Name: frame.Velocity, Label: "velocity", Unit: "m/s", Role: frame.Vector, Keep: val.CacheVelocity, Kept: val.CacheVelocity.Of(d), Every: true}}
}

var amounts = []stage.Quantity{
	{Name: Vertices, Label: "Vertices"},
	{Name: Stretch, Label: "Largest stretch", Unit: "%"},
	{Name: Torn, Label: "Vertices torn per frame"},
	{Name: Parts, Label: "Pieces"},
	{Name: Zones, Label: "Folds moved as one, per frame"},
	{Name: sim.Drops, Label: "Drops"},
	{Name: Dense, Label: "Drops pressed together", Unit: "%"},
	{Name: Soaked, Label: "Water in cloth", Unit: "kg"},
	{Name: DropsLeft, Label: "Drops left out per frame"},
	{Name: Burning, Label: "Vertices on fire"},
}

// vertices is about how many a cloth has.
func vertices(s *shot.Shot, e *shot.Element) float64 {
	ev := s.Eval(float64(stage.Start(s)))
	form := e.Shape(ev)
	if form.Form == geom.Imported {
		if form.Body == nil {
			return 0
		}
		if edge := val.CutAnew.Of(e); edge > 0 {
			return faceArea(form.Body.Mesh) / (0.87 * edge * edge)
		}
		return float64(len(form.Body.Mesh.P))
	}
	return area(form, val.ClothEdge.Of(e))
}

// a second of the plainest gas's steps of a million voxels is about so many vertices' steps
const perVoxel = 120

// guess fills in what a run will take.
func guess(s *shot.Shot, d *shot.Element, rate float64, e *stage.Estimate) {
	n := 0.0
	for _, c := range stage.Sewn(s, d) {
		n += vertices(s, c)
	}
	e.Memory += min(8000*n, 3000*n+5000*mostDirect)
	e.Disk = float64(e.Frames)*(66*n+0.02*e.Voxels) + 240*n
	steps := val.ClothSteps.Of(d)
	drops, parts := rains(s, d, e.Frames, 1/s.Rate()/steps)
	e.Memory += 1000 * drops
	e.Disk += float64(e.Frames) * 44 * drops
	if rate > 0 {
		frames := float64(e.Frames) + val.Preroll.Of(s)
		e.Seconds = (frames*steps*parts*(n*perVoxel+drops*perDropStep) + 60*val.Hang.Of(d)*n*perVoxel) / rate
	}
}

// a drop's step is about so many steps of a voxel
const perDropStep = 90

// rains is how many drops there are in a domain on the mean of its frames, and into how many parts that
// breaks a step of dt seconds.
func rains(s *shot.Shot, d *shot.Element, frames int, dt float64) (drops, parts float64) {
	parts = 1
	size, box := val.DropSize.Of(d), d.DomainBox()
	for _, e := range s.Of(shot.Emitter) {
		if !e.Acts(d) || e.Muted {
			continue
		}
		long := min(val.End.Of(e), float64(stage.Start(s)+frames)) - max(val.Begin.Of(e), float64(stage.Start(s)))
		drops += pours(e, d) * max(long, 1) / s.Rate()
		fall := max(e.Shape(s.Eval(float64(stage.Start(s)))).Centre.Y-box.Min.Y, 0) / 2
		fast := math.Abs(val.Speed.Of(e)) + math.Sqrt(2*9.81*fall)
		parts = max(parts, math.Ceil(min(dt*fast/(1.2*size), struck)), math.Ceil(min(dt*math.Sqrt(9.81/(0.1*size)), parted)))
	}
	return min(drops/2, val.MostDrops.Of(d)), parts
}

// draftVoxels is how many voxels of a draft go with a vertex of its cloth.
const draftVoxels = 20

// coarsen gives cloth a mesh, and drops a size, with which a draft of so many voxels is as quick with them
// as with the voxels.
func coarsen(s *shot.Shot, d *shot.Element) {
	n := 0.0
	for _, e := range stage.Sewn(s, d) {
		n += vertices(s, e)
	}
	most := min(max(d.Voxels()/draftVoxels, 400), MostVertices)
	larger := math.Sqrt(n / most)
	if larger <= 1 {
		return
	}
	for _, e := range stage.Sewn(s, d) {
		if e.FromFile() {
			continue
		}
		size := e.Shape(s.Eval(float64(stage.Start(s)))).Size
		val.ClothEdge.Set(e, min(val.ClothEdge.Of(e)*larger, max(size.X, size.Z)/6))
	}
	val.DropSize.Set(d, val.DropSize.Of(d)*min(larger, 2.5))
	val.ClothSteps.Set(d, min(val.ClothSteps.Of(d), 2))
	d.DropKeys(val.ClothSteps)
}

// emits says what an emitter lets out.
func emits(s *shot.Shot, e *shot.Element) string { return "pours drops" }

// pours is how many drops an emitter lets out in a second, about.
func pours(e *shot.Element, d *shot.Element) float64 {
	sh := e.Shape(val.Frame(val.Begin.Of(e)))
	push := val.Push.Of(e)
	fast := math.Abs(val.Speed.Of(e)) + math.Sqrt(push[0]*push[0]+push[1]*push[1]+push[2]*push[2])
	size := val.DropSize.Of(d)
	return sh.Size.X * sh.Size.Z * max(fast, 1) / (size * size * size)
}

// large finds drops that don't fit into what they are poured from, or are larger than cloth's mesh bears.
func large(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key != Key {
			continue
		}
		size := val.DropSize.Of(d)
		for _, e := range s.Emitters {
			if !e.Acts(d) {
				continue
			}
			if sh := e.Shape(s.Now); sh.Size.MinComponent() < size {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s is narrower than a drop of %s m.", e.Name, shot.Short(size)), Why: "Hardly any comes out of it.",
					Mend: check.Set("Pour smaller drops", d, val.DropSize.Is(shot.Tidy(sh.Size.MinComponent()/2)))})
			}
		}
		each(s, func(o, e *shot.Element) {
			if edge := val.ClothEdge.Of(e); o == d && !e.FromFile() && edge > 4*size && poured(s, d) {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("The mesh of %s, %s m, is coarse for drops of %s m.", e.Name, shot.Short(edge), shot.Short(size)), Why: "Several lie on each face, so it sags in flat pieces.",
					Mend: check.Set(fmt.Sprintf("Make its mesh %s m", shot.Short(shot.Tidy(2*size))), e, val.ClothEdge.Is(shot.Tidy(2*size)))})
			}
		})
	}
	return out
}

// poured reports a domain into which drops are.
func poured(s *check.Scene, d *shot.Element) bool {
	for _, e := range s.Emitters {
		if e.Acts(d) {
			return true
		}
	}
	return false
}

// many finds domains whose emitters pour more drops than may be there.
func many(s *check.Scene) (out []check.Finding) {
	first, last := s.Range()
	for _, d := range s.Domains {
		if d.Fluid().Key != Key {
			continue
		}
		n := 0.0
		for _, e := range s.Emitters {
			if e.Acts(d) {
				from, to := max(float64(first), val.Begin.Of(e)), min(float64(last), val.End.Of(e))
				n += pours(e, d) * max(to-from+1, 0) / s.Rate()
			}
		}
		if most := val.MostDrops.Of(d); n > 1.2*most {
			size := shot.Tidy(val.DropSize.Of(d) * math.Cbrt(n/most) * 1.05)
			out = append(out, check.Finding{Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("%s would come to about %s drops; %s may be there.", d.Name, shot.Short(math.Round(n/1000)*1000), shot.Short(most)), Why: "Those over are left out. A million takes a gigabyte, and minutes a frame.",
				Mend: check.Set(fmt.Sprintf("Pour drops of %s m", shot.Short(size)), d, val.DropSize.Is(size))})
		}
	}
	return out
}

// each calls fn for every cloth that a domain simulates.
func each(s *check.Scene, fn func(d, e *shot.Element)) {
	for _, d := range s.Domains {
		if d.Fluid().Key == Key {
			for _, e := range stage.Sewn(s.Shot, d) {
				fn(d, e)
			}
		}
	}
}

// none finds domains of cloth without any.
func none(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		if d.Fluid().Key == Key && len(stage.Sewn(s.Shot, d)) == 0 {
			out = append(out, check.Finding{Severity: check.Fault, Element: d.ID, What: d.Name + " has no cloth to simulate.", Why: "Add a Cloth, and let it act on this domain."})
		}
	}
	return out
}

// homeless finds cloth that no domain simulates.
func homeless(s *check.Scene) (out []check.Finding) {
	for _, e := range s.Of(shot.Cloth) {
		if !e.Muted && s.WovenIn(e) == nil {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: e.Name + " hangs in no domain that holds cloth.", Why: "It isn't simulated and doesn't show. Add a domain, let it hold cloth, and let this cloth act on it."})
		}
	}
	return out
}

// falls finds cloth that nothing holds, with nothing under it.
func falls(s *check.Scene) (out []check.Finding) {
	each(s, func(d, e *shot.Element) {
		if val.Pins.Of(e) != "none" && (val.Pins.Of(e) != "within" || s.Element(val.PinWithin.Of(e)) != nil) || e.SharePins() {
			return
		}
		form := e.Shape(s.Now)
		b := form.Bounds()
		floor := !d.Open()[2] && b.Min.Y >= d.DomainBox().Min.Y-1e-6 && d.DomainBox().Overlaps(b)
		for _, c := range s.Colliders {
			solid := c.Shape(s.Now)
			k := solid.Bounds()
			if c.Acts(d) && k.Min.Y < b.Max.Y && k.Min.X < b.Max.X && k.Max.X > b.Min.X && k.Min.Z < b.Max.Z && k.Max.Z > b.Min.Z {
				floor = true
			}
		}
		if floor {
			return
		}
		f := check.Finding{Severity: check.Warning, Element: e.ID, What: e.Name + " is pinned nowhere, and nothing lies under it.", Why: "It falls out of the picture.", Mend: check.Set("Pin it along its edge", e, val.Pins.Is("edge"))}
		if val.Pins.Of(e) == "within" {
			f.What, f.Why = e.Name+" is to be pinned within a sensor's form, and names no sensor.", "It is pinned nowhere until it does."
		}
		out = append(out, f)
	})
	return out
}

// inside finds cloth that begins within a solid.
func inside(s *check.Scene) (out []check.Finding) {
	each(s, func(d, e *shot.Element) {
		form := e.Shape(s.Now)
		m, _, _, err := cut(e, form)
		if err != nil || len(m.P) > 200_000 {
			return // told by others
		}
		pinned := shot.PinnedAt(val.Pins.Of(e), int(val.Hooks.Of(e)), m.P, val.ClothEdge.Of(e))
		for _, c := range s.Colliders {
			if !c.Acts(d) {
				continue
			}
			solid := c.Shape(s.Now)
			many, free := 0, 0
			for i, p := range m.P {
				if pinned[i] {
					continue
				}
				free++
				if solid.Distance(form.Turn.Apply(p).Add(form.Centre)) < -val.Thickness.Of(e)/2 {
					many++
				}
			}
			if many > 0 {
				out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s begins inside %s, with %d of its %d vertices.", e.Name, c.Name, many, free), Why: "It is pushed out within the first frames, by the nearest way, and may fold over. Move one of both."})
			}
		}
	})
	return out
}

// unlit finds cloth that would burn, which nothing heats.
func unlit(s *check.Scene) (out []check.Finding) {
	each(s, func(d, e *shot.Element) {
		at := val.BurnsAt.Of(e)
		switch air := val.AirTemperature.Of(s.Shot); {
		case at == 0:
		case at <= air:
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s catches fire at %s K, and the air has %s K.", e.Name, shot.Short(at), shot.Short(air)), Why: "All of it burns at once.",
				Mend: check.Set("Let it catch fire as cotton does, at 680 K", e, val.BurnsAt.Is(680))})
		case s.Element(val.LitWithin.Of(e)) == nil && s.Carrier(d) == nil:
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: e.Name + " can burn, and nothing sets it on fire.", Why: "Choose a sensor within whose form it is lit, or let a hot gas carry " + d.Name + "."})
		}
	})
	return out
}

// crossed finds cloth that begins where other cloth, or more of it, is already.
func crossed(s *check.Scene) (out []check.Finding) {
	for _, d := range s.Domains {
		all, first := geom.Mesh{}, []int(nil) // of every cloth's faces
		var sewn []*shot.Element
		if d.Fluid().Key != Key {
			continue
		}
		list := stage.Sewn(s.Shot, d)
		for _, e := range list {
			form := e.Shape(s.Now)
			box := form.Bounds()
			if !e.FromFile() && !slices.ContainsFunc(list, func(o *shot.Element) bool { b := o.Shape(s.Now); return o != e && b.Bounds().Overlaps(box) }) {
				continue // sewn as we do, it doesn't go through itself
			}
			m, _, _, err := cut(e, form)
			if err != nil || len(all.Tri)+len(m.Tri) > 400_000 {
				continue // told by others
			}
			n := int32(len(all.P))
			for _, p := range m.P {
				all.P = append(all.P, form.Turn.Apply(p).Add(form.Centre))
			}
			first, sewn = append(first, len(all.Tri)), append(sewn, e)
			for _, t := range m.Tri {
				all.Tri = append(all.Tri, [3]int32{t[0] + n, t[1] + n, t[2] + n})
			}
		}
		if len(sewn) == 0 {
			continue
		}
		at, found := all.Crossing(geom.NewTree(&all))
		if !found {
			continue
		}
		// whose face is nearest there
		best, whose := math.Inf(1), 0
		for k, t := range all.Tri {
			if d := all.P[t[0]].Add(all.P[t[1]]).Add(all.P[t[2]]).Mul(1.0 / 3).Sub(at).Len(); d < best {
				best, whose = d, k
			}
		}
		i := len(first) - 1
		for first[i] > whose {
			i--
		}
		out = append(out, check.Finding{Severity: check.Warning, Element: sewn[i].ID, What: fmt.Sprintf("%s begins where cloth is already: it goes through it at %s, %s, %s m.", sewn[i].Name, shot.Short(at.X), shot.Short(at.Y), shot.Short(at.Z)), Why: "Cloth keeps to its side of other cloth, so what is through it stays so. Move one, or hand over a mesh that doesn't go through itself."})
	}
	return out
}

// meshes finds cloth whose mesh can't be had, was mended, or is too uneven.
func meshes(s *check.Scene) (out []check.Finding) {
	each(s, func(d, e *shot.Element) {
		form, err := e.Form(s.Now, 0)
		var did Mended
		var m *geom.Mesh
		if err == nil {
			m, _, did, err = cut(e, form)
		}
		if err != nil {
			out = append(out, check.Finding{Severity: check.Fault, Element: e.ID, What: fmt.Sprintf("%s can't be made: %s.", e.Name, err), Why: "Choose another file or shape."})
			return
		}
		if did.Dropped > 0 || did.Turned > 0 || did.Seams > 0 {
			out = append(out, check.Finding{Severity: check.Note, Element: e.ID, What: fmt.Sprintf("The mesh of %s was mended: %d faces without an area or there twice are left out, %d looked the other way and are turned, %d edges have more than two faces and don't bend.", e.Name, did.Dropped, did.Turned, did.Seams), Why: "Only this cloth is; the file stays as it came."})
		}
		if len(m.Tri) < 8 {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s has %d faces.", e.Name, len(m.Tri)), Why: "A face is flat: cloth folds along edges alone. Give it a finer mesh."})
			return
		}
		if worst := uneven(m); worst > 20 {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("A face of %s is %s times as long as it is high.", e.Name, shot.Short(math.Round(worst))), Why: "Along such faces it can't fold, and solving takes longer.",
				Mend: check.Set("Cut it anew in even triangles", e, val.CutAnew.Is(shot.Tidy(math.Sqrt(2.3*faceArea(m)/float64(len(m.Tri))))))})
		}
		if last := e.Keyed(val.PinHold) || val.PinHold.Of(e) >= 0.5; last && len(m.P) > 0 && allPinned(s, e, m) {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: "All of " + e.Name + " is pinned.", Why: "Nothing of it moves by itself. Pin less of it."})
		}
	})
	return out
}

// allPinned reports cloth of which every vertex is, by its sides.
func allPinned(s *check.Scene, e *shot.Element, m *geom.Mesh) bool {
	edge := val.ClothEdge.Of(e)
	if e.FromFile() {
		edge = meanEdge(m)
	}
	for _, p := range shot.PinnedAt(val.Pins.Of(e), int(val.Hooks.Of(e)), m.P, edge) {
		if !p {
			return false
		}
	}
	return true
}

// uneven is the largest ratio of a face's longest side to its height on it.
func uneven(m *geom.Mesh) (worst float64) {
	for k := range m.Tri {
		a, b, c := m.Corners(k)
		long := max(a.Dist(b), b.Dist(c), c.Dist(a))
		worst = max(worst, long*long/max(b.Sub(a).Cross(c.Sub(a)).Len(), 1e-30))
	}
	return worst
}

// thick finds cloth thicker than its mesh bears.
func thick(s *check.Scene) (out []check.Finding) {
	each(s, func(d, e *shot.Element) {
		edge := val.ClothEdge.Of(e)
		if e.FromFile() {
			sh := e.Shape(s.Now)
			if sh.Body == nil {
				return
			}
			edge = meanEdge(sh.Body.Mesh)
		}
		if t := val.Thickness.Of(e); t > edge/2 {
			out = append(out, check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("%s is %s m thick with a mesh of %s m.", e.Name, shot.Short(t), shot.Short(shot.Tidy(edge))), Why: "Vertices beside each other are nearer than that, so folds can't close.",
				Mend: check.Set(fmt.Sprintf("Make it %s m thick", shot.Short(shot.Tidy(edge/4))), e, val.Thickness.Is(shot.Tidy(edge/4)))})
		}
	})
	return out
}

// fast finds pins that are drawn far within a step.
func fast(s *check.Scene) (out []check.Finding) {
	each(s, func(d, e *shot.Element) {
		to := s.PinnedTo(e)
		if !to.Keyed(val.Position) || val.Pins.Of(e) == "none" && !e.SharePins() {
			return
		}
		first, last := s.Range()
		most, at := 0.0, first
		for f := first; f < last && f < first+2000; f++ {
			a, b := geom.FromArray(val.Position.At(to, s.Eval(float64(f)))), geom.FromArray(val.Position.At(to, s.Eval(float64(f+1))))
			if w := a.Dist(b); w > most {
				most, at = w, f+1
			}
		}
		size := e.Shape(s.Now).Size.MaxComponent()
		if steps := val.ClothSteps.Of(d); most/steps > size/4 {
			want := math.Ceil(4 * most / size)
			f := check.Finding{Severity: check.Warning, Element: e.ID, What: fmt.Sprintf("The pins of %s move %s m on frame %d, in %s steps.", e.Name, shot.Short(shot.Tidy(most)), at, shot.Short(steps)), Why: "That is more than a quarter of the cloth a step: it is jerked, and stretches."}
			if want <= 200 {
				f.Mend = check.Set(fmt.Sprintf("Take %s steps a frame", shot.Short(want)), d, val.ClothSteps.Is(want))
			}
			out = append(out, f)
		}
	})
	return out
}

// after looks at how a run went.
func after(s *shot.Shot, d *shot.Element, frames map[int]sim.Stats) (out []check.Finding) {
	most, at, tied := 0.0, 0, 0
	for n, f := range frames {
		if v := f.Of(Stretch); v > most || v == most && n < at {
			most, at = v, n
		}
		if f.Of(Zones) > 0 {
			tied++
		}
	}
	if most > 100 {
		out = append(out, check.Finding{ID: "cloth-stretched", Severity: check.Warning, Element: d.ID, What: fmt.Sprintf("Cloth was stretched by %s %% on frame %d.", shot.Short(math.Round(most)), at), Why: "Pins draw it apart, or it is very soft. Let it tear, or let its pins keep closer."})
	}
	if 4*tied > len(frames) && len(frames) > 4 {
		out = append(out, check.Finding{ID: "cloth-stuck", Severity: check.Note, Element: d.ID, What: fmt.Sprintf("On %d of %d frames folds moved as one for want of another way.", tied, len(frames)), Why: "They look stiff there. Thinner cloth, a finer mesh or more steps a frame part them."})
	}
	return out
}
