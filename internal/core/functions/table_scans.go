package functions

var scanFunctions = []*Function{
	{
		Name: "differences", Topic: Scans, Signature: "differences(x along week)",
		Doc:   "Each element minus the one before it.",
		Shape: "the argument's, one shorter along the axis", Rule: through(countable, oneShorter),
		Example: "differences([1, 4, 9])", Relatives: []string{"running_sum", "gradient"},
		Min: 1, Max: 1, Clause: Along,
		Lineage: neighboursLineage,
		Run:     differences,
	},
	{
		Name: "running_max", Topic: Scans, Signature: "running_max(x along week)",
		Doc:   "At each position the largest up to there.",
		Shape: sameShape, Rule: through(keeps, sameLength),
		Example: "running_max([1, 3, 2])", Relatives: []string{"max"},
		Min: 1, Max: 1, Clause: Along,
		Lineage: upToItLineage,
		Run:     runningExtreme(true),
	},
	{
		Name: "running_min", Topic: Scans, Signature: "running_min(x along week)",
		Doc:   "At each position the smallest up to there.",
		Shape: sameShape, Rule: through(keeps, sameLength),
		Example: "running_min([3, 1, 2])", Relatives: []string{"min"},
		Min: 1, Max: 1, Clause: Along,
		Lineage: upToItLineage,
		Run:     runningExtreme(false),
	},
	{
		Name: "running_product", Topic: Scans, Signature: "running_product(x along week)",
		Doc:   "At each position the product up to there.",
		Shape: sameShape, Rule: through(countable, sameLength),
		Example: "running_product([1, 2, 3])", Relatives: []string{"product"},
		Min: 1, Max: 1, Clause: Along,
		Lineage: upToItLineage,
		Run:     running(MultiplyInts, runningRealProduct, runningComplexProduct),
	},
	{
		Name: "running_sum", Topic: Scans, Signature: "running_sum(x along week)",
		Doc: "At each position the sum up to there. Reals carry a correction term (Neumaier 1974), so the error " +
			"does not grow with the length.",
		Shape: sameShape, Rule: through(countable, sameLength),
		Example: "running_sum([1, 2, 3])", Relatives: []string{"sum", "differences"},
		Min: 1, Max: 1, Clause: Along,
		Lineage: upToItLineage,
		Run:     running(AddInts, runningReals, runningComplexes),
	},
	{
		Name: "totals_by", Topic: Scans, Signature: "totals_by(x, groups, n along rope)",
		Doc:   "The sum of the items of each of n groups; groups holds a position for each item along the axis.",
		Shape: "the argument's, of length n along the axis", Rule: through(countable, groups),
		Example: "totals_by([1, 2, 3], [0, 1, 0], 2)", Relatives: []string{"sum", "unique_counts"},
		Min: 3, Max: 3, Clause: Along,
		Lineage: totalledLineage,
		Run:     totalsBy,
	},
	{
		Name: "windows", Topic: Scans, Signature: "windows(x, n along week)",
		Doc: "Every window of n neighbouring items along the axis, on a new last axis. Longer than the axis: no " +
			"window, with notice.empty.",
		Shape: "the argument's, n - 1 shorter along the axis, and a last axis of length n", Rule: windowsOutline,
		Example: "windows([1, 2, 3, 4], 2)", Relatives: []string{"differences"},
		Min: 2, Max: 2, Clause: Along,
		Lineage: movedLineage,
		Run:     windows,
	},
}
