// Package check finds what is wrong with a shot before it is run: what, why it
// matters, and what mends it. One check a function, all in one table.
//
// A check reads a [Scene], which is the document with the few lists that most checks
// want, and gives findings. It never simulates, never changes anything, and looks at
// files only through the library, which keeps what it has read: so all checks
// together are cheap enough to run after every change.
//
//	var spin = check.Check{ID: "fan-still", Find: func(s *check.Scene) (out []check.Finding) {
//		for _, e := range s.Of(fan) {
//			if speed.Of(e) == 0 && !e.Keyed(speed) {
//				out = append(out, check.Finding{Severity: check.Note, Element: e.ID,
//					What: e.Name + " stands still.", Why: "It moves no air.",
//					Mend: check.Set("Set it to 1 m/s", e, speed.Is(1))})
//			}
//		}
//		return out
//	}}
//
// How to write one. What names the thing and the value in a sentence; Why says what
// would be seen in the picture, or why the run would be wasted; the mend is one
// change that removes the finding, and its button says the change and not “fix”. A
// [Fault] keeps a run from starting and is for what can't give a result; a [Warning]
// is for what will likely disappoint; a [Note] for what may be meant. A keyed value
// is judged over its keys, or left alone where that can't be told.
//
// Packages that bring a solver or a kind of element register checks of their own.
// What can only be known after a run (a volume that drifted, smoke that was
// cut off) is found by stage.After from the frames' statistics, in the same form.
package check
