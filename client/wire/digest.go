package wire

import "time"

// Digest says what happened in a course within a span, and what to teach again.
type Digest struct {
	Course    string           `json:"course"`
	Title     string           `json:"title"`
	From      time.Time        `json:"from"`
	To        time.Time        `json:"to"`
	Sentences []string         `json:"sentences"` // three: what to teach again
	Attempts  int              `json:"attempts"`
	Students  int              `json:"students"`
	Active    int              `json:"active"` // students with an attempt in the span
	Quiet     int              `json:"quiet"`  // the others
	Formed    []DigestKnot     `json:"formed"` // knots with nobody in them at the beginning
	Grew      []DigestKnot     `json:"grew"`
	Dissolved []DigestKnot     `json:"dissolved"` // with nobody in them at the end
	Notes     []TeamNote       `json:"notes"`     // written in the span
	Exercises []DigestExercise `json:"exercises"`
	Groups    []string         `json:"groups"` // that it is of; none: all of the course
}

// DigestKnot is a knot with its people at both ends of the span. Knots of fewer than two people are left out.
type DigestKnot struct {
	KnotRef
	Called string `json:"exercise_title"`
	Before int    `json:"before"`
	After  int    `json:"after"`
}

// DigestExercise is how an exercise stands at the end of the span.
type DigestExercise struct {
	Name     string   `json:"name"`
	Title    string   `json:"title"`
	Attempts int      `json:"attempts"` // in the span
	Tried    int      `json:"tried"`    // students who had tried it by then
	Agrees   int      `json:"agrees"`   // of them, whose newest attempt agrees
	Share    *float64 `json:"share"`    // of those who tried; null where nobody has
	Tries    *float64 `json:"tries"`    // the median of those who tried
	Hardest  string   `json:"hardest"`  // the output that most people are stuck on; "" for none
	Stuck    int      `json:"stuck"`    // people stuck on that output
	Slips    int      `json:"slips"`    // that differ from the reference; 0 where the revision was not probed
	Caught   *float64 `json:"caught"`   // share of slips that the cases catch; null where it was not probed
	Changed  int      `json:"changed"`  // grades that the team changed by hand in the span
}

// CourseSettings are what an instructor sets of a course beside its folder.
type CourseSettings struct {
	Digest *DigestTime `json:"digest"` // null: it is not sent by itself
}

// DigestTime is when a course's digest goes out by mail to its team.
type DigestTime struct {
	Day  string `json:"day"`  // monday to sunday
	Hour int    `json:"hour"` // 0 to 23
	Zone string `json:"zone"` // an IANA name, as Europe/Oslo or UTC
}

// NewHook asks for a web hook.
type NewHook struct {
	Address string   `json:"address"`
	Events  []string `json:"events"` // knot.growing, note.answered, digest.sent; none: all of them
}

// Hook is an address that is told of what happens in a course.
type Hook struct {
	ID      uint64    `json:"id"`
	Address string    `json:"address"`
	Events  []string  `json:"events"`
	Created time.Time `json:"created"`
	Secret  string    `json:"secret,omitempty"` // that what is sent is signed with; shown once
}

// HookCall is one event on its way to a hook.
type HookCall struct {
	ID      uint64     `json:"id"`
	Message string     `json:"message"`
	Kind    string     `json:"kind"`
	State   string     `json:"state" enum:"waiting,sending,sent,failed"`
	Tries   int        `json:"tries"`
	Status  int        `json:"status"` // of the last answer; 0 for none
	Error   string     `json:"error"`
	Created time.Time  `json:"created"`
	Due     *time.Time `json:"due"` // when it is tried again
	Sent    *time.Time `json:"sent"`
}

// HookCalls is a page of what was sent to a hook.
type HookCalls struct {
	Calls []HookCall `json:"calls"`
	Next  *uint64    `json:"next"`
}
