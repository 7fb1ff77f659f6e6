package recipe

// Recipes of one's own: a shot's cast kept under a name, to be put on other things
// at other sizes. The file holds a shot, so it is read with all of the shot file's
// checks.

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"zarf/core/geom"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// OwnFormat names the version of the file of a recipe of one's own.
// A file of another version is refused by name rather than read half.
const OwnFormat = "zarf-recipe/1"

// Limits of a recipe's words.
const MaxAbout = 400

// FromShot makes a recipe of a shot's cast, cameras left out, for a thing of
// the size and at the place of one of its elements.
//
// Positions are taken relative to what the recipe is for, sizes stay as they are
// with the size they are for (Base), and keys are counted from the first frame at 24
// a second.
func FromShot(s *shot.Shot, on *shot.Element, name, about string) (*Recipe, error) {
	if err := shot.CheckName(name); err != nil {
		return nil, err
	}
	if len(about) > MaxAbout {
		return nil, fmt.Errorf("its words have %d bytes; %d are allowed", len(about), MaxAbout)
	}
	if len(s.Of(shot.Domain)) == 0 || on == nil {
		return nil, fmt.Errorf("the shot needs a domain, and an element that the recipe is for")
	}
	r := &Recipe{Name: name, About: about}
	var at geom.Vec3
	first, _ := s.Range()
	if on.Placed() {
		// a recipe is put on top of what it is for; what it was made round
		// lies there when it is put on something of the same size
		sh := on.Shape(s.Eval(float64(first)))
		b := sh.Bounds()
		at, r.Size = geom.V(b.Centre().X, b.Min.Y, b.Centre().Z), max(b.Size().X, b.Size().Z)
	} else {
		at, r.Size = (&Recipe{Size: 1}).On(s, on)
	}
	r.Base = r.Size
	for _, e := range s.Elements {
		// Cameras belong to the shot they look at; what is muted was given up.
		if e.Kind == shot.Camera || e.Muted {
			continue
		}
		p := Part{Kind: e.Kind, Name: e.Name, Values: shot.Values{}, Keys: map[string][]shot.Key{}}
		for _, v := range shot.Entries(e.Kind) {
			// places always, as zero is one relative to the element
			place := v.Key == val.Position.Name() || v.Key == val.Target.Name()
			if x := v.Value(e); place || !v.Same(x, v.Default) {
				p.Values[v.Key] = moved(v.Key, x, at.Mul(-1))
			}
		}
		for _, x := range shot.Entries(e.Kind) {
			for _, k := range e.Keys(x) {
				k.Value = moved(x.Key, k.Value, at.Mul(-1))
				// Fractions of frames are kept; Put rounds when it knows the shot's
				// rate.
				k.Frame = (k.Frame - float64(first)) * 24 / s.Rate()
				p.Keys[x.Key] = append(p.Keys[x.Key], k)
			}
		}
		r.Parts = append(r.Parts, p)
	}
	// a domain comes first: what follows acts on it
	// Stable, so that the rest keeps the order of the cast.
	slices.SortStableFunc(r.Parts, func(a, b Part) int {
		rank := func(p Part) int {
			if p.Kind == shot.Domain {
				return 0
			}
			return 1
		}
		return rank(a) - rank(b)
	})
	r.Look = s.Looks[0].Given()
	return r, nil
}

// ownFile is a recipe of one's own as its file holds it.
// Size is written apart from the shot, which has no place for it.
type ownFile struct {
	Format string          `json:"format"`
	Name   string          `json:"name"`
	About  string          `json:"about"`
	Size   float64         `json:"size"`
	Shot   json.RawMessage `json:"shot"`
}

// Encode writes a recipe of one's own; its parts stand in it as a shot file.
func (r *Recipe) Encode() ([]byte, error) {
	s := shot.New("recipe")
	s.Elements = nil
	for _, p := range r.Parts {
		// Ids are made anew; recipes don't refer from part to part.
		e := s.Add(p.Kind)
		e.Name = p.Name
		if err := p.put(e); err != nil {
			return nil, err
		}
	}
	if err := s.Looks[0].PutAll(r.Look); err != nil {
		return nil, err
	}
	return json.MarshalIndent(ownFile{OwnFormat, r.Name, r.About, r.Size, s.Encode()}, "", " ")
}

// DecodeOwn reads a recipe of one's own.
// The parts are read as a shot, with all of its checks: a recipe file is as
// untrusted.
func DecodeOwn(b []byte) (*Recipe, error) {
	var f ownFile
	if err := json.Unmarshal(b, &f); err != nil {
		return nil, fmt.Errorf("recipe file: %w", err)
	}
	if f.Format != OwnFormat {
		return nil, fmt.Errorf("recipe file: its format is %q; this program reads %q", f.Format, OwnFormat)
	}
	if err := shot.CheckName(f.Name); err != nil {
		return nil, fmt.Errorf("recipe file: %w", err)
	}
	if !(f.Size > 0) || math.IsInf(f.Size, 0) {
		return nil, fmt.Errorf("recipe file: its size is %g m", f.Size)
	}
	s, _, err := shot.Decode(f.Shot)
	if err != nil {
		return nil, fmt.Errorf("recipe file: %w", err)
	}
	r := &Recipe{Name: f.Name, About: strings.TrimSpace(f.About), Size: f.Size, Base: f.Size, Look: s.Looks[0].Given()}
	for _, e := range s.Elements {
		p := Part{Kind: e.Kind, Name: e.Name, Values: e.Given(), Keys: map[string][]shot.Key{}}
		for _, x := range shot.Entries(e.Kind) {
			if keys := e.Keys(x); len(keys) > 0 {
				p.Keys[x.Key] = slices.Clone(keys)
			}
		}
		for _, n := range []val.VecKey{val.Position, val.Target} {
			if shot.Find(e.Kind, n.Name()) != nil {
				p.Values[n.Name()] = n.Value(e)
			}
		}
		r.Parts = append(r.Parts, p)
	}
	return r, nil
}
