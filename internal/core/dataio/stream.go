package dataio

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"unicode/utf8"

	"nimbusreach/internal/core/array"
)

const (
	// mostToken bounds one number and one text in JSON, in bytes.
	mostToken = 64 << 10
	// deepest bounds how far values nest that nobody looks at.
	deepest = 1000
	// shownItems is how many items of a value are kept that is shown and not read.
	shownItems = 24
	// mostAxes bounds the axes of an array.
	mostAxes = 32
)

// Stream reads JSON as it arrives: arrays become their elements at once, and the text is
// not kept. What is no JSON comes back as a Problem that names the byte, counting from 0.
type Stream struct {
	r     io.Reader
	begun bool
	at    int64  // where buf begins
	buf   []byte // what was read
	pos   int    // what of buf was taken
	token []byte
	left  int // numbers that may still come
}

// NewStream takes JSON that holds at most so many numbers in all its arrays.
func NewStream(r io.Reader, numbers int) *Stream {
	return &Stream{r: r, buf: make([]byte, 0, 64<<10), left: numbers}
}

const jsonHint = "an array is a nested list, `[[1, 2], [3, 4]]`, or an object with kind, shape and data"

func (s *Stream) broken(err error) error {
	if errors.Is(err, io.EOF) {
		err = io.ErrUnexpectedEOF
		if s.place() == 0 {
			err = io.EOF
		}
	}
	return &Problem{Message: "this is not JSON: " + err.Error(), Hint: jsonHint}
}

// misplaced says that the next byte, which was looked at, does not belong where it stands.
func (s *Stream) misplaced(c byte, where string) error {
	there := strconv.QuoteRune(rune(c))
	if c >= utf8.RuneSelf {
		there = fmt.Sprintf("the byte %#x", c)
	}
	return s.broken(fmt.Errorf("%s stands at byte %d, where %s belongs", there, s.place(), where))
}

// place is how many bytes were taken.
func (s *Stream) place() int64 { return s.at + int64(s.pos) }

// peek looks at the next byte.
func (s *Stream) peek() (byte, error) {
	if s.pos < len(s.buf) {
		return s.buf[s.pos], nil
	}
	return s.more()
}

// more reads on where all that was read is taken.
func (s *Stream) more() (byte, error) {
	s.at += int64(len(s.buf))
	s.pos, s.buf = 0, s.buf[:0]
	for range 100 {
		n, err := s.r.Read(s.buf[:cap(s.buf)])
		if n > 0 {
			s.buf = s.buf[:n]
			return s.buf[0], nil
		}
		if err != nil {
			return 0, err
		}
	}
	return 0, io.ErrNoProgress
}

// skip takes the byte that was looked at.
func (s *Stream) skip() { s.pos++ }

func isSpace(c byte) bool { return c == ' ' || c == '\n' || c == '\t' || c == '\r' }

// next skips white space and looks at the byte after it.
func (s *Stream) next() (byte, error) {
	if !s.begun {
		s.begun = true
		for i, mark := range []byte("\ufeff") { // which some editors put before a text
			c, err := s.peek()
			if (err != nil || c != mark) && i == 0 {
				break
			}
			if err != nil {
				return 0, s.broken(err)
			}
			if c != mark {
				return 0, s.misplaced(c, "a value")
			}
			s.skip()
		}
	}
	for {
		c, err := s.peek()
		if err != nil {
			return 0, s.broken(err)
		}
		if !isSpace(c) {
			return c, nil
		}
		s.skip()
	}
}

// End reports what follows the value that was read.
func (s *Stream) End() error {
	for {
		c, err := s.peek()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return s.broken(err)
		}
		if !isSpace(c) {
			return &Problem{Message: "text follows the JSON value", Hint: "one file holds one value"}
		}
		s.skip()
	}
}

// list reads the items of a list or an object, whose first byte was looked at, each by one call.
func (s *Stream) list(end byte, item func() error) error {
	s.skip()
	c, err := s.next()
	if err != nil {
		return err
	}
	if c == end {
		s.skip()
		return nil
	}
	for {
		if err := item(); err != nil {
			return err
		}
		c, err := s.next()
		if err != nil {
			return err
		}
		switch c {
		case end:
			s.skip()
			return nil
		case ',':
			s.skip()
		default:
			return s.misplaced(c, fmt.Sprintf("`,` or `%c`", end))
		}
	}
}

// Members reads an object, each of its members by one call, which has to read the value. A name that occurs twice is
// an error, where one of its values would be lost.
func (s *Stream) Members(member func(name string) error) error {
	c, err := s.next()
	if err != nil {
		return err
	}
	if c != '{' {
		return &Problem{Message: fmt.Sprintf("this is not a JSON object: it begins with %c", c),
			Hint: "an object is written `{\"growth\": [[1, 2], [3, 4]]}`"}
	}
	seen := map[string]bool{}
	return s.list('}', func() error {
		name, err := s.text(mostToken, "a name in quotes")
		if err != nil {
			return err
		}
		c, err := s.next()
		if err != nil {
			return err
		}
		if c != ':' {
			return s.misplaced(c, "`:`")
		}
		s.skip()
		if seen[name] {
			return &Problem{Message: fmt.Sprintf("the key `%s` occurs twice", name), Hint: "keep one of them"}
		}
		if seen[name] = true; len(seen) > mostToken {
			return &Problem{Message: fmt.Sprintf("the object has more than %d keys", mostToken), Hint: "send fewer"}
		}
		return member(name)
	})
}

// quoted puts a text in quotes, as it is written, into the token.
func (s *Stream) quoted(limit int) error {
	s.token = append(s.token[:0], '"')
	s.skip()
	for {
		c, err := s.peek()
		if err != nil {
			return s.broken(err)
		}
		if s.token = append(s.token, c); len(s.token) > limit+2 {
			return s.broken(fmt.Errorf("the text that reaches byte %d has more than %d bytes", s.place(), limit))
		}
		s.skip()
		switch c {
		case '\\':
			if c, err = s.peek(); err != nil {
				return s.broken(err)
			}
			s.token = append(s.token, c)
			s.skip()
		case '"':
			if !utf8.Valid(s.token) {
				return s.broken(fmt.Errorf("the text that ends at byte %d is not UTF-8", s.place()))
			}
			return nil
		}
	}
}

// Text reads a text of at most so many bytes, as JSON spells it.
func (s *Stream) Text(limit int) (string, error) { return s.text(limit, "a text in quotes") }

func (s *Stream) text(limit int, what string) (string, error) {
	c, err := s.next()
	if err != nil {
		return "", err
	}
	if c != '"' {
		return "", s.misplaced(c, what)
	}
	if err := s.quoted(limit); err != nil {
		return "", err
	}
	var out string
	if err := json.Unmarshal(s.token, &out); err != nil {
		return "", s.broken(fmt.Errorf("a text that ends at byte %d: %w", s.place(), err))
	}
	return out, nil
}

// word reads one of JSON's words.
func (s *Stream) word(word string) error {
	for i := range len(word) {
		c, err := s.peek()
		if err != nil {
			return s.broken(err)
		}
		if c != word[i] {
			return s.misplaced(c, "`"+word+"`")
		}
		s.skip()
	}
	return nil
}

// Null reports whether the next value is null, which it takes.
func (s *Stream) Null() (bool, error) {
	c, err := s.next()
	if err != nil || c != 'n' {
		return false, err
	}
	return true, s.word("null")
}

// plainNumber takes a number of digits and perhaps a point, which lies in what was read with what follows it: most do.
func (s *Stream) plainNumber() bool {
	rest := s.buf[s.pos:]
	i := 0
	if len(rest) > 0 && rest[0] == '-' {
		i++
	}
	first, point := i, -1
	for ; i < len(rest); i++ {
		switch c := rest[i]; {
		case c >= '0' && c <= '9':
		case c == '.' && point < 0 && i > first:
			point = i
		case c == ',' || c == ']' || c == '}' || isSpace(c):
			if i == first || i == point+1 || rest[first] == '0' && i > first+1 && point != first+1 {
				return false
			}
			s.token = append(s.token[:0], rest[:i]...)
			s.pos += i
			return true
		default:
			return false
		}
	}
	return false
}

// number puts a number, as it is written, into the token.
func (s *Stream) number() error {
	if s.plainNumber() {
		return nil
	}
	s.token = s.token[:0]
	digits := func() error {
		n := len(s.token)
		for {
			c, err := s.peek()
			if err != nil && !errors.Is(err, io.EOF) {
				return s.broken(err)
			}
			if err != nil || c < '0' || c > '9' {
				if len(s.token) > n {
					return nil
				}
				if err != nil {
					return s.broken(err)
				}
				return s.misplaced(c, "a digit")
			}
			if s.token = append(s.token, c); len(s.token) > mostToken {
				return s.broken(fmt.Errorf("the number at byte %d has more than %d digits", s.place(), mostToken))
			}
			s.skip()
			if n == 0 && s.token[0] == '0' || n == 1 && s.token[0] == '-' && s.token[1] == '0' {
				return nil // no digit follows a leading zero
			}
		}
	}
	accept := func(any string) bool {
		c, err := s.peek()
		if err != nil || !bytes.ContainsRune([]byte(any), rune(c)) {
			return false
		}
		s.token = append(s.token, c)
		s.skip()
		return true
	}
	accept("-")
	if err := digits(); err != nil {
		return err
	}
	if accept(".") {
		if err := digits(); err != nil {
			return err
		}
	}
	if accept("eE") {
		accept("+-")
		return digits()
	}
	return nil
}

// Whole reads a whole number from 0.
func (s *Stream) Whole() (uint64, error) {
	c, err := s.next()
	if err != nil {
		return 0, err
	}
	if c < '0' || c > '9' {
		return 0, s.misplaced(c, "a whole number")
	}
	if err := s.number(); err != nil {
		return 0, err
	}
	n, err := strconv.ParseUint(string(s.token), 10, 64)
	if err != nil {
		return 0, &Problem{Message: fmt.Sprintf("%.40s is not a whole number", s.token), Hint: "write digits alone"}
	}
	return n, nil
}

// value takes a value that is no list and no object, and gives it as encoding/json would, numbers as they are written.
func (s *Stream) value(c byte) (any, error) {
	switch {
	case c == '"':
		return s.Text(mostToken)
	case c == 't':
		return true, s.word("true")
	case c == 'f':
		return false, s.word("false")
	case c == 'n':
		return nil, s.word("null")
	case c == '-' || c >= '0' && c <= '9':
		err := s.number()
		return json.Number(s.token), err
	}
	return nil, s.misplaced(c, "a value")
}

// any reads any value, whose lists and objects have no more than so many items in all.
func (s *Stream) any(left *int, depth int) (any, error) {
	c, err := s.next()
	if err != nil {
		return nil, err
	}
	if depth > deepest {
		return nil, tooDeep()
	}
	keep := func(into func()) {
		if *left--; *left >= 0 {
			into()
		}
	}
	switch c {
	case '[':
		out := []any{}
		err := s.list(']', func() error {
			v, err := s.any(left, depth+1)
			keep(func() { out = append(out, v) })
			return err
		})
		return out, err
	case '{':
		out := map[string]any{}
		err := s.Members(func(name string) error {
			v, err := s.any(left, depth+1)
			keep(func() { out[name] = v })
			return err
		})
		return out, err
	}
	return s.value(c)
}

// Array reads an array in any of the forms ReadJSON takes.
func (s *Stream) Array() (*array.Array, error) {
	c, err := s.next()
	if err != nil {
		return nil, err
	}
	if c == '{' {
		return s.object()
	}
	cells := &cells{}
	var wrong error // of what is JSON; what is none is told first
	var shape []int
	if err := s.nested(cells, &shape, 0, &wrong); err != nil {
		return nil, err
	}
	if wrong != nil {
		return nil, wrong
	}
	if err := s.count(cells); err != nil {
		return nil, err
	}
	kind := cells.kind
	if cells.count == 0 {
		kind = array.Real
	}
	return cells.array(kind).Reshape(shape), nil
}

// count takes the elements from the numbers that may come.
func (s *Stream) count(c *cells) error {
	n := c.count
	if c.kind == array.Complex {
		n *= 2
	}
	if s.left -= n; s.left < 0 || c.full {
		return &Problem{Message: "there are more numbers than are taken", Hint: "send fewer, or smaller arrays"}
	}
	return nil
}

// nested reads a number, a truth value or a nested list.
func (s *Stream) nested(cells *cells, shape *[]int, depth int, wrong *error) error {
	c, err := s.next()
	if err != nil {
		return err
	}
	fail := func(p error) {
		if *wrong == nil {
			*wrong = p
		}
	}
	if c == '{' {
		some := shownItems
		v, err := s.any(&some, depth)
		fail(notNumber(shortJSON(v)))
		return err
	}
	if c != '[' {
		e, ok, err := s.element(c)
		if err != nil {
			return err
		}
		switch {
		case *wrong != nil:
		case !ok:
			fail(notNumber(s.written(c)))
		case depth != len(*shape):
			fail(ragged(depth))
		default:
			cells.add(e, s.left)
		}
		return nil
	}
	if depth >= mostAxes {
		fail(tooDeep())
	}
	if depth > deepest {
		return tooDeep()
	}
	first := depth == len(*shape) && *wrong == nil
	if first {
		if cells.count > 0 {
			fail(ragged(depth))
		}
		*shape = append(*shape, 0)
	}
	length := 0
	err = s.list(']', func() error {
		if first {
			(*shape)[depth]++
		}
		length++
		return s.nested(cells, shape, depth+1, wrong)
	})
	if err == nil && *wrong == nil && (*shape)[depth] != length {
		fail(ragged(depth))
	}
	return err
}

func tooDeep() error {
	return &Problem{Message: "the list nests deeper than 32", Hint: "an array has at most 32 axes"}
}

func notNumber(text string) error {
	return &Problem{Message: text + " is not a number",
		Hint: "elements are numbers, true, false, \"nan\", \"inf\" or \"-inf\""}
}

// element reads a value that is no list and no object; ok says whether it is an element.
func (s *Stream) element(c byte) (e element, ok bool, err error) {
	if c == '-' || c >= '0' && c <= '9' {
		if err := s.number(); err != nil {
			return e, false, err
		}
		e, ok = numberOf(s.token)
		return e, ok, nil
	}
	v, err := s.value(c)
	if err != nil {
		return e, false, err
	}
	e, ok = readElement(v)
	return e, ok, nil
}

// written is the value that was read last by element, which began with c.
func (s *Stream) written(c byte) string {
	switch c {
	case 't':
		return "true"
	case 'f':
		return "false"
	case 'n':
		return "null"
	}
	if len(s.token) > 40 {
		return fmt.Sprintf("%.40s…", s.token)
	}
	return string(s.token)
}

// object reads the form with kind, shape, axes and data.
func (s *Stream) object() (*array.Array, error) {
	var wrong error
	keys := map[string]any{}
	var data *flat
	err := s.Members(func(name string) error {
		if !slices.Contains(arrayKeys, name) {
			if wrong == nil {
				wrong = unknownKey(name)
			}
			none := 0
			_, err := s.any(&none, 1)
			return err
		}
		if name == "data" {
			c, err := s.next()
			if err != nil {
				return err
			}
			if c == '[' {
				data, err = s.flat()
				return err
			}
		}
		some := mostAxes + 8
		v, err := s.any(&some, 1)
		keys[name] = v
		return err
	})
	if err != nil {
		return nil, err
	}
	if wrong != nil {
		return nil, wrong
	}
	if data == nil {
		return nil, noData()
	}
	kind, err := jsonKind(keys)
	if err != nil {
		return nil, err
	}
	shape, err := jsonShape(keys["shape"], data.length)
	if err != nil {
		return nil, err
	}
	if err := data.fits(kind); err != nil {
		return nil, err
	}
	if err := s.count(data.cells); err != nil {
		return nil, err
	}
	return labelled(data.cells.array(kind).Reshape(shape), keys)
}

// flat is the elements of an array's `data`.
type flat struct {
	cells  *cells
	length int
	firsts [array.Complex + 1]remark // the first element of each kind
	bad    *remark                   // the first that is none
}

// remark is an element, and how it is written.
type remark struct {
	at   int // from 1; 0 for none
	text string
}

// fits reports the first element that is none of a kind.
func (f *flat) fits(kind array.Kind) error {
	var first remark
	for _, r := range f.firsts[kind+1:] {
		if r.at > 0 && (first.at == 0 || r.at < first.at) {
			first = r
		}
	}
	if f.bad != nil && (first.at == 0 || f.bad.at < first.at) {
		first = *f.bad
	}
	if first.at == 0 {
		return nil
	}
	return &Problem{Line: 1, Column: first.at, Message: fmt.Sprintf("element %d of `data`, %s, is not of kind %s",
		first.at,
		first.text, kind), Hint: "non-finite reals are \"nan\", \"inf\", \"-inf\"; complex numbers are [re, im]"}
}

// flat reads the list of an array's `data`. Its kind may follow it, so the elements are kept as the widest of them.
func (s *Stream) flat() (*flat, error) {
	f := &flat{cells: &cells{}}
	err := s.list(']', func() error {
		f.length++
		c, err := s.next()
		if err != nil {
			return err
		}
		if c == '[' && f.cells.kind == array.Complex {
			if e, ok := s.plainPair(); ok { // and none of a new kind
				f.cells.add(e, s.left)
				return nil
			}
		}
		e, ok, text, err := s.pair(c)
		if err != nil || f.bad != nil {
			return err
		}
		if text == "" && (!ok || e.kind > f.cells.kind || f.length == 1) {
			text = s.written(c)
		}
		switch {
		case !ok:
			f.bad = &remark{f.length, text}
		case e.kind > f.cells.kind || f.length == 1:
			f.firsts[e.kind] = remark{f.length, text}
			fallthrough
		default:
			f.cells.add(e, s.left)
		}
		return nil
	})
	return f, err
}

// pair reads an element of flat data, which may be `[re, im]`; text is how it is written, where that is no number
// alone.
func (s *Stream) pair(c byte) (e element, ok bool, text string, err error) {
	switch c {
	case '{':
		some := shownItems
		v, err := s.any(&some, 1)
		return e, false, shortJSON(v), err
	case '[':
	default:
		e, ok, err = s.element(c)
		return e, ok, "", err
	}
	var parts [2]element
	items, ok, long := 0, true, []byte{'['}
	err = s.list(']', func() error {
		c, err := s.next()
		if err != nil {
			return err
		}
		part, is, word := element{}, false, ""
		if c == '[' || c == '{' {
			some := shownItems
			v, err := s.any(&some, 2)
			if err != nil {
				return err
			}
			word = shortJSON(v)
		} else if part, is, err = s.element(c); err != nil {
			return err
		}
		if items < 2 && is {
			parts[items] = part
		}
		if items++; items > 2 || !is {
			ok = false
		}
		if len(long) <= 40 {
			if word == "" {
				word = s.written(c)
			}
			if items > 1 {
				long = append(long, ',')
			}
			long = append(long, word...)
		}
		return nil
	})
	if long = append(long, ']'); len(long) > 40 {
		long = append(bytes.ToValidUTF8(long[:40], nil), "…"...)
	}
	return complexOf(parts), ok && items == 2, string(long), err
}

func complexOf(parts [2]element) element {
	return element{kind: array.Complex, z: complex(real(parts[0].z), real(parts[1].z))}
}

// plainPair takes `[re, im]` of plain numbers that lies in what was read.
func (s *Stream) plainPair() (e element, ok bool) {
	start := s.pos
	var parts [2]element
	for i, after := range []byte(",]") {
		s.pos++
		s.spaces()
		if !s.plainNumber() {
			s.pos = start
			return e, false
		}
		parts[i], ok = numberOf(s.token)
		s.spaces()
		if !ok || s.pos >= len(s.buf) || s.buf[s.pos] != after {
			s.pos = start
			return e, false
		}
	}
	s.pos++
	return complexOf(parts), true
}

// spaces skips the white space in what was read.
func (s *Stream) spaces() {
	for s.pos < len(s.buf) && isSpace(s.buf[s.pos]) {
		s.pos++
	}
}

// numberOf reads a number as it is written.
func numberOf(token []byte) (element, bool) {
	digits := token
	if token[0] == '-' {
		digits = token[1:]
	}
	if len(digits) <= 18 {
		n := int64(0)
		for _, c := range digits {
			if c < '0' || c > '9' {
				f, err := strconv.ParseFloat(string(token), 64)
				return element{kind: array.Real, z: complex(f, 0)}, err == nil
			}
			n = n*10 + int64(c-'0')
		}
		f := float64(n)
		if token[0] == '-' {
			n, f = -n, -f // a real keeps the sign of its zero
		}
		return element{kind: array.Int, i: n, z: complex(f, 0)}, true
	}
	return readElement(json.Number(token))
}

// cells are elements, kept as the widest kind among them.
type cells struct {
	kind      array.Kind
	count     int
	full      bool // there were more than are taken
	bools     pieces[bool]
	ints      pieces[int64]
	reals     pieces[float64]
	complexes pieces[complex128]
	zeros     []uint64 // a bit for each int that is written -0
}

// pieces is a list that grows without being copied.
type pieces[T array.Cell] struct {
	done [][]T
	last []T
}

const pieceLength = 1 << 14

func (p *pieces[T]) add(v T) {
	if len(p.last) == pieceLength {
		p.done, p.last = append(p.done, p.last), make([]T, 0, pieceLength)
	}
	p.last = append(p.last, v)
}

// turned hands the elements over as another kind, and forgets them.
func turned[T, U array.Cell](p *pieces[T], as func(i int, v T) U) pieces[U] {
	var out pieces[U]
	i := 0
	for _, piece := range append(p.done, p.last) {
		for _, v := range piece {
			out.add(as(i, v))
			i++
		}
	}
	*p = pieces[T]{}
	return out
}

func (p *pieces[T]) flat(count int) *array.Array {
	out := make([]T, 0, count)
	for _, piece := range p.done {
		out = append(out, piece...)
	}
	return array.From(append(out, p.last...), []int{count})
}

// add keeps an element, unless that makes more numbers than most.
func (c *cells) add(e element, most int) {
	if c.full {
		return
	}
	c.widen(max(c.kind, e.kind))
	each := 1
	if c.kind == array.Complex {
		each = 2
	}
	if (c.count+1)*each > most {
		*c = cells{kind: c.kind, count: c.count, full: true}
		return
	}
	switch c.kind {
	case array.Bool:
		c.bools.add(e.b)
	case array.Int:
		c.ints.add(e.i)
		if e.i == 0 && math.Signbit(real(e.z)) {
			c.negativeZero()
		}
	case array.Real:
		c.reals.add(real(e.z))
	default:
		c.complexes.add(e.z)
	}
	c.count++
}

// widen keeps what is there as another kind.
func (c *cells) widen(kind array.Kind) {
	for ; c.kind < kind; c.kind++ {
		switch c.kind {
		case array.Bool:
			c.ints = turned(&c.bools, func(_ int, b bool) int64 {
				if b {
					return 1
				}
				return 0
			})
		case array.Int:
			c.reals = turned(&c.ints, func(i int, n int64) float64 {
				if n == 0 && c.isNegative(i) {
					return math.Copysign(0, -1) // a real keeps the sign of its zero
				}
				return float64(n)
			})
			c.zeros = nil
		default:
			c.complexes = turned(&c.reals, func(_ int, x float64) complex128 { return complex(x, 0) })
		}
	}
}

// negativeZero notes that the int at the end is written -0.
func (c *cells) negativeZero() {
	for len(c.zeros) <= c.count/64 {
		c.zeros = append(c.zeros, 0)
	}
	c.zeros[c.count/64] |= 1 << (c.count % 64)
}

func (c *cells) isNegative(i int) bool { return i/64 < len(c.zeros) && c.zeros[i/64]>>(i%64)&1 == 1 }

// array is the elements along one axis, as a kind that holds them.
func (c *cells) array(kind array.Kind) *array.Array {
	c.widen(kind)
	switch kind {
	case array.Bool:
		return c.bools.flat(c.count)
	case array.Int:
		return c.ints.flat(c.count)
	case array.Real:
		return c.reals.flat(c.count)
	}
	return c.complexes.flat(c.count)
}
