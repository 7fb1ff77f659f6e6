package gltf

// Writing a model as one .glb file. Numbers go into the buffer as they are met, each
// list with a view and an accessor; the text, which refers to them by number, is
// made last.

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"

	"zarf/core/geom"
	"zarf/core/model"
)

// obj is a piece of the JSON text.
type obj = map[string]any

// writing gathers the buffer and what refers to it while a model is written; the
// text comes last, when everything has its number.
type writing struct {
	bin       bytes.Buffer
	views     []obj
	accessors []obj
}

// floats stores rows of w numbers and returns the accessor.
//
// kind is SCALAR, VEC3 and so on, width its numbers an element; target says what a
// view is for (attributes of vertices), 0 nothing in particular.
func (w *writing) floats(kind string, width int, v []float64, target int) int {
	// min and max must be there for positions, and be those of the rounded numbers
	// Bounds of the float32 as stored: bounds of the doubles could lie a hair
	// inside, and validators refuse that.
	lo, hi := make([]float64, width), make([]float64, width)
	for x := range width {
		lo[x], hi[x] = math.Inf(1), math.Inf(-1)
	}
	// everything here is 4 bytes wide, so views are aligned by themselves
	off := w.bin.Len()
	for i, x := range v {
		f := float32(x)
		lo[i%width], hi[i%width] = min(lo[i%width], float64(f)), max(hi[i%width], float64(f))
		binary.Write(&w.bin, binary.LittleEndian, f)
	}
	a := obj{"bufferView": w.view(off, target), "componentType": 5126, "count": len(v) / width, "type": kind}
	if len(v) > 0 {
		a["min"], a["max"] = lo, hi
	}
	w.accessors = append(w.accessors, a)
	return len(w.accessors) - 1
}

// indices stores corners as uint32; target 34963 says that they are (34962:
// attributes of vertices).
// uint32 always: a mesh under 65,536 vertices could do with half, which is not worth
// a second path.
func (w *writing) indices(v []int32) int {
	off := w.bin.Len()
	b := make([]byte, 0, 4*len(v))
	for _, x := range v {
		b = binary.LittleEndian.AppendUint32(b, uint32(x))
	}
	w.bin.Write(b)
	w.accessors = append(w.accessors, obj{"bufferView": w.view(off, 34963), "componentType": 5125, "count": len(v), "type": "SCALAR"})
	return len(w.accessors) - 1
}

// shorts stores joints, four a vertex.
func (w *writing) shorts(v [][4]uint16) int {
	off := w.bin.Len()
	for _, x := range v {
		binary.Write(&w.bin, binary.LittleEndian, x)
	}
	w.accessors = append(w.accessors, obj{"bufferView": w.view(off, 34962), "componentType": 5123, "count": len(v), "type": "VEC4"})
	return len(w.accessors) - 1
}

// view makes a buffer view of what was stored since off. All numbers here are 4
// bytes wide or come in eights, so each view begins at a multiple of 4 as it must.
func (w *writing) view(off, target int) int {
	v := obj{"buffer": 0, "byteOffset": off, "byteLength": w.bin.Len() - off}
	if target != 0 {
		v["target"] = target
	}
	w.views = append(w.views, v)
	return len(w.views) - 1
}

// flat lists the numbers of places.
func flat(v []geom.Vec3) []float64 {
	out := make([]float64, 0, 3*len(v))
	for _, p := range v {
		out = append(out, p.X, p.Y, p.Z)
	}
	return out
}

// Encode writes a model as a .glb file.
//
// Everything that a model holds is written: a model that was read, written and read
// again is the same. Curves become meshes of lines on their nodes.
func Encode(to io.Writer, m *model.Model) error {
	if err := m.Check(); err != nil {
		return err
	}
	w := &writing{}
	// maps are written in the order of their keys: equal models give equal files
	doc := obj{"asset": obj{"version": "2.0", "generator": "Zarf"}}
	nodes, roots := w.nodes(m)
	doc["nodes"] = nodes
	doc["scene"], doc["scenes"] = 0, []obj{{"nodes": roots}}
	meshes, materials := w.meshes(m)
	for n, c := range m.Curves {
		// 3 is a line strip, 2 a loop.
		mode := 3
		if c.Closed {
			mode = 2
		}
		meshes = append(meshes, obj{"name": c.Name, "primitives": []obj{{"attributes": obj{"POSITION": w.floats("VEC3", 3, flat(c.Points), 34962)}, "mode": mode}}})
		// a curve's node shows its mesh of lines
		for i := range m.Nodes {
			if m.Nodes[i].Curve == n {
				nodes[i]["mesh"] = len(meshes) - 1
			}
		}
	}
	var cameras, skins, clips []obj
	for _, c := range m.Cameras {
		cameras = append(cameras, obj{"name": c.Name, "type": "perspective", "perspective": obj{"yfov": c.YFov, "znear": 0.01}})
	}
	for _, s := range m.Skins {
		o := obj{"joints": s.Joints}
		if len(s.Inverse) > 0 {
			var v []float64
			for _, a := range s.Inverse {
				v = append(v, columns(a)...)
			}
			o["inverseBindMatrices"] = w.floats("MAT4", 16, v, 0)
		}
		skins = append(skins, o)
	}
	for _, c := range m.Clips {
		clips = append(clips, w.clip(c))
	}
	// empty lists may not stand in a file
	for key, list := range map[string][]obj{"meshes": meshes, "materials": materials, "cameras": cameras, "skins": skins, "animations": clips, "accessors": w.accessors, "bufferViews": w.views} {
		if len(list) > 0 {
			doc[key] = list
		}
	}
	// one buffer, that of the container
	if w.bin.Len() > 0 {
		doc["buffers"] = []obj{{"byteLength": w.bin.Len()}}
	}
	return w.container(to, doc)
}

// container writes text and buffer as one file: see the reader's for the layout. The
// text is padded with spaces, the buffer with zeros.
func (w *writing) container(to io.Writer, doc obj) error {
	text, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	// Chunks begin at multiples of four, and are padded with what their contents
	// ignore.
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	bin := w.bin.Bytes()
	for len(bin)%4 != 0 {
		bin = append(bin, 0)
	}
	size := 12 + 8 + len(text)
	if len(bin) > 0 {
		size += 8 + len(bin)
	}
	var head []byte
	for _, v := range []uint32{magic, 2, uint32(size), uint32(len(text)), chunkJSON} {
		head = binary.LittleEndian.AppendUint32(head, v)
	}
	parts := [][]byte{head, text}
	if len(bin) > 0 {
		mid := binary.LittleEndian.AppendUint32(nil, uint32(len(bin)))
		parts = append(parts, binary.LittleEndian.AppendUint32(mid, chunkBIN), bin)
	}
	for _, b := range parts {
		if _, err := to.Write(b); err != nil {
			return err
		}
	}
	return nil
}

// columns is a matrix as the file has it: see affine.
func columns(a geom.Affine) []float64 {
	m := a.M
	return []float64{m[0].X, m[1].X, m[2].X, 0, m[0].Y, m[1].Y, m[2].Y, 0, m[0].Z, m[1].Z, m[2].Z, 0, a.T.X, a.T.Y, a.T.Z, 1}
}

// nodes writes the tree: a node names its children, the model its nodes' parents.
// What is as by default is left out.
func (w *writing) nodes(m *model.Model) (nodes []obj, roots []int) {
	for n, nd := range m.Nodes {
		o := obj{}
		if nd.Name != "" {
			o["name"] = nd.Name
		}
		switch {
		// a matrix excludes the three parts
		// Animated nodes may not have a matrix in the format; Pose takes it away
		// from them as soon as a track moves them.
		case nd.Fixed != nil:
			o["matrix"] = columns(*nd.Fixed)
		default:
			if nd.T != (geom.Vec3{}) {
				o["translation"] = nd.T.Array()
			}
			if nd.R != (geom.Quat{W: 1}) {
				o["rotation"] = [4]float64{nd.R.X, nd.R.Y, nd.R.Z, nd.R.W}
			}
			if nd.S != geom.V(1, 1, 1) {
				o["scale"] = nd.S.Array()
			}
		}
		// −1 is none, and is left out
		for key, i := range map[string]int{"mesh": nd.Mesh, "skin": nd.Skin, "camera": nd.Camera} {
			if i >= 0 {
				o[key] = i
			}
		}
		if nd.Weights != nil {
			o["weights"] = nd.Weights
		}
		// the model knows parents, the file children
		// A walk over all nodes for each: a model has at most MaxNodes, and usually
		// tens.
		var kids []int
		for c := range m.Nodes {
			if m.Nodes[c].Parent == n {
				kids = append(kids, c)
			}
		}
		if kids != nil {
			o["children"] = kids
		}
		if nd.Parent < 0 {
			roots = append(roots, n)
		}
		nodes = append(nodes, o)
	}
	return nodes, roots
}

// meshes writes one primitive a part, which share their vertices.
func (w *writing) meshes(m *model.Model) (meshes, materials []obj) {
	for n := range m.Meshes {
		me := &m.Meshes[n]
		// accessors are shared by all primitives of the mesh
		attr := obj{"POSITION": w.floats("VEC3", 3, flat(me.P), 34962)}
		if me.Colour != nil {
			attr["COLOR_0"] = w.floats("VEC3", 3, flat(me.Colour), 34962)
		}
		if me.Joints != nil {
			attr["JOINTS_0"] = w.shorts(me.Joints)
			var v []float64
			for _, x := range me.Weights {
				v = append(v, float64(x[0]), float64(x[1]), float64(x[2]), float64(x[3]))
			}
			attr["WEIGHTS_0"] = w.floats("VEC4", 4, v, 34962)
		}
		var targets []obj
		for _, mo := range me.Morphs {
			targets = append(targets, obj{"POSITION": w.floats("VEC3", 3, flat(mo), 34962)})
		}
		// a primitive for each part that has triangles
		parts := max(1, len(me.Parts))
		// primitives share the vertices: an index list each
		// Three indices a triangle, in the order of the mesh within each part.
		byPart := make([][]int32, parts)
		for i, t := range me.Tri {
			p := me.PartOf(i)
			byPart[p] = append(byPart[p], t[:]...)
		}
		var prims []obj
		for p, idx := range byPart {
			if len(idx) == 0 {
				continue
			}
			o := obj{"attributes": attr, "indices": w.indices(idx)}
			if targets != nil {
				o["targets"] = targets
			}
			// a material that is nothing but a name: readers make parts of it again
			if p < len(me.Parts) && me.Parts[p] != "" {
				materials = append(materials, obj{"name": me.Parts[p]})
				o["material"] = len(materials) - 1
			}
			prims = append(prims, o)
		}
		o := obj{"primitives": prims}
		if me.Morph != nil {
			o["weights"] = me.Morph
		}
		meshes = append(meshes, o)
	}
	return meshes, materials
}

// clip writes an animation: a sampler for each track, and a channel that leads it to
// its node.
func (w *writing) clip(c model.Clip) obj {
	var channels, samplers []obj
	for n, t := range c.Tracks {
		// shift and size
		kind, width := "VEC3", 3
		switch t.Path {
		case model.Rotation:
			kind, width = "VEC4", 4
		case model.Weights:
			kind, width = "SCALAR", 1
		}
		samplers = append(samplers, obj{"input": w.floats("SCALAR", 1, t.Times, 0), "output": w.floats(kind, width, t.Values, 0), "interpolation": string(t.How)})
		channels = append(channels, obj{"sampler": n, "target": obj{"node": t.Node, "path": string(t.Path)}})
	}
	return obj{"name": c.Name, "channels": channels, "samplers": samplers}
}
