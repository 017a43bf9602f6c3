package main

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"time"

	"nimbusreach/demo"
	"nimbusreach/e2e/browser"
)

// args: person path width height dark wait click file
func main() {
	p, err := browser.Open(context.Background(), "http://127.0.0.1:18099")
	if err != nil {
		panic(err)
	}
	defer p.Close()
	a := os.Args[1:]
	if a[0] != "-" {
		if err := p.SignIn(a[0], demo.Password); err != nil {
			panic(err)
		}
	}
	w, _ := strconv.ParseInt(a[2], 10, 64)
	h, _ := strconv.ParseInt(a[3], 10, 64)
	must := func(err error) {
		if err != nil {
			fmt.Println(err)
		}
	}
	must(p.Size(w, h))
	must(p.Dark(a[4] == "dark"))
	must(p.Go(a[1]))
	must(p.Await("!!(" + a[5] + ")"))
	if a[6] != "" {
		_, err := browser.Eval[bool](p, "("+a[6]+", true)")
		must(err)
	}
	if v, err := browser.Eval[float64](p, "window.__t || 0"); err == nil { fmt.Println("ms", v) }
	time.Sleep(900 * time.Millisecond)
	pic, err := p.Picture()
	must(err)
	os.WriteFile(a[7], pic, 0o644)
}
