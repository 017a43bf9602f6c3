package exercise

// Keys lists the keys of each mapping of the format. The loader refuses all others,
// and the JSON Schema is compared with this table.
var Keys = map[string][]string{
	"course":   {"title", "counting", "team", "grading", "exercises"},
	"counting": {"from"},
	"team":     {"digest", "caught"},
	"grading":  {"takes"},
	"exercise": {"title", "topics", "opens", "closes", "late", "model", "inputs", "outputs", "steps", "functions", "properties",
		"predictions", "cases", "rules", "slips", "equivalent", "attempts", "feedback", "accepts"},
	"late":  {"until", "keeps"},
	"input": {"axes", "kind", "unit", "about", "missing"},
	"output": {"axes", "kind", "unit", "tolerance", "points", "nan", "ones", "any_order", "free_sign", "free_scale",
		"present"},
	"tolerance":  {"relative", "absolute", "ulps"},
	"present":    {"as", "title"},
	"step":       {"points", "tolerance"},
	"function":   {"calls", "points", "tolerance"},
	"property":   {"holds", "says", "points"},
	"prediction": {"ask", "of", "what", "points"},
	"case":       {"name", "shown", "inputs", "draw", "expects"},
	"array":      {"shape", "kind", "axes", "data"},
	"table":      {"file", "column"},
	"draw":       {"seed", "repeat", "inputs"},
	"drawn":      {"shape", "from", "low", "high", "mean", "std", "values", "of", "nudge"},
	"rules":      {"loops", "require", "refuse", "inputs_unchanged", "cost"},
	"cost":       {"cells", "statements"},
	"slip":       {"program", "cause", "note"},
	"equivalent": {"change", "line", "reason", "reference"},
	"attempts":   {"limit", "wait"},
	"feedback":   {"values", "held", "causes"},
}

// Words the format takes where one of several stands.
var (
	Presentations = []string{"table", "line", "scatter", "box", "histogram", "heat"}
	PredictWhat   = []string{"shape", "kind", "value", "error"}
	DrawFrom      = []string{"uniform", "whole", "one_of", "shuffled", "normal"}
	Nudges        = []string{"distinct", "sorted", "some_equal", "some_missing"}
	AttemptKinds  = []string{"program", "results"}
	Takes         = []string{"best", "last"}
	Models        = []string{"never", "after-close"}
)
