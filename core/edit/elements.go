package edit

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// Add makes an element with a place and a size that suit the shot.
type Add struct {
	Kind shot.Kind `json:"kind"`
	Name string    `json:"name,omitempty"` // empty: one of its kind

	ID string `json:"-"` // of the element, afterwards
}

// Label says what is done.
func (c *Add) Label() string { return "add " + string(c.Kind) }

// Apply makes the element.
// Its place suits the first domain; its id is free and is told in ID.
func (c *Add) Apply(d *shot.Shot) error {
	if !shot.IsElement(c.Kind) {
		return wrongf("", "", "no element is called %q", c.Kind)
	}
	if err := room(d); err != nil {
		return err
	}
	e := d.Add(c.Kind)
	if c.Name != "" {
		if err := shot.CheckName(c.Name); err != nil {
			return wrong("", "", err)
		}
		e.Name = c.Name
	}
	c.ID = e.ID
	d.Place(e)
	return nil
}

// room refuses more elements than a shot may have.
func room(d *shot.Shot) error {
	if len(d.Elements) >= shot.MaxElements {
		return wrongf("", "", "the shot has %d elements; no more are allowed", shot.MaxElements)
	}
	return nil
}

// Remove deletes an element.
type Remove struct {
	At string `json:"at"`
}

// Label says what is done.
func (c *Remove) Label() string { return "delete" }

// Apply deletes the element and takes it out of the others' scopes.
func (c *Remove) Apply(d *shot.Shot) error {
	if _, err := element(d, c.At); err != nil {
		return err
	}
	d.Remove(c.At)
	return nil
}

// Duplicate copies an element.
type Duplicate struct {
	At string `json:"at"`

	ID string `json:"-"` // of the copy, afterwards
}

// Label says what is done.
func (c *Duplicate) Label() string { return "duplicate" }

// Apply copies the element.
func (c *Duplicate) Apply(d *shot.Shot) error {
	e, err := element(d, c.At)
	if err == nil {
		err = room(d)
	}
	if err != nil {
		return err
	}
	c.ID = d.Duplicate(e).ID
	return nil
}

// Rename gives an element or a look another name.
type Rename struct {
	At   string `json:"at"`
	Name string `json:"name"`
}

// Label says what is done.
func (c *Rename) Label() string { return "rename" }

// Apply renames it.
func (c *Rename) Apply(d *shot.Shot) error {
	e, err := owner(d, c.At)
	if err != nil {
		return err
	}
	if err := shot.CheckName(c.Name); err != nil {
		return wrong(c.At, "", err)
	}
	e.Name = c.Name
	return nil
}

// Mute takes an element out of action, or brings it back.
type Mute struct {
	At string `json:"at"`
	On *bool  `json:"on,omitempty"` // nil: the other way round
}

// Label says what is done.
func (c *Mute) Label() string { return "mute" }

// Apply mutes or unmutes the element.
func (c *Mute) Apply(d *shot.Shot) error {
	e, err := element(d, c.At)
	if err != nil {
		return err
	}
	e.Muted = !e.Muted
	if c.On != nil {
		e.Muted = *c.On
	}
	return nil
}

// Move takes an element one place up or down among those of its group.
type Move struct {
	At string `json:"at"`
	Up bool   `json:"up"`
}

// Label says what is done.
func (c *Move) Label() string { return "move" }

// Apply moves the element.
// Over elements of other groups it steps: the cast shows groups apart. At an end
// nothing happens, and that is no error.
func (c *Move) Apply(d *shot.Shot) error {
	e, err := element(d, c.At)
	if err != nil {
		return err
	}
	i, step := slices.Index(d.Elements, e), 1
	if c.Up {
		step = -1
	}
	for j := i + step; j >= 0 && j < len(d.Elements); j += step {
		if d.Elements[j].Kind.Group() == e.Kind.Group() {
			d.Elements[i], d.Elements[j] = d.Elements[j], d.Elements[i]
			return nil
		}
	}
	return nil
}

// Scope limits an element to domains; all of them, or none, means no limit.
type Scope struct {
	At      string   `json:"at"`
	Domains []string `json:"domains"`
}

// Label says what is done.
func (c *Scope) Label() string { return "scope" }

// Apply limits the element.
// Named domains that don't exist are left out without a word, as another window may
// have deleted them a moment ago.
func (c *Scope) Apply(d *shot.Shot) error {
	e, err := element(d, c.At)
	if err != nil {
		return err
	}
	e.ActsOn = nil
	doms := d.Of(shot.Domain)
	if len(c.Domains) == 0 || len(c.Domains) >= len(doms) {
		return nil
	}
	for _, x := range doms {
		if slices.Contains(c.Domains, x.ID) {
			e.ActsOn = append(e.ActsOn, x.ID)
		}
	}
	return nil
}

// Round sets a domain round another element, with room above for what rises;
// its voxel size stays.
type Round struct {
	At     string `json:"at"`
	Target string `json:"target"`
}

// Label says what is done.
func (c *Round) Label() string { return "set round" }

// Apply sets the domain's place and size.
//
// An element that moves is looked at a dozen times over the shot. Smoke rises, so
// the room above is three times that beside; what stands on the ground keeps its
// feet there.
func (c *Round) Apply(d *shot.Shot) error {
	e, err := element(d, c.At)
	if err != nil {
		return err
	}
	o := d.Element(c.Target)
	if e.Kind != shot.Domain || o == nil || !o.Placed() {
		return wrongf(c.At, "", "choose a domain, and an element with a shape to set it round")
	}
	first, last := d.Range()
	sh := o.Shape(d.Eval(float64(first)))
	b := sh.Bounds()
	for f := first; f <= last && o.Moving(d.Files()); f += max(1, (last-first)/12) {
		sh := o.Shape(d.Eval(float64(f)))
		m := sh.Bounds()
		b = geom.Box{Min: b.Min.Min(m.Min), Max: b.Max.Max(m.Max)}
	}
	room := b.Size().MaxComponent() * 0.6
	b = b.Grow(room)
	b.Max.Y += 2 * room
	if b.Min.Y < 0 && b.Max.Y > 0 { // it stands on the ground
		b.Min.Y = 0
	}
	at, size := b.Centre(), b.Size()
	for _, p := range []val.Pair{val.Position.Is(shot.Tidy(at.X), shot.Tidy(at.Y), shot.Tidy(at.Z)), val.Size.Is(shot.Tidy(size.X), shot.Tidy(size.Y), shot.Tidy(size.Z))} {
		if err := e.Put(p.Name, p.Value); err != nil {
			return wrong(c.At, p.Name, err)
		}
	}
	return nil
}

// Voxels sets a domain's voxel size by a factor on the number of voxels, or by
// their number.
type Voxels struct {
	At    string  `json:"at"`
	By    float64 `json:"by,omitempty"`    // times as many
	Count float64 `json:"count,omitempty"` // where By is 0
}

// Label says what is done.
func (c *Voxels) Label() string { return "voxel size" }

// Apply sets the voxel size.
// The size is rounded to three figures, so the count is met nearly.
func (c *Voxels) Apply(d *shot.Shot) error {
	e, err := element(d, c.At)
	if err != nil {
		return err
	}
	if e.Kind != shot.Domain {
		return wrongf(c.At, "", "%s has no voxels; name a domain", e.Name)
	}
	n := c.Count
	if c.By != 0 {
		n = e.Voxels() * c.By
	}
	if !(n >= 1 && n <= 1e10) {
		return wrongf(c.At, val.Voxel.Name(), "the number of voxels is %s; give 1 to 10 billion", strings.TrimSuffix(fmt.Sprintf("%.6g", n), ".0"))
	}
	size := val.Size.Of(e)
	h := math.Cbrt(size[0] * size[1] * size[2] / n)
	if val.Flat.Of(e) { // one voxel deep, however large
		h = math.Sqrt(size[0] * size[1] / n)
	}
	return wrong(c.At, val.Voxel.Name(), e.Put(val.Voxel.Name(), shot.Num(shot.Tidy(h))))
}
