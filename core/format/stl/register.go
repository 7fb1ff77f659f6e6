package stl

import (
	"zarf/core/format"
	"zarf/core/model"
)

func init() {
	format.Register(format.Format{Key: "stl", Name: "STL", Endings: []string{".stl"}, Asks: []format.Question{format.Unit, format.Up},
		Model: func(data []byte, _ map[string][]byte, _ format.Options) (*model.Model, error) { return Decode(data) },
	})
}
