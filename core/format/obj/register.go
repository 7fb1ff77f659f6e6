package obj

import (
	"bytes"
	"fmt"
	"io"

	"zarf/core/format"
	"zarf/core/frame"
	"zarf/core/model"
)

func init() {
	format.Register(format.Format{Key: "obj", Name: "OBJ", Endings: []string{".obj"}, Asks: []format.Question{format.Unit, format.Up},
		Model: func(data []byte, _ map[string][]byte, _ format.Options) (*model.Model, error) { return Decode(data) },
		Look: func(data []byte, _ int) ([]*format.Thing, error) {
			m, err := Decode(data)
			if err != nil {
				return nil, err
			}
			return format.LookAtModel(m), nil
		},
		WriteMesh:   Encode,
		WritePoints: func(w io.Writer, p *frame.Points) error { return EncodePoints(w, p.Comment, p.P) },
		Points:      decodePoints,
	})
}

// decodePoints reads the vertices of a file that holds nothing else.
func decodePoints(data []byte) (*frame.Points, error) {
	p := &frame.Points{}
	for n, line := range bytes.Split(data, []byte("\n")) {
		if !bytes.HasPrefix(line, []byte("v ")) {
			continue
		}
		var x [3]float32
		if _, err := fmt.Sscan(string(line[2:]), &x[0], &x[1], &x[2]); err != nil {
			return nil, fmt.Errorf("line %d is “%s”; a vertex has three numbers", n+1, line)
		}
		p.P = append(p.P, x)
	}
	return p, nil
}
