// Package anim works out values between keys: tangents, what happens after the last
// key, noise on top. Time counts in frames and need not be whole.
//
// A curve is a list of [Key]s in the order of their frames, each with a value of
// three parts (a number uses the first) and the [Way] in which the value runs on
// from it. Between two keys the value is a cubic Hermite spline in each part,
//
//	v(t) = h₀₀ v₀ + h₁₀ d m₀ + h₀₁ v₁ + h₁₁ d m₁,   t = (frame − f₀)/d,  d = f₁ − f₀,
//
// with the slopes m that the ways of the two keys say: 0 at a key that eases; for
// one that the curve runs through, the weighted harmonic mean of the chords beside
// it, which is monotone where the keys are (Fritsch and Butland 1984), so that no
// value overshoots what an artist set; the chord itself towards a key that ramps;
// and its own two slopes at a free one. A key that holds makes a step.
//
// What holds, and tests ask: at a key's frame the value is the key's, to the bit;
// between keys of equal ways and values it is constant; a curve without free keys
// never leaves the range of its keys; two curves with the same keys agree whatever
// stands outside the four keys about the frame, which is why a document looks at
// those alone.
//
// After the last key a curve stays, or goes on: from its first key again, the same
// backwards and forwards, or beginning where it ended. Noise is added last and by
// frames, so that it doesn't depend on how a frame is cut into substeps.
package anim
