// Package static is what browsers are sent as it is: styles, scripts, fonts.
package static

import "embed"

// Files are the files below this folder.
//
//go:embed css js vendor recipes mark.svg
var Files embed.FS
