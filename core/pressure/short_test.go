package pressure

import (
	"testing"

	"zarf/core/grid"
)

// A kernel that gets a row too short panics, even where the row's capacity
// would hold what is asked for, with vectors and without.
func TestShortRowsPanic(t *testing.T) {
	long := func() []float32 { return make([]float32, 32, 64) }
	short := make([]float32, 16, 64)
	d := grid.Dims{NX: 16, NY: 4, NZ: 4}
	l := newLevel(d, [3]int{}, func(n int) []float32 { return make([]float32, n) })
	whole := make([]float32, len(l.x))
	last := l.at(d.NY-1, d.NZ-1)
	calls := map[string]func(){
		"residual b":    func() { residual(long(), short, long()) },
		"residual pn":   func() { residual(long(), long(), short) },
		"spread pn":     func() { spread(long(), short, long()) },
		"spread c":      func() { spread(long(), long(), short) },
		"scaleBy":       func() { scaleBy(long(), long(), short, 2) },
		"axpy":          func() { axpy(long(), short, 2) },
		"xpay":          func() { xpay(long(), short, 2) },
		"dot":           func() { dot(long(), short) },
		"dot odd":       func() { dot(make([]float32, 17), make([]float32, 17)) },
		"blendAdd4":     func() { blendAdd4(long(), long(), long(), long(), short, 1, 2, 3, 4) },
		"blendAdd4 odd": func() { b := make([]float32, 20); blendAdd4(b, b, b, b, b, 1, 2, 3, 4) },
		"apply dst":     func() { l.applyPlane(short, whole, 0) },
		"apply x":       func() { l.applyPlane(whole, whole[:last], 0) },
		"jacobi dst":    func() { l.jacobiPlane(whole[:last], whole, 0) },
		"jacobi x":      func() { l.jacobiPlane(whole, short, 0) },
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
		residual(long(), long(), long())
		spread(long(), long(), long())
		l.applyPlane(whole, whole, 0)
	}
}
