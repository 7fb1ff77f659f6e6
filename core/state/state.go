package state

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"math"
	"runtime"
	"sync"

	"zarf/core/format/blosc"
)

// Sizes: pieces of a megabyte are large enough to pack well and small enough that a
// few of them in flight cost little beside the arrays.
const (
	magic = "zarfstate1\n"
	piece = 1 << 18 // numbers in a piece
	// MaxHead bounds the head, bytes.
	MaxHead = 64 << 20
)

// ErrDamaged says that a state is cut short or changed.
var ErrDamaged = errors.New("the saved state is damaged")

var table = crc32.MakeTable(crc32.Castagnoli)

// Array is a named array.
// V is the solver's own memory, read by Write and filled by Read: nothing is copied
// beside the pieces.
type Array struct {
	Name string
	V    []float32
}

// arrayHead says which array follows.
// In JSON, as it is read a few times a file and seen when somebody looks into one.
type arrayHead struct {
	Name string `json:"name"`
	Len  int    `json:"len"`
}

// For runs fn over pieces of n; see grid.Crew.
// Named here so that this package needs none of grid's.
type For func(n, grain int, fn func(lo, hi int))

// Write writes a head, which must be fit for JSON, and arrays.
//
// Arrays are packed a few pieces at a time on each's threads, so that the memory
// beside the arrays stays small. The caller writes to a temporary name and renames:
// a state that was cut short has no end section, and is refused as a whole.
func Write(w io.Writer, head any, arrays []Array, each For) error {
	// Errors of writing stay in the buffer and come out at Flush.
	b := bufio.NewWriterSize(w, 1<<20)
	b.WriteString(magic)
	h, err := json.Marshal(head)
	if err != nil {
		return fmt.Errorf("state: %w", err)
	}
	if err := section(b, 'h', h); err != nil {
		return err
	}
	for _, a := range arrays {
		h, err := json.Marshal(arrayHead{a.Name, len(a.V)})
		if err != nil {
			return fmt.Errorf("state: %w", err)
		}
		if err := section(b, 'a', h); err != nil {
			return err
		}
		if err := pieces(b, a.V, each); err != nil {
			return err
		}
	}
	if err := section(b, 'e', nil); err != nil {
		return err
	}
	return b.Flush()
}

// section writes a section with its checksum.
func section(w io.Writer, kind byte, data []byte) error {
	var h [9]byte
	h[0] = kind
	binary.LittleEndian.PutUint32(h[1:], uint32(len(data)))
	// Castagnoli's polynomial, which machines compute in hardware. It finds damage,
	// not forgery: states are the server's own files.
	binary.LittleEndian.PutUint32(h[5:], crc32.Checksum(data, table))
	if _, err := w.Write(h[:]); err != nil {
		return err
	}
	_, err := w.Write(data)
	return err
}

var codecs = sync.Pool{New: func() any { return new(blosc.Codec) }}

// pieces writes the numbers of an array; a few pieces are packed at a time.
// Written in order, whatever thread packed them: equal states are equal files.
func pieces(w io.Writer, v []float32, each For) error {
	n := (len(v) + piece - 1) / piece
	batch := max(4, 2*runtime.GOMAXPROCS(0))
	packed := make([][]byte, batch)
	for at := 0; at < n; at += batch {
		m := min(batch, n-at)
		each(m, 1, func(lo, hi int) {
			c := codecs.Get().(*blosc.Codec)
			defer codecs.Put(c)
			for i := lo; i < hi; i++ {
				packed[i] = pack(c, v[(at+i)*piece:min((at+i+1)*piece, len(v))])
			}
		})
		for _, p := range packed[:m] {
			if err := section(w, 'p', p); err != nil {
				return err
			}
		}
	}
	return nil
}

// pack is a piece as it is stored: its first byte tells how.
// 0: as it is; 1: packed. What doesn't shrink is stored, so that Expand need not
// know.
func pack(c *blosc.Codec, v []float32) []byte {
	raw := make([]byte, 0, 1+4*len(v))
	raw = append(raw, 0)
	for _, x := range v {
		raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(x))
	}
	if z := c.Compress(raw[1:], 4); z != nil {
		return append([]byte{1}, z...)
	}
	return raw
}

// Read reads a state: head is filled from its JSON, then arrays asks for the
// arrays that belong to it, by name; each must have the length that was
// written. Whatever else the state holds is an error, and so is what is
// missing.
//
// arrays is called once the head is read and may look at it: sizes follow from
// there. Its slices are filled in place; on an error they hold part of the state,
// and the solver must not go on from them.
func Read(r io.Reader, head any, arrays func() ([]Array, error)) error {
	b := bufio.NewReaderSize(r, 1<<20)
	word := make([]byte, len(magic))
	if _, err := io.ReadFull(b, word); err != nil || string(word) != magic {
		return fmt.Errorf("%w: it doesn't begin as one", ErrDamaged)
	}
	kind, data, err := next(b, MaxHead)
	if err != nil {
		return err
	}
	if kind != 'h' {
		return fmt.Errorf("%w: it has no head", ErrDamaged)
	}
	if err := json.Unmarshal(data, head); err != nil {
		return fmt.Errorf("%w: its head can't be read: %w", ErrDamaged, err)
	}
	list, err := arrays()
	if err != nil {
		return err
	}
	// By name and not by order: a solver may list its arrays anew in another order.
	want := map[string][]float32{}
	for _, a := range list {
		want[a.Name] = a.V
	}
	for {
		kind, data, err := next(b, 1<<20)
		if err != nil {
			return err
		}
		switch kind {
		case 'e':
			// One of what is missing is enough for a message.
			for name := range want {
				return fmt.Errorf("%w: it lacks %s", ErrDamaged, name)
			}
			return nil
		case 'a':
			var h arrayHead
			if err := json.Unmarshal(data, &h); err != nil {
				return fmt.Errorf("%w: %w", ErrDamaged, err)
			}
			to, ok := want[h.Name]
			if !ok || len(to) != h.Len {
				return fmt.Errorf("%w: its %s has %d numbers, %d were expected", ErrDamaged, h.Name, h.Len, len(to))
			}
			// A second array of the same name finds nothing and is an error.
			delete(want, h.Name)
			if err := fill(b, to); err != nil {
				return fmt.Errorf("%s: %w", h.Name, err)
			}
		default:
			return fmt.Errorf("%w: a section of kind %q", ErrDamaged, kind)
		}
	}
}

// next reads a section and checks it.
// The length is bounded before memory is taken, and the checksum compared before a
// byte is used.
func next(r io.Reader, most uint32) (kind byte, data []byte, err error) {
	var h [9]byte
	if _, err := io.ReadFull(r, h[:]); err != nil {
		return 0, nil, fmt.Errorf("%w: it ends too early", ErrDamaged)
	}
	n := binary.LittleEndian.Uint32(h[1:])
	if n > most {
		return 0, nil, fmt.Errorf("%w: a section of %d bytes", ErrDamaged, n)
	}
	data = make([]byte, n)
	if _, err := io.ReadFull(r, data); err != nil {
		return 0, nil, fmt.Errorf("%w: it ends too early", ErrDamaged)
	}
	if crc32.Checksum(data, table) != binary.LittleEndian.Uint32(h[5:]) {
		return 0, nil, fmt.Errorf("%w: a checksum differs", ErrDamaged)
	}
	return h[0], data, nil
}

// fill reads an array's pieces into place.
// Every piece but the last is full; another length is damage.
func fill(r io.Reader, to []float32) error {
	// One buffer for all pieces of the array.
	raw := make([]byte, 4*piece)
	for len(to) > 0 {
		n := min(piece, len(to))
		kind, data, err := next(r, 4*piece+64)
		if err != nil {
			return err
		}
		if kind != 'p' || len(data) < 1 {
			return fmt.Errorf("%w: a piece is missing", ErrDamaged)
		}
		plain := raw[:4*n]
		switch {
		case data[0] == 1:
			if err := blosc.Expand(plain, data[1:]); err != nil {
				return fmt.Errorf("%w: %w", ErrDamaged, err)
			}
		case data[0] == 0 && len(data) == 1+4*n:
			plain = data[1:]
		default:
			return fmt.Errorf("%w: a piece of %d bytes", ErrDamaged, len(data))
		}
		for i := range n {
			to[i] = math.Float32frombits(binary.LittleEndian.Uint32(plain[4*i:]))
		}
		to = to[n:]
	}
	return nil
}
