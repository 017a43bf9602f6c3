package check

import (
	"context"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/guard"
	"nimbusreach/internal/core/notation"
)

// Results are arrays computed elsewhere: for each shown case, by output.
type Results map[string]map[string]*array.Array

// of finds the arrays for a case, by its own name or that of its group.
func (r Results) of(c *PreparedCase) map[string]*array.Array {
	if given := r[c.Name]; given != nil {
		return given
	}
	return r[c.Group]
}

// Arrays checks an attempt of arrays, on the shown cases; the exercise's rules are
// not checked. A fault of ours comes back as an error that holds a *guard.Fault.
func Arrays(ctx context.Context, p *Prepared, results Results) (v *Verdict, err error) {
	err = guard.Call("checking arrays", func() error {
		v, err = arrays(ctx, p, results)
		return err
	})
	if err != nil {
		return nil, err
	}
	return v, nil
}

func arrays(ctx context.Context, p *Prepared, results Results) (*Verdict, error) {
	v := newVerdict(p, "results")
	t := newAttempt(p, nil, v)
	cases := 0
	for i := range p.Cases {
		c := &p.Cases[i]
		if !c.Shown || c.Error != nil {
			continue
		}
		cases++
		line := CaseLine{Name: c.Name, Verdict: Agrees}
		result := evaluate.Given(results.of(c))
		if err := t.items(ctx, c, result, &line); err != nil {
			return nil, err
		}
		if line.Notices = result.Notices; line.Notices == nil {
			line.Notices = []*notation.Diagnostic{}
		}
		v.Cases = append(v.Cases, line)
	}
	t.finish(cases)
	if v.Verdict == Differs {
		err := guard.Call("searching for causes of arrays", func() error { t.arrayCauses(ctx, results.of); return nil })
		if err != nil {
			v.Causes, v.Fault = []Cause{}, guard.As(err)
		}
	}
	return v, nil
}

// ReadResults reads a folder of arrays for an exercise.
func ReadResults(fsys fs.FS, p *Prepared) (Results, []string) {
	var shown []string
	for _, c := range p.Cases {
		if c.Shown && c.Error == nil {
			shown = append(shown, c.Name)
		}
	}
	return ReadArrays(fsys, shown, func(name string) (int, []string, bool) {
		for _, c := range p.Cases {
			if v := c.Values[name]; v != nil && c.Shown {
				return v.Rank(), v.Labels(), true
			}
		}
		return -1, nil, false
	})
}

// ReadArrays reads a folder of arrays: `CASE/OUTPUT.json`, .csv or .mtx, or
// `OUTPUT.json` beside each other where one case is shown. wanted reports a name how
// many axes it has, -1 when that is not known, and their labels. What cannot be read
// comes back as a list of what is wrong with which file.
func ReadArrays(fsys fs.FS, shown []string, wanted func(name string) (rank int, labels []string, ok bool)) (Results,
	[]string) {
	out := Results{}
	var wrong []string
	var others []string
	files := 0
	err := fs.WalkDir(fsys, ".", func(name string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() || strings.HasPrefix(path.Base(name), ".") {
			return nil
		}
		if files++; files > 500 {
			return fmt.Errorf("there are more than 500 files")
		}
		dir, base := path.Split(name)
		output := strings.TrimSuffix(base, path.Ext(base))
		rank, labels, ok := wanted(output)
		if !ok {
			others = append(others, name)
			return nil
		}
		cases := shown
		if dir = strings.Trim(dir, "/"); dir != "" {
			cases = []string{path.Base(dir)}
			if !slices.Contains(shown, cases[0]) {
				wrong = append(wrong, fmt.Sprintf("%s: `%s` is not a shown case; they are %s", name, cases[0], strings.Join(shown,
					", ")))
				return nil
			}
		} else if len(shown) > 1 {
			wrong = append(wrong, fmt.Sprintf("%s: %d cases are shown, so each needs a folder of its own: `%s/%s`", name,
				len(shown), shown[0], base))
			return nil
		}
		a, err := readArray(fsys, name, rank, labels)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%s: %v", name, err))
			return nil
		}
		for _, c := range cases {
			if out[c] == nil {
				out[c] = map[string]*array.Array{}
			}
			out[c][output] = a
		}
		return nil
	})
	if err != nil {
		wrong = append(wrong, err.Error())
	}
	if len(out) == 0 && len(wrong) == 0 {
		there := "nothing is there"
		if len(others) > 0 {
			there = "there is " + strings.Join(others[:min(len(others), 5)], ", ")
		}
		wrong = append(wrong, "no array was found: "+there+"; name each file after its output: OUTPUT.json, .csv or .mtx, "+
			"in a folder for each case where several are shown")
	}
	return out, wrong
}

// maxResultBytes bounds one array handed in.
const maxResultBytes = 8 << 20

func readArray(fsys fs.FS, name string, rank int, labels []string) (*array.Array, error) {
	info, err := fs.Stat(fsys, name)
	if err != nil {
		return nil, err
	}
	if info.Size() > maxResultBytes {
		return nil, fmt.Errorf("the file has %d bytes; at most %d are read", info.Size(), maxResultBytes)
	}
	raw, err := fs.ReadFile(fsys, name)
	if err != nil {
		return nil, err
	}
	switch path.Ext(name) {
	case ".json":
		return dataio.ReadJSON(raw)
	case ".mtx":
		a, err := dataio.ReadMatrixMarket(raw)
		if err == nil && rank == 1 && (a.Len(0) == 1 || a.Len(1) == 1) {
			return dataio.Vector(a)
		}
		return a, err
	case ".csv":
		t, err := dataio.ReadTable(raw)
		if err != nil {
			return nil, err
		}
		if t.IsLong(labels, "") {
			return t.Long(labels, "", true)
		}
		one := len(t.Rows) == 1 || (len(t.Rows) > 0 && len(t.Rows[0]) == 1)
		switch {
		case rank == 0 && len(t.Rows) == 1 && len(t.Rows[0]) == 1:
			a, err := t.Array(1, true)
			if err != nil {
				return nil, err
			}
			return a.Reshape(nil), nil
		case rank == 1 && one:
			return t.Array(1, true)
		}
		return t.Array(2, true)
	}
	return nil, fmt.Errorf("the file is not one of .json, .csv and .mtx")
}
