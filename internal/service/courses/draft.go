package courses

import (
	"context"
	"io/fs"
	"path"
	"strings"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
)

// Draft is what can be said of a folder that is being edited.
type Draft struct {
	Errors    []exercise.Problem
	Advice    []advice.Advice
	Exercises []DraftExercise
	Stopped   bool // at the bound on time; exercises may be missing
}

// DraftExercise is an exercise that loads and whose reference runs.
type DraftExercise struct {
	*check.Prepared
	Probed *probe.Report
}

// Look says of a folder what can be said, exercise by exercise; only is one exercise's name,
// or "" for all. A faulty exercise leaves the others their advice.
func Look(ctx context.Context, folder fs.FS, only string, o probe.Options, tell Tell) *Draft {
	out := &Draft{Errors: []exercise.Problem{}, Advice: []advice.Advice{}}
	course, problems := exercise.LoadCourse(folder)
	out.Errors = append(out.Errors, problems...)
	if course == nil {
		return out
	}
	out.Advice = append(out.Advice, advice.OfCourse(course)...)
	for i, e := range course.Exercises {
		tell.at(stageProbe, i, len(course.Exercises))
		if only != "" && e.Name != only || faulty(e, problems) {
			continue
		}
		p, problems := check.Prepare(ctx, e)
		if ctx.Err() != nil {
			break // what was found of it may be for want of time
		}
		out.Errors = append(out.Errors, problems...)
		if p == nil {
			continue
		}
		found, probed := advice.Inspect(ctx, p, o)
		out.Advice = append(out.Advice, found...)
		out.Exercises = append(out.Exercises, DraftExercise{p, probed})
	}
	out.Stopped = ctx.Err() != nil
	return out
}

// faulty reports whether one of the problems is in an exercise's folder.
func faulty(e *exercise.Exercise, problems []exercise.Problem) bool {
	for _, p := range problems {
		if path.Dir(p.File) == e.Dir || strings.HasPrefix(p.File, e.Dir+"/") {
			return true
		}
	}
	return false
}
