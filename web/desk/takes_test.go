package desk

import "testing"

// A queue that is only begun: the page says what comes next.
func TestTurnWords(t *testing.T) {
	for want, got := range map[string]turn{
		"starts next":             {},
		"next, after BL1 renders": {Ahead: 1, After: "BL1 renders"},
		"1 ahead":                 {Ahead: 1},
		"4 ahead, first the render of BL1 (2 s left)": {Ahead: 4, After: "the render of BL1 (2 s left)"},
	} {
		if got.Words() != want {
			t.Errorf("%q, want %q", got.Words(), want)
		}
	}
}
