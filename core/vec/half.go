package vec

import "math"

// Half rounds to the nearest IEEE 754 half, ties to even; what is too large
// becomes infinite, NaN stays NaN.
func Half(f float32) uint16 {
	b := math.Float32bits(f)
	sign := uint16(b >> 16 & 0x8000)
	b &= 0x7fffffff
	switch {
	case b > 0x7f800000:
		return sign | 0x7e00
	// 65504 is the largest half; from the middle to the next step on it rounds to ∞
	case b >= 0x477ff000: // 65520 and more
		return sign | 0x7c00
	case b < 0x38800000: // under 2⁻¹⁴: a subnormal; adding ½ aligns its bits
		return sign | uint16(math.Float32bits(math.Float32frombits(b)+0.5)-0x3f000000)
	}
	// drop 13 bits: adding 0xfff and the lowest kept bit rounds ties to even; the
	// exponent loses 112, the difference of the two biases
	return sign | uint16((b+0xfff+(b>>13&1)-0x38000000)>>13)
}

// Float widens a half; nothing is lost.
func Float(h uint16) float32 {
	sign := uint32(h&0x8000) << 16
	e, m := uint32(h>>10&31), uint32(h&0x3ff)
	switch e {
	// zero and subnormals: m · 2⁻²⁴
	case 0:
		f := float32(m) * (1.0 / (1 << 24))
		return math.Float32frombits(sign | math.Float32bits(f))
	case 31:
		return math.Float32frombits(sign | 0x7f800000 | m<<13)
	}
	return math.Float32frombits(sign | (e+112)<<23 | m<<13)
}
