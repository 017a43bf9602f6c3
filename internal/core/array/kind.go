package array

// Kind is the kind of an array's cells, ordered from narrow to wide.
type Kind uint8

// The four kinds, narrow to wide.
const (
	Bool Kind = iota
	Int
	Real
	Complex
)

var kindNames = [...]string{"bool", "int", "real", "complex"}

// String returns the kind's word in the notation.
func (k Kind) String() string { return kindNames[k] }

// ParseKind returns the kind a word of the notation names.
func ParseKind(word string) (Kind, bool) {
	for k, name := range kindNames {
		if name == word {
			return Kind(k), true
		}
	}
	return 0, false
}

// Wider returns the wider of two kinds.
func Wider(a, b Kind) Kind { return max(a, b) }

// CellBytes is the size in bytes of one cell of the kind.
func (k Kind) CellBytes() int64 {
	switch k {
	case Bool:
		return 1
	case Complex:
		return 16
	default:
		return 8
	}
}
