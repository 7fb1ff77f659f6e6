package pixel

// PNG files that say how their values are meant. The standard encoder writes pixels
// and nothing else; what is missing is put in between its chunks.

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/png"
	"io"
	"slices"
)

// Tags tell a reader of a PNG how its values are meant.
// A viewer that knows neither chunk takes sRGB, which plain numbers must not be
// taken for.
type Tags struct {
	Linear bool              // values are linear light or plain numbers; else sRGB
	Text   map[string]string // keyword and Latin-1 text
}

// EncodePNG writes a picture with its colour space and texts in the file: sRGB
// as that chunk, linear as a gamma of 1.
func EncodePNG(to io.Writer, m image.Image, tags Tags, level png.CompressionLevel) error {
	// The file is in memory once more: pictures are small beside what made them.
	var b bytes.Buffer
	e := png.Encoder{CompressionLevel: level}
	if err := e.Encode(&b, m); err != nil {
		return err
	}
	tagged, err := TagPNG(b.Bytes(), tags)
	if err != nil {
		return err
	}
	_, err = to.Write(tagged)
	return err
}

// A PNG begins with eight bytes of signature, and IHDR is first by the standard.
const headEnd = 8 + 25 // signature and IHDR

// TagPNG puts tags into a PNG file in place of those that it has.
//
// Chunks: length, kind, body, CRC of kind and body, big endian. New ones go right
// behind the header, where colour chunks must stand; those that they replace are
// left out, all others are copied as they are.
func TagPNG(data []byte, tags Tags) ([]byte, error) {
	if len(data) < headEnd || string(data[1:4]) != "PNG" || string(data[12:16]) != "IHDR" {
		return nil, errors.New("this is no PNG file")
	}
	out := slices.Clone(data[:headEnd])
	chunk := func(kind string, body []byte) {
		out = binary.BigEndian.AppendUint32(out, uint32(len(body)))
		from := len(out)
		out = append(append(out, kind...), body...)
		out = binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[from:]))
	}
	// gAMA is in hundred-thousandths of the exponent: 1, or 1/2.2.
	if tags.Linear {
		chunk("gAMA", binary.BigEndian.AppendUint32(nil, 100000))
	} else {
		chunk("gAMA", binary.BigEndian.AppendUint32(nil, 45455))
		chunk("sRGB", []byte{0})
	}
	keys := make([]string, 0, len(tags.Text))
	for k := range tags.Text {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	for _, k := range keys {
		// Keys in order, so that equal pictures are equal files.
		chunk("tEXt", []byte(k+"\x00"+latin(tags.Text[k])))
	}
	for rest := data[headEnd:]; len(rest) > 0; {
		if len(rest) < 12 {
			return nil, errors.New("the PNG file is cut off")
		}
		// Length, kind and CRC are twelve bytes round a body.
		n := uint64(binary.BigEndian.Uint32(rest)) + 12
		if n > uint64(len(rest)) {
			return nil, errors.New("the PNG file is cut off")
		}
		switch string(rest[4:8]) {
		// A profile would win over the new gamma, and so goes too.
		case "gAMA", "sRGB", "cHRM", "iCCP", "tEXt":
		default:
			out = append(out, rest[:n]...)
		}
		rest = rest[n:]
	}
	return out, nil
}

// ReadTags reads what a PNG file tells of itself.
// It never fails: a file that is no PNG, or is cut off, tells what it told so far.
func ReadTags(data []byte) Tags {
	t := Tags{Text: map[string]string{}}
	for at := uint64(8); at+12 <= uint64(len(data)); {
		n := uint64(binary.BigEndian.Uint32(data[at:]))
		if at+12+n > uint64(len(data)) {
			break
		}
		body := data[at+8 : at+8+n]
		switch string(data[at+4 : at+8]) {
		case "gAMA":
			t.Linear = len(body) == 4 && binary.BigEndian.Uint32(body) == 100000
		case "tEXt":
			if k, v, ok := bytes.Cut(body, []byte{0}); ok {
				t.Text[string(k)] = string(v)
			}
		}
		at += 12 + n
	}
	return t
}

// latin is text in Latin-1, as text chunks have it.
func latin(s string) string {
	var out []byte
	for _, r := range s {
		if r > 255 || r == 0 {
			r = '?'
		}
		out = append(out, byte(r))
	}
	return string(out)
}
