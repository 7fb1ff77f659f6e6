package handover

import (
	"archive/zip"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"

	"github.com/gin-gonic/gin"

	"zarf/studio"
	"zarf/studio/handover"
	"zarf/studio/store"
)

// handoverZip streams a finished handover as one file.
func (s *room) handoverZip(c *gin.Context) {
	j, err := s.JobOf(c)
	if err != nil || j.Kind != studio.KindHandover {
		s.Fail(c, http.StatusNotFound, "There is no such handover.", "")
		return
	}
	m, err := handover.Read(j.Dir)
	if err != nil {
		s.Fail(c, http.StatusConflict, "This handover is not finished.", "Wait for it, or make it again.")
		return
	}
	c.Header("Content-Type", "application/zip")
	c.Header("Content-Disposition", `attachment; filename="`+store.Slug(m.Name)+`.zip"`)
	z := zip.NewWriter(c.Writer)
	add := func(name string) error {
		// the manifest was written by Zarf, yet no path leaves the folder
		if !filepath.IsLocal(filepath.FromSlash(name)) {
			return fmt.Errorf("path %q", name)
		}
		r, err := os.Open(filepath.Join(j.Dir, filepath.FromSlash(name)))
		if err != nil {
			return err
		}
		defer r.Close()
		w, err := z.CreateHeader(&zip.FileHeader{Name: m.Name + "/" + name, Method: zip.Store})
		if err != nil {
			return err
		}
		_, err = io.Copy(w, r)
		return err
	}
	for _, f := range m.Files {
		if err := add(f.Path); err != nil {
			s.Studio.Log.Error("zip", "file", f.Path, "error", err)
			panic(http.ErrAbortHandler) // the browser sees a broken download, not a short one
		}
	}
	for _, name := range []string{handover.ChecklistName, handover.ManifestName} {
		if err := add(name); err != nil {
			panic(http.ErrAbortHandler)
		}
	}
	if err := z.Close(); err != nil {
		s.Studio.Log.Error("zip", "error", err)
	}
}
