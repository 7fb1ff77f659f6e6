package ply

import (
	"zarf/core/format"
	"zarf/core/model"
)

func init() {
	format.Register(format.Format{Key: "ply", Name: "PLY", Endings: []string{".ply"}, Asks: []format.Question{format.Unit, format.Up},
		Model:  func(data []byte, _ map[string][]byte, _ format.Options) (*model.Model, error) { return Decode(data) },
		Points: DecodePoints,
		Look: func(data []byte, _ int) ([]*format.Thing, error) {
			p, err := DecodePoints(data)
			if err != nil {
				return nil, err
			}
			return format.LookAtPoints(p), nil
		},
		WriteMesh: Encode, WritePoints: EncodePoints, Attributes: true,
	})
}
