package state_test

import (
	"bytes"
	"fmt"

	"zarf/core/grid"
	"zarf/core/state"
)

// What is written comes back bit for bit, and a flipped bit is told.
func Example() {
	type head struct{ Step int }
	var file bytes.Buffer
	if err := state.Write(&file, head{42}, []state.Array{{Name: "heat", V: []float32{1, 2, 3}}}, grid.NewCrew(1).For); err != nil {
		panic(err)
	}
	read := func(b []byte) (h head, heat []float32, err error) {
		heat = make([]float32, 3)
		err = state.Read(bytes.NewReader(b), &h, func() ([]state.Array, error) {
			return []state.Array{{Name: "heat", V: heat}}, nil
		})
		return h, heat, err
	}
	fmt.Println(read(file.Bytes()))
	file.Bytes()[file.Len()-12] ^= 1
	_, _, err := read(file.Bytes())
	fmt.Println(err)
	// Output:
	// {42} [1 2 3] <nil>
	// heat: the saved state is damaged: a checksum differs
}
