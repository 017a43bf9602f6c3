package check

import (
	"context"
	"strings"

	"nimbusreach/core/array"
	"nimbusreach/core/compare"
	"nimbusreach/core/dataio"
	"nimbusreach/core/evaluate"
	"nimbusreach/core/functions"
	"nimbusreach/core/notation"
)

// Predicted is what a prediction was held against.
type Predicted struct {
	Right    bool   `json:"right"`
	Expected string `json:"expected"`
}

// Predict holds a student's answer against what a prediction's expression gives on the
// first shown case.
func Predict(ctx context.Context, p *Prepared, i int, answer string) Predicted {
	q := p.Exercise.Predictions[i]
	for k := range p.Cases {
		c := &p.Cases[k]
		if !c.Shown || c.Error != nil {
			continue
		}
		v, d := p.Ask(ctx, c, p.Program, expressionOf(q.Of), withInputs(c.Case, c.Values))
		answer = strings.TrimSpace(answer)
		if d != nil {
			return Predicted{Right: q.What == "error" && strings.EqualFold(answer, string(d.Code)), Expected: string(d.Code)}
		}
		return predicted(q.What, v, answer)
	}
	return Predicted{}
}

func predicted(what string, v *array.Array, answer string) Predicted {
	switch what {
	case "kind":
		return Predicted{strings.EqualFold(answer, v.Kind().String()), v.Kind().String()}
	case "shape":
		plain := notation.Shape{Lengths: v.Shape(), Mark: -1}.String()
		return Predicted{sameShapeText(answer, plain) || sameShapeText(answer, functions.ShapeOf(v).String()), functions.ShapeOf(v).String()}
	case "error":
		return Predicted{strings.EqualFold(answer, "none"), "none"}
	}
	out := Predicted{Expected: shortValue(v)}
	program, errs := notation.ParseExpression(answer)
	if len(errs) == 0 && len(evaluate.Check(program, nil)) == 0 {
		result := evaluate.Run(context.Background(), program, nil, evaluate.Options{Limits: evaluate.Limits{Statements: 100, Cells: 10_000, Bytes: 1 << 20, Depth: 4}})
		if given := result.Value("result"); given != nil {
			out.Right = compare.Agree(v, given, compare.Tolerance{Relative: 1e-3, Absolute: 1e-9, Written: true}, compare.Freedom{})
		}
	}
	return out
}

// sameShapeText compares shapes as people write them: brackets and spaces as they
// like, lengths parted by commas or ×.
func sameShapeText(a, b string) bool {
	tidy := func(s string) string {
		return strings.NewReplacer(" ", "", "[", "", "]", "", "(", "", ")", "", "×", ",", "x", ",").Replace(strings.ToLower(s))
	}
	return tidy(a) == tidy(b)
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
