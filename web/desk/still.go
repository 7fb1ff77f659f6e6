package desk

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"slices"

	"zarf/core/film"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/core/shot/val"
	"zarf/studio/cache"
	"zarf/studio/run"
	"zarf/studio/store"
)

// stillPath is where a picture is kept: it changes with everything that is
// seen in it.
func (s *Server) stillPath(t store.Take, doc *shot.Shot, lk *shot.Element, frame, width int) string {
	sum := sha256.Sum256([]byte(JSON([]any{lk.Print(), Pictured(doc), width, doc.Rate()})))
	return filepath.Join(s.Studio.StillDir(t.Key), fmt.Sprintf("%s.%05d.png", hex.EncodeToString(sum[:8]), frame))
}

func (s *Server) Still(t store.Take, doc *shot.Shot, lk *shot.Element, frame, width int) ([]byte, error) {
	path := s.stillPath(t, doc, lk, frame, width)
	if b, err := os.ReadFile(path); err == nil {
		return b, nil
	}
	s.renderNow <- struct{}{}
	defer func() { <-s.renderNow }()
	if b, err := os.ReadFile(path); err == nil { // somebody else made it meanwhile
		return b, nil
	}
	src, err := s.Studio.Source(t)
	if err != nil {
		return nil, err
	}
	crew := grid.NewCrew(s.Opt.Threads)
	src.Trying = true
	sc, err := src.Scene(frame, doc, lk, crew)
	if err != nil {
		return nil, err
	}
	sc.Look.Method = "march"
	plate, err := run.Plate(doc, &sc.Look, frame)
	if err != nil {
		return nil, err
	}
	pic, err := render.New(sc, width, max(16, width*sc.Look.Height/max(sc.Look.Width, 1)), crew)
	if err != nil {
		return nil, err
	}
	pic.Pass(nil)
	pic.Pass(nil)
	var b bytes.Buffer
	if err := png.Encode(&b, film.Develop(pic.Frame(), &sc.Look.Film, plate, crew).NRGBA()); err != nil {
		return nil, err
	}
	// a full disk or a read-only folder costs time, nothing else
	if os.MkdirAll(filepath.Dir(path), 0o755) == nil {
		cache.WriteFile(path, func(w io.Writer) error { _, err := w.Write(b.Bytes()); return err })
	}
	return b.Bytes(), nil
}

// Pictured prints the elements that pictures show or are lit and seen by.
func Pictured(doc *shot.Shot) (out []string) {
	for _, e := range doc.Elements {
		if !e.Muted && slices.Contains([]shot.Kind{shot.Camera, shot.Collider, shot.Mesh, shot.Lamp}, e.Kind) {
			out = append(out, e.Print())
		}
		switch {
		case e.Muted:
		case e.Kind == shot.Sequence:
			out = append(out, e.Print())
		case e.Kind == shot.Sea: // gravity and time move its waves
			out = append(out, e.Print(), doc.Self.Print())
		case e.Kind == shot.Domain: // what its particles are drawn as
			for _, x := range shot.ParticleShape(shot.Domain, "") {
				out = append(out, fmt.Sprint(x.Key, e.Get(x.Key)))
			}
			if e.Keyed(val.Trail) {
				out = append(out, e.Print())
			}
		}
	}
	return out
}
