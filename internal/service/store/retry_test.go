package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/assert"
)

// TestWhatIsRefusedIsRunAgain, and what is an answer is not.
func TestWhatIsRefusedIsRunAgain(t *testing.T) {
	ctx := context.Background()
	p := &pool{patience: 10 * time.Second}
	for _, refusal := range []error{
		&mysql.MySQLError{Number: 1213}, &mysql.MySQLError{Number: 1205}, &mysql.MySQLError{Number: 1047},
		&mysql.MySQLError{Number: 1180}, &mysql.MySQLError{Number: 1062, Message: "Duplicate entry '7' for key 'PRIMARY'"},
		driver.ErrBadConn, mysql.ErrInvalidConn,
	} {
		runs := 0
		assert.NoError(t, p.again(ctx, func() error {
			if runs++; runs < 3 {
				return refusal
			}
			return nil
		}), "%v", refusal)
		assert.Equal(t, 3, runs, "%v", refusal)
	}
	runs := 0
	taken := &mysql.MySQLError{Number: 1062, Message: "Duplicate entry 'ada' for key 'people_name'"}
	assert.ErrorIs(t, p.again(ctx, func() error { runs++; return taken }), taken)
	assert.Equal(t, 1, runs)

	impatient := &pool{patience: time.Millisecond}
	err := impatient.again(ctx, func() error { return &mysql.MySQLError{Number: 1213} })
	assert.ErrorIs(t, err, ErrBusy)
	gone, cancel := context.WithCancel(ctx)
	cancel()
	err = p.again(gone, func() error { return &mysql.MySQLError{Number: 1213} })
	assert.True(t, errors.Is(err, context.Canceled))
}

// TestAddressesOfACluster are told apart at commas, but not at those of a password.
func TestAddressesOfACluster(t *testing.T) {
	const a, b, c = "n:x@tcp(127.0.0.1:1)/kelp", "n:y,z@tcp(127.0.0.1:2)/kelp", "n:x@unix(/tmp/s.sock)/kelp"
	assert.Equal(t, []string{a}, addresses(a))
	assert.Equal(t, []string{a, b, c}, addresses(a+","+b+","+c))
	assert.Equal(t, []string{"n:y,z@tcp(127.0.0.1:2)/kelp"}, addresses(b))
	assert.Equal(t, []string{""}, addresses(""))
}
