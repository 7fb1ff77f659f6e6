package vec

import "testing"

func TestChoose(t *testing.T) {
	for _, c := range []struct {
		want string
		able Set
		set  Set
	}{
		{"", AVX512, AVX512}, {"", AVX2, AVX2}, {"", Plain, Plain},
		{"plain", AVX512, Plain}, {"PLAIN", AVX2, Plain},
		{"avx2", AVX512, AVX2}, {"AVX2", Plain, Plain},
		{"avx512", AVX2, AVX2}, {"avx512", AVX512, AVX512}, {"nonsense", AVX512, AVX512},
	} {
		if got := choose(c.want, c.able); got != c.set {
			t.Errorf("%q on a processor with %s: %s, want %s", c.want, c.able, got, c.set)
		}
	}
	if all := Sets(); all[0] != Plain || all[len(all)-1] != best() {
		t.Errorf("sets %v", all)
	}
}
