package check

import (
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"
	"unicode"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
)

// Wanted says what arrays are read for: the cases, and by name what is known of each array that is wanted.
type Wanted struct {
	Cases  []string
	Arrays map[string]Axes
}

// Axes are an array's axes; Rank is -1 where they are not known.
type Axes struct {
	Rank   int
	Labels []string
}

// Wants says what arrays of an exercise are read for.
func (p *Prepared) Wants() Wanted {
	w := Wanted{Arrays: map[string]Axes{}}
	for i := range p.Cases {
		c := &p.Cases[i]
		if !openCase(c) {
			continue
		}
		w.Cases = append(w.Cases, c.Name)
		for _, list := range []map[string]*array.Array{c.Expected, c.Steps} {
			for name, a := range list {
				w.Arrays[name] = Axes{a.Rank(), a.Labels()}
			}
		}
	}
	return w
}

// Bounds on arrays that are handed in: their files, the bytes of all, and the numbers; and on one file of text.
const (
	MaxFiles       = 500
	MaxResultBytes = 64 << 20   // of all files
	MaxResultCells = 10_000_000 // of all arrays
)

// IsArrayFile reports whether a file is one of arrays, by its name.
func IsArrayFile(name string) bool {
	return slices.Contains([]string{".json", ".csv", ".mtx", ".nc", ".cdf"}, strings.ToLower(path.Ext(name)))
}

// ReadFolder reads the files of arrays below a folder, and names what else is there. Names that begin with a dot are
// passed over.
func ReadFolder(fsys fs.FS) ([]File, error) {
	var out []File
	bytes := int64(0)
	err := fs.WalkDir(fsys, ".", func(name string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case strings.HasPrefix(path.Base(name), ".") && name != "." && d.IsDir():
			return fs.SkipDir
		case d.IsDir() || strings.HasPrefix(path.Base(name), "."):
			return nil
		case len(out) >= MaxFiles:
			return fmt.Errorf("there are more than %d files", MaxFiles)
		case !IsArrayFile(name):
			out = append(out, File{Name: name})
			return nil
		}
		info, err := fs.Stat(fsys, name)
		if err != nil {
			return err
		}
		if bytes += info.Size(); bytes > MaxResultBytes {
			return fmt.Errorf("%s: all files have more than %d bytes, which is what is read", name, MaxResultBytes)
		}
		body, err := fs.ReadFile(fsys, name)
		if err != nil {
			return err
		}
		out = append(out, File{name, body})
		return nil
	})
	return out, err
}

// ReadArrays reads files of arrays: `CASE/ARRAY.json`, .csv or .mtx, or netCDF files of any name, in a case's folder or
// with variables that are called `CASE.ARRAY`. Where there is one case, its arrays may lie beside each other without a
// folder. What cannot be read comes back as a list of what is wrong with which file.
func ReadArrays(files []File, w Wanted) (Results, []string) {
	r := &arrayReader{wanted: w, out: Results{}}
	for _, f := range files {
		r.file(f)
	}
	if len(r.out) == 0 && len(r.wrong) == 0 {
		there := "nothing is there"
		if len(r.others) > 0 {
			there = "there is " + strings.Join(r.others[:min(len(r.others), 5)], ", ")
		}
		r.wrong = append(r.wrong,
			"no array was found: "+there+"; name each file after its output: OUTPUT.json, .csv or .mtx, "+
				"in a folder for each case where there are several, or write one netCDF file")
	}
	return r.out, r.wrong
}

// arrayReader reads files of arrays into results.
type arrayReader struct {
	wanted Wanted
	out    Results
	wrong  []string
	others []string // files that hold no arrays
	cells  int
}

func (r *arrayReader) fail(name, format string, args ...any) {
	r.wrong = append(r.wrong, name+": "+fmt.Sprintf(format, args...))
}

func (r *arrayReader) file(f File) {
	if !IsArrayFile(f.Name) && !dataio.IsNetCDF(f.Body) {
		r.others = append(r.others, f.Name)
		return
	}
	ext := strings.ToLower(path.Ext(f.Name))
	dir, base := path.Split(f.Name)
	folder := path.Base(strings.Trim(dir, "/"))
	if folder == "." {
		folder = ""
	}
	if ext == ".nc" || ext == ".cdf" || dataio.IsNetCDF(f.Body) {
		r.netCDF(f.Name, folder, f.Body)
		return
	}
	caseName, output := r.place(folder, strings.TrimSuffix(base, path.Ext(base)))
	if caseName == "" {
		r.fail(f.Name, "there are %d cases, so each needs a folder of its own: `%s/%s`", len(r.wanted.Cases),
			r.wanted.Cases[0], base)
		return
	}
	axes, asked := r.wanted.Arrays[output]
	if !asked {
		axes.Rank = -1
	}
	a, err := readArray(ext, f.Body, axes)
	if err != nil {
		r.fail(f.Name, "%v", err)
		return
	}
	r.keep(f.Name, caseName, output, a)
}

// place says of which case an array is, and its name there; "" where no case can be told.
func (r *arrayReader) place(folder, name string) (caseName, array string) {
	if folder != "" {
		if c := r.caseCalled(folder); c != "" {
			return c, name
		}
	}
	if at := strings.LastIndex(name, "."); at > 0 {
		if c := r.caseCalled(name[:at]); c != "" {
			return c, name[at+1:]
		}
	}
	for _, c := range r.wanted.Cases { // own_1_per_rope, where a tool's names allow nothing else
		if rest, is := strings.CutPrefix(name, plainName(c)+"_"); is && rest != "" && len(r.wanted.Cases) > 1 {
			return c, rest
		}
	}
	switch {
	case folder != "":
		return folder, name
	case len(r.wanted.Cases) == 1:
		return r.wanted.Cases[0], name
	}
	return "", name
}

// caseCalled is the case that a name stands for; "" for none.
func (r *arrayReader) caseCalled(name string) string {
	for _, c := range r.wanted.Cases {
		if name == c || name == plainName(c) {
			return c
		}
	}
	return ""
}

// plainName is a name with all that is no letter or digit as _.
func plainName(name string) string {
	return strings.Map(func(c rune) rune {
		if unicode.IsLetter(c) || unicode.IsDigit(c) {
			return c
		}
		return '_'
	}, name)
}

func (r *arrayReader) netCDF(name, folder string, raw []byte) {
	f, err := dataio.ReadNetCDF(raw)
	if err != nil {
		r.fail(name, "%v", err)
		return
	}
	for _, variable := range f.Names() {
		caseName, output := r.place(folder, variable)
		if _, asked := r.wanted.Arrays[output]; !asked && f.IsCoordinate(variable) {
			continue
		}
		if caseName == "" {
			r.fail(name, "there are %d cases, so call the variable `%s.%s`", len(r.wanted.Cases), r.wanted.Cases[0], variable)
			continue
		}
		a, err := f.Array(variable, true)
		if err != nil {
			r.fail(name, "%v", err)
			continue
		}
		r.keep(name, caseName, output, a)
	}
}

func (r *arrayReader) keep(name, caseName, output string, a *array.Array) {
	if r.cells += a.Size(); r.cells > MaxResultCells {
		r.fail(name, "all arrays have more than %d numbers, which is what is taken", MaxResultCells)
		return
	}
	if r.out[caseName] == nil {
		r.out[caseName] = map[string]*array.Array{}
	}
	if r.out[caseName][output] != nil {
		r.fail(name, "`%s` of the case `%s` is in two files", output, caseName)
		return
	}
	r.out[caseName][output] = a
}

// readArray reads a file of text for an array of which something may be known.
func readArray(ext string, raw []byte, axes Axes) (*array.Array, error) {
	switch ext {
	case ".json":
		return dataio.ReadJSON(raw)
	case ".mtx":
		a, err := dataio.ReadMatrixMarket(raw)
		if err == nil && axes.Rank == 1 && (a.Len(0) == 1 || a.Len(1) == 1) {
			return dataio.Vector(a)
		}
		return a, err
	}
	t, err := dataio.ReadTable(raw)
	if err != nil {
		return nil, err
	}
	if t.IsLong(axes.Labels, "") {
		return t.Long(axes.Labels, "", true)
	}
	if err := t.Misspelt(axes.Labels); err != nil {
		return nil, err
	}
	one := len(t.Rows) == 1 || (len(t.Rows) > 0 && len(t.Rows[0]) == 1)
	switch {
	case axes.Rank == 0 && len(t.Rows) == 1 && len(t.Rows[0]) == 1:
		a, err := t.Array(1, true)
		if err != nil {
			return nil, err
		}
		return a.Reshape(nil), nil
	case axes.Rank == 1 && one:
		return t.Array(1, true)
	}
	return t.Array(2, true)
}
