package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"testing"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"
)

// Numbers and names of the errors: MariaDB's list of error codes.
func TestWhatAnErrorSaysOfTheDatabase(t *testing.T) {
	for want, errs := range map[string][]error{
		away: {driver.ErrBadConn, mysql.ErrInvalidConn, io.ErrUnexpectedEOF,
			&net.OpError{Op: "dial", Err: errors.New("connection refused")}, &mysql.MySQLError{Number: 1053},
			&mysql.MySQLError{Number: 1047}},
		diskFull: {&mysql.MySQLError{Number: 1021}, &mysql.MySQLError{Number: 1114}},
		readOnly: {&mysql.MySQLError{Number: 1290}, &mysql.MySQLError{Number: 1036}},
		"": {errors.New("else"), &mysql.MySQLError{Number: 1062}, &mysql.MySQLError{Number: 1213}, context.Canceled,
			fmt.Errorf("%w", context.DeadlineExceeded)},
	} {
		for _, err := range errs {
			require.Equal(t, want, outageOf(fmt.Errorf("do something: %w", err)), err.Error())
		}
	}
	s := &Store{}
	first := s.noted(driver.ErrBadConn)
	second := s.noted(&mysql.MySQLError{Number: 1021})
	var a, b *Outage
	require.ErrorAs(t, first, &a)
	require.ErrorAs(t, second, &b)
	require.Equal(t, a.Since, b.Since, "since the first of them")
	require.Equal(t, diskFull, s.Outage().Reason)
}
