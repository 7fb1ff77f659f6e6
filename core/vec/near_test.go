package vec

import (
	"math"
	"math/rand"
	"testing"
)

// Every set comes to the same bits about drops' neighbours, and to what is meant.
func TestNearKernels(t *testing.T) {
	defer func(was Set) { Chosen = was }(Chosen)
	const n, reach = 50, 0.4
	r := rand.New(rand.NewSource(6))
	rec := make([]float32, 4*(n+1))
	for i := range rec {
		rec[i] = float32(r.Float64())
	}
	rec[4*n] = 1e15 // who fills up
	const first, count = 7, 20
	var list []int32
	from := []int32{0}
	for i := first; i < first+count; i++ {
		for j := range n {
			if j != i && i != first+3 { // one has nobody
				list = append(list, int32(4*j))
			}
		}
		for len(list)%Lanes != 0 {
			list = append(list, 4*n)
		}
		from = append(from, int32(len(list)))
	}
	var refs [2][]float32
	for k, set := range Sets() {
		Chosen = set
		got := [2][]float32{make([]float32, 5*count), make([]float32, 3*count)}
		Crowd(got[0], rec, list, from, first, 1/(reach*reach))
		Apart(got[1], rec, list, from, first, 1/(reach*reach))
		if k == 0 {
			refs = got
			continue
		}
		for m, name := range []string{"crowd", "apart"} {
			for i, v := range got[m] {
				if math.Float32bits(v) != math.Float32bits(refs[m][i]) {
					t.Fatalf("%s with %s: number %d is %g, the reference %g", name, set, i, v, refs[m][i])
				}
			}
		}
	}
	for i := range count {
		var want [8]float64
		p := rec[4*(first+i):][:4]
		for j := range n {
			if i == 3 {
				break
			}
			q := rec[4*j:][:4]
			d := [3]float64{float64(p[0] - q[0]), float64(p[1] - q[1]), float64(p[2] - q[2])}
			r2 := d[0]*d[0] + d[1]*d[1] + d[2]*d[2]
			s := 1 - r2/(reach*reach)
			if s <= 0 || j == first+i {
				continue
			}
			want[0] += math.Pow(s, 4)
			want[4] += r2 * math.Pow(s, 6)
			for m := range 3 {
				want[1+m] += d[m] * math.Pow(s, 3)
				want[5+m] += d[m] * math.Pow(s, 3) * float64(p[3]+q[3])
			}
		}
		for m, w := range want {
			got := refs[0][5*i+min(m, 4)]
			if m > 4 {
				got = refs[1][3*i+m-5]
			}
			if math.Abs(float64(got)-w) > 1e-5 {
				t.Errorf("drop %d, sum %d: %g, by hand %g", i, m, got, w)
			}
		}
	}
}
