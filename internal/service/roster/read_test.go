package roster_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"nimbusreach/internal/service/roster"
)

// packed is a zip archive of texts by name.
func packed(t testing.TB, files map[string]string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for name, text := range files {
		f, err := w.Create(name)
		require.NoError(t, err)
		_, err = f.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

func TestDialectsAreRecognised(t *testing.T) {
	for _, c := range []struct{ name, text, encoding, separator string }{
		{"commas", "number,display\n7,Imke Tang\n", "UTF-8", ","},
		{"semicolons and CRLF", "number;display\r\n7;Imke Tang\r\n", "UTF-8", ";"},
		{"tabs", "number\tdisplay\n7\tImke Tang\n", "UTF-8", "\t"},
		{"a byte order mark", "\xef\xbb\xbfnumber,display\n7,Imke Tang\n", "UTF-8 with a byte order mark", ","},
		{"what a spreadsheet says", "sep=;\nnumber;display\n7;Imke Tang\n", "UTF-8", ";"},
		{"quotes", "\"number\",\"display\"\n\"7\",\"Imke Tang\"\n", "UTF-8", ","},
		{"a comma within quotes", "\"number, campus\";display\n7;Imke Tang\n", "UTF-8", ";"},
		{"empty lines", "\n\nnumber,display\n\n7,Imke Tang\n,\n\n", "UTF-8", ","},
		{"UTF-16", "\xff\xfen\x00u\x00m\x00b\x00e\x00r\x00,\x00d\x00i\x00s\x00p\x00l\x00a\x00y\x00\n" +
			"\x007\x00,\x00I\x00m\x00" +
			"k\x00e\x00 \x00T\x00a\x00n\x00g\x00\n\x00", "UTF-16", ","},
	} {
		t.Run(c.name, func(t *testing.T) {
			columns := map[string]string{}
			if c.name == "a comma within quotes" {
				columns["number"] = "number, campus"
			}
			table, err := roster.Read([]byte(c.text), columns)
			require.NoError(t, err)
			assert.Equal(t, c.encoding, table.Source.Encoding)
			assert.Equal(t, c.separator, table.Source.Separator)
			require.Len(t, table.Rows, 1)
			assert.Equal(t, "7", table.Rows[0].Number)
			assert.Equal(t, "Imke Tang", table.Rows[0].Display)
			assert.Nil(t, table.Rows[0].Fault)
		})
	}
	table, err := roster.Read([]byte("Matrikel-Nr.;Nachname;Vorname;E-Mail-Adresse;\xdcbungsgruppe\n7;M\xfcller;J\xf6rg;"+
		"J.M@Farm.example;Lab 2\n"), nil)
	require.NoError(t, err)
	assert.Equal(t, "Windows-1252", table.Source.Encoding)
	assert.Equal(t, "Jörg Müller", table.Rows[0].Display)
	assert.Equal(t, "j.m@farm.example", table.Rows[0].Email)
	assert.Equal(t, "Lab 2", table.Rows[0].Group)
	assert.Equal(t, "7", table.Rows[0].Number)
	assert.Empty(t, table.Source.Ignored)
}

func TestAColumnCalledName(t *testing.T) {
	for _, c := range []struct{ name, text, sign, display string }{
		{"holds names to sign in with", "name,email\nada.t,a@farm.example\n", "ada.t", ""},
		{"holds whole names", "Name,number\nAda Tidewell,7\n", "", "Ada Tidewell"},
		{"holds family names beside given ones", "Name;Vorname;number\nTidewell;Ada;7\n", "", "Ada Tidewell"},
		{"is left what it is where nothing else says who", "name\nAda Tidewell\n", "ada tidewell", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			table, err := roster.Read([]byte(c.text), nil)
			require.NoError(t, err)
			assert.Equal(t, c.sign, table.Rows[0].Name)
			assert.Equal(t, c.display, table.Rows[0].Display)
		})
	}
}

func TestAColumnIsNamedByHand(t *testing.T) {
	text := []byte("Kennzahl,Student,Bemerkung\n7,Ada,x\n")
	_, err := roster.Read(text, nil)
	require.ErrorContains(t, err, "names no column that says who somebody is")
	table, err := roster.Read(text, map[string]string{"number": "kennzahl"})
	require.NoError(t, err)
	assert.Equal(t, "7", table.Rows[0].Number)
	assert.Equal(t, []string{"Bemerkung"}, table.Source.Ignored)

	_, err = roster.Read(text, map[string]string{"number": "Matr"})
	require.ErrorContains(t, err, `there is no column "Matr"`)
	_, err = roster.Read(text, map[string]string{"colour": "Student"})
	require.ErrorContains(t, err, `there is no field "colour"`)
	_, err = roster.Read([]byte("id,Matr. Nr\n1,7\n"), nil)
	require.ErrorContains(t, err, `both look like the number`)
	table, err = roster.Read([]byte("id,Matr. Nr\n1,7\n"), map[string]string{"number": "Matr. Nr"})
	require.NoError(t, err)
	assert.Equal(t, "7", table.Rows[0].Number)
}

// TestWhatIsNoRoster: each says what was there and what to do, with its line where it has one.
func TestWhatIsNoRoster(t *testing.T) {
	users := "sourcedId,username,givenName,familyName,email\nu1,ada,Ada,Tidewell,a@farm.example\n"
	for _, c := range []struct {
		name string
		data []byte
		want string
	}{
		{"nothing", nil, "the file is empty"},
		{"blanks", []byte(" \n\n\t"), "the file is empty"},
		{"a header alone", []byte("name,display\n"), "a header and no people"},
		{"a quote that is not closed", []byte("name,display\nada,\"Ada\nbo,Bo\n"), "line 2: a quotation mark is opened"},
		{"a quote within a cell", []byte("name,display\nada,A\"da\n"), "line 2: a quotation mark stands within a cell"},
		{"two header lines", []byte("name,display\nName,Display\nada,Ada\n"), "line 2: this is a second header line"},
		{"a title above the header", []byte("Autumn 2031,,\nname,display,group\nada,Ada,Lab 1\n"),
			"line 2 looks like the header"},
		{"too many rows", []byte("name\n" + strings.Repeat("ada\n", 200_000)), "more than 50000 rows"},
		{"too many bytes", bytes.Repeat([]byte("x"), roster.MaxBytes+1), "bytes"},
		{"a picture", []byte("\x89PNG\r\n\x1a\n\x00\x00\x00"), "bytes that no text has"},
		{"what says UTF-8 and is not", []byte("\xef\xbb\xbfname\n\xff\n"), "says that it is UTF-8, and is not"},
		{"a zip that is no OneRoster", packed(t, map[string]string{"notes.csv": "x"}), "it has no users.csv"},
		{"a workbook", packed(t, map[string]string{"[Content_Types].xml": "", "xl/workbook.xml": ""}), "a workbook"},
		{"a zip that is cut", packed(t, map[string]string{"users.csv": users})[:60], "damaged"},
		{"a OneRoster without enrolments", packed(t, map[string]string{"users.csv": users, "classes.csv": "sourcedId\n",
			"enrollments.csv": "sourcedId\n"}), "nobody in users.csv is enrolled"},
		{"a OneRoster with broken quotes", packed(t, map[string]string{"users.csv": "a\n\"", "classes.csv": "sourcedId\n",
			"enrollments.csv": "sourcedId\n"}), "users.csv: a quotation mark"},
		{"a OneRoster with an empty file", packed(t, map[string]string{"users.csv": "", "classes.csv": "sourcedId\n",
			"enrollments.csv": "sourcedId\n"}), "users.csv is empty"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := roster.Read(c.data, nil)
			require.ErrorContains(t, err, c.want)
			var u *roster.Unreadable
			require.ErrorAs(t, err, &u)
			assert.NotEmpty(t, u.Hint)
		})
	}
}

func TestRowsThatCannotBeTaken(t *testing.T) {
	for _, c := range []struct{ name, row, want string }{
		{"a formula", "ada,=1+1,,", "begins like a formula"},
		{"a formula as number", "ada,Ada,=A1,", "begins like a formula"},
		{"a link as group", "ada,Ada,,@SUM(1)", "begins like a formula"},
		{"too many cells", "ada,Ada,7,Lab 1,and more", "5 cells, and the header 4"},
		{"a line break", "ada,\"Ada\nTidewell\",7,", "a line break or a control character"},
		{"a very long cell", "ada," + strings.Repeat("x", 501) + ",,", "more than 500 characters"},
	} {
		t.Run(c.name, func(t *testing.T) {
			table, err := roster.Read([]byte("name,display,number,group\nbo,Bo,8,Lab 1\n"+c.row+"\n"), nil)
			require.NoError(t, err)
			require.Len(t, table.Rows, 2)
			assert.Nil(t, table.Rows[0].Fault)
			require.NotNil(t, table.Rows[1].Fault)
			assert.Contains(t, table.Rows[1].Fault.Message, c.want)
			assert.Equal(t, 3, table.Rows[1].Fault.Row)
		})
	}
}

func TestOneRoster(t *testing.T) {
	table, err := roster.Read(packed(t, map[string]string{
		"manifest.csv": "propertyName,value\n", "orgs.csv": "sourcedId,name\no1,Farm\n",
		"users.csv": "sourcedId,status,enabledUser,username,givenName,familyName,identifier,email\n" +
			"u1,active,true,ada,Ada,Tidewell,4711,ada@farm.example\nu2,active,true,imke,Imke,Harborn,,\n" +
			"u3,tobedeleted,true,old,Old,One,1,\nu4,active,false,off,Off,One,2,\nu5,active,true,out,Out,One,3,\n",
		"classes.csv": "sourcedId,title\nc1,Lab 1\nc2,Lab 2\n",
		"enrollments.csv": "sourcedId,classSourcedId,userSourcedId,role\ne1,c2,u1,student\ne2,c1,u2,teacher\n" +
			"e3,c1,u3,student\ne4,c1,u4,student\ne5,c9,u5,student\ne6,c1,u1,student\n",
	}), nil)
	require.NoError(t, err)
	assert.Equal(t, "OneRoster", table.Source.Format)
	assert.Equal(t, []string{"manifest.csv"}, table.Source.Ignored)
	require.Len(t, table.Rows, 2, "neither who is deleted, nor disabled, nor in no class")
	assert.Equal(t, roster.Row{Line: 2, Name: "ada", Display: "Ada Tidewell", Email: "ada@farm.example", Number: "4711",
		Group: "Lab 2", Role: "student"}, table.Rows[0])
	assert.Equal(t, "instructor", table.Rows[1].Role)
	assert.Equal(t, "u2", table.Rows[1].Number, "the id serves where there is no number")
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("name,display\nada,Ada\n"))
	f.Add([]byte("\xff\xfen\x00"))
	f.Add([]byte("sep=;\n\"a\";b\n"))
	f.Add(packed(f, map[string]string{"users.csv": "sourcedId\nu\n", "classes.csv": "sourcedId\nc\n",
		"enrollments.csv": "classSourcedId,userSourcedId,role\nc,u,student\n"}))
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := roster.Read(data, nil)
		if err != nil {
			assert.NotEmpty(t, err.Error())
			return
		}
		for _, r := range table.Rows {
			if r.Fault != nil {
				assert.NotEmpty(t, r.Fault.Message)
				assert.NotEmpty(t, r.Fault.Hint)
				continue
			}
			for _, cell := range []string{r.Name, r.Display, r.Email, r.Group, r.Role} {
				assert.NotContains(t, cell, "\n")
				assert.False(t, strings.HasPrefix(cell, "="), fmt.Sprintf("%q", cell))
			}
		}
	})
}
