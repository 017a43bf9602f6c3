package check

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
)

// Formats are those in which data are given and arrays are taken, the first as long as nobody says another.
var Formats = []string{"csv", "json", "nc", "mtx"}

// File is one file of data.
type File struct {
	Name string // below the folder, with / between
	Body []byte
}

// DataFile is the one file of netCDF data, and ReadmeFile the text beside or, in netCDF, inside the data.
const (
	DataFile   = "data.nc"
	ReadmeFile = "README.txt"
	readmeAttr = "readme"
)

// Files writes the inputs of the open cases: a folder for each case with a file for each input, or one netCDF file, and
// a README that says what is what and what is wanted. about is its first line.
func (p *Prepared) Files(format, about string) ([]File, error) {
	if err := known(format); err != nil {
		return nil, err
	}
	readme := p.readme(format, about)
	cases := p.casesOf(openCase)
	if format == "nc" {
		var list []dataio.Variable
		for _, c := range cases {
			for _, in := range p.Exercise.Inputs {
				list = append(list, dataio.Variable{Name: variableName(c.Name, in.Name, len(cases)), Unit: in.Unit,
					About: in.About, Array: c.Inputs[in.Name]})
			}
		}
		var b bytes.Buffer
		if err := dataio.WriteNetCDF(&b, list, dataio.Text{Name: "title", Value: p.Exercise.Title},
			dataio.Text{Name: readmeAttr, Value: readme}); err != nil {
			return nil, err
		}
		return []File{{DataFile, b.Bytes()}}, nil
	}
	out := []File{{ReadmeFile, []byte(readme)}}
	for _, c := range cases {
		for _, in := range p.Exercise.Inputs {
			body, err := write(format, in.Name, c.Inputs[in.Name], p.Exercise.Counting)
			if err != nil {
				return nil, fmt.Errorf("`%s` cannot be written as %s: %w", in.Name, format, err)
			}
			out = append(out, File{c.Name + "/" + in.Name + "." + format, body})
		}
	}
	return out, nil
}

// Files writes both sides of an output and what lies between them, each where there is one: a file each and a
// README, or one netCDF file. about is the README's first line.
func (s *Sides) Files(format, about string, counting int) ([]File, error) {
	if err := known(format); err != nil {
		return nil, err
	}
	sides := []dataio.Variable{{Name: "expected", Array: s.Expected}, {Name: "got", Array: s.Actual},
		{Name: "difference", Array: s.Difference}, {Name: "agrees", Array: s.Within}}
	sides = slices.DeleteFunc(sides, func(v dataio.Variable) bool { return v.Array == nil })
	readme := about + "\n\n"
	if s.Actual == nil {
		readme += fmt.Sprintf("`%s` was not bound in this case, so there is nothing beside what was expected.\n\n", s.Of.Name)
	}
	for i := range sides {
		if v := &sides[i]; v.Name != "agrees" {
			v.Unit = s.Of.Unit
		}
		sides[i].About = map[string]string{"got": "what the attempt made", "difference": "got less expected",
			"agrees": "where got agrees with expected within the tolerance"}[sides[i].Name]
		readme += fmt.Sprintf("  %-12s %s, %s%s\n", sides[i].Name, shapeLine(sides[i].Array), sides[i].Array.Kind(),
			told(sides[i].Unit, sides[i].About))
	}
	readme += fmt.Sprintf("\nPositions count from %d.\n", counting)
	if format == "nc" {
		var b bytes.Buffer
		err := dataio.WriteNetCDF(&b, sides, dataio.Text{Name: "title", Value: about},
			dataio.Text{Name: readmeAttr, Value: readme})
		return []File{{DataFile, b.Bytes()}}, err
	}
	out := []File{{ReadmeFile, []byte(readme)}}
	for _, v := range sides {
		body, err := write(format, v.Name, v.Array, counting)
		if err != nil {
			return nil, fmt.Errorf("`%s` cannot be written as %s: %w", v.Name, format, err)
		}
		out = append(out, File{v.Name + "." + format, body})
	}
	return out, nil
}

func known(format string) error {
	if !slices.Contains(Formats, format) {
		return fmt.Errorf("`%s` is not a format; there are %s", format, strings.Join(Formats, ", "))
	}
	return nil
}

// variableName is what an array of a case is called in one file.
func variableName(caseName, name string, cases int) string {
	if cases == 1 {
		return name
	}
	return caseName + "." + name
}

func write(format, name string, a *array.Array, counting int) ([]byte, error) {
	switch format {
	case "csv":
		return dataio.WriteCSV(a, name, counting)
	case "mtx":
		return dataio.WriteMatrixMarket(a)
	}
	return json.Marshal(dataio.JSON{Array: a})
}

// ReadmeOf is the README that a netCDF file of data carries; "" for none.
func ReadmeOf(raw []byte) string {
	f, err := dataio.ReadNetCDF(raw)
	if err != nil {
		return ""
	}
	return f.Text(readmeAttr)
}

// readme says what is in the files, what is wanted, and how an array lies in a file of the format.
func (p *Prepared) readme(format, about string) string {
	e := p.Exercise
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n%s\n\nPositions count from %d.\n\nGiven\n", e.Title, about, e.Counting)
	cases := p.casesOf(openCase)
	for _, c := range cases {
		for _, in := range e.Inputs {
			a := c.Inputs[in.Name]
			fmt.Fprintf(&b, "  %-24s %s, %s%s\n", p.fileOf(format, c.Name, in.Name, len(cases)), shapeLine(a), a.Kind(),
				told(in.Unit, in.About))
		}
	}
	b.WriteString("\nWanted\n")
	for _, c := range cases {
		for i := range e.Outputs {
			o := &e.Outputs[i]
			fmt.Fprintf(&b, "  %-24s %s, %s%s\n", p.fileOf(format, c.Name, o.Name, len(cases)), axesLine(o.HasAxes, o.Axes),
				c.Expected[o.Name].Kind(), told(o.Unit, ""))
		}
		for _, s := range e.Steps {
			fmt.Fprintf(&b, "  %-24s a step, worth points of its own\n", p.fileOf(format, c.Name, s.Name, len(cases)))
		}
	}
	b.WriteString("\n" + layouts[format] + "\n")
	b.WriteString("Any of these formats is taken back, whichever the data came in: .csv, .json, .mtx, .nc.\n")
	return b.String()
}

// fileOf is where an array of a case is, or is to be.
func (p *Prepared) fileOf(format, caseName, name string, cases int) string {
	if format == "nc" {
		return variableName(caseName, name, cases)
	}
	return caseName + "/" + name + "." + format
}

func shapeLine(a *array.Array) string {
	if a.Rank() == 0 {
		return "a single number"
	}
	parts := make([]string, a.Rank())
	for i := range parts {
		parts[i] = strings.TrimSpace(a.Label(i) + " " + fmt.Sprint(a.Len(i)))
	}
	return strings.Join(parts, " | ")
}

func axesLine(has bool, axes []string) string {
	if !has {
		return "axes as the task says"
	}
	if len(axes) == 0 {
		return "a single number"
	}
	parts := make([]string, len(axes))
	for i, label := range axes {
		if parts[i] = label; label == "" {
			parts[i] = "_"
		}
	}
	return strings.Join(parts, " | ")
}

func told(unit, about string) string {
	out := ""
	if unit != "" {
		out += ", in " + unit
	}
	if about != "" {
		out += ": " + about
	}
	return out
}

// layouts say how an array lies in a file of each format.
var layouts = map[string]string{
	"csv": `How a CSV file holds an array
  A single number is one cell; one axis is one column; two axes are rows and columns, the first axis down. There is no
  header. More axes make a long table: a header with the axes' names and one value column, then a line for each
  element.`,
	"json": `How a JSON file holds an array
  {"kind": "real", "shape": [2, 3], "axes": ["week", "rope"], "data": [1, 2, 3, 4, 5, 6]}, with data flat, the last axis
  running fastest. A nested list, [[1, 2, 3], [4, 5, 6]], is read too.`,
	"mtx": `How a Matrix Market file holds an array
  The array format: the first line names the kind, the second has rows and columns, then come the values, one on a
  line, columns first. One axis is one column.`,
	"nc": `How a netCDF file holds an array
  One variable for each array, CASE.NAME where there are several cases; its dimensions are the axes, in order. Where a
  dimension had to be called otherwise, the attribute axis_labels has the true names. Complex numbers have a last
  dimension called complex, of length 2. Results may be several files, too.`,
}

// Open lists the exercise's open cases.
func (p *Prepared) Open() []exercise.Case {
	var out []exercise.Case
	for _, c := range p.casesOf(openCase) {
		out = append(out, *c.Case)
	}
	return out
}
