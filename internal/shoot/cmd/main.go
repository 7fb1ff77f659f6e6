// Command cmd takes a picture of a page: cmd URL FILE [SCRIPT] [WAIT].
package main

import (
	"fmt"
	"os"
	"time"

	"zarf/internal/shoot"
)

func main() {
	b, err := shoot.Open()
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	defer b.Close()
	p, err := b.Page()
	if err == nil {
		err = p.Go(os.Args[1])
	}
	if err != nil {
		fmt.Println(err)
		return
	}
	time.Sleep(2500 * time.Millisecond)
	if len(os.Args) > 3 {
		r, err := p.Eval(os.Args[3])
		fmt.Println(r, err)
		time.Sleep(1500 * time.Millisecond)
	}
	if len(os.Args) > 4 {
		d, _ := time.ParseDuration(os.Args[4])
		time.Sleep(d)
	}
	fmt.Println(p.PNG(os.Args[2]), p.Faults())
}
