// Package solvers links every solver and every refinement into the program. What
// reads or runs shots imports it for its effect; a program that links fewer
// keeps the values of the others, and says of their domains that it can't
// simulate them.
package solvers

import (
	_ "zarf/core/cloth"
	_ "zarf/core/gas"
	_ "zarf/core/liquid"
	_ "zarf/core/mote"
	_ "zarf/core/ripple"
	_ "zarf/core/upres"
)
