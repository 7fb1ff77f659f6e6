package vdb

import "zarf/core/frame"

// What a file holds is what a frame holds.
type (
	Grid      = frame.Grid
	Leaf      = frame.Leaf
	Tile      = frame.Tile
	Mask      = frame.Mask
	Type      = frame.Type
	Transform = frame.Transform
)
