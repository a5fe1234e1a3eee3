package localdb

import (
	"context"
	"database/sql"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Data survives a server that was killed, a second start is refused while the first runs, and nothing that the crash
// left blocks the next start.
func TestStartAfterACrash(t *testing.T) {
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	first, err := Start(ctx, dir, Options{Durable: true})
	require.NoError(t, err)
	query(t, first, "CREATE TABLE kept (n INT)")
	query(t, first, "INSERT INTO kept VALUES (42)")
	_, err = Start(ctx, dir, Options{})
	require.ErrorIs(t, err, ErrInUse)

	require.NoError(t, first.cmd.Process.Signal(syscall.SIGKILL))
	<-first.done
	first.lock.Close() // as the end of the process would

	second, err := Start(ctx, dir, Options{Durable: true})
	require.NoError(t, err)
	defer second.Stop()
	require.Equal(t, 42, query(t, second, "SELECT n FROM kept"))
}

// A server that outlived its program is ended by the next start.
func TestStartEndsALeftover(t *testing.T) {
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	first, err := Start(ctx, dir, Options{})
	require.NoError(t, err)
	first.lock.Close() // the program is gone, the server is not
	second, err := Start(ctx, dir, Options{})
	require.NoError(t, err)
	defer second.Stop()
	select {
	case <-first.done:
	default:
		t.Fatal("the leftover still runs")
	}
}

// The password guards the server.
func TestPasswordIsNeeded(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	s, err := Start(ctx, t.TempDir(), Options{})
	require.NoError(t, err)
	defer s.Stop()
	s.pass = "guess"
	db, err := sql.Open("mysql", s.DSN("dogbane"))
	require.NoError(t, err)
	defer db.Close()
	require.Error(t, db.Ping())
}

func query(t *testing.T, s *Server, statement string) (n int) {
	t.Helper()
	db, err := sql.Open("mysql", s.DSN("dogbane"))
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.Query(statement)
	require.NoError(t, err)
	defer rows.Close()
	for rows.Next() {
		require.NoError(t, rows.Scan(&n))
	}
	require.NoError(t, rows.Err())
	return n
}
