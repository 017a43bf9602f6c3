package check

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/internal/core/array"
	"nimbusreach/internal/core/codes"
	"nimbusreach/internal/core/compare"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/evaluate"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/functions"
	"nimbusreach/internal/core/notation"
)

// Predicted is what a prediction was compared with.
type Predicted struct {
	Right    bool   `json:"right"`
	Expected string `json:"expected"`
}

// Unreadable is an answer that is not of the sort a prediction asks for; it is refused
// and not counted.
type Unreadable struct {
	Wanted, Given string
	Hint          string
}

func (u *Unreadable) Error() string {
	return fmt.Sprintf("the answer %q does not read as %s", u.Given, u.Wanted)
}

// Predict compares a student's answer with what a prediction's expression gives on the
// first shown case. The error is an *Unreadable.
func Predict(ctx context.Context, p *Prepared, i int, answer string) (Predicted, error) {
	q := p.Exercise.Predictions[i]
	given, err := readPrediction(q.What, strings.TrimSpace(answer))
	if err != nil {
		return Predicted{}, err
	}
	v, d := p.predicted(ctx, i)
	switch {
	case d != nil:
		return Predicted{given.word == string(d.Code), string(d.Code)}, nil
	case q.What == "error":
		return Predicted{given.word == NoError, NoError}, nil
	case q.What == "kind":
		return Predicted{given.word == v.Kind().String(), v.Kind().String()}, nil
	case q.What == "shape":
		return Predicted{given.shape.fits(functions.ShapeOf(v)), functions.ShapeOf(v).String()}, nil
	}
	near := compare.Tolerance{Relative: 1e-3, Absolute: 1e-9, Written: true}
	return Predicted{compare.Agree(v, given.value, near, compare.Freedom{}), shortValue(v)}, nil
}

// predicted is what a prediction's expression gives on the first shown case. Preparing
// has seen that there is one, and that the expression ends as `what` says.
func (p *Prepared) predicted(ctx context.Context, i int) (*array.Array, *notation.Diagnostic) {
	for k := range p.Cases {
		if c := &p.Cases[k]; c.Shown && c.Error == nil {
			return p.Ask(ctx, c, p.Program, expressionOf(p.Exercise.Predictions[i].Of), withInputs(c.Case, c.Values))
		}
	}
	return nil, &notation.Diagnostic{Code: codes.TextName, Message: "no case is shown that runs to its end"}
}

// NoError answers a prediction of an error where there is none.
const NoError = "none"

// answerGiven is an answer that was read.
type answerGiven struct {
	word  string
	shape shapeGiven
	value *array.Array
}

// readPrediction reads an answer by what is asked for.
func readPrediction(what, answer string) (answerGiven, error) {
	switch what {
	case "kind":
		if k, ok := array.ParseKind(strings.ToLower(answer)); ok {
			return answerGiven{word: k.String()}, nil
		}
		return answerGiven{}, &Unreadable{"a kind", answer, "write bool, int, real or complex"}
	case "error":
		word := strings.ToLower(answer)
		if word == NoError || slices.Contains(codes.OfRun(), codes.Code(word)) {
			return answerGiven{word: word}, nil
		}
		hint := notation.Offer(notation.Nearest(word, codes.Strings(codes.OfRun())))
		if hint == "" {
			hint = "write the code of an error, shape.broadcast say, or none"
		}
		return answerGiven{}, &Unreadable{"an error", answer, hint}
	case "shape":
		if s, ok := readShape(answer); ok {
			return answerGiven{shape: s}, nil
		}
		return answerGiven{}, &Unreadable{"a shape", answer, "write the lengths of the axes, [5, 3] or [week=5, rope=3] " +
			"say; [] for a scalar"}
	}
	program, errs := notation.ParseExpression(answer)
	if len(errs) == 0 && len(evaluate.Check(program, nil)) == 0 {
		bounds := evaluate.Limits{Statements: 100, Cells: 10_000, Bytes: 1 << 20, Depth: 4}
		if v := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: bounds}).Value("result"); v != nil {
			return answerGiven{value: v}, nil
		}
	}
	return answerGiven{}, &Unreadable{"a value", answer, "write a number or a list, 2.5 or [1, 2] say"}
}

// shapeGiven is a shape as a student wrote it; a label may be left out.
type shapeGiven struct {
	lengths []int
	labels  []string
}

var shapeCell = regexp.MustCompile(`^(?:([\pL_][\pL\pN_]*)\s*[=: ]\s*)?(\d{1,18})$`)

// mostAxesGiven bounds a shape that is read.
const mostAxesGiven = 32

// readShape reads lengths between brackets or without, separated by commas or ×, each with
// its label or without.
func readShape(text string) (shapeGiven, bool) {
	text = strings.ToLower(strings.TrimSpace(text))
	if text == "scalar" || text == "[]" || text == "()" {
		return shapeGiven{}, true
	}
	for _, pair := range []string{"[]", "()"} {
		if strings.HasPrefix(text, pair[:1]) && strings.HasSuffix(text, pair[1:]) {
			text = text[1 : len(text)-1]
		}
	}
	cells := strings.FieldsFunc(crossed.ReplaceAllString(text, "$1,$2"), func(r rune) bool {
		return r == ',' ||
			r == '×' || r == '|'
	})
	var out shapeGiven
	for _, cell := range cells {
		m := shapeCell.FindStringSubmatch(strings.TrimSpace(cell))
		if m == nil || len(out.lengths) == mostAxesGiven {
			return shapeGiven{}, false
		}
		n, err := strconv.Atoi(m[2])
		if err != nil {
			return shapeGiven{}, false
		}
		out.lengths, out.labels = append(out.lengths, n), append(out.labels, m[1])
	}
	return out, len(out.lengths) > 0
}

// crossed is an x between two lengths, as in 5 x 3.
var crossed = regexp.MustCompile(`(\d)\s*x\s*(\d)`)

// fits reports whether a shape has these lengths, and those labels that were given.
func (g shapeGiven) fits(s notation.Shape) bool {
	if !slices.Equal(g.lengths, s.Lengths) {
		return false
	}
	for i, label := range g.labels {
		if label != "" && label != strings.ToLower(s.Label(i)) {
			return false
		}
	}
	return true
}

// Predict adds the points of a person's predictions, made before the first attempt, to
// those the attempt earned.
func (v *Verdict) Predict(e *exercise.Exercise, right []bool) {
	for i, q := range e.Predictions {
		if i < len(right) && right[i] {
			v.Points.Earned += q.Points
		}
	}
}

func shortValue(v *array.Array) string {
	const most = 12
	var parts []string
	for i := range min(v.Size(), most) {
		parts = append(parts, dataio.FormatElement(v, i))
	}
	if v.Size() > most {
		parts = append(parts, "…")
	}
	return strings.Join(parts, ", ")
}
