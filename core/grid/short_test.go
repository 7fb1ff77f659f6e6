package grid

import "testing"

// Batches of positions with a row too short panic, even where its capacity
// would do; so does a field that holds fewer values than its size says.
func TestShortBatchesPanic(t *testing.T) {
	f := NewField(Dims{NX: 4, NY: 4, NZ: 4})
	cut := &Field{f.Dims, f.Data[:40]}
	long, short := make([]float32, 32, 64), make([]float32, 16, 64)
	for what, call := range map[string]func(){
		"x":     func() { f.SampleBatch(long, short, long, long, [3]float32{}) },
		"z":     func() { f.SampleBatch(long, long, long, short, [3]float32{}) },
		"lo":    func() { f.SampleRangeBatch(long, short, long, long, long, long, [3]float32{}) },
		"hi":    func() { f.SampleRangeBatch(long, long, short, long, long, long, [3]float32{}) },
		"field": func() { cut.SampleBatch(long, long, long, long, [3]float32{}) },
	} {
		func() {
			defer func() {
				if recover() == nil {
					t.Errorf("%s: nothing was said", what)
				}
			}()
			call()
		}()
	}
	f.SampleBatch(long, long, long, long, [3]float32{})
}
