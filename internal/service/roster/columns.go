package roster

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
)

// The fields of a roster that a column can hold.
const (
	fieldName    = "name"
	fieldDisplay = "display"
	fieldEmail   = "email"
	fieldNumber  = "number"
	fieldGroup   = "group"
	fieldRole    = "role"
	fieldFamily  = "family name"
	fieldGiven   = "given name"
)

// Fields lists the fields in the order in which they are reported.
var Fields = []string{fieldName, fieldDisplay, fieldFamily, fieldGiven, fieldEmail, fieldNumber, fieldGroup, fieldRole}

// synonyms are what headers call the fields, as letters and digits alone.
var synonyms = map[string][]string{
	fieldName: {"name", "username", "login", "loginname", "user", "account", "signinname", "userid", "benutzername",
		"benutzer", "kennung", "identifiant", "usuario"},
	fieldDisplay: {"display", "displayname", "fullname", "student", "studentname", "anzeigename", "vollername",
		"nomcomplet", "nombrecompleto"},
	fieldFamily: {"familyname", "lastname", "surname", "family", "nachname", "familienname", "nom", "apellidos",
		"cognome"},
	fieldGiven: {"givenname", "firstname", "forename", "given", "givennames", "forenames", "vorname", "vornamen",
		"prenom", "nombre", "nome"},
	fieldEmail: {"email", "mail", "emailaddress", "mailaddress", "emailadresse", "mailadresse", "courriel", "correo"},
	fieldNumber: {"number", "no", "nr", "studentnumber", "studentid", "studentno", "matriculationnumber", "matrno",
		"matrnr", "matrikelnummer", "matrikelnr", "campusnumber", "campusid", "registrationnumber", "id", "numero",
		"numeroetudiant"},
	fieldGroup: {"group", "section", "lab", "labgroup", "tutorial", "tutorialgroup", "gruppe", "groupe", "grupo",
		"ubungsgruppe", "labsection"},
	fieldRole: {"role", "rolle", "function", "rol"},
}

// meaning finds a field by what a header calls it.
var meaning = func() map[string]string {
	out := map[string]string{}
	for field, list := range synonyms {
		for _, s := range list {
			out[s] = field
		}
	}
	return out
}()

// plain is a header without case, accents, spaces and signs.
func plain(s string) string {
	var b strings.Builder
	for _, r := range norm.NFD.String(strings.ToLower(s)) {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			b.WriteRune(r)
		}
	}
	return b.String()
}

// columns says in which column each field is.
type columns map[string]int

// recognise matches a header's cells to fields.
func recognise(header record, given map[string]string) (columns, error) {
	out, taken := columns{}, map[int]bool{}
	for _, field := range slices.Sorted(maps.Keys(given)) {
		if _, known := synonyms[field]; !known {
			return nil, &Unreadable{0, fmt.Sprintf("there is no field %q", field), "fields are " + strings.Join(Fields, ", ")}
		}
		at := slices.IndexFunc(header.cells, func(c string) bool { return strings.EqualFold(c, given[field]) })
		if at < 0 {
			return nil, &Unreadable{header.line, fmt.Sprintf("there is no column %q", given[field]),
				"the columns are " + quoted(header.cells)}
		}
		out[field], taken[at] = at, true
	}
	for i, cell := range header.cells {
		field, known := meaning[plain(cell)]
		if _, set := given[field]; !known || set || taken[i] {
			continue
		}
		if before, twice := out[field]; twice {
			return nil, &Unreadable{header.line, fmt.Sprintf("the columns %q and %q both look like the %s",
				header.cells[before], cell, field), fmt.Sprintf("say which it is: --column %q", field+"="+cell)}
		}
		out[field] = i
	}
	return out, nil
}

func quoted(cells []string) string {
	out := make([]string, 0, len(cells))
	for _, c := range cells[:min(len(cells), 20)] {
		out = append(out, fmt.Sprintf("%q", shorten(c)))
	}
	return strings.Join(out, ", ")
}

func shorten(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// identifies reports whether the columns say who somebody is.
func (c columns) identifies() bool {
	for _, field := range []string{fieldName, fieldEmail, fieldNumber} {
		if _, ok := c[field]; ok {
			return true
		}
	}
	return false
}

// headerSearch is how many of the first lines are looked at for a header.
const headerSearch = 5

// fill reads a table's rows from records whose first is the header.
func (t *Table) fill(records []record, given map[string]string) error {
	header := records[0]
	at, err := recognise(header, given)
	if err != nil {
		return err
	}
	if !at.identifies() {
		hint := "name the columns name, email or number, or say which they are: --column number=\"Matr. no\""
		for _, r := range records[1:min(len(records), headerSearch)] {
			if other, err := recognise(r, given); err == nil && other.identifies() && len(other) > 1 {
				hint = fmt.Sprintf("line %d looks like the header; remove the lines before it", r.line)
			}
		}
		return &Unreadable{header.line, "the first line names no column that says who somebody is: it reads " +
			quoted(header.cells), hint}
	}
	at.settle(records[1:])
	t.report(header, at)
	for _, r := range records[1:] {
		if isHeader(r, at, header) {
			return &Unreadable{r.line, "this is a second header line", "remove it"}
		}
		t.Rows = append(t.Rows, at.row(r, header))
	}
	if len(t.Rows) == 0 {
		return &Unreadable{0, "the file has a header and no people", "give a line for each person"}
	}
	return nil
}

// settle decides what a column called `name` holds: sign-in names, family names where given names stand beside it, or
// whole names where most of its cells cannot be names to sign in with.
func (c columns) settle(rows []record) {
	at, has := c[fieldName]
	_, given := c[fieldGiven]
	_, family := c[fieldFamily]
	_, display := c[fieldDisplay]
	_, email := c[fieldEmail]
	_, number := c[fieldNumber]
	if !has || !email && !number {
		return
	}
	unfit := 0
	for _, r := range rows {
		if at < len(r.cells) && r.cells[at] != "" && !access.IsName(strings.ToLower(r.cells[at])) {
			unfit++
		}
	}
	switch {
	case given && !family && !display:
		delete(c, fieldName)
		c[fieldFamily] = at
	case !display && !family && 2*unfit > len(rows):
		delete(c, fieldName)
		c[fieldDisplay] = at
	}
}

// isHeader reports whether a later line names the columns again.
func isHeader(r record, at columns, header record) bool {
	named := 0
	for _, i := range at {
		if i < len(r.cells) && r.cells[i] != "" && strings.EqualFold(r.cells[i], header.cells[i]) {
			named++
		}
	}
	return named > 1 || named == len(at)
}

// report says which columns were taken for which fields.
func (t *Table) report(header record, at columns) {
	used := map[int]bool{}
	t.Source.Columns, t.Source.Ignored = []wire.RosterColumn{}, []string{}
	for _, field := range Fields {
		if i, ok := at[field]; ok {
			used[i] = true
			t.Source.Columns = append(t.Source.Columns, wire.RosterColumn{Field: field, Header: header.cells[i]})
		}
	}
	for i, cell := range header.cells {
		if !used[i] && cell != "" {
			t.Source.Ignored = append(t.Source.Ignored, shorten(cell))
		}
	}
}

// row reads one record.
func (c columns) row(r record, header record) Row {
	out := Row{Line: r.line}
	refuse := func(column, value, message, hint string) {
		if out.Fault == nil {
			out.Fault = &wire.RosterRefusal{Row: r.line, Column: column, Value: shorten(value), Message: message, Hint: hint}
		}
	}
	if len(r.cells) > len(header.cells) {
		refuse("", "", fmt.Sprintf("the line has %d cells, and the header %d", len(r.cells), len(header.cells)),
			"put cells that hold the separator in quotation marks")
	}
	cell := func(field string) string {
		i, ok := c[field]
		if !ok || i >= len(r.cells) {
			return ""
		}
		value := r.cells[i]
		switch {
		case value == "":
		case len([]rune(value)) > maxCell:
			refuse(header.cells[i], value, fmt.Sprintf("the cell has more than %d characters", maxCell), "shorten it")
		case strings.ContainsAny(value[:1], "=+@-") && field != fieldNumber || value[0] == '=':
			refuse(header.cells[i], value, "the cell begins like a formula", "write the value itself")
		case strings.ContainsFunc(value, unicode.IsControl):
			refuse(header.cells[i], value, "the cell holds a line break or a control character", "write it on one line")
		}
		return value
	}
	out.Name = strings.ToLower(cell(fieldName))
	out.Display, out.Email, out.Number = cell(fieldDisplay), strings.ToLower(cell(fieldEmail)), cell(fieldNumber)
	out.Group, out.Role = cell(fieldGroup), strings.ToLower(cell(fieldRole))
	if whole := strings.TrimSpace(cell(fieldGiven) + " " + cell(fieldFamily)); out.Display == "" {
		out.Display = whole
	}
	return out
}
