// Command count reads what `go test -json` printed, shows what failed, and ends
// with a plain count.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
	"strings"
)

type event struct {
	Action, Package, Test, Output string
}

func main() {
	file, err := os.Open(os.Args[1])
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(2)
	}
	defer file.Close()
	output := map[string]*strings.Builder{}
	passed, failed, skipped := 0, 0, 0
	lines := bufio.NewScanner(file)
	lines.Buffer(nil, 64<<20)
	for lines.Scan() {
		var e event
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			fmt.Println(lines.Text())
			continue
		}
		key := e.Package + " " + e.Test
		switch e.Action {
		case "output", "build-output":
			if output[key] == nil {
				output[key] = &strings.Builder{}
			}
			output[key].WriteString(e.Output)
		case "pass":
			if e.Test != "" {
				passed++
			} else {
				fmt.Println("ok  ", e.Package)
			}
			delete(output, key)
		case "skip":
			if e.Test != "" {
				skipped++
				fmt.Println("skip", key)
			}
		case "fail", "build-fail":
			if e.Test != "" {
				failed++
			} else {
				fmt.Println("FAIL", e.Package)
			}
			if text := output[key]; text != nil {
				fmt.Print(text.String())
			}
		}
	}
	fmt.Printf("%d passed, %d failed, %d skipped\n", passed, failed, skipped)
	if failed > 0 || passed == 0 {
		os.Exit(1)
	}
}
