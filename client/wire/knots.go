package wire

import (
	"time"

	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/notation"
)

// Trend is how a knot has changed.
type Trend struct {
	HourAgo  int   `json:"hour_ago"` // people in it an hour ago
	Growing  bool  `json:"growing"`  // by five people and by half within the hour
	Arrivals []int `json:"arrivals"` // people who entered it, hour by hour over the last day, the oldest first
}

// KnotRef names a knot.
type KnotRef struct {
	Exercise string `json:"exercise"`
	Code     string `json:"code"`
	Says     string `json:"says"`
	Output   string `json:"output"`
}

// KnotPage is everything about one knot.
type KnotPage struct {
	KnotRef
	Trend
	Course string     `json:"course"`
	Title  string     `json:"title"`          // of the course
	Called string     `json:"exercise_title"` // title of the exercise
	At     time.Time  `json:"at"`
	People int        `json:"people"` // in it now
	Tried  int        `json:"tried"`  // students who have an attempt at the exercise
	Since  *time.Time `json:"since"`  // the first of those who are in it entered it; null where nobody is

	Ways []Way `json:"ways"`
	Read int   `json:"read"` // attempts whose programs were grouped: those of the newest few hundred people

	In   []KnotMember `json:"in"`
	More bool         `json:"more"` // there are more in it than are listed

	Left     []KnotLeaver `json:"left"` // who was in it and is not any more, the latest first
	MoreLeft bool         `json:"more_left"`
	Agreed   int          `json:"agreed"` // of those who left: their newest attempt agrees
	Into     []KnotCount  `json:"into"`   // where the others went

	Notes  []TeamNote `json:"notes"`
	Groups []string   `json:"groups"` // that whoever asks is limited to; none: all of the course
}

// Way is attempts of a knot that are written in one way: alike but for layout, comments, the spelling of literals and
// the names that students chose.
type Way struct {
	Count    int             `json:"count"`
	Attempt  uint64          `json:"attempt"` // the newest of them, which is the example
	Display  string          `json:"display"`
	Program  string          `json:"program"`
	Span     *notation.Place `json:"span"` // of the cause or finding, in the example's text
	Evidence *KnotEvidence   `json:"evidence,omitempty"`
	Case     string          `json:"case"` // where the example differs; "" where no array shows it
	Output   string          `json:"output"`
	Attempts []uint64        `json:"attempts"`
}

// KnotMember is a student in a knot.
type KnotMember struct {
	Name    string    `json:"name"`
	Display string    `json:"display"`
	Group   string    `json:"group"`
	Attempt uint64    `json:"attempt"` // the newest
	Since   time.Time `json:"since"`   // they have been in it
	Newest  time.Time `json:"newest"`
	Tries   int       `json:"tries"` // at the exercise, all of them
	Within  int       `json:"within"`
}

// KnotLeaver is a student who was in a knot.
type KnotLeaver struct {
	Name    string    `json:"name"`
	Display string    `json:"display"`
	Group   string    `json:"group"`
	Attempt uint64    `json:"attempt"` // the one that left it
	At      time.Time `json:"at"`
	Within  int       `json:"within"` // attempts that were in it
	Agrees  bool      `json:"agrees"` // their newest attempt does
	Now     *KnotRef  `json:"now"`    // the knot that they are in; null for none
}

// KnotCount is a knot with a number of people.
type KnotCount struct {
	KnotRef
	People int `json:"people"`
}

// Knots lists the knots of a course.
type Knots struct {
	Course string    `json:"course"`
	At     time.Time `json:"at"`
	Knots  []Knot    `json:"knots"`
}

// ClassMap is how the students of a course stand in its exercises, a page of rows.
type ClassMap struct {
	Course    string        `json:"course"`
	Title     string        `json:"title"`
	At        time.Time     `json:"at"`
	Exercises []MapExercise `json:"exercises"`
	Rows      []MapRow      `json:"rows"`
	Total     int           `json:"total"` // students whom the filter leaves
	Next      *string       `json:"next"`
	Groups    []string      `json:"groups"` // of the course, as far as whoever asks sees them
}

// MapExercise is a column of the class map.
type MapExercise struct {
	Name     string  `json:"name"`
	Title    string  `json:"title"`
	Possible float64 `json:"possible"`
}

// MapRow is a student with a cell for each exercise, null where they have not tried it.
type MapRow struct {
	Name    string     `json:"name"`
	Display string     `json:"display"`
	Group   string     `json:"group"`
	Agreed  int        `json:"agreed"` // exercises whose newest attempt agrees
	Tries   int        `json:"tries"`  // in all exercises
	Last    *time.Time `json:"last"`
	Cells   []*MapCell `json:"cells" items:"null"`
}

// MapCell is how a student stands in an exercise.
type MapCell struct {
	State   string  `json:"state" enum:"agrees,differs,failed,refused,waiting"`
	Tries   int     `json:"tries"`
	Best    float64 `json:"best"` // points of the best attempt, as checked: grades are in the gradebook
	Attempt uint64  `json:"attempt"`
	Code    string  `json:"code"`
	Output  string  `json:"output"`
}

// CauseMap is which ideas are missing: people who ever had a leading code, exercise by exercise.
type CauseMap struct {
	Course    string        `json:"course"`
	Title     string        `json:"title"`
	Students  int           `json:"students"`
	Exercises []MapExercise `json:"exercises"`
	Rows      []CauseRow    `json:"rows"` // the codes that most people had first
	Groups    []string      `json:"groups"`
}

// CauseRow is a leading code with a cell for each exercise.
type CauseRow struct {
	Code  string      `json:"code"`
	Says  string      `json:"says"`
	Total int         `json:"total"` // the sum over the exercises
	Cells []CauseCell `json:"cells"`
}

// CauseCell counts people.
type CauseCell struct {
	Ever int `json:"ever"`
	Now  int `json:"now"` // whose newest attempt has it
}

// KnotEvidence is how one knows a knot's cause, by its newest attempt.
type KnotEvidence struct {
	Attempt    uint64      `json:"attempt"`
	Evidence   string      `json:"evidence" enum:"repair,slip,transformation,rule"`
	Confidence string      `json:"confidence"`
	Change     string      `json:"change"`
	Diff       *check.Diff `json:"diff,omitempty"` // the statement of the attempt, and what it becomes
	HiddenOnly bool        `json:"hidden_only,omitempty"`
}
