// Package exercise reads a course folder: course.yaml, and for each exercise its
// exercise.yaml, prompt, programs and data.
//
// It reads through an fs.FS, so a folder, an archive and a test's map serve alike.
// Everything wrong with a course is reported at once, each with file, line and column.
// The package does not run programs; package check does.
package exercise
