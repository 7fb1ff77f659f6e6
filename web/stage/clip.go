package stage

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"zarf/core/asset"
	"zarf/core/shot"
	"zarf/web/desk"
)

// MaxClip is the largest reference, bytes.
const MaxClip = 512 << 20

// sniff tells the kind of a reference by its first bytes; what it calls itself
// doesn't count.
func sniff(head []byte) string {
	has := func(at int, s string) bool { return len(head) >= at+len(s) && string(head[at:at+len(s)]) == s }
	switch {
	case has(0, "\x89PNG\r\n\x1a\n"):
		return "image/png"
	case has(0, "\xff\xd8\xff"):
		return "image/jpeg"
	case has(0, "GIF87a"), has(0, "GIF89a"):
		return "image/gif"
	case has(0, "RIFF") && has(8, "WEBP"):
		return "image/webp"
	case has(4, "ftyp"):
		return "video/mp4"
	case has(0, "\x1aE\xdf\xa3"):
		return "video/webm"
	}
	return ""
}

// addClip keeps a reference with the shot.
func (s *room) addClip(c *gin.Context) {
	f, err := c.FormFile("file")
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, errors.New("no file came along; choose one"))
		return
	}
	r, err := f.Open()
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	defer r.Close()
	head := make([]byte, 16)
	n, _ := io.ReadFull(r, head)
	name := asset.Clean(f.Filename)
	kind := sniff(head[:n])
	if kind == "" {
		desk.Refuse(c, http.StatusUnprocessableEntity, fmt.Errorf("%s is neither a picture (PNG, JPEG, GIF, WebP) nor a clip (MP4, WebM)", name))
		return
	}
	id, _, err := s.Studio.Files.PutClip(io.MultiReader(bytes.NewReader(head[:n]), r), MaxClip)
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, fmt.Errorf("%s: %w", name, err))
		return
	}
	err = s.Change(c, "keep "+name, "", func(d *shot.Shot) error {
		if slices.ContainsFunc(d.Clips, func(x shot.Clip) bool { return x.ID == id }) {
			return nil
		}
		if len(d.Clips) >= shot.MaxClips {
			return fmt.Errorf("the shot keeps %d references; remove one first", shot.MaxClips)
		}
		d.Clips = append(d.Clips, shot.Clip{ID: id, Name: name, Type: kind})
		return nil
	})
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.JSON(http.StatusOK, map[string]string{"id": id})
}

// kept is the reference that an address names; where there is none it has answered already.
func (s *room) kept(c *gin.Context) *shot.Clip {
	doc, err := s.Studio.Store.Doc(desk.Row(c).ID)
	if err != nil {
		c.String(http.StatusInternalServerError, "the shot can't be read")
		return nil
	}
	i := slices.IndexFunc(doc.Clips, func(x shot.Clip) bool { return x.ID == c.Param("id") })
	if i < 0 {
		c.String(http.StatusNotFound, "this shot keeps no such reference")
		return nil
	}
	return &doc.Clips[i]
}

// clip sends a reference; parts of it where the browser asks for parts.
func (s *room) clip(c *gin.Context) {
	clip := s.kept(c)
	if clip == nil {
		return
	}
	f, err := s.Studio.Files.Clip(clip.ID)
	if err != nil {
		c.String(http.StatusNotFound, "the file of this reference is missing")
		return
	}
	defer f.Close()
	c.Header("Content-Type", clip.Type)
	c.Header("Cache-Control", "private, max-age=31536000, immutable")
	http.ServeContent(c.Writer, c.Request, "", time.Time{}, f)
}

// changeClip shifts, measures or removes a reference; its file stays for undo.
func (s *room) changeClip(c *gin.Context) {
	err := s.Change(c, c.Param("verb")+" reference", "", func(d *shot.Shot) error {
		i := slices.IndexFunc(d.Clips, func(x shot.Clip) bool { return x.ID == c.Param("id") })
		if i < 0 {
			return errors.New("this shot keeps no such reference")
		}
		switch c.Param("verb") {
		case "remove":
			d.Clips = slices.Delete(d.Clips, i, i+1)
		case "offset":
			v, err := strconv.ParseFloat(c.PostForm("v"), 64)
			if err != nil || !(v > -1e6 && v < 1e6) {
				return fmt.Errorf("the start is %q; give seconds", c.PostForm("v"))
			}
			d.Clips[i].Offset = v
		case "front":
			return setFront(&d.Clips[i], c.PostForm("v"))
		case "tall":
			return setTall(&d.Clips[i], c.PostForm("v"))
		default:
			return fmt.Errorf("nothing is called %q", c.Param("verb"))
		}
		return nil
	})
	if err != nil {
		desk.Refuse(c, http.StatusUnprocessableEntity, err)
		return
	}
	c.Status(http.StatusNoContent)
}
