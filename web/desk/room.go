package desk

import (
	"cmp"
	"fmt"
	"html/template"
	"io/fs"
	"slices"

	"github.com/gin-gonic/gin"
)

// Room is a part of the site: a station of the workspace, or pages of its own.
// Its package registers it; package web links them all. A new page is a room
// with one file of Go and one template.
type Room struct {
	Key   string
	Label string // in the row of stations; empty: it isn't one
	Help  string
	Order int // among the stations
	// Files are its templates, *.html. Those of a station define KEY-left and
	// KEY-right, the columns beside the picture.
	Files fs.FS
	Pages []string // names of the files, without .html, that define a whole page's "body"
	Brief bool     // of the shot's takes it shows one alone
	Open  func(s *Server) Part
}

// Part is a room on one server.
type Part struct {
	Routes func(site *gin.Engine, shot *gin.RouterGroup) // shot: below /shots/:slug
	Large  []string                                      // routes that take files, up to MaxUpload
	Funcs  template.FuncMap
	// Fill adds what the station shows to w and returns what its templates are
	// given: w, or something that embeds it.
	Fill  func(c *gin.Context, w *Space) (view any, err error)
	Close func() // ends what goes on, before the server stops
}

var rooms []*Room

// Register adds a room, from the init of its package.
func Register(r Room) {
	if slices.ContainsFunc(rooms, func(o *Room) bool { return o.Key == r.Key }) {
		panic(fmt.Sprintf("desk: the room %s is registered twice", r.Key))
	}
	rooms = append(rooms, &r)
	slices.SortStableFunc(rooms, func(a, b *Room) int { return cmp.Or(cmp.Compare(a.Order, b.Order), cmp.Compare(a.Key, b.Key)) })
}

// Stations are the rooms that the workspace is made of, in their order.
func Stations() (out []*Room) {
	for _, r := range rooms {
		if r.Label != "" {
			out = append(out, r)
		}
	}
	return out
}

// station finds one by its key; nil where there is none.
func station(key string) *Room {
	for _, r := range Stations() {
		if r.Key == key {
			return r
		}
	}
	return nil
}
