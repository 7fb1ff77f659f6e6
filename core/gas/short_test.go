package gas

import "testing"

// A kernel that gets a row too short panics, even where its capacity would do.
func TestShortRowsPanic(t *testing.T) {
	long, short := make([]float32, 20, 64), make([]float32, 7, 64)
	calls := map[string]func(){
		"followed a":  func() { followed(long, short, long, 0, 1) },
		"followed b":  func() { followed(long, long, short, 0, 1) },
		"limit again": func() { limit(long, short, long, long, long, long) },
		"limit was":   func() { limit(long, long, long, short, long, long) },
		"limit hi":    func() { limit(long, long, long, long, long, short) },
	}
	was := useVectors
	defer func() { useVectors = was }()
	for _, on := range []bool{false, was} {
		useVectors = on
		for what, call := range calls {
			func() {
				defer func() {
					if recover() == nil {
						t.Errorf("%s (vectors %t): nothing was said", what, on)
					}
				}()
				call()
			}()
		}
		followed(long, long, long, 0, 1)
	}
}
