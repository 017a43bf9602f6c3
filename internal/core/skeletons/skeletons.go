// Package skeletons holds an exercise for each topic to begin from: small, whole, and without advice or survivors
// where data can do that. An instructor copies one and puts their own in its place.
package skeletons

import (
	"embed"
	"io/fs"
	"path"
	"strings"

	"nimbusreach/internal/core/exercise"
)

//go:embed files
var files embed.FS

// Skeleton is an exercise folder's files by path within it.
type Skeleton struct {
	Topic, Title string
	Files        map[string]string
}

// All lists a skeleton for each topic, in the topics' order.
func All() ([]Skeleton, error) {
	out := make([]Skeleton, 0, len(exercise.Topics))
	for _, topic := range exercise.Topics {
		s := Skeleton{Topic: topic, Files: map[string]string{}}
		dir := path.Join("files", topic)
		entries, err := fs.ReadDir(files, dir)
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			text, err := fs.ReadFile(files, path.Join(dir, e.Name()))
			if err != nil {
				return nil, err
			}
			s.Files[e.Name()] = string(text)
		}
		first, _, _ := strings.Cut(s.Files["exercise.yaml"], "\n")
		s.Title = strings.TrimPrefix(first, "title: ")
		out = append(out, s)
	}
	return out, nil
}
