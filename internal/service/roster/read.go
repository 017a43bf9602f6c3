package roster

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"nimbusreach/client/wire"
)

// Bounds on a roster.
const (
	MaxBytes  = 16 << 20
	maxRows   = 50_000
	maxCell   = 500 // characters
	maxFields = 200 // columns
)

// Unreadable is a file that is no roster: nothing of it is imported.
type Unreadable struct {
	Line          int // 0 where it concerns the whole file
	Message, Hint string
}

func (e *Unreadable) Error() string {
	if e.Line > 0 {
		return fmt.Sprintf("line %d: %s; %s", e.Line, e.Message, e.Hint)
	}
	return e.Message + "; " + e.Hint
}

// Row is one person of a roster. Empty fields say nothing.
type Row struct {
	Line                                int
	Name, Display, Email, Number, Group string
	Role                                string
	Fault                               *wire.RosterRefusal // what makes the row unusable as it stands
}

// Table is a roster that was read.
type Table struct {
	Rows   []Row
	Source wire.RosterSource
}

// Read reads a roster. columns names the header's cell for a field where recognition fails:
// "number": "Matr. no".
func Read(data []byte, columns map[string]string) (*Table, error) {
	switch {
	case len(data) > MaxBytes:
		return nil, &Unreadable{0, fmt.Sprintf("the file has %d bytes, and at most %d are read", len(data), MaxBytes),
			"import it in parts"}
	case bytes.HasPrefix(data, []byte("PK\x03\x04")) || bytes.HasPrefix(data, []byte("PK\x05\x06")):
		return readOneRoster(data)
	}
	text, encoding, err := decode(data)
	if err != nil {
		return nil, err
	}
	if strings.TrimSpace(text) == "" {
		return nil, &Unreadable{0, "the file is empty", "give a header line and a line for each person"}
	}
	comma, text, skipped := separator(text)
	records, err := parse(text, comma, skipped)
	if err != nil {
		return nil, err
	}
	if len(records) == 0 {
		return nil, &Unreadable{0, "the file holds no text but separators", "give a header line and a line for each person"}
	}
	t := &Table{Source: wire.RosterSource{Format: "CSV", Encoding: encoding, Separator: string(comma)}}
	return t, t.fill(records, columns)
}

// decode turns bytes into text, and says which encoding they were in.
func decode(data []byte) (text, encoding string, err error) {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		data = data[3:]
		if !utf8.Valid(data) {
			return "", "", &Unreadable{0, "the file says that it is UTF-8, and is not",
				"save it again as UTF-8 or Windows-1252"}
		}
		return string(data), "UTF-8 with a byte order mark", nil
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		out, err := unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder().Bytes(data)
		if err != nil {
			return "", "", &Unreadable{0, "the file cannot be read as UTF-16", "save it again as UTF-8"}
		}
		return string(out), "UTF-16", nil
	case bytes.IndexByte(data, 0) >= 0:
		return "", "", &Unreadable{0, "the file holds bytes that no text has", "save the list as CSV"}
	case utf8.Valid(data):
		return string(data), "UTF-8", nil
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(data)
	if err != nil {
		return "", "", &Unreadable{0, "the encoding of the file is not known", "save it again as UTF-8"}
	}
	return string(out), "Windows-1252", nil
}

// separator finds what separates the cells: the one of which the first line outside quotes has most. A first
// line `sep=;`, which spreadsheets write, decides it.
func separator(text string) (comma rune, rest string, skipped int) {
	line, after, _ := strings.Cut(text, "\n")
	if own, ok := strings.CutPrefix(strings.ToLower(strings.TrimSpace(line)), "sep="); ok && len(own) == 1 &&
		strings.ContainsAny(own, ",;\t") {
		return rune(own[0]), after, 1
	}
	counts, quoted := map[rune]int{}, false
	for _, r := range text {
		switch {
		case r == '"':
			quoted = !quoted
		case r == '\n' && !quoted && len(counts) > 0:
			return most(counts), text, 0
		case !quoted && (r == ',' || r == ';' || r == '\t'):
			counts[r]++
		}
	}
	return most(counts), text, 0
}

func most(counts map[rune]int) rune {
	best := ','
	for _, r := range []rune{';', '\t'} {
		if counts[r] > counts[best] {
			best = r
		}
	}
	return best
}

// record is one line of a table of text.
type record struct {
	line  int
	cells []string
}

// parse splits text into records. Lines without any text are left out.
func parse(text string, comma rune, skipped int) ([]record, error) {
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.FieldsPerRecord = comma, -1
	var out []record
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, broken(err, skipped)
		}
		line, _ := r.FieldPos(0)
		empty := true
		for i, c := range cells {
			cells[i] = strings.TrimSpace(c)
			empty = empty && cells[i] == ""
		}
		switch {
		case empty:
			continue
		case len(cells) > maxFields:
			return nil, &Unreadable{line + skipped, fmt.Sprintf("the line has %d cells", len(cells)),
				fmt.Sprintf("a roster has at most %d columns", maxFields)}
		case len(out) > maxRows:
			return nil, &Unreadable{0, fmt.Sprintf("the file has more than %d rows", maxRows), "import it in parts"}
		}
		out = append(out, record{line + skipped, cells})
	}
}

// broken puts a fault of the quotes into words.
func broken(err error, skipped int) error {
	var p *csv.ParseError
	if !errors.As(err, &p) {
		return err
	}
	at := p.Line + skipped
	if errors.Is(p.Err, csv.ErrBareQuote) {
		return &Unreadable{at, fmt.Sprintf("a quotation mark stands within a cell (column %d)", p.Column),
			`put the cell in quotation marks and double those within: "Imke ""Tang"" Kelp"`}
	}
	return &Unreadable{p.StartLine + skipped, "a quotation mark is opened and not closed properly",
		`close it, and double those within a cell: "Imke ""Tang"" Kelp"`}
}
