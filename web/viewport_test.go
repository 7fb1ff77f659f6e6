package web

import (
	"encoding/json"
	"math"
	"testing"
)

// The page's own marching, by cases whose picture is known: a cube of even smoke, 2 m wide,
// seen square on, before nothing, before something solid, within glass and water, glowing,
// coloured, tinted, as two cubes of half the density; every variant of the shader is built.
func TestTheViewportMarchesWhatItIsGiven(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("VP"))
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/vp/stage")
	h.until(`() => window.zarf && zarf.state.scene && zarf.view.picture.asked !== 0`)
	var got map[string][3]float64
	const script = `async () => {
  const v = zarf.view, p = v.picture, THREE = await import('three'), day = p.day, out = {};
  v.things.clear(); v.scene.remove(v.ground); v.tools.clear();
  v.camera.position.set(0, 0, 8); v.camera.near = 0.1; v.camera.far = 100; v.camera.fov = 20;
  v.camera.lookAt(0, 0, 0); v.camera.updateProjectionMatrix();
  const planes = (list) => { const n = 64, b = new Uint8Array(3 * n * list.length); list.forEach((c, k) => { for (let i = 0; i < n; i++) b.set(c, 3 * (n * k + i)); }); return b; };
  const light = (more) => ({ ...day, sun: [0, 0, 0], sunDir: [0, 1, 0], zenith: [0.4, 0.4, 0.4], horizon: [0.4, 0.4, 0.4], below: [0.4, 0.4, 0.4], open: [0.4, 0.4, 0.4], spots: [], extinction: [0.5, 0.5, 0.5], albedo: [1, 1, 1], lobes: [0, 0, 0],
    film: { gain: [1, 1, 1], saturation: 1, plain: true, gamma: 1, lift: 0, steps: 0, soft: 0 }, ...more });
  const cube = (more) => ({ at: 0, dims: [4, 4, 4], min: [-1, -1, -1], max: [1, 1, 1], top: 1, rest: 0.4, ...more });
  const shoot = (name, parts, list, more) => {
    v.fluid({ head: { light: light(more), parts }, data: planes(list) });
    v.drawNow();
    const gl = v.renderer.getContext(), w = gl.drawingBufferWidth, hh = gl.drawingBufferHeight, px = new Uint8Array(4);
    gl.readPixels(w >> 1, hh >> 1, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px);
    out[name] = [px[0] / 255, px[1] / 255, px[2] / 255];
    const e = gl.getError();
    if (e) throw new Error(name + ': GL error ' + e);
  };
  const full = [255, 255, 0], white = [255, 255, 255];
  v.background = 0;
  shoot('smoke', [cube()], [full, white]);
  shoot('two halves', [cube({ top: 0.5 }), cube({ top: 0.5, at: 384, dims: [4, 4, 4] })], [full, white, full, white]);
  shoot('sun', [cube({ rest: 0 })], [full, [0, 0, 0]], { sun: [4, 4, 4] });
  shoot('glow', [cube({ top: 0, rest: 0, fire: true, glow: 0.2 })], [[0, 0, 0], [0, 0, 0], white]);
  shoot('coloured', [cube()], [full, white], { extinction: [0.25, 0.5, 1] });
  shoot('tinted', [cube({ rest: 0, tinted: true })], [full, [0, 0, 0], [255, 128, 0]], { sun: [4, 4, 4] });
  p.wanted = true;
  shoot('before the sky', [cube()], [full, [0, 0, 0]]);
  p.wanted = false;
  v.scene.add(v.ground = new THREE.Group());
  const wall = new THREE.Mesh(new THREE.BoxGeometry(4, 4, 0.1), new THREE.MeshBasicMaterial({ color: new THREE.Color(0.3, 0.3, 0.3) }));
  wall.layers.set(1); v.things.add(wall);
  shoot('halfway', [cube()], [full, white]);
  wall.position.z = -3;
  shoot('before a wall', [cube()], [full, [0, 0, 0]]);
  v.things.clear();
  const pane = new THREE.Mesh(new THREE.BoxGeometry(4, 4, 0.1), v.glass);
  pane.layers.set(2); pane.position.z = 2; v.things.add(pane); v.glassy = true;
  shoot('behind glass', [cube()], [full, white]);
  pane.position.z = -2;
  shoot('before glass', [cube()], [full, white]);
  v.things.clear(); v.glassy = false;
  // a plate of water, 1 m thick, that lets half of the light by in a metre
  const b = new Float32Array(24), q = new Uint32Array(36);
  for (let i = 0; i < 8; i++) b.set([i & 1 ? 2 : -2, i & 2 ? 2 : -2, i & 4 ? 3 : 2], 3 * i);
  q.set([0, 2, 1, 1, 2, 3, 4, 5, 6, 5, 7, 6, 0, 1, 4, 1, 5, 4, 2, 6, 3, 3, 6, 7, 0, 4, 2, 2, 4, 6, 1, 3, 5, 3, 7, 5]);
  const flat = new Uint8Array(24 * 4 + 36 * 4 + 384);
  flat.set(new Uint8Array(b.buffer)); flat.set(new Uint8Array(q.buffer), 96); flat.set(planes([full, white]), 240);
  const wet = light({ liquid: { opaque: false, index: 1.0001, colour: [1, 1, 1], absorb: [Math.LN2, Math.LN2, Math.LN2], rough: 0.1, glow: 0 } });
  v.fluid({ head: { light: wet, parts: [{ liquid: true, at: 0, dims: [0, 0, 0], min: [0, 0, 0], max: [0, 0, 0], top: 0, vertices: 8, triangles: 12 }, cube({ at: 240 })] }, data: flat });
  v.drawNow();
  const gl = v.renderer.getContext(), px = new Uint8Array(4);
  gl.readPixels(gl.drawingBufferWidth >> 1, gl.drawingBufferHeight >> 1, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px);
  out['behind water'] = [px[0] / 255, px[1] / 255, px[2] / 255];
  p.reach({ line: [[0, -1, 0], [0, 1, 0]], position: [0, 0, 0], radius: 0.5 });
  shoot('with a guide', [cube()], [full, white]);
  return JSON.stringify(out);
}`
	v, err := h.Eval(script)
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal([]byte(v.Value.Str()), &got); err != nil {
		t.Fatal(err)
	}
	// light and how much of it is opaque, as film shows it before black
	shown := func(light, alpha float64) float64 {
		a := math.Max(light, alpha)
		c := light / a
		if c <= 0.0031308 {
			return 12.92 * c * a
		}
		return (1.055*math.Pow(c, 1/2.4) - 0.055) * a
	}
	grey := func(x float64) [3]float64 { return [3]float64{x, x, x} }

	all := 1 - math.Exp(-1)
	sun := 4 * all / (4 * math.Pi)
	glass := math.Pow((1.5-1)/(1.5+1), 2) // both pane sides are met as one
	for name, want := range map[string][3]float64{
		"smoke": grey(shown(0.4*all, all)), "two halves": grey(shown(0.4*all, all)), "sun": grey(shown(sun, all)), "glow": grey(shown(0.4, 0)),
		"coloured":       {shown(0.4*(1-math.Exp(-0.5)), 1-(math.Exp(-0.5)+math.Exp(-1)+math.Exp(-2))/3), shown(0.4*(1-math.Exp(-1)), 1-(math.Exp(-0.5)+math.Exp(-1)+math.Exp(-2))/3), shown(0.4*(1-math.Exp(-2)), 1-(math.Exp(-0.5)+math.Exp(-1)+math.Exp(-2))/3)},
		"tinted":         {shown(sun, all), shown(sun*128/255, all), 0},
		"before the sky": grey(shown(0.4*math.Exp(-1), 1)), "halfway": grey(shown(0.4*(1-math.Exp(-0.5*0.95))+0.3*math.Exp(-0.5*0.95), 1)), "before a wall": grey(shown(0.3*math.Exp(-1), 1)),
		"behind glass": grey(shown(0.4*glass+(1-glass)*0.4*all, 1-(1-glass)*math.Exp(-1))),
		"before glass": grey(shown(0.4*all+math.Exp(-1)*0.4*glass, 1-(1-glass)*math.Exp(-1))),
		"behind water": grey(shown(0.5*0.4*all, 1-0.5*math.Exp(-1))),
	} {
		g, ok := got[name]
		for c := range want {
			if !ok || math.Abs(g[c]-want[c]) > 0.015 {
				t.Errorf("%s: %.3f, want %.3f", name, g, want)
				break
			}
		}
	}
	if g := got["with a guide"]; !(g[1] > g[0]+0.03) {
		t.Errorf("a guide's reach isn't seen: %.3f", g)
	}

}
