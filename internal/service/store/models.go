package store

import "time"

// Person is anyone who can sign in.
type Person struct {
	ID           uint64
	Name         string // what they sign in with
	Display      string
	PasswordHash string // "" until they have chosen one
	Operator     bool
	State        PersonState `gorm:"default:active"`
	Email        string
	Number       *string // campus number
	SeenAt       *time.Time
	MailNotes    bool // notes reach them by mail too
	MailDigest   bool `gorm:"default:true"` // as digests, and knots that grow, of the courses that they teach
	MailKnots    bool
	CalendarHash []byte // of the secret in their calendar's address
	CreatedAt    time.Time
}

// Session is a console's sign-in. The secret itself is never stored.
type Session struct {
	ID         uint64
	SecretHash []byte
	PersonID   uint64
	CSRF       string `gorm:"column:csrf"`
	CreatedAt  time.Time
	ExpiresAt  time.Time
	Address    string
}

// Token is a client's sign-in.
type Token struct {
	ID         uint64
	SecretHash []byte
	PersonID   uint64
	Label      string
	CreatedAt  time.Time
	ExpiresAt  time.Time
	Address    string
}

// Role is what a person is in a course.
type Role string

// The roles in a course.
const (
	Instructor Role = "instructor"
	Assistant  Role = "assistant"
	Student    Role = "student"
)

// Membership gives a person a role in a course.
type Membership struct {
	CourseID  uint64 `gorm:"primaryKey"`
	PersonID  uint64 `gorm:"primaryKey"`
	Role      Role
	State     PersonState `gorm:"default:active"` // in the course
	GroupName string
	CreatedAt time.Time
}

// Course is a course; one without a current revision is empty.
type Course struct {
	ID                uint64
	Slug              string
	Title             string
	CurrentRevisionID *uint64
	ArchivedAt        *time.Time // since when nobody hands in any more
	CreatedAt         time.Time

	// Extended says that whom the course was found for has an extension in it: read by CourseFor alone.
	Extended bool `gorm:"->"`
}

// Revision is one publication of a course; it never changes. Source is the
// course folder as a zip archive.
type Revision struct {
	ID          uint64
	CourseID    uint64
	Number      int
	Source      []byte
	SourceHash  []byte
	PublishedBy *uint64
	CreatedAt   time.Time
}

// State says where an attempt is on its way to a verdict.
type State string

// The states of an attempt. Stuck means that checking ended without a verdict too often,
// by a fault, a killed process or for want of seconds; the team is told.
const (
	Waiting  State = "waiting"
	Checking State = "checking"
	Checked  State = "checked"
	Stuck    State = "stuck"
)

// Attempt is one program handed in.
type Attempt struct {
	ID           uint64
	CourseID     uint64
	RevisionID   uint64
	Exercise     string
	Kind         string // program or results
	PersonID     uint64
	Number       int // which of the person's attempts at the exercise it is, from 1
	Program      string
	Results      *string // arrays by case and output, as JSON: of attempts from before there were tickets
	Arrays       *string // the digest of the arrays
	TicketID     *uint64 // whose data the arrays were computed from; nil for the shown cases
	Source       *string // the text that computed them, which is never run
	State        State
	Behind       bool       // it is checked again, behind those handed in
	Due          *time.Time // its place in the line of its course
	RepeatKey    *string
	Tries        int
	ClaimedUntil *time.Time
	Late         bool // it came after the closing time that its person had
	CreatedAt    time.Time
	WrittenAt    *time.Time // by the clock of the device on which it waited; nil where it did not wait
}

// Prediction is what a student said before the first attempt.
type Prediction struct {
	PersonID  uint64 `gorm:"primaryKey"`
	CourseID  uint64 `gorm:"primaryKey"`
	Exercise  string `gorm:"primaryKey"`
	Ordinal   int    `gorm:"primaryKey"`
	Answer    string
	IsRight   bool
	CreatedAt time.Time
}

// Verdict is what checking said of an attempt. Body is the whole of it as JSON.
type Verdict struct {
	AttemptID  uint64 `gorm:"primaryKey"`
	CourseID   uint64
	Exercise   string
	PersonID   uint64
	Verdict    string
	Earned     float64
	Possible   float64
	LeadCode   string
	LeadOutput string
	OpenCode   string // the first finding that a student may see whatever the policy
	OpenOutput string
	FromCause  bool // LeadCode is a cause's
	Body       string
	Seconds    float64
	CreatedAt  time.Time
}

// Finding is one finding of a verdict, for counting.
type Finding struct {
	ID        uint64
	AttemptID uint64
	Ordinal   int
	Code      string
	CaseName  string
	Output    string
	Message   string
}

// Change tells every process that something happened.
type Change struct {
	ID        uint64
	CourseID  *uint64 // where it concerns a course
	AttemptID *uint64
	Subject   *uint64 // a job; the person whose sign-ins are revoked; of an attempt 1 where its process checks it itself
	Kind      string  // attempt, verdict, revision, job, people or revoked
	CreatedAt time.Time
}

// AuditLine is one line of the trail, which only grows.
type AuditLine struct {
	ID        uint64
	PersonID  *uint64
	Action    string
	Subject   string
	Detail    string
	CreatedAt time.Time
}

// TableName names the audit trail's table.
func (AuditLine) TableName() string { return "audit" }
