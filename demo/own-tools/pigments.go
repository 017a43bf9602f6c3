//go:build ignore

// Pigments mixes pigments in plain Go, with loops and nothing else.
//
//	go build -o pigments pigments.go
//	nimbus run pigment-mix --source pigments.go -- ./pigments
//
// Data come as $NIMBUS_IN/CASE/recipe.csv, price.csv and jars.csv; results go to $NIMBUS_OUT/CASE.
package main

import (
	"encoding/csv"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strconv"
)

func main() {
	folders, err := filepath.Glob(filepath.Join(os.Getenv("NIMBUS_IN"), "*", ""))
	if err != nil {
		log.Fatal(err)
	}
	for _, in := range folders {
		if info, err := os.Stat(in); err == nil && info.IsDir() {
			mix(in, filepath.Join(os.Getenv("NIMBUS_OUT"), filepath.Base(in)))
		}
	}
}

// mix computes one case: recipe is shade by pigment, price a column of pigments, jars customer by shade.
func mix(in, out string) {
	recipe, price, jars := read(in, "recipe"), read(in, "price"), read(in, "jars")
	jarPrice := make([]float64, len(recipe))
	for s, row := range recipe {
		for p, grams := range row {
			jarPrice[s] += grams * price[p][0]
		}
	}
	needed := make([]float64, len(price))
	bill := make([]float64, len(jars))
	for c, row := range jars {
		for s, count := range row {
			bill[c] += count * jarPrice[s]
			for p, grams := range recipe[s] {
				needed[p] += count * grams
			}
		}
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		log.Fatal(err)
	}
	write(out, "jar_price", jarPrice)
	write(out, "needed", needed)
	write(out, "bill", bill)
}

func read(folder, name string) [][]float64 {
	f, err := os.Open(filepath.Join(folder, name+".csv"))
	if err != nil {
		log.Fatal(err)
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		log.Fatal(err)
	}
	out := make([][]float64, len(rows))
	for i, row := range rows {
		for _, cell := range row {
			v, err := strconv.ParseFloat(cell, 64)
			if err != nil {
				log.Fatal(err)
			}
			out[i] = append(out[i], v)
		}
	}
	return out
}

func write(folder, name string, column []float64) {
	f, err := os.Create(filepath.Join(folder, name+".csv"))
	if err != nil {
		log.Fatal(err)
	}
	defer f.Close()
	for _, v := range column {
		fmt.Fprintln(f, strconv.FormatFloat(v, 'g', -1, 64))
	}
}
