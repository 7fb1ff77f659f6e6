package recipe_test

import (
	"fmt"

	"zarf/core/recipe"
	"zarf/core/shot"
	"zarf/core/shot/val"
)

// By Froude's law what is nine times as large moves three times as fast.
func ExampleScale() {
	speed := shot.Find(shot.Emitter, val.Speed.Name())
	fmt.Println(recipe.Scale(speed, shot.Num(2), 9).Num)
	// Output: 6
}
