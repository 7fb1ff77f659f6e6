// Package formats links every file format into the program: a format's package
// registers itself when it is imported, and this one imports them all.
package formats

import (
	"cmp"

	"zarf/core/format"
	_ "zarf/core/format/abc"
	_ "zarf/core/format/gltf"
	_ "zarf/core/format/obj"
	_ "zarf/core/format/ply"
	_ "zarf/core/format/stl"
	_ "zarf/core/format/svg"
	_ "zarf/core/format/vdb"
	"zarf/core/model"
)

// Pictures are heights: the standard library decodes them.
func init() {
	format.Register(format.Format{Key: "png", Name: "terrain from a picture", Endings: []string{".png", ".jpg", ".jpeg", ".gif"},
		Asks: []format.Question{format.Relief}, Sized: true,
		Model: func(data []byte, _ map[string][]byte, o format.Options) (*model.Model, error) {
			wide := cmp.Or(o.Width, 100)
			g, err := model.Terrain(data, wide, cmp.Or(o.Height, wide/5))
			if err != nil {
				return nil, err
			}
			return model.FromMesh(g), nil
		},
	})
}
