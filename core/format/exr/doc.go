// Package exr reads and writes OpenEXR pictures: single-part scan lines with
// named channels of half, float or unsigned values, packed with nothing, run
// lengths or zip. Colours are linear and premultiplied by alpha, as the format
// has it. Tiled, deep and multi-part files are refused by name.
package exr
