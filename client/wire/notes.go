package wire

import "time"

// NewNote asks for a note: to a knot (exercise, code and output), to one attempt, to an exercise, or to the course.
type NewNote struct {
	Text     string   `json:"text"` // CommonMark
	Exercise string   `json:"exercise,omitempty"`
	Code     string   `json:"code,omitempty"`
	Output   string   `json:"output,omitempty"`
	Attempt  uint64   `json:"attempt,omitempty"`
	Later    bool     `json:"later,omitempty"`  // of a knot: whoever enters it gets it too
	Groups   []string `json:"groups,omitempty"` // that it goes to; none: all whom one sees
}

// EditNote changes a note's text.
type EditNote struct {
	Text string `json:"text"`
}

// TeamNote is a note as the team sees it, with what it has come to.
type TeamNote struct {
	ID        uint64     `json:"id"`
	Kind      string     `json:"kind" enum:"knot,attempt,exercise,course"`
	Exercise  string     `json:"exercise"`
	Code      string     `json:"code"`
	Says      string     `json:"says"`
	Output    string     `json:"output"`
	Attempt   *uint64    `json:"attempt"`
	Student   string     `json:"student"` // of a thread about one attempt
	Later     bool       `json:"later"`
	Groups    []string   `json:"groups"`
	Text      string     `json:"text"`
	Version   int        `json:"version"`
	Author    string     `json:"author"`
	Created   time.Time  `json:"created"`
	Edited    *time.Time `json:"edited"`
	Withdrawn *time.Time `json:"withdrawn"`
	Effect    NoteEffect `json:"effect"`
}

// NoteEffect is what a note has come to, among those who got it.
type NoteEffect struct {
	Reached  int `json:"reached"`
	Seen     int `json:"seen"`
	Agreed   int `json:"agreed"` // in its exercise, by an attempt handed in since they got it
	Still    int `json:"still"`  // in its knot; of another note of an exercise: whose newest attempt does not agree
	Helped   int `json:"helped"` // who say so
	Stuck    int `json:"stuck"`
	Answered int `json:"answered"`
	Unread   int `json:"unread"` // answers that nobody of the team has seen
}

// TeamNotes is a page of a course's notes.
type TeamNotes struct {
	Notes []TeamNote `json:"notes"`
	Next  *uint64    `json:"next"`
}

// NotePage is a note with its threads and what it said before.
type NotePage struct {
	TeamNote
	Threads []NoteThread `json:"threads"`
	History []PastText   `json:"history"`
}

// NoteThread is what a student and the team said to each other below a note.
type NoteThread struct {
	Name    string        `json:"name"`
	Display string        `json:"display"`
	Lines   []NoteMessage `json:"lines"`
}

// NoteMessage is one message of a thread.
type NoteMessage struct {
	Author string    `json:"author"`
	Team   bool      `json:"team"`
	Text   string    `json:"text"`
	At     time.Time `json:"at"`
}

// PastText is what a note said before an edit.
type PastText struct {
	Version int       `json:"version"`
	Text    string    `json:"text"`
	By      string    `json:"by"` // who replaced it
	At      time.Time `json:"at"`
}

// OwnNotes are the notes that one has got, newest first.
type OwnNotes struct {
	Notes  []OwnNote `json:"notes"`
	Unseen int       `json:"unseen"`
}

// OwnNote is a note as a student gets it.
type OwnNote struct {
	ID       uint64        `json:"id"`
	Course   string        `json:"course"`
	Title    string        `json:"title"` // of the course
	Exercise string        `json:"exercise"`
	Called   string        `json:"exercise_title"` // "" for a note to the course
	Attempt  *uint64       `json:"attempt"`        // one's own that it is about
	Text     string        `json:"text"`
	Author   string        `json:"author"`
	At       time.Time     `json:"at"` // one got it
	Edited   *time.Time    `json:"edited"`
	Seen     bool          `json:"seen"` // and no answer of the team is new
	Feeling  string        `json:"feeling" enum:",helped,stuck"`
	Thread   []NoteMessage `json:"thread"`
}

// SeenNotes names notes that one has seen.
type SeenNotes struct {
	Notes []uint64 `json:"notes"`
}

// Feeling is what one says of a note.
type Feeling struct {
	Feeling string `json:"feeling"` // helped, stuck, or "" to take it back
}

// NewMessage adds to a thread. The team names whose it is.
type NewMessage struct {
	Text   string `json:"text"`
	Person string `json:"person,omitempty"`
}

// UnseenCount says how many notes one has not seen.
type UnseenCount struct {
	Unseen int64 `json:"unseen"`
}

// KeepSlip asks for a note and an example of what it is about as a slip of an exercise.
type KeepSlip struct {
	Yaml string `json:"yaml,omitempty"` // the draft's exercise.yaml; without it that of the current revision
}

// KeptSlip is what to change of a course folder, so that the next class is told at once.
type KeptSlip struct {
	Exercise string `json:"exercise"`
	Cause    string `json:"cause"`
	Attempt  uint64 `json:"attempt"` // the example
	File     string `json:"file"`    // path of exercise.yaml in the course folder
	Yaml     string `json:"yaml"`    // its text with the slip
	Slip     string `json:"slip"`    // path of the program
	Program  string `json:"program"`
}
