package gltf

import "io"

// EncodePoints writes points as a .glb file with one node.
// A file without points can't hold a mesh and has an empty node.
func EncodePoints(to io.Writer, p [][3]float32) error {
	w := &writing{}
	node := obj{"name": "points"}
	root := obj{"asset": obj{"version": "2.0", "generator": "Zarf"}, "scene": 0, "scenes": []obj{{"nodes": []int{0}}}, "nodes": []obj{node}}
	if len(p) > 0 {
		v := make([]float64, 0, 3*len(p))
		for _, x := range p {
			v = append(v, float64(x[0]), float64(x[1]), float64(x[2]))
		}
		at := w.floats("VEC3", 3, v, 34962)
		node["mesh"] = 0
		root["meshes"] = []obj{{"name": "points", "primitives": []obj{{"attributes": obj{"POSITION": at}, "mode": 0}}}}
		root["accessors"], root["bufferViews"] = w.accessors, w.views
		root["buffers"] = []obj{{"byteLength": w.bin.Len()}}
	}
	return w.container(to, root)
}
