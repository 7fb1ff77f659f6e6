package state

import (
	"bytes"
	"errors"
	"math"
	"math/rand/v2"
	"testing"
)

type head struct {
	Frame int    `json:"frame"`
	Key   string `json:"key"`
}

func inTurn(n, grain int, fn func(lo, hi int)) { fn(0, n) }

func sample() []Array {
	r := rand.New(rand.NewPCG(3, 4))
	noise, smooth := make([]float32, piece+17), make([]float32, 3*piece)
	for i := range noise {
		noise[i] = math.Float32frombits(r.Uint32())
	}
	for i := range smooth {
		smooth[i] = float32(i / 1000)
	}
	return []Array{{"noise", noise}, {"smooth", smooth}, {"none", nil}, {"one", []float32{float32(math.Copysign(0, -1))}}}
}

func written(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := Write(&b, head{7, "abc"}, sample(), inTurn); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func read(b []byte) (head, []Array, error) {
	var h head
	got := sample()
	for _, a := range got {
		clear(a.V)
	}
	err := Read(bytes.NewReader(b), &h, func() ([]Array, error) { return got, nil })
	return h, got, err
}

// Every bit comes back: NaNs with their payload and the sign of zero too.
func TestThereAndBack(t *testing.T) {
	b := written(t)
	h, got, err := read(b)
	if err != nil || h != (head{7, "abc"}) {
		t.Fatal(h, err)
	}
	for n, a := range sample() {
		for i, v := range a.V {
			if math.Float32bits(v) != math.Float32bits(got[n].V[i]) {
				t.Fatalf("%s[%d] came back as %x, it was %x", a.Name, i, math.Float32bits(got[n].V[i]), math.Float32bits(v))
			}
		}
	}
	if len(b) > 4*(2*piece) {
		t.Errorf("%d bytes: smooth numbers were not packed", len(b))
	}
}

// Whatever byte is changed, and wherever the file is cut, it is told.
func TestDamageIsTold(t *testing.T) {
	b := written(t)
	r := rand.New(rand.NewPCG(5, 6))
	for range 60 {
		bad := bytes.Clone(b)
		bad[r.IntN(len(bad))] ^= 1 << r.IntN(8)
		if _, _, err := read(bad); !errors.Is(err, ErrDamaged) {
			t.Fatalf("a flipped bit gave %v", err)
		}
		if _, _, err := read(b[:r.IntN(len(b))]); !errors.Is(err, ErrDamaged) {
			t.Fatalf("a cut file gave %v", err)
		}
	}
	if err := Read(bytes.NewReader(b), &head{}, func() ([]Array, error) { return []Array{{"noise", make([]float32, 4)}}, nil }); !errors.Is(err, ErrDamaged) {
		t.Errorf("another length gave %v", err)
	}
}
