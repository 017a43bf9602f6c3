package teaching

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"nimbusreach/internal/service/store"
)

// Export writes a gradebook as csv, xlsx or oneroster.
func (b *Book) Export(format string, c *store.Course, takes string) ([]byte, error) {
	switch format {
	case "csv":
		return b.csv()
	case "xlsx":
		return b.workbook(c, takes)
	}
	return b.oneRoster(c)
}

// Harmless keeps a spreadsheet from running a cell as a formula.
func Harmless(cell string) string {
	if cell != "" && strings.ContainsAny(cell[:1], "=+-@\t\r") {
		return "'" + cell
	}
	return cell
}

func shown(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

// head are the columns before and behind those of the exercises.
var head, foot = []string{"name", "display", "number", "group"}, []string{"points", "possible", "percent"}

// cells are a row's texts before the exercises.
func (r *Row) cells() []string {
	number := ""
	if r.Member.Number != nil {
		number = *r.Member.Number
	}
	return []string{r.Member.Name, r.Member.Display, number, r.Member.GroupName}
}

// csv writes the whole gradebook as RFC 4180 has it. Excused exercises are empty.
func (b *Book) csv() ([]byte, error) {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.UseCRLF = true
	line := append([]string{}, head...)
	for _, e := range b.Exercises {
		line = append(line, e.Name)
	}
	_ = w.Write(append(line, foot...))
	for i := range b.Rows {
		r := &b.Rows[i]
		line = line[:0]
		for _, c := range r.cells() {
			line = append(line, Harmless(c))
		}
		for j := range r.Grades {
			if r.Grades[j].Excused {
				line = append(line, "")
				continue
			}
			line = append(line, shown(Shown(r.Grades[j].Points)))
		}
		x := r.wire()
		percent := ""
		if x.Percent != nil {
			percent = shown(*x.Percent)
		}
		_ = w.Write(append(line, shown(x.Points), shown(x.Possible), percent))
	}
	w.Flush()
	return out.Bytes(), w.Error()
}

// workbook writes the gradebook as a workbook of one sheet, its numbers as numbers.
func (b *Book) workbook(c *store.Course, takes string) ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	const sheet = "Grades"
	if err := f.SetSheetName("Sheet1", sheet); err != nil {
		return nil, err
	}
	w, err := f.NewStreamWriter(sheet)
	if err != nil {
		return nil, err
	}
	line := []any{}
	for _, h := range head {
		line = append(line, h)
	}
	for _, e := range b.Exercises {
		line = append(line, e.Title)
	}
	for _, h := range foot {
		line = append(line, h)
	}
	if err := w.SetPanes(&excelize.Panes{Freeze: true, XSplit: 2, YSplit: 1, TopLeftCell: "C2",
		ActivePane: "bottomRight"}); err != nil {
		return nil, err
	}
	if err := w.SetRow("A1", line); err != nil {
		return nil, err
	}
	for i := range b.Rows {
		r := &b.Rows[i]
		line = line[:0]
		for _, text := range r.cells() {
			line = append(line, text) // as text: a workbook runs no cell that is not said to be a formula
		}
		for j := range r.Grades {
			if r.Grades[j].Excused {
				line = append(line, nil)
				continue
			}
			line = append(line, Shown(r.Grades[j].Points))
		}
		x := r.wire()
		line = append(line, x.Points, x.Possible)
		if x.Percent != nil {
			line = append(line, *x.Percent)
		}
		if err := w.SetRow(fmt.Sprintf("A%d", i+2), line); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	if err := f.SetDocProps(&excelize.DocProperties{Title: c.Title, Description: "the " + takes +
		" attempt counts"}); err !=
		nil {
		return nil, err
	}
	var out bytes.Buffer
	err = f.Write(&out)
	return out.Bytes(), err
}

// oneRoster writes line items and results as 1EdTech OneRoster 1.2 has them, in its CSV binding. Who tried nothing and
// has no adjustment has no result.
func (b *Book) oneRoster(c *store.Course) ([]byte, error) {
	stamp := time.Now().UTC().Format("2006-01-02T15:04:05.000Z")
	items := [][]string{{"sourcedId", "status", "dateLastModified", "title", "description", "assignDate", "dueDate",
		"classSourcedId", "categorySourcedId", "gradingPeriodSourcedId", "resultValueMin", "resultValueMax",
		"schoolSourcedId"}}
	results := [][]string{{"sourcedId", "status", "dateLastModified", "lineItemSourcedId", "studentSourcedId",
		"scoreStatus", "score", "textScore", "scoreDate", "comment"}}
	for i, e := range b.Exercises {
		id := c.Slug + "-" + e.Name
		date := func(t *time.Time) string {
			if t == nil {
				return ""
			}
			return t.UTC().Format(time.DateOnly)
		}
		items = append(items, []string{id, "active", stamp, Harmless(e.Title), "", date(e.Opens), date(e.Closes), c.Slug,
			"exercises", "", "0", shown(e.Possible()), ""})
		for j := range b.Rows {
			r, g := &b.Rows[j], &b.Rows[j].Grades[i]
			status, score := "fully graded", shown(Shown(g.Points))
			switch {
			case g.Excused:
				status, score = "exempt", ""
			case g.Attempt == nil && g.Adjusted == nil:
				continue
			}
			student := r.Member.Name
			if r.Member.Number != nil {
				student = *r.Member.Number
			}
			comment := ""
			if g.Adjusted != nil {
				comment = Harmless(g.Adjusted.Reason)
			}
			results = append(results, []string{id + "-" + r.Member.Name, "active", stamp, id, Harmless(student), status, score,
				"", stamp[:10], comment})
		}
	}
	files := map[string][][]string{
		"manifest.csv": {{"propertyName", "value"}, {"manifest.version", "1.0"}, {"oneroster.version", "1.2"},
			{"file.categories", "bulk"}, {"file.lineItems", "bulk"}, {"file.results", "bulk"}},
		"categories.csv": {{"sourcedId", "status", "dateLastModified", "title", "weight"},
			{"exercises", "active", stamp, "Exercises", "1"}},
		"lineItems.csv": items, "results.csv": results,
	}
	var out bytes.Buffer
	archive := zip.NewWriter(&out)
	for _, name := range []string{"manifest.csv", "categories.csv", "lineItems.csv", "results.csv"} {
		f, err := archive.Create(name)
		if err != nil {
			return nil, err
		}
		w := csv.NewWriter(f)
		w.UseCRLF = true
		if err := w.WriteAll(files[name]); err != nil {
			return nil, err
		}
	}
	err := archive.Close()
	return out.Bytes(), err
}
