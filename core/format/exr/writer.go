package exr

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"slices"
	"strings"

	"zarf/core/vec"
)

// Channel is one plane of a picture, row by row from the top. A dot in the
// name parts a layer from its channel: "sun.R".
type Channel struct {
	Name string
	Full bool // 32-bit float; else half
	Pix  []float32
}

// Image is a picture.
type Image struct {
	W, H     int
	Channels []Channel
	Packed   bool // zip, 16 lines a block; else as it is
	Meta     map[string]string
}

// Channel finds a channel by name, or nil.
func (m *Image) Channel(name string) []float32 {
	for i := range m.Channels {
		if m.Channels[i].Name == name {
			return m.Channels[i].Pix
		}
	}
	return nil
}

const (
	magic     = 20000630
	longNames = 0x400 // flag for names over 31 letters
	zipLines  = 16
)

// Workers runs fn over [0,n) in pieces of at least grain, maybe in parallel.
type Workers func(n, grain int, fn func(lo, hi int))

// Write writes a picture; work may be nil.
func Write(w io.Writer, m *Image, work Workers) error {
	list, line, err := m.sorted()
	if err != nil {
		return err
	}
	lines := 1
	if m.Packed {
		lines = zipLines
	}
	// Blocks are packed side by side, which is where the time goes, and kept until
	// their lengths are known: a picture costs its packed size in memory once more.
	data := make([][]byte, (m.H+lines-1)/lines)
	each := func(lo, hi int) {
		for b := lo; b < hi; b++ {
			data[b] = m.block(list, b*lines, min((b+1)*lines, m.H), line)
		}
	}
	if work == nil {
		each(0, len(data))
	} else {
		work(len(data), 1, each)
	}
	h := m.head(list)
	at := uint64(h.Len() + 8*len(data)) // where each block begins, from the start of the file
	for _, d := range data {
		h.Write(binary.LittleEndian.AppendUint64(nil, at))
		at += uint64(8 + len(d))
	}
	if _, err := w.Write(h.Bytes()); err != nil {
		return err
	}
	// a block's head is written apart, which spares copying its body
	for b, d := range data {
		if _, err := w.Write(words(uint32(b*lines), uint32(len(d)))); err != nil {
			return err
		}
		if _, err := w.Write(d); err != nil {
			return err
		}
	}
	return nil
}

// sorted are the channels in the order of their names, as the format wants them,
// and the bytes of a line.
// Names are checked here: what is written must be readable.
func (m *Image) sorted() (list []Channel, line int, err error) {
	if m.W < 1 || m.H < 1 || len(m.Channels) == 0 {
		return nil, 0, errors.New("exr: a picture without pixels or channels can't be written")
	}
	list = slices.Clone(m.Channels)
	// by bytes, as the format sorts: capitals before small letters
	slices.SortFunc(list, func(a, b Channel) int { return strings.Compare(a.Name, b.Name) })
	for i, c := range list {
		if len(c.Pix) != m.W*m.H {
			return nil, 0, fmt.Errorf("exr: channel %s has %d values, the picture %d pixels", c.Name, len(c.Pix), m.W*m.H)
		}
		if c.Name == "" || len(c.Name) > 255 || strings.ContainsRune(c.Name, 0) || (i > 0 && list[i-1].Name == c.Name) {
			return nil, 0, fmt.Errorf("exr: a channel can't be called %q here", c.Name)
		}
		line += m.W * c.size()
	}
	return list, line, nil
}

// head is the file up to the table of offsets: magic, version and flags, then
// the attributes. Both windows are the picture; the camera's numbers are the
// format's defaults. It goes to memory first, since the offsets need its length.
func (m *Image) head(list []Channel) *bytes.Buffer {
	h := &bytes.Buffer{}
	attr := func(name, kind string, data []byte) {
		h.WriteString(name + "\x00" + kind + "\x00")
		h.Write(words(uint32(len(data))))
		h.Write(data)
	}
	flags := uint32(2)
	var ch bytes.Buffer
	for _, c := range list {
		if len(c.Name) > 31 {
			flags |= longNames
		}
		kind := uint32(1)
		if c.Full {
			kind = 2
		}
		ch.WriteString(c.Name + "\x00")
		ch.Write(words(kind, 0, 1, 1))
	}
	ch.WriteByte(0)
	h.Write(words(magic, flags))
	attr("channels", "chlist", ch.Bytes())
	comp := byte(0)
	if m.Packed {
		comp = 3
	}
	box := words(0, 0, uint32(m.W-1), uint32(m.H-1))
	one := words(math.Float32bits(1))
	attr("compression", "compression", []byte{comp})
	attr("dataWindow", "box2i", box)
	attr("displayWindow", "box2i", box)
	attr("lineOrder", "lineOrder", []byte{0})
	attr("pixelAspectRatio", "float", one)
	attr("screenWindowCenter", "v2f", words(0, 0))
	attr("screenWindowWidth", "float", one)
	for _, k := range slices.Sorted(maps.Keys(m.Meta)) {
		attr(k, "string", []byte(m.Meta[k]))
	}
	h.WriteByte(0)
	return h
}

// size is the bytes of a value.
func (c *Channel) size() int {
	if c.Full {
		return 4
	}
	return 2
}

// words are little-endian.
func words(v ...uint32) []byte {
	var b []byte
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, x)
	}
	return b
}

// block packs lines y0 to y1: channel by channel within a line.
// It is called from several threads, each for its own block.
func (m *Image) block(list []Channel, y0, y1, line int) []byte {
	raw := make([]byte, 0, line*(y1-y0))
	for y := y0; y < y1; y++ {
		for _, c := range list {
			for _, v := range c.Pix[y*m.W : (y+1)*m.W] {
				if c.Full {
					raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
				} else {
					raw = binary.LittleEndian.AppendUint16(raw, vec.Half(v))
				}
			}
		}
	}
	if !m.Packed {
		return raw
	}
	// even bytes first, then odd ones, each as the difference from the one
	// before: halves alike in their high bytes then pack well
	mixed := make([]byte, len(raw))
	half := (len(raw) + 1) / 2
	for i, b := range raw {
		mixed[i/2+i%2*half] = b
	}
	// from the end, in place: each needs the one before as it was
	for i := len(mixed) - 1; i > 0; i-- {
		mixed[i] = mixed[i] - mixed[i-1] + 128
	}
	var out bytes.Buffer
	// level 4 packs halves within 2 % of level 6 in half the time
	z, _ := zlib.NewWriterLevel(&out, 4)
	z.Write(mixed)
	z.Close()
	if out.Len() >= len(raw) {
		return raw
	}
	return out.Bytes()
}
