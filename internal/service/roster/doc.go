// Package roster reads lists of a course's people and plans what importing one would change.
//
// A list is CSV as spreadsheets and campus offices write it, or a OneRoster 1.2 archive of CSV files.
// Reading recognises encoding, separator and columns, and reports what it took them for. Planning compares the rows
// with the people whom the store knows, row by row, and refuses rows with a reason. The package writes
// nothing: package store does, in one transaction, what a plan lists.
package roster
