package exercise

// Key is one key of the format: what it takes and what it means. The loader, the JSON Schema's descriptions and
// docs/course-keys.md are made from the table of them.
type Key struct {
	Name    string
	Type    string
	Default string // what holds without it; "required" where there must be one
	Means   string
	Example string // the key with a value, as YAML
}

// Mapping is one mapping of the format with its keys.
type Mapping struct {
	Name  string // as the schema calls it
	Title string
	Keys  []Key
}

const (
	required = "required"
	nothing  = "nothing"
)

// Mappings are all mappings of both files, in the order in which the reference of keys has them.
var Mappings = []Mapping{
	{"course", "course.yaml", []Key{
		{"title", "text", required, "What the course is called.", "title: Arrays on the kelp farm"},
		{"counting", "mapping", "{from: 0}", "How positions are counted in all of the course.", "counting: {from: 1}"},
		{"team", "mapping", nothing, "What the teaching team wants of the service.", "team: {digest: weekly, caught: 0.95}"},
		{"grading", "mapping", "{takes: best}", "Which attempt counts.", "grading: {takes: last}"},
		{"exercises", "list of folders", required, "The folders below exercises/, in the order in which students see them.",
			"exercises: [rope-means, ripe-fronds]"},
	}},
	{"counting", "counting, in course.yaml", []Key{
		{"from", "0 or 1", required, "What the first position is called.", "from: 1"},
	}},
	{"team", "team, in course.yaml", []Key{
		{"digest", "weekly, daily, never", "never", "How often the team gets a digest.", "digest: weekly"},
		{"caught", "number from 0 to 1", "0", "The share of slips that publishing wants caught; below it nothing is " +
			"published.",
			"caught: 0.95"},
	}},
	{"grading", "grading, in course.yaml", []Key{
		{"takes", "best, last", "best", "Which of a student's attempts at an exercise counts.", "takes: last"},
	}},
	{"exercise", "exercise.yaml", []Key{
		{"title", "text", required, "What the exercise is called.", "title: Mean growth of each rope"},
		{"topics", "list of topics", "none", "What it is about: slicing, broadcasting, masking, axis-reduction, " +
			"matrix-algebra, " +
			"making, element-wise, statistics, reshaping, copying.", "topics: [axis-reduction]"},
		{"opens", "time with zone", "open at once", "From when students see it.", "opens: 2031-09-01T08:00:00Z"},
		{"closes", "time with zone", "never", "Until when attempts count in full.", "closes: 2031-09-14T22:00:00Z"},
		{"late", "mapping", "nothing late", "How attempts after closing count.", "late: {until: 72h, keeps: 0.8}"},
		{"model", "never, after-close", "never", "When students see the reference and what its lines give. Held cases " +
			"stay held.",
			"model: after-close"},
		{"inputs", "mapping of names", "none", "The arrays that a program is given, each with an input's keys.",
			"inputs: {growth: {axes: [week, rope]}}"},
		{"outputs", "mapping of names", "none", "The names that a program binds, each with an output's keys.",
			"outputs: {per_rope: {axes: [rope], points: 2}}"},
		{"steps", "mapping of names", "none", "Named values on the way: worth points, and where the first wrong step is " +
			"found.",
			"steps: {smoothed: {points: 1}}"},
		{"functions", "mapping of names", "none", "Functions that a program must define, called in each case.",
			"functions: {standardize: {calls: [\"standardize(growth)\"]}}"},
		{"properties", "list", "none", "What must hold of inputs and outputs, for answers that are right and not unique.",
			"properties: [{holds: \"all(ripe >= 0)\", says: nothing is negative}]"},
		{"predictions", "list", "none", "Questions that are asked before the first attempt.",
			"predictions: [{ask: \"What shape has this?\", of: mean(growth over week), what: shape}]"},
		{"cases", "list", required, "The data that answers are checked on.",
			"cases: [{name: spring, shown: true, inputs: {growth: data/spring.csv}}]"},
		{"rules", "mapping", "none", "What a program may and must use.", "rules: {loops: refuse, require: [mean]}"},
		{"slips", "list", "none", "Wrong programs that the instructor foresees, with the cause that they have.",
			"slips: [{program: slips/over-depth.nra, cause: axis.other}]"},
		{"equivalent", "list", "none", "Survivors of probing that change nothing; nimbus probe --mark writes them.",
			"equivalent: [{change: a → b, line: 1, reason: they are the same, reference: 1a2b3c4d}]"},
		{"attempts", "mapping", "any number", "How many attempts one has, and how long to wait between two.",
			"attempts: {limit: 20, wait: 30s}"},
		{"feedback", "mapping", "{values: shown, held: code, causes: always}", "What students learn from a verdict.",
			"feedback: {causes: after 3}"},
		{"accepts", "list of program, results", "[program]", "How an answer may be handed in: results are arrays that were " +
			"computed elsewhere.", "accepts: [program, results]"},
		{"own", "own", "{repeat: 2, within: 30m}, and the drawn cases say how", "The data that those who compute elsewhere " +
			"are given, which nobody has seen.",
			"own: {repeat: 2, within: 30m, inputs: {growth: {shape: [3..6, 2..5], from: normal}}}"},
	}},
	{"late", "late", []Key{
		{"until", "length of time", required, "How long after closing late attempts are taken.", "until: 72h"},
		{"keeps", "number from 0 to 1", "1", "The share of its points that a late attempt keeps.", "keeps: 0.8"},
	}},
	{"own", "own", []Key{
		{"repeat", "whole number from 1", "2", "How many cases a ticket has.", "repeat: 2"},
		{"within", "length of time", "30m", "How long a ticket can be used.", "within: 30m"},
		{"inputs", "mapping of names", "as the drawn cases", "How each input is drawn, as in draw.",
			"inputs: {growth: {shape: [3..6, 2..5], from: normal}}"},
	}},
	{"input", "an input, below inputs", []Key{
		{"axes", "list of labels", "any shape", "One label for each axis; _ leaves an axis without. [] is a single number.",
			"axes: [week, rope, _]"},
		{"kind", "bool, int, real, complex", "real", "The kind of the array; narrower data widen to it.", "kind: int"},
		{"unit", "text", "none", "The unit of the values.", "unit: cm"},
		{"about", "text", "none", "What the array holds, in words.", "about: growth since the last visit"},
		{"missing", "nan", "an error", "An empty cell of a file is NaN.", "missing: nan"},
	}},
	{"output", "an output, below outputs", []Key{
		{"axes", "list of labels", "any shape", "One label for each axis; _ leaves an axis without. [] is a single number.",
			"axes: [rope]"},
		{"kind", "exact, bool, int, real, complex", "any", "The kind that the reference gives, which answers must have " +
			"too; " +
			"exact: the reference's, whatever it is.", "kind: int"},
		{"unit", "text", "none", "The unit of the values.", "unit: cm"},
		{"tolerance", "mapping", "{relative: 1e-9, absolute: 1e-12}", "How far an element may lie from the reference's.",
			"tolerance: {relative: 1e-6}"},
		{"points", "number", "1", "What it is worth.", "points: 2"},
		{"nan", "agrees, never", "agrees", "Whether NaN agrees with NaN.", "nan: never"},
		{"ones", "ignore, count", "count", "ignore: axes of length 1 come and go.", "ones: ignore"},
		{"any_order", "label or number of an axis", "the order counts", "The positions of this axis may be in any order.",
			"any_order: mode"},
		{"free_sign", "label or number of an axis", "the sign counts", "What lies along this axis may have the other sign.",
			"free_sign: mode"},
		{"free_scale", "label or number of an axis", "the scale counts",
			"What lies along this axis may have any scale but 0.",
			"free_scale: mode"},
		{"present", "mapping", "a table", "How the console first draws it.", "present: {as: box, title: Growth by rope}"},
	}},
	{"tolerance", "tolerance", []Key{
		{"relative", "number", "0 where the mapping is written", "Of the reference's value.", "relative: 1e-9"},
		{"absolute", "number", "0 where the mapping is written", "In the output's unit.", "absolute: 1e-12"},
		{"ulps", "number", nothing, "In units in the last place; takes the place of relative.", "ulps: 4"},
	}},
	{"present", "present", []Key{
		{"as", "table, line, scatter, box, histogram, heat", "table", "The kind of drawing.", "as: heat"},
		{"title", "text", "the output's name", "What stands above it.", "title: Growth by rope"},
	}},
	{"step", "a step, below steps", []Key{
		{"points", "number", "1", "What it is worth.", "points: 0.5"},
		{"tolerance", "mapping", "{relative: 1e-9, absolute: 1e-12}", "As of an output.", "tolerance: {ulps: 4}"},
	}},
	{"function", "a function, below functions", []Key{
		{"calls", "list of notation", required, "Calls that are compared with the reference's function, in each case.",
			"calls: [\"standardize(growth)\", \"standardize([1.0, 2.0])\"]"},
		{"points", "number", "1", "What it is worth.", "points: 1"},
		{"tolerance", "mapping", "{relative: 1e-9, absolute: 1e-12}", "As of an output.", "tolerance: {absolute: 0.5}"},
	}},
	{"property", "a property, in properties", []Key{
		{"holds", "notation", required, "One truth value over inputs and outputs.", "holds: \"all(v >= 0)\""},
		{"says", "text", required, "The same in words, which students see.", "says: nothing is negative"},
		{"points", "number", "1", "What it is worth.", "points: 1"},
	}},
	{"prediction", "a prediction, in predictions", []Key{
		{"ask", "text", required, "The question.", "ask: What shape has this?"},
		{"of", "notation", required, "What it is about; it runs on the first shown case.", "of: mean(growth over week)"},
		{"what", "shape, kind, value, error", "shape", "What is asked for, and how an answer is read.", "what: kind"},
		{"points", "number", "1", "What it is worth.", "points: 1"},
	}},
	{"case", "a case, in cases", []Key{
		{"name", "text", required, "What it is called; no two alike.", "name: spring"},
		{"shown", "true or false", "false", "Students see its data and what their program gives on it. Others are held.",
			"shown: true"},
		{"inputs", "mapping of inputs", "none", "A value for each input: a number, nested lists, a file, or the mappings " +
			"below.",
			"inputs: {growth: data/spring.csv, ripe_at: 80}"},
		{"draw", "mapping", nothing, "Data that are drawn at random, the same for everybody.",
			"draw: {seed: 11, inputs: {growth: {shape: [3..6, 2..5], from: normal}}}"},
		{"expects", "code of an error", nothing, "The right outcome is this error.", "expects: run.empty"},
	}},
	{"array", "an array written out, as an input's value", []Key{
		{"shape", "list of lengths", required, "The length of each axis.", "shape: [0, 2, 3]"},
		{"kind", "bool, int, real, complex", "the input's", "The kind.", "kind: real"},
		{"axes", "list of labels", "the input's", "The labels.", "axes: [week, rope, depth]"},
		{"data", "list", "none, for a shape without elements", "The elements, the last axis fastest.", "data: [1, 2, 3, 4]"},
	}},
	{"table", "a column of a table, as an input's value", []Key{
		{"file", "path", required, "A file below the exercise's folder.", "file: data/landings.csv"},
		{"column", "text", "the whole table", "The column of this name.", "column: length"},
	}},
	{"draw", "draw", []Key{
		{"seed", "whole number", "0", "Draws depend on it, on the case and on the repeat alone.", "seed: 11"},
		{"repeat", "whole number from 1 to 200", "1", "How many cases are drawn.", "repeat: 4"},
		{"inputs", "mapping of inputs", required, "How each input is drawn.",
			"inputs: {growth: {shape: [3..6, 2..5], from: normal, mean: 12, std: 3}}"},
	}},
	{"drawn", "a drawn input, below draw", []Key{
		{"shape", "list of lengths", required + ", but of shuffled",
			"A length, or a..b for any from a to b; axes of one label draw one length.",
			"shape: [3..6, 2]"},
		{"from", "uniform, whole, one_of, shuffled, normal", required, "Where values come from.", "from: whole"},
		{"low", "number", "0; required of whole", "The least value, of uniform and whole.", "low: 1"},
		{"high", "number", "1; required of whole", "The greatest value: of whole it may come, of uniform it may not.",
			"high: 9"},
		{"mean", "number", "0", "Of normal.", "mean: 12"},
		{"std", "number", "1", "The standard deviation, of normal.", "std: 3"},
		{"values", "list", required + " of one_of", "What is drawn from.", "values: [1, 2.5, 4]"},
		{"of", "list", required + " of shuffled", "What is put in another order.", "of: [1, 2, 3]"},
		{"nudge", "distinct, sorted, some_equal, some_missing", nothing, "What the values are made to be.",
			"nudge: distinct"},
	}},
	{"rules", "rules", []Key{
		{"loops", "refuse, warn, allow", "allow", "What becomes of a program with loops.", "loops: refuse"},
		{"require", "list of words", "none", "Functions, operators or each that an output must be reached by.",
			"require: [mean, \"dot\"]"},
		{"refuse", "list of words", "none", "Functions, operators or each that must not be used.", "refuse: [median]"},
		{"inputs_unchanged", "true or false", "false", "A program must not change what it is given.",
			"inputs_unchanged: true"},
		{"cost", "mapping", "no bound", "How much a program may do, as a multiple of what the reference does.",
			"cost: {cells: 4}"},
	}},
	{"cost", "cost", []Key{
		{"cells", "number, 1 or more", "no bound", "Elements that are computed.", "cells: 4"},
		{"statements", "number, 1 or more", "no bound", "Statements that are run.", "statements: 10"},
	}},
	{"slip", "a slip, in slips", []Key{
		{"program", "path", required, "A wrong program below the exercise's folder.", "program: slips/over-depth.nra"},
		{"cause", "code of a cause", required, "What is wrong with it.", "cause: axis.other"},
		{"note", "text", "the cause's words", "What a student is told whose program is like it.",
			"note: Which axis must go?"},
	}},
	{"equivalent", "a mark, in equivalent", []Key{
		{"change", "text", required, "The slip, as nimbus probe shows it.", "change: \">= → >\""},
		{"line", "whole number", required, "The line of the reference.", "line: 1"},
		{"reason", "text", required, "Why it changes nothing.", "reason: lengths are whole numbers"},
		{"reference", "digest", required, "Of the reference; the mark holds while it stays.", "reference: 1a2b3c4d"},
	}},
	{"attempts", "attempts", []Key{
		{"limit", "whole number, 1 or more", "any number", "How many attempts a student has.", "limit: 20"},
		{"wait", "length of time", "none", "Between two attempts.", "wait: 30s"},
	}},
	{"feedback", "feedback", []Key{
		{"values", "shown, never", "shown", "Whether students see both sides of shown cases.", "values: never"},
		{"held", "code, verdict, nothing", "code", "What students learn of a held case: its verdict and the code of its " +
			"first " +
			"finding, its verdict, or nothing.", "held: verdict"},
		{"causes", "always, after N, never", "always", "When students are told why an answer differs.", "causes: after 3"},
	}},
}

// Keys lists the names of the keys of each mapping. The loader refuses all others, and the JSON Schema is compared
// with it.
var Keys = func() map[string][]string {
	out := map[string][]string{}
	for _, m := range Mappings {
		for _, k := range m.Keys {
			out[m.Name] = append(out[m.Name], k.Name)
		}
	}
	return out
}()

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
