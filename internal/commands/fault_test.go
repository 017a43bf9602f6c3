package commands

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

type panicking struct{}

func (panicking) Read([]byte) (int, error) { panic("a reader that fails") }

// TestAFaultEndsACommandWithAWord lets what a command reads panic.
func TestAFaultEndsACommandWithAWord(t *testing.T) {
	var out, errOut bytes.Buffer
	assert.Equal(t, exitUnreachable, Main([]string{"evaluate", "-"}, panicking{}, &out, &errOut))
	assert.Contains(t, errOut.String(), "a reader that fails")
	assert.Contains(t, errOut.String(), "Please report it")
	assert.Contains(t, errOut.String(), "commands", "the stack says where")
	out.Reset()
	assert.Equal(t, exitDone, Main([]string{"evaluate", "-"}, strings.NewReader("x = 1"), &out, &errOut))
	assert.Contains(t, out.String(), "x")
}
