// Package state writes the whole state of a solver, and reads it back bit for bit: a
// head of the solver's own as JSON, and named arrays of float32.
//
// A file is the word "zarfstate1\n", then sections. Each is its kind (one byte), its
// length (uint32), its checksum (CRC-32C, uint32) and its bytes, all little endian:
// 'h' the head; 'a' the name and length of an array, before its pieces; 'p' a piece
// of it, up to 256 Ki numbers, stored as they are or as a Blosc frame; 'e' the end.
// What is cut short, or has a flipped bit, is told and never taken for a state.
//
// A solver says what its state is: in the head the numbers that arrays can't hold,
// and the key of the values that it belongs to; then its arrays, which are read
// straight into place. The head comes first, so that a reader can refuse a state of
// other values before it makes room for anything, and knows how large its arrays
// must be:
//
//	err := state.Read(r, &head, func() ([]state.Array, error) {
//		if head.Key != key {
//			return nil, errors.New("the saved state belongs to other values")
//		}
//		return arrays(head), nil
//	})
//
// Why not as grids of a cache: a state isn't looked at by anyone but the solver that
// wrote it, must come back to the bit, and is rewritten often; a file of its own fit
// is smaller, quicker and says less. Old states are never read by newer solvers: the
// version is part of the key.
package state
