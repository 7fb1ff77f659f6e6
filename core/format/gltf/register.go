package gltf

import (
	"io"

	"zarf/core/format"
	"zarf/core/frame"
	"zarf/core/geom"
	"zarf/core/model"
)

func init() {
	format.Register(format.Format{Key: "glb", Name: "glTF", Endings: []string{".glb", ".gltf"}, Beside: []string{".bin"},
		Asks:   []format.Question{format.Unit, format.Up, format.Motion},
		Metric: true,
		Model: func(data []byte, files map[string][]byte, _ format.Options) (*model.Model, error) {
			return Decode(data, files)
		},
		Look: func(data []byte, _ int) ([]*format.Thing, error) {
			m, err := Decode(data, nil)
			if err != nil {
				return nil, err
			}
			return format.LookAtModel(m), nil
		},
		WriteMesh:   func(w io.Writer, m *geom.Mesh) error { return Encode(w, model.FromMesh(m)) },
		WritePoints: func(w io.Writer, p *frame.Points) error { return EncodePoints(w, p.P) },
	})
}
