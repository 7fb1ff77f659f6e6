package vdb

// Compression of the values in a file.
type Compression uint32

// The compressions; they can be joined with the active mask by |.
const (
	None       Compression = 0
	Zip        Compression = 1
	ActiveMask Compression = 2
	Blosc      Compression = 4
)

// String is the compression as files' metadata name it.
func (c Compression) String() string {
	s := "none"
	if c&Blosc != 0 {
		s = "blosc"
	} else if c&Zip != 0 {
		s = "zip"
	}
	if c&ActiveMask != 0 {
		s += " + active values"
	}
	return s
}
