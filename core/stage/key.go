package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"

	"zarf/core/asset"
	"zarf/core/shot"
)

// Key identifies the final frames of domain d, 32 hexadecimal digits: those of
// the coarse run, or of the refinement on top of it.
func Key(s *shot.Shot, d *shot.Element) string { return key(s, d, 0) }

// CoarseKey identifies the run of domain d, without a refinement.
func CoarseKey(s *shot.Shot, d *shot.Element) string { return coarseKey(s, d, 0) }

// maxChain is how deep domains may feed each other.
const maxChain = 16

// key hashes what a stage is made from.
// A fine stage's key holds that of the coarse run below it: one hash tells all.
func key(s *shot.Shot, d *shot.Element, depth int) string {
	key := coarseKey(s, d, depth)
	r := RefinementOf(d)
	if r == nil {
		return key
	}
	k := newKeyed()
	io.WriteString(k, r.Version)
	k.put(key)
	for _, n := range r.Reads {
		k.value(d, shot.Find(d.Kind, n.Name()))
	}
	return k.sum()
}

// coarseKey hashes what the run under a refinement is made from.
//
// The domain's solver and version, the shot's settings, the domain, then each
// element that acts in it by id, with what feeds it. Values count only where they
// matter (Matters), so that a change of what nobody reads leaves the cache current.
func coarseKey(s *shot.Shot, d *shot.Element, depth int) string {
	k := newKeyed()
	if solver := Of(d); solver != nil {
		// the program's part of the key: results of other versions are other results
		io.WriteString(k, solver.Version)
	} else {
		io.WriteString(k, d.Fluid().Key)
	}
	in := d.Within()
	k.element(s.Self, in)
	k.element(d, in)
	feed := func(src *shot.Element) { // what feeds it counts like its own values
		switch {
		case src == nil || depth >= maxChain:
		case src.Kind == shot.Sequence:
			k.element(src, in)
		default:
			k.put(key(s, src, depth+1))
		}
	}
	feed(s.Carrier(d))
	for _, e := range bound(s, d) {
		if by := s.ClothFor(e, d); by != nil { // what it is stands in the key of the run that made it
			k.put(e.ID)
			feed(by)
			continue
		}
		// and whether an element is there at all, even if it holds nothing but
		// defaults
		k.put(e.ID) // the seed of its noise
		k.element(e, in)
		if e.Kind == shot.Cloth { // what it is pinned to, and what tells where, may act nowhere itself
			for _, x := range shot.Entries(e.Kind) {
				if o := s.Element(x.Value(e).Text); x.Type == shot.Ref && x.Sim && x.Matters(e, in) && o != nil {
					k.put(o.ID)
					k.element(o, in)
				}
			}
		}
		feed(s.FedBy(e, d))
		if e.Kind == shot.Sensor {
			if o := s.Senses(e, d); o != nil && o != d {
				feed(o)
			}
		}
	}
	return k.sum()
}

// keyed is a hash of values.
type keyed struct {
	io.Writer
	sum func() string
}

// newKeyed begins a hash.
func newKeyed() *keyed {
	h := sha256.New()
	return &keyed{h, func() string { return hex.EncodeToString(h.Sum(nil))[:32] }}
}

// put adds words and numbers, each told apart from the next.
func (k *keyed) put(v any) {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // values are finite
	}
	k.Write(append(b, '\n'))
}

// element puts every value of an element that is of consequence in a domain.
func (k *keyed) element(e *shot.Element, in shot.Within) {
	k.put(e.Kind)
	for _, x := range shot.Entries(e.Kind) {
		if x.Sim && x.Matters(e, in) {
			k.value(e, x)
		}
	}
}

// value adds a value as it is, keys included.
func (k *keyed) value(e *shot.Element, x *shot.Entry) {
	v := x.Value(e)
	if x.Type.Def().Named { // what it is counts, not what it is called
		v.Text = asset.ID(v.Text)
	}
	k.put([]any{x.Key, x.JSON(v)})
	for _, q := range e.Keys(x) {
		k.put([]any{q.Frame, x.JSON(q.Value), q.Way, q.In, q.Out})
	}
	if extra := e.Extra(x); extra != (shot.Extra{}) {
		k.put(extra)
	}
}
