// Package lineage says for each cell of a run's values from which cells of its inputs it
// was made.
//
// Two relations are kept apart. A cell is a *value* of another where its number was an
// operand on the way there, and a *choice* where it decided which cells were used or
// where they went: masks, positions, the order of a sort, conditions. Shapes and lengths
// are neither. The rules stand in the function table, one for each function; those of
// selections, assignments, loops and conditions are here.
//
// A traced run is a plain run that also keeps, for each array it makes, how its cells
// follow from those of the arrays it was made of. Questions walk back, or forward,
// through what was kept.
package lineage
