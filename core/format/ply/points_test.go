package ply

import (
	"bytes"
	"strings"
	"testing"
)

func TestPointsComeBack(t *testing.T) {
	for _, v := range [][][3]float32{nil, {{1, 2, 3}, {-4, 5e-3, 6}}} {
		p := &Points{Comment: "metres", P: [][3]float32{{0, 1, 2}, {-3.5, 4, 1e6}}, V: v}
		var b bytes.Buffer
		if err := EncodePoints(&b, p); err != nil {
			t.Fatal(err)
		}
		q, err := DecodePoints(b.Bytes())
		if err != nil || len(q.P) != 2 || q.P[1] != p.P[1] || len(q.V) != len(v) || (v != nil && q.V[1] != v[1]) {
			t.Errorf("%+v came back as %+v: %v", p, q, err)
		}
		if _, err := DecodePoints(b.Bytes()[:b.Len()-3]); err == nil {
			t.Error("a file that is cut off was read")
		}
	}
}

func TestBadPoints(t *testing.T) {
	for name, text := range map[string]string{
		"not one":        "hello",
		"no vertices":    "ply\nformat ascii 1.0\nend_header\n",
		"no z":           "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n1 2\n",
		"too few":        "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3\n",
		"something else": "ply\nformat ascii 1.0\nelement face 1\nproperty list uchar int v\nelement vertex 0\nproperty float x\nend_header\n3 0 1 2\n",
		"a word":         "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 two 3\n",
	} {
		if p, err := DecodePoints([]byte(text)); err == nil || !strings.HasPrefix(err.Error(), "PLY, ") {
			t.Errorf("%s: %v, %v", name, p, err)
		}
	}
	// text, with values between that aren't asked for
	p, err := DecodePoints([]byte("ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty uchar kind\nproperty float y\nproperty float z\nend_header\n1 9 2 3\n4 9 5 6\n"))
	if err != nil || p.P[1] != [3]float32{4, 5, 6} {
		t.Errorf("%v, %v", p, err)
	}
}

// A velocity of which a part is missing is none: the part isn't made up.
func TestHalfAVelocityIsNone(t *testing.T) {
	p, err := DecodePoints([]byte("ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nproperty float vx\nend_header\n1 2 3 4\n"))
	if err != nil || p.V != nil || p.P[0] != [3]float32{1, 2, 3} {
		t.Errorf("%+v %v", p, err)
	}
}
