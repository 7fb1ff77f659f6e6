// Package hdr reads and writes Radiance pictures: linear light in 32-bit
// shared-exponent pixels (Ward 1991), with the newer run lengths.
package hdr

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
)

// MaxPixels is the largest picture that is read.
// 768 MiB as three floats each.
const MaxPixels = 8192 * 8192

// Encode turns linear light into a pixel; what is negative or NaN becomes 0.
// Anything over 1e38 becomes that.
func Encode(r, g, b float32) [4]byte {
	m := max(r, g, b)
	// NaN comes here too, as nothing is greater than it
	if !(m > 1e-32) {
		return [4]byte{}
	}
	// The brightest channel decides the exponent that all three share: m = f·2ᵉ with
	// f in [½, 1), so that its mantissa takes 128 to 255, and the others what is
	// left of the 8 bits. The error is up to 1/256 of the brightest.
	f, e := math.Frexp(float64(min(m, 1e38)))
	s := f * 256 / float64(min(m, 1e38))
	q := func(v float32) byte { return byte(min(max(float64(v)*s, 0), 255)) }
	return [4]byte{q(r), q(g), q(b), byte(e + 128)}
}

// Decode turns a pixel into linear light: the middle of what it stands for.
// Half a step is added, as Encode cuts off: the mean error is then 0.
func Decode(p [4]byte) (r, g, b float32) {
	if p[3] == 0 {
		return 0, 0, 0
	}
	// 136: 128 that the exponent is shifted by, and 8 bits of mantissa
	s := math.Ldexp(1, int(p[3])-136)
	q := func(v byte) float32 { return float32((float64(v) + 0.5) * s) }
	return q(p[0]), q(p[1]), q(p[2])
}

// Write writes w × h pixels of red, green and blue, three values each.
func Write(out io.Writer, w, h int, rgb []float32) error {
	if w < 1 || h < 1 || len(rgb) != 3*w*h {
		return fmt.Errorf("hdr: %d values are no picture of %d x %d", len(rgb), w, h)
	}
	b := bufio.NewWriter(out)
	// The head is lines of text that end with an empty one; then the order of rows
	// and columns (here from the top left); then the rows.
	fmt.Fprintf(b, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n", h, w)
	row := make([][4]byte, w)
	plane := make([]byte, w)
	for y := range h {
		for x := range row {
			o := 3 * (y*w + x)
			row[x] = Encode(rgb[o], rgb[o+1], rgb[o+2])
		}
		// the newer run lengths can't say other widths: pixels as they are
		if w < 8 || w > 32767 {
			for _, p := range row {
				b.Write(p[:])
			}
			continue
		}
		// 2 2 and the width mark a row whose four bytes are packed apart: first all
		// reds, then greens, blues, exponents
		b.Write([]byte{2, 2, byte(w >> 8), byte(w)})
		for c := range 4 {
			for x := range row {
				plane[x] = row[x][c]
			}
			packRuns(b, plane)
		}
	}
	return b.Flush()
}

// packRuns writes runs of four and more as a count over 128 and the byte.
// Literals end where a run of four begins, which costs two bytes as a run and more
// in a literal.
func packRuns(b *bufio.Writer, p []byte) {
	for i := 0; i < len(p); {
		// a run of three costs two bytes and a new literal's count: no gain
		n := run(p[i:])
		if n >= 4 {
			b.Write([]byte{byte(128 + n), p[i]})
			i += n
			continue
		}
		j := i
		for j < len(p) && j-i < 128 && run(p[j:]) < 4 {
			j++
		}
		b.WriteByte(byte(j - i))
		b.Write(p[i:j])
		i = j
	}
}

// run is how often the first byte stands in a row, 127 at most.
func run(p []byte) int {
	n := 1
	for n < len(p) && n < 127 && p[n] == p[0] {
		n++
	}
	return n
}

var errShort = errors.New("hdr: the file ends too early")

// Size is how large a picture is, by its head alone.
func Size(data []byte) (w, h int, err error) {
	w, h, _, err = head(data)
	return w, h, err
}

// head reads the lines of text, and gives what comes after them.
func head(data []byte) (w, h int, rest []byte, err error) {
	if !bytes.HasPrefix(data, []byte("#?")) {
		return 0, 0, nil, errors.New("hdr: this is no Radiance picture")
	}
	// Whatever stands in the head is not asked: exposure and primaries are seldom
	// true.
	end := bytes.Index(data, []byte("\n\n"))
	if end < 0 {
		return 0, 0, nil, errShort
	}
	rest = data[end+2:]
	line := bytes.IndexByte(rest, '\n')
	if line < 0 {
		return 0, 0, nil, errShort
	}
	if _, err := fmt.Sscanf(string(rest[:line]), "-Y %d +X %d", &h, &w); err != nil {
		return 0, 0, nil, fmt.Errorf("hdr: its rows run %q, which is not read; write it from the top left", rest[:min(line, 40)])
	}
	if w < 1 || h < 1 || w > MaxPixels || h > MaxPixels || w*h > MaxPixels {
		return 0, 0, nil, fmt.Errorf("hdr: %d x %d pixels can't be read; up to %d can", w, h, MaxPixels)
	}
	return w, h, rest[line+1:], nil
}

// Read reads a picture.
func Read(data []byte) (w, h int, rgb []float32, err error) {
	w, h, rest, err := head(data)
	if err != nil {
		return 0, 0, nil, err
	}
	// a row packed as well as can be takes 8 bytes for 127 pixels
	// before memory is taken for the pixels that the head claims
	if len(rest) < h*4 && len(rest) < w*h/64 {
		return 0, 0, nil, errShort
	}
	rgb = make([]float32, 3*w*h)
	row := make([][4]byte, w)
	for y := range h {
		if rest, err = readRow(rest, row); err != nil {
			return 0, 0, nil, err
		}
		for x, p := range row {
			o := 3 * (y*w + x)
			rgb[o], rgb[o+1], rgb[o+2] = Decode(p)
		}
	}
	return w, h, rgb, nil
}

// readRow reads a row, packed or as it is, and returns what comes after it. A count
// over 128 is a run of one byte, else so many bytes as they are.
func readRow(in []byte, row [][4]byte) ([]byte, error) {
	w := len(row)
	if len(in) < 4 {
		return nil, errShort
	}
	if w < 8 || w > 32767 || in[0] != 2 || in[1] != 2 || int(in[2])<<8|int(in[3]) != w {
		if len(in) < 4*w {
			return nil, errShort
		}
		for x := range row {
			copy(row[x][:], in[4*x:])
		}
		return in[4*w:], nil
	}
	in = in[4:]
	for c := range 4 {
		for x := 0; x < w; {
			if len(in) < 2 {
				return nil, errShort
			}
			n := int(in[0])
			if n > 128 {
				n -= 128
				if n > w-x {
					return nil, errors.New("hdr: a run goes over the end of its row")
				}
				for i := range n {
					row[x+i][c] = in[1]
				}
				in = in[2:]
			} else {
				if n == 0 || n > w-x || n+1 > len(in) {
					return nil, errors.New("hdr: a run goes over the end of its row")
				}
				for i := range n {
					row[x+i][c] = in[1+i]
				}
				in = in[1+n:]
			}
			x += n
		}
	}
	return in, nil
}
