// Package blosc packs numbers in the frames of Blosc 1: bytes of equal weight
// put together, then LZ4. It reads frames with zlib and Zstandard as well.
// OpenVDB files and the saved states of solvers are made of them.
//
// The frame:
//
//	0  format version, codec version, flags, type size    4 bytes
//	4  plain size, block size, frame size                 3 × uint32
//	16 where each block begins                            uint32 a block
//	   streams: length (uint32), then so many bytes
//
// Flags: 1 bytes shuffled, 2 stored as it is, 4 bits shuffled, 16 blocks not split;
// the codec in the upper three bits. Shuffling puts the n-th bytes of all elements
// together: exponents of neighbouring floats are then runs, which LZ4 packs well.
package blosc

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"

	kzlib "github.com/klauspost/compress/zlib"
	"github.com/klauspost/compress/zstd"
	"github.com/pierrec/lz4/v4"
)

// The Blosc 1 frame: a header of 16 bytes (version, codec version, flags, type
// size, plain size, block size, frame size), the offsets of the blocks, and for
// every block one stream a byte of the type where it is split, each stream
// with its length in front.
const (
	bloscHeader   = 16
	bloscMinimum  = 48 // smaller buffers are stored as they are
	flagShuffle   = 1
	flagStored    = 2
	flagBitwise   = 4
	flagWhole     = 0x10 // blocks are not split
	codecBloscLZ  = 0
	codecLZ4      = 1
	codecSnappy   = 2
	codecZlib     = 3
	codecZstd     = 4
	splitMinimum  = 128 // elements that a block needs to be split
	splitMaxBytes = 16
)

// shuffle puts the first bytes of all elements together, then the second …
// Bytes beyond the last whole element are appended as they are.
func shuffle(dst, src []byte, size int) {
	n := len(src) / size
	if size == 4 {
		// four streams at once: 4 bytes read and written a value, at memory speed
		d0, d1, d2, d3 := dst[:n], dst[n:2*n], dst[2*n:3*n], dst[3*n:4*n]
		for i := range d0 {
			v := binary.LittleEndian.Uint32(src[4*i:])
			d0[i], d1[i], d2[i], d3[i] = byte(v), byte(v>>8), byte(v>>16), byte(v>>24)
		}
		copy(dst[4*n:], src[4*n:])
		return
	}
	for b := range size {
		for i := range n {
			dst[b*n+i] = src[i*size+b]
		}
	}
	copy(dst[n*size:], src[n*size:])
}

// unshuffle is the way back.
func unshuffle(dst, src []byte, size int) {
	n := len(src) / size
	if size == 4 && len(src)%4 == 0 {
		s0, s1, s2, s3 := src[:n], src[n:2*n], src[2*n:3*n], src[3*n:4*n]
		for i := range s0 {
			binary.LittleEndian.PutUint32(dst[4*i:], uint32(s0[i])|uint32(s1[i])<<8|uint32(s2[i])<<16|uint32(s3[i])<<24)
		}
		return
	}
	for b := range size {
		for i := range n {
			dst[i*size+b] = src[b*n+i]
		}
	}
	copy(dst[n*size:], src[n*size:])
}

// Codec is the room that compressing takes; one for each goroutine.
type Codec struct {
	lz    lz4.Compressor
	plane []byte
	buf   []byte
}

// Compress compresses data of elements of size bytes into one frame, which is
// good until the next call, or returns nil where that gains nothing.
func (c *Codec) Compress(data []byte, size int) []byte {
	// Leaves of VDB files are 2 KB, pieces of states a megabyte.
	n := len(data)
	if n < bloscMinimum {
		return nil
	}
	if cap(c.plane) < n {
		c.plane = make([]byte, n)
	}
	plane := c.plane[:n]
	shuffle(plane, data, size)
	// A block of enough elements is split: each stream, all first bytes, all second
	// bytes …, is packed by itself, as they are unlike each other. The reader must
	// come to the same answer from the same numbers; nothing in the frame says it
	// but flagWhole.
	splits := 1
	flags := byte(flagShuffle | codecLZ4<<5)
	if size <= splitMaxBytes && n/size >= splitMinimum && n%size == 0 {
		splits = size
	} else {
		flags |= flagWhole
	}
	// room for every stream stored, and for one that is being packed
	bound := bloscHeader + 4 + splits*4 + n + lz4.CompressBlockBound(n/splits)
	if cap(c.buf) < bound {
		c.buf = make([]byte, bound)
	}
	out := c.buf[:bound]
	// version of the format, of the codec; one block, so one offset
	out[0], out[1], out[2], out[3] = 2, 1, flags, byte(size)
	binary.LittleEndian.PutUint32(out[4:], uint32(n))
	binary.LittleEndian.PutUint32(out[8:], uint32(n))
	binary.LittleEndian.PutUint32(out[16:], bloscHeader+4)
	at := bloscHeader + 4
	part := n / splits
	for s := range splits {
		src := plane[s*part : (s+1)*part]
		if at+4+part > len(out) {
			return nil
		}
		// LZ4 gets one byte less room than the stream has: what doesn't fit is
		// stored
		m, err := c.lz.CompressBlock(src, out[at+4:min(len(out), at+4+part-1)])
		if err != nil || m == 0 || m >= part {
			m = copy(out[at+4:], src) // stored: length equals the plain length
		}
		binary.LittleEndian.PutUint32(out[at:], uint32(m))
		at += 4 + m
	}
	// A frame that isn't shorter is worth nothing: the caller stores the bytes.
	if at >= n {
		return nil
	}
	binary.LittleEndian.PutUint32(out[12:], uint32(at))
	return out[:at]
}

// Expand expands a frame into exactly len(dst) bytes.
func Expand(dst, frame []byte) error {
	if len(frame) < bloscHeader {
		return fmt.Errorf("blosc: frame of %d bytes has no header", len(frame))
	}
	flags, size := frame[2], int(frame[3])
	n, block := int(binary.LittleEndian.Uint32(frame[4:])), int(binary.LittleEndian.Uint32(frame[8:]))
	// The caller knows the size from elsewhere, so the frame's own claim takes no
	// memory.
	if n != len(dst) {
		return fmt.Errorf("blosc: frame holds %d bytes, %d wanted", n, len(dst))
	}
	if flags&flagStored != 0 {
		if len(frame) < bloscHeader+n {
			return fmt.Errorf("blosc: frame is cut short")
		}
		copy(dst, frame[bloscHeader:])
		return nil
	}
	// bits instead of bytes put together: nothing that is read here writes it
	if flags&flagBitwise != 0 {
		return fmt.Errorf("blosc: frame with bit shuffle can't be read; save with byte shuffle")
	}
	if size < 1 || block < 1 || block > max(n, 1) {
		return fmt.Errorf("blosc: frame says blocks of %d bytes and elements of %d", block, size)
	}
	blocks := (n + block - 1) / block
	if len(frame) < bloscHeader+4*blocks {
		return fmt.Errorf("blosc: frame is cut short in its offsets")
	}
	// a leaf's 2 KB needs no allocation
	var small [4096]byte
	tmp := small[:]
	if block > len(small) {
		tmp = make([]byte, block)
	}
	for b := range blocks {
		plain := min(block, n-b*block)
		at := int(binary.LittleEndian.Uint32(frame[bloscHeader+4*b:]))
		splits := 1
		// the last block, where it is shorter, isn't split
		if flags&flagWhole == 0 && size <= splitMaxBytes && block/size >= splitMinimum && plain == block {
			splits = size
		}
		part := plain / splits
		raw := tmp[:plain]
		for s := range splits {
			if at < 0 || at+4 > len(frame) {
				return fmt.Errorf("blosc: block %d lies outside its frame", b)
			}
			m := int(int32(binary.LittleEndian.Uint32(frame[at:])))
			at += 4
			if m < 0 || at+m > len(frame) {
				return fmt.Errorf("blosc: stream of %d bytes lies outside its frame", m)
			}
			// the last stream takes the bytes that don't divide by the streams
			to := raw[s*part : (s+1)*part]
			if s == splits-1 {
				to = raw[s*part:]
			}
			if err := unstream(to, frame[at:at+m], int(flags>>5)); err != nil {
				return err
			}
			at += m
		}
		out := dst[b*block : b*block+plain]
		if flags&flagShuffle != 0 && size > 1 {
			unshuffle(out, raw, size)
		} else {
			copy(out, raw)
		}
	}
	return nil
}

// unstream expands one stream; one as long as what it holds is stored.
func unstream(dst, src []byte, codec int) error {
	if len(src) == len(dst) {
		copy(dst, src)
		return nil
	}
	switch codec {
	case codecLZ4:
		n, err := lz4.UncompressBlock(src, dst)
		if err != nil || n != len(dst) {
			return fmt.Errorf("blosc: damaged LZ4 stream (%d of %d bytes): %v", n, len(dst), err)
		}
		return nil
	case codecZlib:
		r, err := kzlib.NewReader(bytes.NewReader(src))
		if err != nil {
			return fmt.Errorf("blosc: damaged zip stream: %w", err)
		}
		defer r.Close()
		if _, err := io.ReadFull(r, dst); err != nil {
			return fmt.Errorf("blosc: damaged zip stream: %w", err)
		}
		return nil
	case codecZstd:
		d, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(1<<28))
		if err != nil {
			return err
		}
		defer d.Close()
		out, err := d.DecodeAll(src, make([]byte, 0, len(dst)))
		if err != nil || len(out) != len(dst) {
			return fmt.Errorf("blosc: damaged Zstandard stream: %v", err)
		}
		copy(dst, out)
		return nil
	}
	return fmt.Errorf("blosc: codec %d is not read here; save with LZ4, zlib or Zstandard", codec)
}
