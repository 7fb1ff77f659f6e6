package vec

import "testing"

func TestChoose(t *testing.T) {
	for _, c := range []struct {
		want string
		able bool
		set  Set
	}{{"", true, AVX512}, {"", false, Plain}, {"plain", true, Plain}, {"PLAIN", true, Plain}, {"avx512", false, Plain}, {"avx512", true, AVX512}, {"nonsense", true, AVX512}} {
		if got := choose(c.want, c.able); got != c.set {
			t.Errorf("%q on a processor that is able %t: %s, want %s", c.want, c.able, got, c.set)
		}
	}
}
