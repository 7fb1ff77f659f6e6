package desk

import (
	"bytes"
	"html/template"
	"io/fs"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"zarf/core/shot"
)

// loadPages reads the templates of the desk and of all rooms: one set for all
// pieces, and a copy of it for each whole page.
func (s *Server) loadPages() map[string]*template.Template {
	funcs := template.FuncMap{
		"static": s.Static,
		"bytes":  BytesWords, "seconds": SecondsWords, "roughly": func(v float64) string {
			if v < 1 {
				return "under 1 s"
			}
			return "about " + SecondsWords(v)
		}, "count": CountWords, "ago": agoWords,
		"field":    s.field,
		"takeLine": s.takeLine,
		"column":   s.column,
		"dialogs":  s.dialogs,
		"driven":   driven, "lookList": lookList, "takeNumbers": takeNumbers,
		"stations": Stations,
		"kinds":    shot.ElementKinds,
		"has":      func(list []string, s string) bool { return slices.Contains(list, s) },
		"minus":    func(a, b int) int { return a - b },
		"half":     func(a int) int { return a / 2 },
		"upto": func(n int) []int {
			out := make([]int, n)
			for i := range out {
				out[i] = i + 1
			}
			return out
		},
		"dict": func(kv ...any) map[string]any {
			m := map[string]any{}
			for i := 0; i+1 < len(kv); i += 2 {
				m[kv[i].(string)] = kv[i+1]
			}
			return m
		},
	}
	for _, r := range rooms {
		maps.Copy(funcs, s.parts[r.Key].Funcs)
	}
	s.written = newWritten()
	base := template.Must(template.New("").Funcs(funcs).ParseFS(templateFiles, "templates/base.html", "templates/partials.html", "templates/glyphs.html"))
	whole := map[string]fs.FS{}
	for _, r := range rooms {
		files, err := fs.Glob(r.Files, "*.html")
		if err != nil {
			panic(err)
		}
		for _, f := range files {
			if name := strings.TrimSuffix(f, ".html"); slices.Contains(r.Pages, name) {
				whole[name] = r.Files
			} else {
				template.Must(base.ParseFS(r.Files, f))
			}
		}
	}
	out := map[string]*template.Template{"partials": base}
	for _, p := range []string{"workspace", "fault"} {
		out[p] = template.Must(template.Must(base.Clone()).ParseFS(templateFiles, "templates/"+p+".html"))
	}
	for name, files := range whole {
		out[name] = template.Must(template.Must(base.Clone()).ParseFS(files, name+".html"))
	}
	return out
}

// Static is the address of a static file; it changes with what the files hold.
func (s *Server) Static(p string) string { return "/static/" + s.stamp + "/" + p }

// column writes a column of the station that a space shows.
func (s *Server) column(side string, w *Space) (template.HTML, error) {
	var b bytes.Buffer
	err := s.pages["partials"].ExecuteTemplate(&b, w.Station+"-"+side, w.view)
	return template.HTML(b.String()), err
}

// dialogs writes those that rooms have for the workspace: KEY-dialogs.
func (s *Server) dialogs(w *Space) (template.HTML, error) {
	var b bytes.Buffer
	for _, r := range rooms {
		if t := s.pages["partials"].Lookup(r.Key + "-dialogs"); t != nil {
			if err := t.Execute(&b, w); err != nil {
				return "", err
			}
		}
	}
	return template.HTML(b.String()), nil
}

// Page answers with a whole page.
func (s *Server) Page(c *gin.Context, code int, name string, data map[string]any) {
	data["Nonce"] = c.GetString(nonceKey)
	c.Header("Content-Type", "text/html; charset=utf-8")
	c.Header("Cache-Control", "no-store")
	c.Status(code)
	s.Exec(c, name, "base", data)
}

// Exec answers with a piece of a page.
func (s *Server) Exec(c *gin.Context, page, tmpl string, data any) {
	if err := s.pages[page].ExecuteTemplate(c.Writer, tmpl, data); err != nil {
		s.Studio.Log.Error("template", "name", tmpl, "error", err)
	}
}

func (s *Server) workspace(at string) gin.HandlerFunc {
	return func(c *gin.Context) {
		w, err := s.space(c, at)
		if err != nil {
			s.Fail(c, http.StatusInternalServerError, "The shot can't be read: "+err.Error(), "Its earlier revisions are kept; try undo.")
			return
		}
		s.Page(c, http.StatusOK, "workspace", map[string]any{"Title": w.Row.Name, "W": w})
	}
}

// panels answers with all panels of a station, each for its own place.
func (s *Server) panels(c *gin.Context) {
	at := c.Param("station")
	if station(at) == nil {
		s.Fail(c, http.StatusNotFound, "There is no such station.", "")
		return
	}
	s.Refresh(c, at)
}

// Refresh writes the panels of a station.
func (s *Server) Refresh(c *gin.Context, at string) {
	w, err := s.space(c, at)
	if err != nil {
		s.Fail(c, http.StatusInternalServerError, "The shot can't be read: "+err.Error(), "Try undo.")
		return
	}
	c.Header("Content-Type", "text/html; charset=utf-8")
	w.Stamp = time.Now().UnixNano()
	if now, err := s.Studio.Store.ShotByID(Row(c).ID); err == nil {
		w.Head = now.Head
	}
	s.Exec(c, "partials", "panels", w)
}

// sheetPart shows another element's sheet.
func (s *Server) sheetPart(c *gin.Context) { s.Refresh(c, c.DefaultQuery("at", "stage")) }
