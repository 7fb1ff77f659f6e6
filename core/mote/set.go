package mote

import (
	"fmt"
	"slices"
)

// Set holds particles, a row for each: the slices are of one length. Which row a particle
// has may change; its identity lasts.
type Set struct {
	ID  []uint64     // lasts from frame to frame
	P   [3][]float32 // m
	V   [3][]float32 // m/s
	Age []float32    // s
	// Life is the age at which it dies, s; 0: it doesn't.
	Life    []float32
	Size    []float32    // diameter, m
	Density []float32    // kg/m³
	Heat    []float32    // temperature, K
	Turn    [3][]float32 // how it is turned, an axis times an angle in radians
	Spin    [3][]float32 // radians a second round each axis
	Spins   bool         // some do
	State   []uint8
	Own     []Channel // further channels

	// Impulse is what drag has taken of each one's momentum, kg m/s, since the fluid was
	// given it; empty where no world asks for it.
	Impulse [3][]float32

	next  uint64      // the identity that the next to be born gets
	spare [][]float32 // room of Gather
}

// Channel is a number of every particle, by a name of its own.
type Channel struct {
	Name string
	V    []float32
}

// What a particle is about.
const (
	Flying = iota // moves by itself
	Stuck         // rests on what it has met
	Dead          // goes at the end of the step
)

// Len is how many there are.
func (s *Set) Len() int { return len(s.ID) }

// columns are all numbers but identity and state, in a fixed order.
func (s *Set) columns() []*[]float32 {
	out := []*[]float32{&s.P[0], &s.P[1], &s.P[2], &s.V[0], &s.V[1], &s.V[2], &s.Age, &s.Life, &s.Size, &s.Density, &s.Heat}
	for a := range 3 {
		out = append(out, &s.Turn[a], &s.Spin[a])
	}
	for i := range s.Own {
		out = append(out, &s.Own[i].V)
	}
	if len(s.Impulse[0]) > 0 {
		out = append(out, &s.Impulse[0], &s.Impulse[1], &s.Impulse[2])
	}
	return out
}

// Add makes room for n more particles, of zeros but for their identities, and returns the
// row of the first.
func (s *Set) Add(n int) int {
	first := s.Len()
	for _, c := range s.columns() {
		*c = slices.Grow(*c, n)[:first+n]
		clear((*c)[first:])
	}
	s.State = slices.Grow(s.State, n)[:first+n]
	clear(s.State[first:])
	s.ID = slices.Grow(s.ID, n)[:first+n]
	for i := range n {
		s.ID[first+i] = s.next
		s.next++
	}
	return first
}

// Declare adds a channel, of zeros so far; one that is there stays.
func (s *Set) Declare(name string) *Channel {
	for i := range s.Own {
		if s.Own[i].Name == name {
			return &s.Own[i]
		}
	}
	s.Own = append(s.Own, Channel{name, make([]float32, s.Len())})
	return &s.Own[len(s.Own)-1]
}

// has says whether there is a channel of that name.
func (s *Set) has(name string) bool {
	return slices.ContainsFunc(s.Own, func(c Channel) bool { return c.Name == name })
}

// Sweep drops the dead, keeping the order of the others, and returns how many there were.
func (s *Set) Sweep() int {
	kept, columns := 0, s.columns()
	for i, st := range s.State {
		if st == Dead {
			continue
		}
		if kept < i {
			s.ID[kept], s.State[kept] = s.ID[i], st
			for _, c := range columns {
				(*c)[kept] = (*c)[i]
			}
		}
		kept++
	}
	gone := s.Len() - kept
	s.ID, s.State = s.ID[:kept], s.State[:kept]
	for _, c := range columns {
		*c = (*c)[:kept]
	}
	return gone
}

// Check tells what is wrong with a set that came from elsewhere: columns of other lengths,
// numbers that are none, identities that occur twice.
func (s *Set) Check() error {
	n := s.Len()
	if len(s.State) != n {
		return fmt.Errorf("mote: %d states of %d particles", len(s.State), n)
	}
	for m, c := range s.columns() {
		if len(*c) != n {
			return fmt.Errorf("mote: %d values of %d particles in column %d", len(*c), n, m)
		}
		for i, v := range *c {
			if v-v != 0 {
				return fmt.Errorf("mote: particle %d has %g in column %d; every value has to be a finite number", s.ID[i], v, m)
			}
		}
	}
	ids := slices.Clone(s.ID)
	slices.Sort(ids)
	for i := 1; i < n; i++ {
		if ids[i] == ids[i-1] {
			return fmt.Errorf("mote: identity %d occurs twice; every particle needs one of its own", ids[i])
		}
	}
	return nil
}
