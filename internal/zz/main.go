package main

import (
	"fmt"
	"os"
	"strings"
	"time"

	"zarf/internal/shoot"
)

func main() {
	log, _ := os.ReadFile("/tmp/demo.log")
	i := strings.Index(string(log), "http://")
	url := strings.Fields(string(log)[i:])[0]
	b, err := shoot.Open()
	if err != nil {
		panic(err)
	}
	defer b.Close()
	p, _ := b.Page()
	p.MustNavigate(url).MustWaitLoad()
	p.MustNavigate("http://127.0.0.1:8399/shots/" + os.Args[1] + "/look").MustWaitLoad()
	begin := time.Now()
	n := 0
	for _, at := range []float64{0.3, 0.6, 1, 2, 4, 10} {
		time.Sleep(time.Until(begin.Add(time.Duration(at * float64(time.Second)))))
		text := p.MustEval(`() => document.body.innerText.split("\n").filter(t => t.includes(" s ·") || t.includes("samples") || t.includes("coarse") || t.includes("Lighting")).join(" | ")`).String()
		fmt.Printf("%.1f s: %s\n", time.Since(begin).Seconds(), text)
		if len(os.Args) > 2 && strings.Contains(os.Args[2], fmt.Sprint(at)) {
			n++
			d, _ := p.Screenshot(false, nil)
			os.WriteFile(fmt.Sprintf("/tmp/look%d.png", n), d, 0o644)
		}
	}
	fmt.Println(p.Faults())
}
