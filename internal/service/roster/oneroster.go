package roster

import (
	"archive/zip"
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"nimbusreach/client/wire"
)

// Bounds on an archive.
const (
	maxArchiveFiles = 200
	maxUnpacked     = 64 << 20 // bytes of one file
)

// needed are the files of a OneRoster archive that are read: 1EdTech OneRoster 1.2, CSV binding.
var needed = []string{"users.csv", "classes.csv", "enrollments.csv"}

// readOneRoster reads people and their classes from a OneRoster archive.
func readOneRoster(data []byte) (*Table, error) {
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, &Unreadable{0, "the zip archive is damaged", "make it again"}
	}
	if len(archive.File) > maxArchiveFiles {
		return nil, &Unreadable{0, fmt.Sprintf("the archive has %d files", len(archive.File)), "a OneRoster archive has few"}
	}
	t := &Table{Source: wire.RosterSource{Format: "OneRoster", Encoding: "UTF-8", Separator: ",", Ignored: []string{},
		Columns: []wire.RosterColumn{}}}
	files := map[string]*zip.File{}
	for _, f := range archive.File {
		name := strings.ToLower(path.Base(f.Name))
		switch {
		case strings.HasSuffix(f.Name, "/"):
		case slices.Contains(needed, name) || name == "orgs.csv" || name == "roles.csv":
			files[name] = f
		default:
			t.Source.Ignored = append(t.Source.Ignored, shorten(f.Name))
		}
	}
	for _, name := range needed {
		if files[name] != nil {
			continue
		}
		hint := "send an archive with " + strings.Join(needed, ", ") + ", or a CSV file"
		if slices.Contains(t.Source.Ignored, "[Content_Types].xml") {
			return nil, &Unreadable{0, "this is a workbook of a spreadsheet", "save its sheet as CSV"}
		}
		return nil, &Unreadable{0, fmt.Sprintf("this is no OneRoster archive: it has no %s", name), hint}
	}
	read := map[string][]map[string]string{}
	for _, name := range needed {
		if read[name], err = readMember(name, files[name]); err != nil {
			return nil, err
		}
	}
	return t, t.join(read["users.csv"], read["classes.csv"], read["enrollments.csv"])
}

// readMember reads one file of the archive as rows by column.
func readMember(name string, f *zip.File) ([]map[string]string, error) {
	r, err := f.Open()
	if err != nil {
		return nil, &Unreadable{0, fmt.Sprintf("%s of the archive cannot be read", name), "make the archive again"}
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, maxUnpacked+1))
	if err != nil || len(data) > maxUnpacked {
		return nil, &Unreadable{0, fmt.Sprintf("%s of the archive cannot be read, or has more than %d bytes", name,
			maxUnpacked), "make the archive again"}
	}
	text, _, err := decode(data)
	if err != nil {
		return nil, err
	}
	records, err := parse(text, ',', 0)
	var bad *Unreadable
	if errors.As(err, &bad) {
		return nil, &Unreadable{bad.Line, name + ": " + bad.Message, bad.Hint}
	}
	if err != nil || len(records) == 0 {
		return nil, errors.Join(err, &Unreadable{0, name + " is empty", "it needs a header line at least"})
	}
	out := make([]map[string]string, 0, len(records)-1)
	for _, x := range records[1:] {
		row := map[string]string{"": fmt.Sprint(x.line)}
		for i, c := range x.cells {
			if i < len(records[0].cells) {
				row[plain(records[0].cells[i])] = c
			}
		}
		if row["status"] != "tobedeleted" {
			out = append(out, row)
		}
	}
	return out, nil
}

// roles of enrolments, as the standard names them.
var oneRosterRoles = map[string]string{"student": "student", "teacher": "instructor", "aide": "assistant",
	"proctor": "assistant"}

// join makes a row of each user who is enrolled in a class. Where there are several classes, each is a group.
func (t *Table) join(users, classes, enrolments []map[string]string) error {
	titles := map[string]string{}
	for _, c := range classes {
		titles[c["sourcedid"]] = cmp.Or(c["title"], c["classcode"], c["sourcedid"])
	}
	enrolled := map[string]map[string]string{}
	for _, e := range enrolments {
		if _, known := titles[e["classsourcedid"]]; !known || oneRosterRoles[e["role"]] == "" {
			continue
		}
		if _, before := enrolled[e["usersourcedid"]]; !before {
			enrolled[e["usersourcedid"]] = e
		}
	}
	for _, u := range users {
		e := enrolled[u["sourcedid"]]
		if e == nil || u["enableduser"] == "false" {
			continue
		}
		line := 0
		_, _ = fmt.Sscan(u[""], &line)
		header := record{0, []string{"username", "name", "email", "identifier", "class", "role"}}
		group := ""
		if len(titles) > 1 {
			group = titles[e["classsourcedid"]]
		}
		cells := []string{u["username"], strings.TrimSpace(u["givenname"] + " " + u["familyname"]), u["email"],
			cmp.Or(u["identifier"], u["sourcedid"]), group, oneRosterRoles[e["role"]]}
		t.Rows = append(t.Rows, columns{fieldName: 0, fieldDisplay: 1, fieldEmail: 2, fieldNumber: 3, fieldGroup: 4,
			fieldRole: 5}.row(record{line, cells}, header))
	}
	for field, column := range map[string]string{fieldName: "username", fieldDisplay: "givenName familyName",
		fieldEmail: "email", fieldNumber: "identifier", fieldRole: "enrollments role"} {
		t.Source.Columns = append(t.Source.Columns, wire.RosterColumn{Field: field, Header: column})
	}
	if len(titles) > 1 {
		t.Source.Columns = append(t.Source.Columns, wire.RosterColumn{Field: fieldGroup, Header: "classes title"})
	}
	slices.SortFunc(t.Source.Columns, func(a, b wire.RosterColumn) int {
		return slices.Index(Fields, a.Field) - slices.Index(Fields, b.Field)
	})
	switch {
	case len(t.Rows) > maxRows:
		return &Unreadable{0, fmt.Sprintf("the archive has more than %d people", maxRows), "import it in parts"}
	case len(t.Rows) == 0:
		return &Unreadable{0, "nobody in users.csv is enrolled in a class of classes.csv", "look at enrollments.csv"}
	}
	return nil
}
