// Package wire holds the forms of the API as Go types: what the service writes,
// the client reads and the OpenAPI document describes. It has no behaviour. The tag `enum` lists
// the values of a text that can have only some, `items` says that a list may hold null.
package wire

import (
	"time"

	"nimbusreach/internal/core/advice"
	"nimbusreach/internal/core/check"
	"nimbusreach/internal/core/dataio"
	"nimbusreach/internal/core/exercise"
	"nimbusreach/internal/core/probe"
	"nimbusreach/internal/core/trying"
)

// ProblemType begins the type of each problem.
const ProblemType = trying.ProblemType

// Problem is an error as RFC 9457 has it, with a hint beside.
type Problem struct {
	Type     string             `json:"type"`
	Title    string             `json:"title"`
	Status   int                `json:"status"`
	Detail   string             `json:"detail"`
	Hint     string             `json:"hint,omitempty"`
	Instance string             `json:"instance,omitempty"`
	Errors   []exercise.Problem `json:"errors,omitempty"`

	Questions []Question    `json:"questions,omitempty"` // predictions to be made first
	Current   *RevisionLine `json:"current,omitempty"`   // the revision that an edit missed
	Draft     *OwnDraft     `json:"draft,omitempty"`     // the one that was kept meanwhile

	Refused []RosterRefusal `json:"refused,omitempty"` // rows of a roster
	Form    *check.Form     `json:"form,omitempty"`    // of arrays that do not have the form that is wanted
}

// SignIn asks for a session or a token.
type SignIn struct {
	Name     string `json:"name"`
	Password string `json:"password"`
	Label    string `json:"label,omitempty"`
}

// Token is a client's bearer token.
type Token struct {
	Token string `json:"token"`
	Me    Me     `json:"me"`
}

// Me is who is signed in.
type Me struct {
	Name     string      `json:"name"`
	Display  string      `json:"display"`
	Operator bool        `json:"operator"`
	CSRF     string      `json:"csrf,omitempty"`
	Courses  []CourseRef `json:"courses"`
	Engine   string      `json:"engine"` // the path of the page's engine that fits this service; "" without a console
}

// CourseRef is a course with one's role in it.
type CourseRef struct {
	Slug  string `json:"slug"`
	Title string `json:"title"`
	Role  string `json:"role" enum:"instructor,assistant,student"`

	Archived bool `json:"archived"`
	Empty    bool `json:"empty"` // nothing is published yet
}

// NewPerson asks for an account.
type NewPerson struct {
	Name     string `json:"name"`
	Display  string `json:"display"`
	Operator bool   `json:"operator,omitempty"`
	Email    string `json:"email,omitempty"`
	Number   string `json:"number,omitempty"`
}

// Person is an account.
type Person struct {
	Name    string `json:"name"`
	Display string `json:"display"`
	State   string `json:"state" enum:"active,left"`
	Link    *Link  `json:"link,omitempty"` // of a new account

	Email    string     `json:"email,omitempty"`
	Number   string     `json:"number,omitempty"`
	Operator bool       `json:"operator,omitempty"`
	Seen     *time.Time `json:"seen,omitempty"`
	Pending  bool       `json:"pending,omitempty"` // no password yet
}

// Link lets its holder choose a password, once. It is shown once.
type Link struct {
	Address string    `json:"address"` // "" where it goes out by mail
	Expires time.Time `json:"expires"`
	Mailed  string    `json:"mailed,omitempty"` // the address that it goes to
}

// NewLink asks for a link.
type NewLink struct {
	Forgotten bool `json:"forgotten,omitempty"` // all sign-ins end when it is used
	Show      bool `json:"show,omitempty"`      // answer it, even where it could be mailed
}

// SetState lets a person leave, or come back.
type SetState struct {
	State string `json:"state"`
}

// LinkSecret is the part of a link's address behind the #.
type LinkSecret struct {
	Secret string `json:"secret"`
}

// LinkFor says whose a link is.
type LinkFor struct {
	Name      string    `json:"name"`
	Display   string    `json:"display"`
	Forgotten bool      `json:"forgotten"`
	Expires   time.Time `json:"expires"`
}

// OpenLink uses a link up.
type OpenLink struct {
	Secret   string `json:"secret"`
	Password string `json:"password"`
}

// NewPassword changes one's own password.
type NewPassword struct {
	Before   string `json:"before"`
	Password string `json:"password"`
}

// SignIns are one's own sessions and tokens, newest first.
type SignIns struct {
	Sessions []SignInLine `json:"sessions"`
	Tokens   []SignInLine `json:"tokens"`
}

// SignInLine is where and how long somebody is signed in.
type SignInLine struct {
	ID      uint64     `json:"id"`
	Label   string     `json:"label"` // of a token
	Created time.Time  `json:"created"`
	Expires time.Time  `json:"expires"`
	Used    *time.Time `json:"used"` // the last time, to the minute
	Address string     `json:"address"`
	Current bool       `json:"current"` // the one that this request came by
}

// NewToken asks for a token.
type NewToken struct {
	Label string `json:"label"`
	Days  int    `json:"days"`
}

// OwnToken is a new token. It is shown once.
type OwnToken struct {
	Token string `json:"token"`
}

// Member is a person with their place in a course. The address, the number and when they were seen are for
// those who manage people.
type Member struct {
	Name    string     `json:"name"`
	Display string     `json:"display"`
	Role    string     `json:"role" enum:"instructor,assistant,student"`
	State   string     `json:"state" enum:"active,left"` // in the course
	Group   string     `json:"group"`                    // "" for none
	Groups  []string   `json:"groups"`                   // that an assistant is limited to; none: not limited
	Email   string     `json:"email,omitempty"`
	Number  string     `json:"number,omitempty"`
	Seen    *time.Time `json:"seen"`
	Pending bool       `json:"pending"` // they have not chosen a password yet
	Manages bool       `json:"manages"` // whoever asks may give them a new link and change their account
}

// SetRole asks for a role in a course.
type SetRole struct {
	Role string `json:"role" enum:"instructor,assistant,student"`
}

// SetMember changes a person's place in a course; what is left out stays.
type SetMember struct {
	Role   *string   `json:"role,omitempty" enum:"instructor,assistant,student"`
	Group  *string   `json:"group,omitempty"` // "" for none
	State  *string   `json:"state,omitempty" enum:"active,left"`
	Groups *[]string `json:"groups,omitempty"` // that an assistant is limited to; none: not limited
}

// SetPerson changes what an account says of its person; what is left out stays.
type SetPerson struct {
	Display *string `json:"display,omitempty"`
	Email   *string `json:"email,omitempty"`
	Number  *string `json:"number,omitempty"` // campus number; "" for none
}

// Members is a page of a course's people, by name. Next is the cursor of the next page,
// null on the last.
type Members struct {
	People []Member `json:"people"`
	Next   *string  `json:"next"`
	Total  *int64   `json:"total"` // on all pages together; on the first page alone
}

// People is a page of everybody's accounts, by name.
type People struct {
	People []Person `json:"people"`
	Next   *string  `json:"next"`
}

// Group is a group of a course, a lab section say.
type Group struct {
	Name   string `json:"name"`
	People int    `json:"people"`
}

// RosterPlan is what importing a roster would change, or has changed.
type RosterPlan struct {
	Source    RosterSource    `json:"source"`
	Rows      int             `json:"rows"`
	Added     []RosterChange  `json:"added"`   // to the course
	Changed   []RosterChange  `json:"changed"` // in the course before
	Unchanged int             `json:"unchanged"`
	Refused   []RosterRefusal `json:"refused"`
	Missing   []RosterPerson  `json:"missing"` // in the course and not in the file
	Done      bool            `json:"done"`    // it was written
	Links     []RosterLink    `json:"links"`   // of the accounts that were made, where none was mailed; shown once
	Mailed    int             `json:"mailed"`  // links that go out by mail
}

// RosterSource says what a roster was taken for.
type RosterSource struct {
	Format    string         `json:"format"`
	Encoding  string         `json:"encoding"`
	Separator string         `json:"separator"`
	Columns   []RosterColumn `json:"columns"`
	Ignored   []string       `json:"ignored"` // columns, or files of an archive
}

// RosterColumn is a column that was taken for a field.
type RosterColumn struct {
	Field  string `json:"field"`
	Header string `json:"header"`
}

// RosterChange is a row of a roster that adds somebody to the course or changes something about them.
type RosterChange struct {
	Row     int           `json:"row"`
	Name    string        `json:"name"`
	Display string        `json:"display"`
	Role    string        `json:"role" enum:"instructor,assistant,student"`
	Group   string        `json:"group"`
	Account bool          `json:"account"` // an account is made
	Fields  []FieldChange `json:"fields"`
}

// FieldChange is a field before and after.
type FieldChange struct {
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// RosterRefusal is a row of a roster that cannot be imported.
type RosterRefusal struct {
	Row     int    `json:"row"`
	Column  string `json:"column"` // "" where it concerns the row
	Value   string `json:"value"`
	Message string `json:"message"`
	Hint    string `json:"hint"`
}

// RosterPerson is somebody of the course who is not in the file.
type RosterPerson struct {
	Name    string `json:"name"`
	Display string `json:"display"`
	Role    string `json:"role" enum:"instructor,assistant,student"`
	Group   string `json:"group"`
	Leaves  bool   `json:"leaves"`
}

// RosterLink is the link of an account that an import made.
type RosterLink struct {
	Name    string    `json:"name"`
	Display string    `json:"display"`
	Group   string    `json:"group"`
	Address string    `json:"address"`
	Expires time.Time `json:"expires"`
}

// Gradebook is what the attempts of a course's students are worth, at a time.
type Gradebook struct {
	Course    string           `json:"course"`
	Title     string           `json:"title"`
	At        time.Time        `json:"at"`
	Takes     string           `json:"takes" enum:"best,last"`
	Exercises []GradedExercise `json:"exercises"`
	Rows      []GradeRow       `json:"rows"`
	Next      *string          `json:"next"` // the cursor of the page that follows
	Total     int              `json:"total"`
	Review    int              `json:"review"` // adjustments of which the verdict under them has changed
}

// GradedExercise is a column of the gradebook.
type GradedExercise struct {
	Name     string   `json:"name"`
	Title    string   `json:"title"`
	Possible float64  `json:"possible"`
	Opened   bool     `json:"opened"` // it counts in the totals
	Median   *float64 `json:"median"` // of those who tried
}

// GradeRow is a student with a grade for each exercise, in their order. Points are rounded to two decimals; exact is
// the fraction.
type GradeRow struct {
	Name     string   `json:"name"`
	Display  string   `json:"display"`
	Number   string   `json:"number"`
	Group    string   `json:"group"`
	State    string   `json:"state" enum:"active,left"`
	Grades   []Grade  `json:"grades"`
	Points   float64  `json:"points"`
	Exact    string   `json:"exact"`
	Possible float64  `json:"possible"`
	Percent  *float64 `json:"percent"` // null where nothing has opened, or all is excused
}

// Grade is what a student's attempts at one exercise are worth.
type Grade struct {
	Points   float64     `json:"points"`
	Exact    string      `json:"exact"`
	Attempt  *uint64     `json:"attempt"` // the one that counts
	Late     bool        `json:"late"`
	Excused  bool        `json:"excused"`
	Review   bool        `json:"review"` // the verdict under the adjustment has changed
	Adjusted *Adjustment `json:"adjusted"`
}

// Adjustment changes a grade by hand.
type Adjustment struct {
	Kind   string    `json:"kind" enum:"set,add,excused"`
	Points string    `json:"points"`
	Beyond bool      `json:"beyond"`
	Reason string    `json:"reason"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
	Earned float64   `json:"earned"` // the points without it
}

// PastAdjustment is an adjustment that holds, or that was withdrawn or replaced.
type PastAdjustment struct {
	Kind      string     `json:"kind" enum:"set,add,excused"`
	Points    string     `json:"points"`
	Beyond    bool       `json:"beyond"`
	Reason    string     `json:"reason"`
	By        string     `json:"by"`
	At        time.Time  `json:"at"`
	Withdrawn *time.Time `json:"withdrawn"`
}

// NewAdjustment asks for one, in the place of the one before.
type NewAdjustment struct {
	Kind   string `json:"kind" enum:"set,add,excused"`
	Points string `json:"points,omitempty"` // a decimal number; of excused none
	Beyond bool   `json:"beyond,omitempty"` // below 0, or above what is possible
	Reason string `json:"reason"`           // the student sees it
}

// NewExtension gives a person, or everybody of a group, another closing time or number of attempts.
type NewExtension struct {
	Person   string     `json:"person,omitempty"` // or
	Group    string     `json:"group,omitempty"`
	Exercise string     `json:"exercise,omitempty"` // none: all
	Closes   *time.Time `json:"closes,omitempty"`
	Attempts *int       `json:"attempts,omitempty"`
	Reason   string     `json:"reason"`
}

// Extension is an extension that was given.
type Extension struct {
	ID        uint64     `json:"id"`
	Person    string     `json:"person"` // "" for a group's
	Display   string     `json:"display"`
	Group     string     `json:"group"`
	Exercise  string     `json:"exercise"` // "" for all
	Closes    *time.Time `json:"closes"`
	Attempts  *int       `json:"attempts"`
	Reason    string     `json:"reason"`
	By        string     `json:"by"`
	Created   time.Time  `json:"created"`
	Withdrawn *time.Time `json:"withdrawn"`
}

// Extensions is a page of a course's extensions, newest first.
type Extensions struct {
	Extensions []Extension `json:"extensions"`
	Next       *uint64     `json:"next"`
}

// NewCourse makes an empty course.
type NewCourse struct {
	Slug       string `json:"slug"`
	Title      string `json:"title"`
	Instructor string `json:"instructor,omitempty"` // whoever asks, where none is named
}

// CopyCourse copies a course's newest revision under another name, without people, attempts and notes.
type CopyCourse struct {
	Slug  string `json:"slug"`
	Title string `json:"title,omitempty"` // the same, where none is given
	Shift string `json:"shift,omitempty"` // of every opening and closing time: "52w", "-3d", "36h"
}

// Copied is a course that was copied.
type Copied struct {
	Course   CourseRef `json:"course"`
	Revision int       `json:"revision"`
	Shifted  int       `json:"shifted"` // opening and closing times
}

// Archive says whether a course is archived: its students read, and nobody hands in.
type Archive struct {
	Archived bool `json:"archived"`
}

// CourseLine is a course in the operator's list.
type CourseLine struct {
	Slug     string     `json:"slug"`
	Title    string     `json:"title"`
	Revision int        `json:"revision"` // 0 while it is empty
	Students int        `json:"students"`
	Team     int        `json:"team"`
	Created  time.Time  `json:"created"`
	Archived *time.Time `json:"archived"`
}

// CourseLines is a page of all courses, by name in addresses.
type CourseLines struct {
	Courses []CourseLine `json:"courses"`
	Next    *string      `json:"next"`
}

// AuditLine is one line of the audit trail.
type AuditLine struct {
	ID      uint64    `json:"id"`
	At      time.Time `json:"at"`
	By      string    `json:"by"` // "" for the service itself
	Action  string    `json:"action"`
	Subject string    `json:"subject"`
	Detail  string    `json:"detail"`
}

// AuditTrail is a page of the audit trail, newest first.
type AuditTrail struct {
	Lines []AuditLine `json:"lines"`
	Next  *uint64     `json:"next"`
}

// Service says how the service is.
type Service struct {
	Version   string    `json:"version"`
	Go        string    `json:"go"`
	Database  string    `json:"database"` // its version
	Schema    int64     `json:"schema"`   // the newest migration
	Nodes     []Node    `json:"nodes"`
	Queue     int64     `json:"queue"`   // attempts that wait, re-checks with them
	Stuck     int64     `json:"stuck"`   // attempts without a verdict for good
	Workers   int       `json:"workers"` // processes that check
	Mail      MailState `json:"mail"`
	People    int64     `json:"people"`
	Courses   int64     `json:"courses"`
	StartedAt time.Time `json:"started_at"` // of the process that answers
}

// Node is a database node.
type Node struct {
	Address string `json:"address"`
	Serves  bool   `json:"serves"`
	Current bool   `json:"current"`
}

// MailState says how the mail is.
type MailState struct {
	Configured bool       `json:"configured"`
	Server     string     `json:"server"`
	Waiting    int64      `json:"waiting"`
	Failed     int64      `json:"failed"`
	Sent       int64      `json:"sent"`
	Oldest     *time.Time `json:"oldest"` // of those that wait
}

// Letter is a mail of the outbox, without its text.
type Letter struct {
	ID        uint64     `json:"id"`
	Recipient string     `json:"recipient"`
	Subject   string     `json:"subject"`
	State     string     `json:"state" enum:"waiting,sending,sent,failed"`
	Tries     int        `json:"tries"`
	Error     string     `json:"error"`
	Created   time.Time  `json:"created"`
	Due       time.Time  `json:"due"`
	Sent      *time.Time `json:"sent"`
}

// Outbox is a page of the outbox, newest first.
type Outbox struct {
	Letters []Letter `json:"letters"`
	Next    *uint64  `json:"next"`
}

// MailChoices are what reaches one by mail.
type MailChoices struct {
	Email string `json:"email"`
	Notes bool   `json:"notes"`

	Digest bool `json:"digest"` // of the courses that one teaches
	Knots  bool `json:"knots"`  // that grow in them
	Team   bool `json:"team"`   // one teaches a course
}

// SetMailChoices changes what reaches one by mail.
type SetMailChoices struct {
	Notes bool `json:"notes"`

	Digest *bool `json:"digest,omitempty"` // what is left out stays
	Knots  *bool `json:"knots,omitempty"`
}

// Calendar is the address of one's calendar. It is shown once.
type Calendar struct {
	Address string `json:"address"`
}

// Published is what publishing answers.
type Published struct {
	Course    string   `json:"course"`
	Title     string   `json:"title"`
	Revision  int      `json:"revision"`
	Unchanged bool     `json:"unchanged"`
	Exercises []string `json:"exercises"`

	Preview   bool            `json:"preview"` // nothing was stored
	Advice    []advice.Advice `json:"advice"`
	Survivors int             `json:"survivors"`
	Slips     int             `json:"slips"`
	Checked   int             `json:"checked"`   // attempts compared with the new revision
	Unchecked bool            `json:"unchecked"` // older ones were left out when the time was over
	Changes   []VerdictChange `json:"changes"`   // those whose verdict or points it changes; those that fall first
	Grades    []GradeChange   `json:"grades"`    // that change with them, those that fall first
	Rechecked int64           `json:"rechecked"` // attempts that are checked again
	Recheck   *uint64         `json:"recheck"`   // the job that does it
}

// Job is long work, with how far it is and what came of it. What came of it is in the field of its kind.
type Job struct {
	ID      uint64     `json:"id"`
	Kind    string     `json:"kind" enum:"publish,preview,probe,recheck"`
	Course  string     `json:"course"`
	State   string     `json:"state" enum:"waiting,running,done,failed,stopped"`
	Stage   string     `json:"stage"`
	Done    int64      `json:"done"`
	Total   int64      `json:"total"` // 0: nobody knows
	Created time.Time  `json:"created"`
	Ended   *time.Time `json:"ended"`

	Published *Published `json:"published,omitempty"` // of publish and preview
	Draft     *Draft     `json:"draft,omitempty"`     // of probe
	Rechecked *Rechecked `json:"rechecked,omitempty"` // of recheck
	Problem   *Problem   `json:"problem,omitempty"`   // why it failed
}

// Jobs is a list of jobs, newest first.
type Jobs struct {
	Jobs []Job `json:"jobs"`
}

// Rechecked is what a re-check came to.
type Rechecked struct {
	Revision  int      `json:"revision"`
	Exercises []string `json:"exercises"`
	Attempts  int64    `json:"attempts"`

	KeepBetter bool `json:"keep_better"` // the better of both verdicts counts for the grade
}

// Recheck asks for a re-check by the current revision.
type Recheck struct {
	Exercises []string `json:"exercises"` // none: all of the course

	KeepBetter bool `json:"keep_better,omitempty"` // the better of both verdicts counts for the grade
}

// Course is a course as one of its people sees it.
type Course struct {
	Slug      string         `json:"slug"`
	Title     string         `json:"title"`
	Role      string         `json:"role" enum:"instructor,assistant,student"`
	Counting  int            `json:"counting"`
	Revision  int            `json:"revision"` // 0 while nothing is published
	Archived  bool           `json:"archived"`
	Takes     string         `json:"takes" enum:"best,last"` // which attempt counts
	Exercises []ExerciseLine `json:"exercises"`
}

// ExerciseLine is an exercise in a list, with one's own state in it.
type ExerciseLine struct {
	Name   string     `json:"name"`
	Title  string     `json:"title"`
	Topics []string   `json:"topics"`
	State  string     `json:"state" enum:"soon,open,late,closed"`
	Opens  *time.Time `json:"opens"`
	Closes *time.Time `json:"closes"` // for whoever asks
	Points float64    `json:"points"`
	Mine   Mine       `json:"mine"`

	Grade    *Grade     `json:"grade"`    // what one's own attempts are worth; of students alone
	Until    *time.Time `json:"until"`    // late attempts are taken until then; null where none are
	Keeps    float64    `json:"keeps"`    // the share of the points that a late attempt keeps
	Extended bool       `json:"extended"` // whoever asks has more time or attempts than the others
	Reason   string     `json:"reason"`   // of the extension
}

// Mine is one's own state in an exercise.
type Mine struct {
	Attempts int      `json:"attempts"`
	Best     *float64 `json:"best"` // points of the best attempt
	Agrees   bool     `json:"agrees"`
	Verdict  *string  `json:"verdict" enum:"agrees,differs,failed,refused"` // of the newest attempt; null while it waits
	Newest   *uint64  `json:"newest"`
}

// Input is a declared input.
type Input struct {
	Name  string    `json:"name"`
	Axes  []*string `json:"axes"` // null when nothing is said of its shape
	Kind  string    `json:"kind" enum:"bool,int,real,complex"`
	Unit  string    `json:"unit"`
	About string    `json:"about"`
}

// Output is a declared output.
type Output struct {
	Name   string    `json:"name"`
	Axes   []*string `json:"axes"`
	Unit   string    `json:"unit"`
	Points float64   `json:"points"`

	Present string `json:"present"` // how it is drawn, "" for a table
	Title   string `json:"title"`
}

// Exercise is what the workspace shows.
type Exercise struct {
	ExerciseLine
	Course   string      `json:"course"`
	Archived bool        `json:"archived"`
	Counting int         `json:"counting"`
	Prompt   string      `json:"prompt"`
	Starter  string      `json:"starter"`
	Inputs   []Input     `json:"inputs"`
	Outputs  []Output    `json:"outputs"`
	Cases    []ShownCase `json:"cases"`
	Held     int         `json:"held"`
	Loops    string      `json:"loops" enum:"allow,warn,refuse"`
	Accepts  []string    `json:"accepts" enum:"program,results"`
	Own      *OwnData    `json:"own"`   // how data of one's own are given; null where arrays are for the shown cases
	Limit    int         `json:"limit"` // attempts one has; 0 for any number
	Asks     []Question  `json:"asks"`  // predictions still to be made
	Model    bool        `json:"model"` // the reference may be seen
	Counts   Counts      `json:"counts"`
	Last     *Attempt    `json:"last"`  // one's newest attempt
	Draft    *OwnDraft   `json:"draft"` // what one was writing last, on whatever device
}

// OwnData says how those who compute elsewhere are given data.
type OwnData struct {
	Cases   int      `json:"cases"`
	Within  int      `json:"within"` // seconds
	Formats []string `json:"formats"`
}

// Counts is what earns points beside outputs, and the rules that are kept; with the
// outputs' points it adds up to the exercise's.
type Counts struct {
	Steps       []CountedStep       `json:"steps"`
	Functions   []CountedFunction   `json:"functions"`
	Properties  []CountedProperty   `json:"properties"`
	Predictions []CountedPrediction `json:"predictions"`
	Rules       RulesKept           `json:"rules"`
}

// CountedStep is a named intermediate value.
type CountedStep struct {
	Name   string  `json:"name"`
	Points float64 `json:"points"`
}

// CountedFunction is a function that the program defines, with the calls it is asked.
type CountedFunction struct {
	Name   string   `json:"name"`
	Calls  []string `json:"calls"`
	Points float64  `json:"points"`
}

// CountedProperty is what must hold of the answer, in words.
type CountedProperty struct {
	Says   string  `json:"says"`
	Points float64 `json:"points"`
}

// CountedPrediction is a question with what one said, once one has.
type CountedPrediction struct {
	Question
	Points float64          `json:"points"`
	Said   *string          `json:"said"`
	Came   *check.Predicted `json:"came"`
}

// RulesKept are the rules on how an answer is written.
type RulesKept struct {
	Loops           string   `json:"loops" enum:"allow,warn,refuse"`
	Require         []string `json:"require"`
	Refuse          []string `json:"refuse"`
	InputsUnchanged bool     `json:"inputs_unchanged"`
	CostCells       float64  `json:"cost_cells"` // at most so many times the reference's; 0 for no bound
	CostStatements  float64  `json:"cost_statements"`
}

// HandIn is an attempt being handed in: a program, or arrays computed elsewhere, by case and output: for the cases of a
// ticket, or for the shown cases where the exercise draws no data of one's own.
type HandIn struct {
	Program string                            `json:"program,omitempty"`
	Results map[string]map[string]dataio.JSON `json:"results,omitempty"`
	Ticket  *uint64                           `json:"ticket,omitempty"` // whose data the arrays were computed from
	// The text that computed them, for the team to read.
	Source string `json:"source,omitempty"`

	// When it was written, where it waited on a device without a connection. The time it arrives is the one that counts.
	WrittenAt *time.Time `json:"written_at,omitempty"`
}

// OwnDraft is the text that somebody is writing for an exercise, kept for their other devices.
type OwnDraft struct {
	Program   string    `json:"program"`
	Version   int       `json:"version"`    // counts the texts that were kept; as sent: the one it was written from, or 0
	WrittenAt time.Time `json:"written_at"` // by the device's clock
}

// Ticket is data of one's own, on which arrays are handed in once.
type Ticket struct {
	ID       uint64      `json:"id"`
	Course   string      `json:"course"`
	Exercise string      `json:"exercise"`
	Expires  time.Time   `json:"expires"`
	Within   int         `json:"within"`  // seconds that are left
	Attempt  *uint64     `json:"attempt"` // what was handed in for it
	Cases    []ShownCase `json:"cases"`
}

// The forms of what is asked while a program is written are those of the page's engine.
type (
	// ShownCase is a case whose data students see.
	ShownCase = trying.ShownCase
	// Try is a program being tried, which nobody keeps.
	Try = trying.Try
	// Line is what one statement of a program gives.
	Line = trying.Line
	// Part is what one operator, call, selection or name in a program's text gave.
	Part = trying.Part
	// Lines are a program's statements.
	Lines = trying.Lines
	// Lineage is where one cell came from.
	Lineage = trying.Lineage
	// Origin is the cells of inputs that one cell was made from.
	Origin = trying.Origin
	// OriginLine is the cells on the way of what one statement made.
	OriginLine = trying.OriginLine
	// Runs are cells as runs of neighbours.
	Runs = trying.Runs
	// TraceCell asks where a cell came from, or what a cell of an input went into.
	TraceCell = trying.TraceCell
)

// Model is an exercise's reference, with what it gives on a shown case.
type Model struct {
	Program string `json:"program"`
	Case    string `json:"case"`            // "" where none is shown
	Lines   *Lines `json:"lines,omitempty"` // of that case
}

// Question is a prediction that is asked before the first attempt.
type Question struct {
	Ask  string `json:"ask"`
	Of   string `json:"of"`
	What string `json:"what" enum:"shape,kind,value,error"`
}

// Answers are a student's predictions, one for each question.
type Answers struct {
	Answers []string `json:"answers"`
}

// Answered says what came of predictions.
type Answered struct {
	Predictions []check.Predicted `json:"predictions"`
}

// Folder is a course folder's text files by path, with the revision they are of; 0 where
// they are of none.
type Folder struct {
	Files    map[string]string `json:"files"` // by path; a netCDF file as a data URL
	Revision int               `json:"revision,omitempty"`
}

// Skeleton is an exercise to begin from: its folder's files.
type Skeleton struct {
	Topic string            `json:"topic"`
	Title string            `json:"title"`
	Files map[string]string `json:"files"`
}

// Draft is what can be said of a course folder before it is published.
type Draft struct {
	Errors    []exercise.Problem `json:"errors"`
	Advice    []advice.Advice    `json:"advice"`
	Exercises []DraftExercise    `json:"exercises"`
	Stopped   bool               `json:"stopped"` // at the bound on time; exercises may be missing
}

// DraftExercise is an exercise with its health and its reference's results.
type DraftExercise struct {
	Name       string           `json:"name"`
	Title      string           `json:"title"`
	Topics     []string         `json:"topics"`
	Slips      int              `json:"slips"`
	Caught     int              `json:"caught"`
	Equivalent int              `json:"equivalent"`
	Survivors  []probe.Survivor `json:"survivors"`
	Cases      []DraftCase      `json:"cases"`

	Present map[string]string `json:"present"` // how outputs are drawn
}

// DraftCase is a case with its data and what the reference makes of it.
type DraftCase struct {
	Name    string                 `json:"name"`
	Shown   bool                   `json:"shown"`
	Expects string                 `json:"expects"`
	Inputs  map[string]dataio.JSON `json:"inputs"`
	Outputs map[string]dataio.JSON `json:"outputs"`
}

// RevisionLine is one publication of a course.
type RevisionLine struct {
	Number  int       `json:"number"`
	By      string    `json:"by"`
	At      time.Time `json:"at"`
	Current bool      `json:"current"`
}

// Revisions is a page of a course's revisions, newest first. Next is the cursor of the next
// page, null on the last.
type Revisions struct {
	Revisions []RevisionLine `json:"revisions"`
	Next      *int           `json:"next"`
}

// VerdictChange is an attempt whose verdict a revision changes.
type VerdictChange struct {
	Attempt  uint64 `json:"attempt"`
	Exercise string `json:"exercise"`
	Display  string `json:"display"`
	Before   string `json:"before" enum:"agrees,differs,failed,refused"`
	After    string `json:"after" enum:"agrees,differs,failed,refused"`

	Earned float64 `json:"earned"` // points before
	Now    float64 `json:"now"`    // and after
}

// GradeChange is a student's grade in an exercise that a new revision would change.
type GradeChange struct {
	Name     string  `json:"name"`
	Display  string  `json:"display"`
	Exercise string  `json:"exercise"`
	Before   float64 `json:"before"`
	After    float64 `json:"after"`
	Kept     float64 `json:"kept"` // after, where the better of both verdicts counts
	Possible float64 `json:"possible"`
}

// Attempt is an attempt and, once there is one, its verdict.
type Attempt struct {
	ID        uint64         `json:"id"`
	Course    string         `json:"course"`
	Exercise  string         `json:"exercise"`
	Person    string         `json:"person"`
	Display   string         `json:"display"`
	State     string         `json:"state" enum:"waiting,checking,checked,stuck"`
	HandedIn  time.Time      `json:"handed_in"`
	WrittenAt *time.Time     `json:"written_at"` // by the device on which it waited; null where it did not
	Late      bool           `json:"late"`       // it came after the closing time
	CheckedAt *time.Time     `json:"checked_at"`
	Program   string         `json:"program"`
	Verdict   *check.Verdict `json:"verdict"`
	Seconds   *float64       `json:"seconds"`

	Kept *KeptPoints `json:"kept,omitempty"` // where a re-check has kept better points than the verdict's

	// Of arrays that were computed elsewhere: whose data they are for, and the text that computed them.
	Kind   string  `json:"kind" enum:"program,results"`
	Ticket *uint64 `json:"ticket,omitempty"`
	Source string  `json:"source,omitempty"`
}

// KeptPoints are those of an earlier verdict, which count for the grade.
type KeptPoints struct {
	Earned   float64 `json:"earned"`
	Possible float64 `json:"possible"`
}

// AttemptLine is an attempt in a list.
type AttemptLine struct {
	ID         uint64     `json:"id"`
	Kind       string     `json:"kind" enum:"program,results"`
	Exercise   string     `json:"exercise"`
	Person     string     `json:"person"`
	Display    string     `json:"display"`
	State      string     `json:"state" enum:"waiting,checking,checked,stuck"`
	HandedIn   time.Time  `json:"handed_in"`
	Late       bool       `json:"late"`
	CheckedAt  *time.Time `json:"checked_at"`
	Verdict    *string    `json:"verdict" enum:"agrees,differs,failed,refused"`
	Earned     *float64   `json:"earned"`
	Possible   *float64   `json:"possible"`
	LeadCode   string     `json:"lead_code"`
	LeadSays   string     `json:"lead_says"` // the same in words
	LeadOutput string     `json:"lead_output"`
}

// Attempts is a page of attempts, newest first. Next is the cursor of the next
// page, null on the last.
type Attempts struct {
	Attempts []AttemptLine `json:"attempts"`
	Next     *uint64       `json:"next"`
}

// Arrays are the two sides of one output in one case, and got less expected.
type Arrays struct {
	Case       string       `json:"case"`
	Output     string       `json:"output"`
	Counting   int          `json:"counting"`
	Expected   dataio.JSON  `json:"expected"`
	Actual     *dataio.JSON `json:"actual"`
	Difference *dataio.JSON `json:"difference"` // null when shapes or kinds differ
	Agrees     *dataio.JSON `json:"agrees"`     // a mask: true where the element lies within tolerance
}

// Desk is the team's live view of a course.
type Desk struct {
	Course    string         `json:"course"`
	Title     string         `json:"title"`
	At        time.Time      `json:"at"`
	Students  int            `json:"students"`
	Attempts  int64          `json:"attempts"`
	Waiting   int64          `json:"waiting"`
	Stuck     int64          `json:"stuck"` // without a verdict after several tries; a fault of ours
	Exercises []DeskExercise `json:"exercises"`
	Knots     []Knot         `json:"knots"`
	Recent    []AttemptLine  `json:"recent"`
	Groups    []string       `json:"groups"` // that whoever asks is limited to; none: all of the course
}

// Quiet lists the students who have handed in nothing for some days at an exercise that is open: those who never have
// first, then the longest silent.
type Quiet struct {
	Days     int            `json:"days"`
	Open     int            `json:"open"` // exercises; with none nobody is quiet
	Students []QuietStudent `json:"students"`
	More     bool           `json:"more"` // there are more than are listed
}

// QuietStudent is a student who has gone quiet.
type QuietStudent struct {
	Name    string     `json:"name"`
	Display string     `json:"display"`
	Group   string     `json:"group"`
	Last    *time.Time `json:"last"`   // the newest attempt at an open exercise; null for none
	Tried   int        `json:"tried"`  // of the open exercises
	Agreed  int        `json:"agreed"` // of the open exercises
}

// DeskExercise counts students by the verdict of their newest attempt.
type DeskExercise struct {
	Name    string `json:"name"`
	Title   string `json:"title"`
	Agrees  int    `json:"agrees"`
	Differs int    `json:"differs"`
	Failed  int    `json:"failed"`
	Refused int    `json:"refused"`
	Waiting int    `json:"waiting"`
	Stuck   int    `json:"stuck"`
	None    int    `json:"none"` // students without an attempt
	Tries   int    `json:"tries"`

	Topics []string `json:"topics"`
}

// Knot is all open attempts of one exercise with one leading finding.
type Knot struct {
	Exercise string    `json:"exercise"`
	Code     string    `json:"code"`
	Says     string    `json:"says"` // the cause, or the finding, in words
	Output   string    `json:"output"`
	People   int       `json:"people"`
	Attempts []uint64  `json:"attempts"` // the newest of each person; at most 200, the newest of all
	Since    time.Time `json:"since"`
	Newest   time.Time `json:"newest"`

	Trend
	Tried int `json:"tried"` // students who have an attempt at the exercise
	Notes int `json:"notes"` // that stand, to this knot

	Evidence *KnotEvidence `json:"evidence,omitempty"` // of its newest attempt, where a cause leads it
}

// Event is what a desk's stream tells.
type Event struct {
	Kind    string  `json:"kind" enum:"attempt,verdict,revision,job,people,note,refresh"`
	Attempt *uint64 `json:"attempt"`
	Job     *uint64 `json:"job"`
}

// Word is a function of the notation, for completion.
type Word struct {
	Name      string `json:"name"`
	Topic     string `json:"topic"`
	Signature string `json:"signature"`
	Doc       string `json:"doc"`
	Example   string `json:"example"`
}

// Words is the function table, and the reserved words.
type Words struct {
	Functions []Word   `json:"functions"`
	Reserved  []string `json:"reserved"`
}
