package shot

// Which domain feeds which. An emitter in one domain may take its fluid from
// another: burning debris whose smoke is its own domain, a spray off a liquid. The
// document gives an order in which they can be simulated one after another.

import (
	"fmt"
	"slices"
	"strings"

	"zarf/core/shot/val"
)

// Feeds lists the domains whose fluid carries what d holds or emits into it, in the order
// of the cast.
// Emitters that name no domain are left out.
// Muted emitters feed nothing; a muted domain isn't found as a source.
func (s *Shot) Feeds(d *Element) (out []*Element) {
	if c := s.Carrier(d); c != nil && c.Kind == Domain {
		out = append(out, c)
	}
	for _, e := range s.Elements {
		if e.Muted || !e.Acts(d) {
			continue
		}
		src := s.FedBy(e, d)
		switch e.Kind {
		case Sensor:
			if src = s.Senses(e, d); src == d {
				src = nil
			}
		case Cloth:
			src = s.ClothFor(e, d)
		}
		if src != nil && src.Kind == Domain && !slices.Contains(out, src) {
			out = append(out, src)
		}
	}
	return out
}

// FedBy is the domain or the sequence that feeds an emitter in domain d; nil
// where none does, or where what d holds can't be fed.
// Whether the value matters is asked of the catalogue: an emitter set to emit from
// its own form may still hold the name of a domain from earlier, and that binds
// nothing.
func (s *Shot) FedBy(e, d *Element) *Element {
	if x := Find(e.Kind, val.FedBy.Name()); x == nil || !x.Matters(e, d.Within()) {
		return nil
	}
	return s.Source(e)
}

// Carrier is the domain or the sequence whose fluid carries what domain d holds; nil where
// none does, or where what it holds isn't carried.
func (s *Shot) Carrier(d *Element) *Element {
	if x := Find(Domain, val.Carrier.Name()); x == nil || !x.Matters(d, d.Within()) {
		return nil
	}
	if c := s.Element(val.Carrier.Of(d)); c != nil && (c.Kind == Domain || c.Kind == Sequence) && !c.Muted {
		return c
	}
	return nil
}

// Source is the domain or the sequence that an emitter names as what feeds it;
// nil where there is none.
func (s *Shot) Source(e *Element) *Element {
	if d := s.Element(val.FedBy.Of(e)); d != nil && (d.Kind == Domain || d.Kind == Sequence) && !d.Muted {
		return d
	}
	return nil
}

// Order lists the domains so that each comes after those that feed it. Domains
// that feed each other in a ring are named in the error.
// A sequence from outside needs no place in it: its frames are there already.
func (s *Shot) Order() (out []*Element, err error) {
	// depth first, in the order of the cast: domains that don't depend on each other
	// keep it, so that adding one at the end changes nothing before
	state := map[*Element]int{} // 1: under way, 2: done
	var way []string
	var visit func(d *Element) error
	visit = func(d *Element) error {
		switch state[d] {
		case 1:
			// the ring alone, not the way to it
			i := slices.Index(way, d.Name)
			return fmt.Errorf("%s feed each other in a ring; let one of them be fed by something else", strings.Join(append(way[i:], d.Name), " → "))
		case 2:
			return nil
		}
		// A domain that is met again while it is under way closes a ring.
		state[d] = 1
		way = append(way, d.Name)
		for _, f := range s.Feeds(d) {
			if err := visit(f); err != nil {
				return err
			}
		}
		way = way[:len(way)-1]
		state[d] = 2
		out = append(out, d)
		return nil
	}
	for _, d := range s.Of(Domain) {
		if err := visit(d); err != nil {
			return nil, err
		}
	}
	return out, nil
}
