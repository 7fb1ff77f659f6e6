package web

import (
	"zarf/web/desk"
	_ "zarf/web/handover"
	_ "zarf/web/library"
	_ "zarf/web/look"
	_ "zarf/web/score"
	_ "zarf/web/stage"
	_ "zarf/web/takes"
)

// Options of the server.
type Options = desk.Options

// MaxBody is the largest request body, bytes, of what isn't an upload.
const MaxBody = desk.MaxBody

// MaxUpload is the largest request body of an upload, bytes.
const MaxUpload = desk.MaxUpload

// New makes the handler of all pages.
var New = desk.New

// TokenName is the name in an address of the token that lets in.
const TokenName = desk.TokenName

// Own reports a host name that is this machine.
func Own(host string) bool { return desk.Own(host) }

// Quit ends event streams, which would hold a shutdown up.
var Quit = desk.Quit
