package localdb

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Data survives a server that was killed, a second start is refused while the first runs, and nothing that the crash
// left blocks the next start.
func TestStartAfterACrash(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	first, err := Start(ctx, dir, Options{Durable: true})
	require.NoError(t, err)
	query(t, first, "CREATE TABLE kept (n INT)")
	query(t, first, "INSERT INTO kept VALUES (42)")
	_, err = Start(ctx, dir, Options{})
	require.ErrorIs(t, err, ErrInUse)

	first.forsake()
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
	t.Parallel()
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	first, err := Start(ctx, dir, Options{})
	require.NoError(t, err)
	first.forsake()
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

// Servers that are set up in the same moment do not take each other's temporary tables.
func TestManyAreSetUpAtOnce(t *testing.T) {
	t.Parallel()
	ctx, cancel := context.WithTimeout(t.Context(), 4*time.Minute)
	defer cancel()
	var all sync.WaitGroup
	for n := range 3 {
		dir := t.TempDir()
		all.Go(func() {
			for range 2 {
				s, err := Start(ctx, filepath.Join(dir, strconv.Itoa(n)), Options{})
				if assert.NoError(t, err) {
					s.Stop()
				}
				assert.NoError(t, os.RemoveAll(dir))
			}
		})
	}
	all.Wait()
}

// forsake is the end of the program that watches the server.
func (s *Server) forsake() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.ending = true
}

// A server that dies by itself runs again after a moment, on the same port, with its data; until then it says since
// when it does not, and why.
func TestAServerThatDiesIsStartedAgain(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	s, err := Start(ctx, dir, Options{Durable: true})
	require.NoError(t, err)
	defer s.Stop()
	query(t, s, "CREATE TABLE kept (n INT)")
	query(t, s, "INSERT INTO kept VALUES (42)")
	for range 3 {
		require.Nil(t, s.Down())
		before := time.Now()
		s.mu.Lock()
		require.NoError(t, s.cmd.Process.Signal(syscall.SIGKILL))
		s.mu.Unlock()
		require.Eventually(t, func() bool { return s.Down() != nil }, 10*time.Second, time.Millisecond)
		require.False(t, s.Down().Since.Before(before))
		require.Eventually(t, func() bool { d := s.Down(); return d == nil || d.Why == "its process ended" }, 10*time.Second,
			time.Millisecond)
		require.Eventually(t, func() bool { return s.Down() == nil }, time.Minute, 10*time.Millisecond)
		require.Equal(t, 42, query(t, s, "SELECT n FROM kept"))
	}
}

// What the server's log says of its end is told in words.
func TestWhyItEnded(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := &Server{dir: dir}
	require.Equal(t, "it was ended", s.reason())
	for log, why := range map[string]string{
		"[ERROR] InnoDB: Write to file ./ibdata1 failed: OS error 28: No space left on device\n": "the disk is full",
		"[ERROR] Can't create/write to file (Errcode: 30 \"Read-only file system\")\n":           "its disk can only be read",
		"[Note] mariadbd: ready for connections.\n":                                              "its process ended",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "err.log"), []byte(strings.Repeat("x", 9000)+log), 0o600))
		require.Equal(t, why, s.reason())
	}
}

// A set-up that was killed in the middle, children and all, is begun anew by the next start: each time.
func TestASetUpThatIsKilledIsBegunAnew(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	for _, after := range []time.Duration{5, 60, 150, 400, 900, 1500} {
		ctx, cancel := context.WithTimeout(t.Context(), after*time.Millisecond)
		s, err := Start(ctx, dir, Options{})
		cancel()
		if err == nil {
			s.Stop()
			require.NoError(t, os.Remove(filepath.Join(dir, "ready")))
		}
	}
	// The installer itself is gone, a child of it goes on.
	child := exec.Command("sh", "-c", "sleep 30; :", "--datadir="+filepath.Join(dir, "data"))
	require.NoError(t, child.Start())
	go func() { _ = child.Wait() }()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	s, err := Start(ctx, dir, Options{})
	require.NoError(t, err)
	defer s.Stop()
	query(t, s, "CREATE TABLE fine (n INT)")
}

// The password guards the server.
func TestPasswordIsNeeded(t *testing.T) {
	t.Parallel()
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

// Nobody but the program gets in: neither by the accounts that the installer leaves, nor by those that a folder set up
// earlier still has, over TCP or the socket, as whoever is signed in to this machine.
func TestNobodyElseGetsIn(t *testing.T) {
	if port := os.Getenv("DOGBANE_TEST_KNOCK"); port != "" { // this is the other user
		knock(port, os.Getenv("DOGBANE_TEST_SOCKET"))
		return
	}
	t.Parallel()
	dir := t.TempDir()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	defer cancel()
	s, err := Start(ctx, dir, Options{})
	require.NoError(t, err)
	for _, more := range []string{`INSERT INTO mysql.global_priv VALUES ('127.0.0.1', 'root',
		'{"access":18446744073709551615,"plugin":"mysql_native_password","authentication_string":""}')`,
		"FLUSH PRIVILEGES", "CREATE USER root@localhost IDENTIFIED VIA unix_socket", "CREATE USER ''@localhost", "CREATE USER nobody@'%'"} {
		query(t, s, more)
	}
	s.Stop()
	s, err = Start(ctx, dir, Options{})
	require.NoError(t, err)
	defer s.Stop()
	require.Equal(t, 2, query(t, s, "SELECT COUNT(*) FROM mysql.global_priv"), "the program's account and the server's own")

	ask := exec.CommandContext(ctx, os.Args[0], "-test.run", "^TestNobodyElseGetsIn$")
	ask.Env = []string{"DOGBANE_TEST_KNOCK=" + strconv.Itoa(s.port), "DOGBANE_TEST_SOCKET=" + s.socket()}
	if os.Getuid() == 0 { // as somebody else, with a copy that they may run
		open, err := os.MkdirTemp("", "")
		require.NoError(t, err)
		defer os.RemoveAll(open)
		require.NoError(t, os.Chmod(open, 0o755))
		program, err := os.ReadFile(os.Args[0])
		require.NoError(t, err)
		ask.Path, ask.Dir = filepath.Join(open, "knock"), open
		require.NoError(t, os.WriteFile(ask.Path, program, 0o755))
		ask.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
	}
	said, err := ask.CombinedOutput()
	require.NoError(t, err, string(said))
	require.Contains(t, string(said), "10 doors")
	require.NotContains(t, string(said), "open:")
}

// knock tries every account that there might be and says which let it in.
func knock(port, socket string) {
	doors := 0
	for _, user := range []string{"root", "", "nobody", "mysql", "dogbane"} {
		for _, at := range []string{"tcp(127.0.0.1:" + port + ")", "unix(" + socket + ")"} {
			db, err := sql.Open("mysql", user+"@"+at+"/")
			if err == nil {
				err = db.Ping()
			}
			if doors++; err == nil {
				fmt.Println("open:", user, at)
			}
		}
	}
	fmt.Println(doors, "doors")
}
