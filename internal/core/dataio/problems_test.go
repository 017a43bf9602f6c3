package dataio_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
)

// read reads a text as one of the forms data come in.
func read(form, text string) (*array.Array, error) {
	switch form {
	case "json":
		return dataio.ReadJSON([]byte(text))
	case "mtx":
		return dataio.ReadMatrixMarket([]byte(text))
	}
	table, err := dataio.ReadTable([]byte(text))
	if err != nil {
		return nil, err
	}
	return table.Array(2, false)
}

// A JSON object by its members, and what is wrong with one.
func TestMembersOfAnObject(t *testing.T) {
	read := func(text string) (map[string]*array.Array, error) {
		out := map[string]*array.Array{}
		s := dataio.NewStream(strings.NewReader(text), 100)
		if err := s.Members(func(name string) (err error) { out[name], err = s.Array(); return err }); err != nil {
			return out, err
		}
		return out, s.End()
	}
	members, err := read("\ufeff {\"x\": [1, 2], \"y\\u0079\": {\"data\": [1]}} ")
	require.NoError(t, err)
	require.Len(t, members, 2)
	assert.Equal(t, []int64{1, 2}, members["x"].Ints())
	assert.Equal(t, []float64{1}, members["yy"].Reals())
	for text, want := range map[string]string{
		"":                           "this is not JSON: EOF",
		"[1]":                        "this is not a JSON object: it begins with [",
		"3":                          "this is not a JSON object: it begins with 3",
		"{\"x\": [1":                 "this is not JSON: unexpected EOF",
		"{\"x\": 1, \"x\": 2}":       "the key `x` occurs twice",
		"{\"x\": 1} {\"y\": 2}":      "text follows the JSON value",
		"{\"x\" 1}":                  "this is not JSON: '1' stands at byte 5, where `:` belongs",
		"{x: 1}":                     "this is not JSON: 'x' stands at byte 1, where a name in quotes belongs",
		"{\"x\": 1, \"y\": 2":        "this is not JSON: unexpected EOF",
		"{\"x\": {\"a\": }, \"x\":}": "this is not JSON: '}' stands at byte 12, where a value belongs",
		"{\"x\": \xff}":              "this is not JSON: the byte 0xff stands at byte 6, where a value belongs",
		"{\"\xff\": 1}":              "is not UTF-8",
		"{\"\\q\": 1}":               "a text that ends at byte 5",
	} {
		t.Run(text, func(t *testing.T) {
			_, err := read(text)
			if assert.Error(t, err, text) {
				assert.Contains(t, err.Error(), want, text)
			}
		})
	}
}

// What is wrong with a data file: the line and the cell, what was there, what to try.
func TestWhatIsWrongWithDataIsSaid(t *testing.T) {
	for _, c := range []struct {
		form, text    string
		line, cell    int
		message, hint string
	}{
		{"json", "", 0, 0, "this is not JSON: EOF", "an array is a nested list, `[[1, 2], [3, 4]]`, or an object with " +
			"kind, shape and data"},
		{"json", "[", 0, 0, "this is not JSON: unexpected EOF", "an array is a nested list, `[[1, 2], [3, 4]]`, or an " +
			"object with kind, shape and data"},
		{"json", "[1, 2", 0, 0, "this is not JSON: unexpected EOF", "an array is a nested list, `[[1, 2], [3, 4]]`, or an " +
			"object with kind, shape and data"},
		{"json", "[1, 2]]", 0, 0, "text follows the JSON value", "one file holds one value"},
		{"json", "1 2", 0, 0, "text follows the JSON value", "one file holds one value"},
		{"json", "nul", 0, 0, "this is not JSON: unexpected EOF", "an array is a nested list, `[[1, 2], [3, 4]]`, or an " +
			"object with kind, shape and data"},
		{"json", "null", 0, 0, "null is not a number", "elements are numbers, true, false, \"nan\", \"inf\" or \"-inf\""},
		{"json", "\"text\"", 0, 0, "\"text\" is not a number", "elements are numbers, true, false, \"nan\", \"inf\" or " +
			"\"-inf\""},
		{"json", "[1, \"two\"]", 0, 0, "\"two\" is not a number", "elements are numbers, true, false, \"nan\", \"inf\" or " +
			"\"-inf\""},
		{"json", "[[1, 2], [3]]", 0, 0, "the lists on level 2 are not equally long", "rows of an array have one length"},
		{"json", "[1, [2]]", 0, 0, "the lists on level 2 are not equally long", "rows of an array have one length"},
		{"json", "[[1], 2]", 0, 0, "the lists on level 2 are not equally long", "rows of an array have one length"},
		{"json", "[1, null]", 0, 0, "null is not a number", "elements are numbers, true, false, \"nan\", \"inf\" or " +
			"\"-inf\""},
		{"json", "[1, {}]", 0, 0, "{} is not a number", "elements are numbers, true, false, \"nan\", \"inf\" or \"-inf\""},
		{"json", "{\"a\": 1}", 0, 0, "an array has no key `a`", "an array has kind, shape, axes and data"},
		{"json", "{\"data\": [1], \"axis\": [\"a\"]}", 0, 0, "an array has no key `axis`", "did you mean `axes`?"},
		{"json", "{\"kind\": \"reel\", \"data\": [1]}", 0, 0, "the kind reel is unknown",
			"kinds are bool, int, real and complex"},
		{"json", "{\"kind\": 3, \"data\": [1]}", 0, 0, "the kind 3 is unknown", "kinds are bool, int, real and complex"},
		{"json", "{\"kind\": \"int\", \"data\": [1.5]}", 1, 1, "element 1 of `data`, 1.5, is not of kind int",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers are [re, im]"},
		{"json", "{\"kind\": \"int\", \"data\": [1e400]}", 1, 1, "element 1 of `data`, 1e400, is not of kind int",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers are [re, im]"},
		{"json", "{\"kind\": \"bool\", \"data\": [2]}", 1, 1, "element 1 of `data`, 2, is not of kind bool",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers are [re, im]"},
		{"json", "{\"kind\": \"complex\", \"data\": [[1]]}", 1, 1, "element 1 of `data`, [1], is not of kind complex",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers are [re, im]"},
		{"json", "{\"kind\": \"complex\", \"shape\": [1], \"data\": [[1, 2, 3]]}", 1, 1,
			"element 1 of `data`, [1,2,3], is not of kind complex",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers " +
				"are [re, im]"},
		{"json", "{\"kind\": \"complex\", \"shape\": [1], \"data\": [[1, \"x\"]]}", 1, 1,
			"element 1 of `data`, [1,\"x\"], is not of kind complex",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex " +
				"numbers are [re, im]"},
		{"json", "{\"data\": [1], \"kind\": \"real\", \"data\": [2]}", 0, 0, "the key `data` occurs twice",
			"keep one of them"},
		{"json", "{\"axes\": [\"my rope\"], \"data\": [1]}", 0, 0, "the label `my rope` cannot be written in the notation",
			"labels are names: letters, digits and _, a letter first, and no reserved word; null leaves an axis without"},
		{"json", "{\"axes\": [\"all\"], \"data\": [1]}", 0, 0, "the label `all` cannot be written in the notation",
			"labels are names: letters, digits and _, a letter first, and no reserved word; null leaves an axis without"},
		{"json", "{\"shape\": [2], \"data\": [1]}", 0, 0, "the shape [2] does not match the 1 elements of `data`",
			"the product of the lengths is the number of elements"},
		{"json", "{\"shape\": [-1], \"data\": []}", 0, 0, "the length -1 in the shape is not a whole number",
			"lengths are whole numbers, 0 or more"},
		{"json", "{\"shape\": [1.5], \"data\": [1]}", 0, 0, "the length 1.5 in the shape is not a whole number",
			"lengths are whole numbers, 0 or more"},
		{"json", "{\"shape\": \"2\", \"data\": [1]}", 0, 0, "the array's `shape` is not a list",
			"a shape is a list of lengths, `[2, 3]`"},
		{"json", "{\"data\": [1], \"axes\": [\"a\", \"b\"]}", 0, 0, "the array's `axes` does not name 1 axes",
			"give one label or null for each axis"},
		{"json", "{\"data\": [1], \"axes\": \"week\"}", 0, 0, "the array's `axes` does not name 1 axes",
			"give one label or null for each axis"},
		{"json", "{\"data\": [1], \"axes\": [3]}", 0, 0, "the label 3 is not text", "labels are text, or null"},
		{"json", "{\"axes\": [\"week\"]}", 0, 0, "the array's `data` is not a list",
			"data is flat, rows first: `\"data\": [1, 2, 3, 4]`"},
		{"json", "[1e999]", 0, 0, "1e999 is not a number", "elements are numbers, true, false, \"nan\", \"inf\" or \"-inf\""},
		{"json", "[01]", 0, 0, "this is not JSON: '1' stands at byte 2, where `,` or `]` belongs",
			"an array is a nested list, `[[1, 2], [3, 4]]`, or an object with kind, shape and data"},
		{"json", "[1,]", 0, 0, "this is not JSON: ']' stands at byte 3, where a value belongs",
			"an array is a nested list, `[[1, 2], [3, 4]]`, or an object with kind, shape and data"},
		{"json", "{\"kind\": \"int\", \"data\": [9223372036854775808]}", 1, 1,
			"element 1 of `data`, 9223372036854775808, is not of kind int",
			"non-finite reals are \"nan\", \"inf\", \"-inf\"; complex " +
				"numbers are [re, im]"},
		{"csv", "1,2\n3\n", 2, 1, "the table cannot be read: wrong number of fields",
			"every row needs as many cells as the first"},
		{"csv", "1,2\n3,x\n", 2, 2, "`x` is not a number", "cells are numbers, true, false, nan, inf or -inf; decimals " +
			"have " +
			"a point"},
		{"csv", "1,\n2,3\n", 1, 2, "the cell is empty", "fill it, or let the input say `missing: nan`"},
		{"csv", "1;2\n3;4\n", 1, 1, "the table is separated by semicolons", "save it with commas between the cells"},
		{"csv", "\"1,2\n3,4\n", 2, 5, "the table cannot be read: extraneous or missing \" in quoted-field",
			"quotes stand around a whole cell or not at all"},
		{"csv", "1,2,3\n4,5\n6\n", 2, 1, "the table cannot be read: wrong number of fields",
			"every row needs as many cells as the first"},
		{"csv", "a,b\nc,d\n", 2, 1, "`c` is not a number", "cells are numbers, true, false, nan, inf or -inf; decimals " +
			"have " +
			"a point"},
		{"csv", "1,0x10\n2,3\n", 1, 2, "`0x10` is not a number",
			"cells are numbers, true, false, nan, inf or -inf; decimals " +
				"have a point"},
		{"csv", "1,1_000\n2,3\n", 1, 2, "`1_000` is not a number",
			"cells are numbers, true, false, nan, inf or -inf; decimals have a point"},
		{"mtx", "", 1, 1, "this is not a Matrix Market file of a matrix",
			"the first line is like `%%MatrixMarket matrix coordinate real general`"},
		{"mtx", "%%MatrixMarket matrix array real general\n2 2\n1\n2\n3\n", 5, 1,
			"the file has 3 entries where 4 were announced", "one entry is on each line"},
		{"mtx", "%%MatrixMarket matrix array real general\n2 2\n1\n2\n3\n4\n5\n", 7, 1,
			"the file has 5 entries where 4 were announced", "one entry is on each line"},
		{"mtx", "%%MatrixMarket matrix array real general\n2\n1\n2\n", 2, 1, "the line of sizes is missing",
			"it holds rows and columns"},
		{"mtx", "%%MatrixMarket matrix array real general\n-2 2\n", 2, 1, "`-2` is not a size",
			"sizes are whole numbers, 0 or more"},
		{"mtx", "%%MatrixMarket matrix array real general\n2 2\n1\nx\n3\n4\n", 4, 1, "`x` is not a number",
			"decimals have a point"},
		{"mtx", "%%MatrixMarket matrix coordinate integer general\n2 2 1\n3 1 5\n", 3, 1, "`3` is not a position from 1 to 2",
			"positions in this format count from 1"},
		{"mtx", "%%MatrixMarket matrix coordinate integer general\n2 2 2\n1 1 5\n", 3, 1,
			"the file has 1 entries where 2 were announced", "one entry is on each line"},
		{"mtx", "%%MatrixMarket matrix coordinate integer general\n2 2 1\n1 1 1.5\n", 3, 3, "`1.5` is not an integer",
			"write the file as real, or fix the entry"},
		{"mtx", "%%MatrixMarket matrix coordinate real symmetric\n2 3 1\n2 1 5\n", 2, 1,
			"a symmetric matrix is square, and this is 2 × 3", "fix the sizes, or write general"},
		{"mtx", "%%MatrixMarket matrix array pattern general\n2 2\n", 1, 1, "values cannot be `pattern` here",
			"they are real, integer or complex, and in coordinate files also pattern"},
		{"mtx", "%%MatrixMarket tensor array real general\n2 2\n", 1, 1, "this is not a Matrix Market file of a matrix",
			"the first line is like `%%MatrixMarket matrix coordinate real general`"},
		{"mtx", "%%MatrixMarket matrix array reel general\n2 2\n", 1, 1, "values cannot be `reel` here",
			"they are real, integer or complex, and in coordinate files also pattern"},
		{"mtx", "MatrixMarket matrix array real general\n2 2\n", 1, 1, "this is not a Matrix Market file of a matrix",
			"the first line is like `%%MatrixMarket matrix coordinate real general`"},
		{"mtx", "%%MatrixMarket matrix array real\n2 2\n", 1, 1, "this is not a Matrix Market file of a matrix",
			"the first line is like `%%MatrixMarket matrix coordinate real general`"},
		{"mtx", "%%MatrixMarket matrix array real general\n99999999 99999999\n", 2, 1,
			"a matrix of 99999999 × 99999999 is too large", "data have at most 10000000 elements"},
		{"csv", "1;2\n", 1, 1, "the table is separated by semicolons", "save it with commas between the cells"},
		{"csv", "week;rope\n1;2\n", 1, 1, "the table is separated by semicolons", "save it with commas between the cells"},
		{"csv", "1\t2\n3\t4\n", 1, 1, "the table is separated by tabs", "save it with commas between the cells"},
		{"csv", "week;rope\n1;2,5\n", 2, 2, "`2,5` has a decimal comma, and the table is separated by semicolons",
			"save it with decimal points, and commas between the cells"},
		{"csv", "1,\"2,5\"\n", 1, 2, "`2,5` has a decimal comma", "write decimals with a point"},
		{"csv", "1,2\n3,4;5\n", 2, 2, "`4;5` is not a number", "cells are separated by commas"},
		{"csv", "", 1, 1, "the file is empty, and a table of numbers was expected",
			"give it rows; an array without elements is written `{shape: [0, 3]}` in exercise.yaml"},
		{"csv", " \n\n", 1, 1, "the file is empty, and a table of numbers was expected",
			"give it rows; an array without elements is written `{shape: [0, 3]}` in exercise.yaml"},
	} {
		t.Run(c.form, func(t *testing.T) {
			_, err := read(c.form, c.text)
			var p *dataio.Problem
			require.ErrorAs(t, err, &p, c.text)
			assert.Equal(t, dataio.Problem{Line: c.line, Column: c.cell, Message: c.message, Hint: c.hint}, *p, c.text)
			assert.Contains(t, err.Error(), c.message)
		})
	}
}

func TestWhatDataMayLookLike(t *testing.T) {
	for _, c := range []struct {
		form, text string
		kind       array.Kind
		shape      []int
	}{
		{"json", "[1, \"nan\", \"inf\", \"-inf\"]", array.Real, []int{4}},
		{"json", "{\"kind\": \"real\", \"data\": [true]}", array.Real, []int{1}},
		{"json", "{\"shape\": [2, 2], \"data\": [1, 2, 3, 4]}", array.Real, []int{2, 2}},
		{"json", "{\"shape\": [0, 3], \"data\": []}", array.Real, []int{0, 3}},
		{"json", "[9223372036854775807]", array.Int, []int{1}},
		{"json", "[9223372036854775808]", array.Real, []int{1}},
		{"json", "[-0]", array.Int, []int{1}},
		{"json", "[true, false, 1]", array.Int, []int{3}},
		{"csv", "a,b\n1,2\n", array.Int, []int{1, 2}},
		{"csv", "a,b\n", array.Real, []int{0, 2}},
		{"csv", "1,2\n\n3,4\n", array.Int, []int{2, 2}},
		{"csv", "1,nan\ninf,-inf\n", array.Real, []int{2, 2}},
		{"csv", "true,false\nfalse,true\n", array.Bool, []int{2, 2}},
		{"csv", "true,2\nfalse,true\n", array.Int, []int{2, 2}},
		{"csv", "1 ,2\n 3,4\n", array.Int, []int{2, 2}},
		{"csv", "1+2i,2\n3,4\n", array.Complex, []int{2, 2}},
		{"mtx", "%%MatrixMarket matrix array real general\n2 2\n1\n2\n3\n4\n", array.Real, []int{2, 2}},
		{"mtx", "%%MatrixMarket matrix coordinate integer general\n2 2 1\n1 1 5\n", array.Int, []int{2, 2}},
		{"mtx", "%%MatrixMarket matrix coordinate real symmetric\n2 2 1\n2 1 5\n", array.Real, []int{2, 2}},
		{"mtx", "%%MatrixMarket matrix coordinate pattern general\n2 2 1\n1 2\n", array.Bool, []int{2, 2}},
		{"mtx", "%%MatrixMarket matrix coordinate complex hermitian\n2 2 1\n2 1 5 1\n", array.Complex, []int{2, 2}},
	} {
		t.Run(c.form, func(t *testing.T) {
			a, err := read(c.form, c.text)
			require.NoError(t, err, c.text)
			assert.Equal(t, c.kind, a.Kind(), c.text)
			assert.Equal(t, c.shape, a.Shape(), c.text)
		})
	}
}
