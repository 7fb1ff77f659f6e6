package vdb

import (
	"bytes"
	"fmt"
	"io"
	"sync"

	kzlib "github.com/klauspost/compress/zlib"

	"zarf/core/format/blosc"
)

// codec is the room that compressing takes; one for each goroutine.
type codec struct {
	blosc.Codec
	raw []byte
	zip *kzlib.Writer
	out bytes.Buffer
}

var codecs = sync.Pool{New: func() any { return new(codec) }}

// inflate expands a zlib stream into exactly what it should hold.
func inflate(dst, src []byte) error {
	r, err := kzlib.NewReader(bytes.NewReader(src))
	if err != nil {
		return fmt.Errorf("vdb: damaged zip stream: %w", err)
	}
	defer r.Close()
	if _, err := io.ReadFull(r, dst); err != nil {
		return fmt.Errorf("vdb: damaged zip stream: %w", err)
	}
	return nil
}

// deflate compresses with zlib, or returns nil where that gains nothing.
func (c *codec) deflate(data []byte) []byte {
	c.out.Reset()
	if c.zip == nil {
		c.zip, _ = kzlib.NewWriterLevel(&c.out, 6)
	} else {
		c.zip.Reset(&c.out)
	}
	if _, err := c.zip.Write(data); err != nil {
		return nil
	}
	if err := c.zip.Close(); err != nil || c.out.Len() >= len(data) {
		return nil
	}
	return c.out.Bytes()
}
