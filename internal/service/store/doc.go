// Package store keeps the records: people, courses, revisions, attempts, verdicts.
//
// It is the only importer of GORM. Transactions begin and end here; every query
// has an index and a limit. It knows rows, not rights or wording.
package store
