// Package sea is open water under a wind: its waves from a spectrum in real units, as a
// surface for pictures and as moving water for the rims of simulations.
//
// How high waves are by their frequency says JONSWAP (Hasselmann et al. 1973), in water of
// finite depth TMA (Bouws et al. 1985); how they spread about the wind's direction, Donelan,
// Hamilton and Hui (1985). Waves of random phases with those heights are added up by Fourier
// transforms (Tessendorf 2001; in these units Horvath 2015), on three bands of wavelengths
// whose tiles don't fit each other, so that no repetition is seen. Each wave goes at the pace
// of linear theory, ω² = (g k + σ/ρ k³) tanh(k d), and water moves in the circles that are
// part of it. One wave that is higher than all others may be told to arrive at a place at a
// moment: the likeliest shape of such a crest (Tromans, Anaturk, Hagemeijer 1991).
//
// Axes are the shot's: y is up, bearings turn about it from −z towards +x. Lengths are m,
// times s. A Sea is made once, and read at any moment: Surface for pictures, Water for a
// simulation. Both are functions of the moment alone, so runs that are resumed have the
// same bits, on any number of threads.
//
// Caveats: waves are linear but for their horizontal motion, so they neither steepen on a
// shore nor break but in a simulation; depth is the same everywhere; nothing stands in the
// waves' way outside a simulation, and what it throws back ends at its rim.
package sea
