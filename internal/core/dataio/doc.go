// Package dataio turns arrays into files and files into arrays: JSON, CSV as plain and
// as long tables, Matrix Market, and the classic formats of netCDF.
//
// It reads bytes it is handed and knows nothing of files, courses or the
// notation's programs. What cannot be read comes back as a Problem that names the
// cell at fault, or the byte of a netCDF file.
package dataio

import "fmt"

// Problem is data that cannot be read. Line and Column are 0 when they are not
// known; both count from 1.
type Problem struct {
	Line, Column int
	Message      string
	Hint         string
}

// Error gives the place, the message and the hint on one line.
func (p *Problem) Error() string {
	place := ""
	if p.Line > 0 {
		place = fmt.Sprintf("line %d, cell %d: ", p.Line, p.Column)
	}
	return place + p.Message + " (" + p.Hint + ")"
}

// MaxCells bounds one array read from data.
const MaxCells = 10_000_000
