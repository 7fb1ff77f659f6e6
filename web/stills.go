package web

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image/png"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"

	"github.com/gin-gonic/gin"

	"zarf/core/film"
	"zarf/core/grid"
	"zarf/core/render"
	"zarf/core/shot"
	"zarf/studio/cache"
	"zarf/studio/run"
	"zarf/studio/store"
)

// still is a small picture of a take's frame with the camera, the solids and a
// look of the shot as it is now, so that takes can be compared. Pictures are
// kept on disk beside the cache, by all that they depend on.
func (s *server) still(c *gin.Context) {
	t, frame, ok := s.takeFrame(c, c.Param("take"), c.Param("frame"))
	if !ok {
		return
	}
	doc, err := s.st.Store.Doc(rowOf(c).ID)
	if err != nil {
		explain(c, err)
		return
	}
	lk := doc.Look(c.Query("look"))
	if lk == nil {
		lk = doc.Looks[0]
	}
	width := 320
	if n, err := strconv.Atoi(c.Query("w")); err == nil {
		width = min(max(n/16*16, 64), 960)
	}
	data, err := s.makeStill(t, doc, lk, frame, width)
	if err != nil {
		explain(c, err)
		return
	}
	c.Header("Cache-Control", "private, no-cache")
	c.Data(http.StatusOK, "image/png", data)
}

// thumb is a picture of a take's frame as its own values have it.
func (s *server) thumb(c *gin.Context) {
	t, frame, ok := s.takeFrame(c, c.Query("take"), c.Query("frame"))
	if !ok {
		return
	}
	doc, err := t.Shot()
	if err != nil {
		explain(c, err)
		return
	}
	data, err := s.makeStill(t, doc, doc.Looks[0], frame, 256)
	if err != nil {
		explain(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=3600")
	c.Data(http.StatusOK, "image/png", data)
}

// stillPath is where a picture is kept: it changes with everything that is
// seen in it.
func (s *server) stillPath(t store.Take, doc *shot.Shot, lk *shot.Element, frame, width int) string {
	sum := sha256.Sum256([]byte(mustJSON([]any{lk.Print(), pictured(doc), width, doc.Rate()})))
	return filepath.Join(s.st.StillDir(t.Key), fmt.Sprintf("%s.%05d.png", hex.EncodeToString(sum[:8]), frame))
}

func (s *server) makeStill(t store.Take, doc *shot.Shot, lk *shot.Element, frame, width int) ([]byte, error) {
	path := s.stillPath(t, doc, lk, frame, width)
	if b, err := os.ReadFile(path); err == nil {
		return b, nil
	}
	s.renderNow <- struct{}{}
	defer func() { <-s.renderNow }()
	if b, err := os.ReadFile(path); err == nil { // somebody else made it meanwhile
		return b, nil
	}
	src, err := s.st.Source(t)
	if err != nil {
		return nil, err
	}
	crew := grid.NewCrew(s.opt.Threads)
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
