package main

import (
	"fmt"
	"os"
	"time"

	"zarf/internal/shoot"
)

func main() {
	b, err := shoot.Open()
	if err != nil { panic(err) }
	defer b.Close()
	for i := 1; i+1 < len(os.Args); i += 2 {
		p, err := b.Page()
		if err != nil { panic(err) }
		if err := p.Go(os.Args[i]); err != nil { fmt.Println(err) }
		time.Sleep(4 * time.Second)
		if js := os.Getenv("JS"); js != "" { if _, err := p.Eval(js); err != nil { fmt.Println(err) }; time.Sleep(2*time.Second) }
		if err := p.PNG(os.Args[i+1]); err != nil { fmt.Println(err) }
		p.Close()
	}
}
