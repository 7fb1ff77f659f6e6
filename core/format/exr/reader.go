package exr

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"zarf/core/vec"
)

// Limits keep hostile files from taking all memory.
type Limits struct {
	Pixels   int
	Channels int
	Only     []string // the channels to read; the others are left out. Empty: all
}

// DefaultLimits take pictures of 8192 × 8192 with up to 64 channels.
var DefaultLimits = Limits{Pixels: 8192 * 8192, Channels: 64}

// cursor walks over bytes and never beyond their end.
type cursor struct {
	b  []byte
	at int
}

var errShort = errors.New("exr: the file ends too early")

// take hands out the next n bytes.
func (c *cursor) take(n int) ([]byte, error) {
	if n < 0 || n > len(c.b)-c.at {
		return nil, errShort
	}
	c.at += n
	return c.b[c.at-n : c.at], nil
}

// u32 reads a number.
func (c *cursor) u32() (uint32, error) {
	b, err := c.take(4)
	if err != nil {
		return 0, err
	}
	return binary.LittleEndian.Uint32(b), nil
}

// word reads a name, which ends with a zero byte.
func (c *cursor) word() (string, error) {
	// 255 letters with the flag for long names, 31 without: the longer is taken
	// always
	n := bytes.IndexByte(c.b[c.at:], 0)
	if n < 0 || n > 255 {
		return "", errShort
	}
	s := string(c.b[c.at : c.at+n])
	c.at += n + 1
	return s, nil
}

// header is what the attributes say. seen notes which of those that nothing can be
// read without were there: 1 compression, 2 the size.
type header struct {
	kinds    []uint32 // 0 unsigned, 1 half, 2 float
	names    []string
	comp     byte
	box      [4]int32
	meta     map[string]string
	seen     int
	lines, w int
	h        int
}

// Size is how large a picture is, by its header alone.
func Size(data []byte) (w, h int, err error) {
	hd, _, err := head(data)
	if err != nil {
		return 0, 0, err
	}
	return hd.w, hd.h, nil
}

// Decode reads a picture.
// Only says which channels are wanted; the header is read in any case.
func Decode(data []byte, lim Limits) (*Image, error) {
	h, c, err := head(data)
	if err != nil {
		return nil, err
	}
	if int64(h.w)*int64(h.h) > int64(lim.Pixels) || len(h.names) > lim.Channels {
		return nil, fmt.Errorf("exr: %d x %d pixels in %d channels are too many; up to %d pixels in %d channels are read", h.w, h.h, len(h.names), lim.Pixels, lim.Channels)
	}
	return c.pixels(h, lim.Only)
}

// head reads up to the table of offsets.
func head(data []byte) (*header, *cursor, error) {
	c := &cursor{b: data}
	m, err := c.u32()
	if err != nil || m != magic {
		return nil, nil, errors.New("exr: this is no OpenEXR file")
	}
	flags, err := c.u32()
	if err != nil {
		return nil, nil, err
	}
	// the low byte is the version; bit 9 tiles, 11 deep data, 12 several parts
	if flags&0xff != 2 || flags&(0x200|0x800|0x1000) != 0 {
		return nil, nil, errors.New("exr: tiled, deep and multi-part files are not read; write it as single-part scan lines")
	}
	h, err := c.header()
	return h, c, err
}

// The header is a list of attributes that ends with an empty name:
//
//	name 0  type 0  length (int32)  bytes
//
// Attributes that say nothing about how to read the pixels are passed over; those of
// type string are kept. The data window is the box of pixels that the file holds,
// corners included; it may lie anywhere, and pictures here begin at its upper left
// corner.
// The order of attributes is free.
func (c *cursor) header() (*header, error) {
	h := &header{meta: map[string]string{}}
	for {
		name, err := c.word()
		if err != nil {
			return nil, err
		}
		if name == "" {
			break
		}
		kind, err := c.word()
		if err != nil {
			return nil, err
		}
		n, err := c.u32()
		if err != nil {
			return nil, err
		}
		b, err := c.take(int(n))
		if err != nil {
			return nil, err
		}
		switch {
		case name == "channels":
			if err := h.channels(b); err != nil {
				return nil, err
			}
		// attributes of another length than their type's are passed over and so
		// missing
		case name == "compression" && len(b) == 1:
			h.comp = b[0]
			h.seen |= 1
		case name == "dataWindow" && len(b) == 16:
			for i := range h.box {
				h.box[i] = int32(binary.LittleEndian.Uint32(b[4*i:]))
			}
			h.seen |= 2
		case kind == "string" && n < 1<<16:
			h.meta[name] = string(b)
		}
	}
	// in 64 bits: corners at both ends of int32 would overflow
	w, ht := int64(h.box[2])-int64(h.box[0])+1, int64(h.box[3])-int64(h.box[1])+1
	if h.seen != 3 || len(h.names) == 0 || w < 1 || ht < 1 || w > 1<<20 || ht > 1<<20 {
		return nil, errors.New("exr: the header lacks channels, size or compression")
	}
	h.w, h.h, h.lines = int(w), int(ht), 1
	switch h.comp {
	case 0, 1, 2:
	case 3:
		h.lines = zipLines
	default:
		return nil, fmt.Errorf("exr: compression %d is not read; write it with zip, run lengths or none", h.comp)
	}
	return h, nil
}

// channels reads the list of channels: name, kind (0 unsigned, 1 half, 2 float), a
// byte about linearity and three of padding, and how many pixels apart its values
// stand in x and y, which must be 1.
func (h *header) channels(b []byte) error {
	c := &cursor{b: b}
	for {
		name, err := c.word()
		if err != nil {
			return err
		}
		if name == "" {
			return nil
		}
		q, err := c.take(16)
		if err != nil {
			return err
		}
		kind := binary.LittleEndian.Uint32(q)
		if kind > 2 || binary.LittleEndian.Uint32(q[8:]) != 1 || binary.LittleEndian.Uint32(q[12:]) != 1 {
			return fmt.Errorf("exr: channel %q is subsampled or of an unknown kind, which is not read", name)
		}
		h.names, h.kinds = append(h.names, name), append(h.kinds, kind)
	}
}

// pixels reads the blocks: a number of lines each (16 with zip, else one), with the
// first line's number and the packed length in front. Within a block lines follow
// each other, and within a line the channels, in the order of their names. Blocks
// may come in any order; each says where it belongs.
func (c *cursor) pixels(h *header, only []string) (*Image, error) {
	// bytes of a line over all channels, wanted or not
	line := 0
	for _, k := range h.kinds {
		line += h.w * kindSize(k)
	}
	blocks := (h.h + h.lines - 1) / h.lines
	if _, err := c.take(8 * blocks); err != nil { // the table of offsets; blocks follow in order
		return nil, err
	}
	// before anything is made room for: each block has 8 bytes of head at least
	if len(c.b)-c.at < 8*blocks {
		return nil, errShort
	}
	m := &Image{W: h.w, H: h.h, Packed: h.comp > 1, Meta: h.meta}
	at := make([]int, len(h.names)) // where a channel's values go; −1: nowhere
	for i, n := range h.names {
		at[i] = -1
		if len(only) == 0 || slices.Contains(only, n) {
			at[i] = len(m.Channels)
			m.Channels = append(m.Channels, Channel{Name: n, Full: h.kinds[i] != 1, Pix: make([]float32, h.w*h.h)})
		}
	}
	for range blocks {
		y, err := c.u32()
		if err != nil {
			return nil, err
		}
		n, err := c.u32()
		if err != nil {
			return nil, err
		}
		b, err := c.take(int(n))
		if err != nil {
			return nil, err
		}
		// lines count from the data window's top, which may lie anywhere
		y0 := int64(int32(y)) - int64(h.box[1])
		if y0 < 0 || y0 >= int64(h.h) {
			return nil, fmt.Errorf("exr: a block of lines stands at %d, outside the picture", int32(y))
		}
		y1 := min(int(y0)+h.lines, h.h)
		raw, err := unpack(h.comp, b, line*(y1-int(y0)))
		if err != nil {
			return nil, err
		}
		for y := int(y0); y < y1; y++ {
			for i, k := range h.kinds {
				// a channel that isn't wanted costs unpacking, which is by blocks,
				// and no memory
				if at[i] < 0 {
					raw = raw[h.w*kindSize(k):]
					continue
				}
				raw = readLine(raw, k, m.Channels[at[i]].Pix[y*h.w:(y+1)*h.w])
			}
		}
	}
	return m, nil
}

// kindSize is the bytes of a value.
func kindSize(k uint32) int {
	if k == 1 {
		return 2
	}
	return 4
}

// readLine reads one channel of one line, and returns what comes after it.
// Half, float and unsigned all become float32; unsigned over 2²⁴ lose digits.
func readLine(raw []byte, kind uint32, out []float32) []byte {
	rest := raw[len(out)*kindSize(kind):]
	switch kind {
	case 0:
		for x := range out {
			out[x] = float32(binary.LittleEndian.Uint32(raw[4*x:]))
		}
	case 1:
		for x := range out {
			out[x] = vec.Float(binary.LittleEndian.Uint16(raw[2*x:]))
		}
	default:
		for x := range out {
			out[x] = math.Float32frombits(binary.LittleEndian.Uint32(raw[4*x:]))
		}
	}
	return rest
}

// unpack gives a block's bytes as they were before they were packed. A block that
// packing would have made larger is stored as it is, whatever the header says; its
// length tells.
func unpack(comp byte, b []byte, size int) ([]byte, error) {
	if comp == 0 || len(b) == size {
		if len(b) != size {
			return nil, errShort
		}
		return b, nil
	}
	mixed := make([]byte, size)
	if comp == 1 {
		if err := runs(mixed, b); err != nil {
			return nil, err
		}
	} else {
		z, err := zlib.NewReader(bytes.NewReader(b))
		if err != nil {
			return nil, fmt.Errorf("exr: a block can't be unpacked: %w", err)
		}
		if _, err := io.ReadFull(z, mixed); err != nil {
			return nil, fmt.Errorf("exr: a block can't be unpacked: %w", err)
		}
	}
	// differences are summed, and the two halves, every even and every odd
	// byte, put together
	raw := make([]byte, size)
	half := (size + 1) / 2
	sum := byte(128)
	// each byte is its difference from the one before plus 128, over both halves in
	// a row
	for i, d := range mixed[:half] {
		sum += d - 128
		raw[2*i] = sum
	}
	for i, d := range mixed[half:] {
		sum += d - 128
		raw[2*i+1] = sum
	}
	return raw, nil
}

// runs expands run lengths: a count n from −128 to −1 is followed by −n bytes as
// they are, one from 0 on by a byte that stands n + 1 times.
func runs(out, in []byte) error {
	at := 0
	for len(in) > 0 {
		n := int(int8(in[0]))
		in = in[1:]
		if n < 0 {
			n = -n
			if n > len(in) || n > len(out)-at {
				return errShort
			}
			copy(out[at:], in[:n])
			in, at = in[n:], at+n
			continue
		}
		n++
		if len(in) == 0 || n > len(out)-at {
			return errShort
		}
		for i := range n {
			out[at+i] = in[0]
		}
		in, at = in[1:], at+n
	}
	if at != len(out) {
		return errShort
	}
	return nil
}
