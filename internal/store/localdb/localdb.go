// Package localdb runs a private MariaDB server on loopback in a folder of its own: the start command keeps its data
// there, the tests throw theirs away. It knows nothing of what is stored.
package localdb

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"sync"
	"syscall"
	"time"

	"github.com/cenkalti/backoff/v5"
	_ "github.com/go-sql-driver/mysql" // the driver that Server.DSN is for
)

// Where Debian's package mariadb-server-core puts its programs.
const (
	serverProgram  = "/usr/sbin/mariadbd"
	installProgram = "/usr/bin/mariadb-install-db"
)

// Server is a running MariaDB server. Should its process end by itself it is started again, with growing pauses.
type Server struct {
	dir     string
	port    int
	pass    string
	options Options
	lock    *os.File

	mu      sync.Mutex // guards what follows
	cmd     *exec.Cmd
	done    chan struct{} // closed when the server's process has ended
	down    *Down
	ending  bool
	stopped chan struct{} // closed when nobody watches the process any more
}

// Down says since when a server does not run, and why as far as its log tells.
type Down struct {
	Since time.Time
	Why   string
}

// Down is nil while the server runs.
func (s *Server) Down() *Down {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.down
}

// Options of a server.
type Options struct {
	Durable bool // survive power loss; tests do without
}

// ErrInUse says that another process runs a server in the folder.
var ErrInUse = errors.New("the data folder is in use by another Dogbane")

// Start runs a server with its data in dir, which it creates and sets up when empty, and returns once the server
// answers. Whatever an earlier, crashed run left behind is cleared away first. The server ends with this process.
func Start(ctx context.Context, dir string, options Options) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, fmt.Errorf("find the data folder: %w", err)
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	s := &Server{dir: dir, options: options, stopped: make(chan struct{})}
	if s.lock, err = os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, fmt.Errorf("open the lock of the data folder: %w", err)
	}
	if err := syscall.Flock(int(s.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		s.lock.Close()
		return nil, fmt.Errorf("%s: %w", dir, ErrInUse)
	}
	if err := s.start(ctx); err != nil {
		s.lock.Close()
		return nil, err
	}
	go s.watch()
	return s, nil
}

// watch starts the server again whenever its process ends by itself.
func (s *Server) watch() {
	defer close(s.stopped)
	pauses := &backoff.ExponentialBackOff{InitialInterval: 250 * time.Millisecond, Multiplier: 2,
		MaxInterval: 30 * time.Second}
	pauses.Reset()
	for {
		s.mu.Lock()
		done := s.done
		s.mu.Unlock()
		began := time.Now()
		<-done
		s.mu.Lock()
		if s.ending {
			s.mu.Unlock()
			return
		}
		if s.down == nil {
			s.down = &Down{Since: time.Now()}
		}
		s.down.Why = s.reason()
		s.mu.Unlock()
		if time.Since(began) > time.Minute {
			pauses.Reset()
		}
		pause := pauses.NextBackOff()
		slog.Error("MariaDB has ended by itself; it is started again", "why", s.Down().Why, "pause", pause)
		for wait := time.Now().Add(pause); time.Now().Before(wait); time.Sleep(20 * time.Millisecond) {
			s.mu.Lock()
			ending := s.ending
			s.mu.Unlock()
			if ending {
				return
			}
		}
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
		err := s.launch(ctx)
		cancel()
		if err != nil {
			slog.Error("MariaDB does not start", "error", err)
			continue // its process has ended, or there is none: the next pause is longer
		}
		s.mu.Lock()
		down := s.down
		s.down = nil
		s.mu.Unlock()
		slog.Info("MariaDB runs again", "away", time.Since(down.Since).Round(time.Millisecond))
	}
}

// reason is what the end of the server's log says of why it ended.
func (s *Server) reason() string {
	text, err := os.ReadFile(filepath.Join(s.dir, "err.log"))
	if err != nil {
		return "it was ended"
	}
	text = text[max(0, len(text)-8000):]
	switch {
	case bytes.Contains(text, []byte("No space left on device")) || bytes.Contains(text, []byte("Disk is full")):
		return "the disk is full"
	case bytes.Contains(text, []byte("Read-only file system")):
		return "its disk can only be read"
	}
	return "its process ended"
}

func (s *Server) start(ctx context.Context) error {
	if err := s.endLeftovers(); err != nil {
		return err
	}
	if err := os.MkdirAll(s.temporary(), 0o700); err != nil {
		return fmt.Errorf("make the server's folder for temporary tables: %w", err)
	}
	data := filepath.Join(s.dir, "data")
	if _, err := os.Stat(filepath.Join(s.dir, "ready")); err != nil {
		// Not there, or a set-up that broke off: begin anew.
		if err := os.RemoveAll(data); err != nil {
			return fmt.Errorf("clear a broken data folder: %w", err)
		}
		if err := s.install(ctx, data); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(s.dir, "ready"), nil, 0o600); err != nil {
			return fmt.Errorf("mark the data folder as set up: %w", err)
		}
	}
	if err := s.password(); err != nil {
		return err
	}
	var err error
	if s.port, err = freePort(); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(s.dir, "port"), []byte(strconv.Itoa(s.port)), 0o600); err != nil {
		return fmt.Errorf("keep the port: %w", err)
	}
	return s.launch(ctx)
}

// install sets a data folder up. The installer is a script with children of its own: they end with it.
func (s *Server) install(ctx context.Context, data string) error {
	cmd := exec.CommandContext(ctx, installProgram, "--no-defaults", "--datadir="+data, "--tmpdir="+s.temporary(),
		"--user="+currentUser(), "--auth-root-authentication-method=normal", "--skip-test-db")
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = 5 * time.Second
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("set up a MariaDB data folder: %w\n%s", err, out)
	}
	return nil
}

// launch starts the server's process on its port and waits until it answers.
func (s *Server) launch(ctx context.Context) error {
	data := filepath.Join(s.dir, "data")
	init := filepath.Join(s.dir, "init.sql")
	// The installer leaves accounts without a password (root from this machine's addresses): anybody with a login here
	// could use them. They go before the server takes connections, at every start, so that folders set up earlier are
	// mended too.
	statements := fmt.Sprintf("CREATE USER IF NOT EXISTS dogbane@'127.0.0.1';\nALTER USER dogbane@'127.0.0.1' IDENTIFIED BY '%s';\n"+
		"GRANT ALL ON *.* TO dogbane@'127.0.0.1';\n"+
		"DELETE FROM mysql.global_priv WHERE User <> 'mariadb.sys' AND NOT (User = 'dogbane' AND Host = '127.0.0.1');\n"+
		"DELETE FROM mysql.db WHERE NOT (User = 'dogbane' AND Host = '127.0.0.1');\n"+
		"DELETE FROM mysql.proxies_priv;\nFLUSH PRIVILEGES;\n"+
		"CREATE DATABASE IF NOT EXISTS dogbane CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_520_ci;\n", s.pass)
	if err := os.WriteFile(init, []byte(statements), 0o600); err != nil {
		return fmt.Errorf("write the server's first statements: %w", err)
	}
	args := []string{"--no-defaults", "--user=" + currentUser(), "--datadir=" + data,
		"--tmpdir=" + s.temporary(), "--socket=" + s.socket(), "--pid-file=" + filepath.Join(s.dir, "pid"),
		"--bind-address=127.0.0.1", "--port=" + strconv.Itoa(s.port), "--skip-networking=OFF",
		"--skip-name-resolve", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_520_ci",
		"--default-time-zone=+00:00",
		"--sql-mode=STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION",
		"--max-allowed-packet=64M", "--skip-log-bin", "--performance-schema=OFF",
		"--log-error=" + filepath.Join(s.dir, "err.log"), "--init-file=" + init}
	if s.options.Durable {
		args = append(args, "--innodb-flush-log-at-trx-commit=1", "--innodb-doublewrite=1", "--innodb-flush-method=O_DIRECT",
			"--innodb-buffer-pool-size=512M")
	} else {
		args = append(args, "--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0", "--innodb-flush-method=nosync")
	}
	cmd, done := exec.Command(serverProgram, args...), make(chan struct{})
	// Ctrl+C reaches this process alone, which ends the server last; should it die, the kernel ends the server.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	started := make(chan error)
	go func() {
		// The death signal is tied to the thread that started the child: that thread has to live as long.
		runtime.LockOSThread()
		started <- cmd.Start()
		if cmd.Process != nil {
			_ = cmd.Wait()
		}
		close(done)
	}()
	err := <-started
	s.mu.Lock()
	s.cmd, s.done = cmd, done
	ending := s.ending
	s.mu.Unlock()
	switch {
	case err != nil:
		return fmt.Errorf("start MariaDB: %w", err)
	case ending:
		s.end()
		return errors.New("start MariaDB: it is being stopped")
	}
	slog.Debug("MariaDB starting", "dir", s.dir, "port", s.port)
	return s.awaitReady(ctx, done)
}

// temporary is the folder of the server's temporary tables. A server that starts clears away those that it finds in
// its folder, whoever's they are: two servers that shared one would take them from each other.
func (s *Server) temporary() string { return filepath.Join(s.dir, "tmp") }

// socket is the server's socket; its path must be short, so it stands in the temporary folder when dir is deep.
func (s *Server) socket() string {
	path := filepath.Join(s.dir, "s.sock")
	if len(path) > 100 {
		return filepath.Join(os.TempDir(), fmt.Sprintf("dogbane-%d.sock", s.port))
	}
	return path
}

// password keeps one generated password per data folder.
func (s *Server) password() error {
	file := filepath.Join(s.dir, "password")
	if known, err := os.ReadFile(file); err == nil && len(known) > 0 {
		s.pass = string(known)
		return nil
	}
	random := make([]byte, 24)
	if _, err := rand.Read(random); err != nil {
		return fmt.Errorf("make a password: %w", err)
	}
	s.pass = hex.EncodeToString(random)
	if err := os.WriteFile(file, []byte(s.pass), 0o600); err != nil {
		return fmt.Errorf("keep the password: %w", err)
	}
	return nil
}

// endLeftovers ends whatever an earlier run left behind that works in this data folder: a server, or the installer's
// children. This process holds the folder's lock, so nobody else can be using it.
func (s *Server) endLeftovers() error {
	told := map[int]bool{}
	for try := range 400 {
		pids := s.using()
		if len(pids) == 0 {
			return nil
		}
		for _, pid := range pids {
			switch {
			case !told[pid]:
				slog.Info("ending a database process that an earlier run left behind", "pid", pid)
				_ = syscall.Kill(pid, syscall.SIGTERM)
				told[pid] = true
			case try > 300:
				_ = syscall.Kill(pid, syscall.SIGKILL)
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	return fmt.Errorf("processes of an earlier run use the data folder %s and do not end", s.dir)
}

// using are the processes that were told to work in this data folder.
func (s *Server) using() []int {
	mark := []byte("--datadir=" + filepath.Join(s.dir, "data") + "\x00")
	files, _ := filepath.Glob("/proc/[0-9]*/cmdline")
	var pids []int
	for _, file := range files {
		line, err := os.ReadFile(file)
		if err != nil || !bytes.Contains(append(line, 0), mark) {
			continue
		}
		pid, err := strconv.Atoi(filepath.Base(filepath.Dir(file)))
		if err == nil && pid != os.Getpid() && !ended(pid) {
			pids = append(pids, pid)
		}
	}
	return pids
}

// ended reports whether a process is one that only waits to be noticed.
func ended(pid int) bool {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	_, state, found := bytes.Cut(text, []byte(") "))
	return err != nil || found && len(state) > 0 && (state[0] == 'Z' || state[0] == 'X')
}

func (s *Server) awaitReady(ctx context.Context, done chan struct{}) error {
	for {
		select {
		case <-done:
			log, _ := os.ReadFile(filepath.Join(s.dir, "err.log"))
			return fmt.Errorf("MariaDB ended while starting; the end of its log:\n%s", log[max(0, len(log)-2000):])
		case <-ctx.Done():
			s.end()
			return fmt.Errorf("wait for MariaDB: %w", ctx.Err())
		case <-time.After(50 * time.Millisecond):
		}
		conn, err := net.DialTimeout("tcp", fmt.Sprintf("127.0.0.1:%d", s.port), time.Second)
		if err != nil {
			continue
		}
		// The server greets with a packet once it takes connections; its first statements have then run.
		_ = conn.SetReadDeadline(time.Now().Add(2 * time.Second))
		n, _ := conn.Read(make([]byte, 5))
		conn.Close()
		if n > 0 {
			return nil
		}
	}
}

// DSN is the address of a database on the server for go-sql-driver/mysql.
func (s *Server) DSN(database string) string {
	return fmt.Sprintf("dogbane:%s@tcp(127.0.0.1:%d)/%s?parseTime=true&loc=UTC&charset=utf8mb4&collation=utf8mb4_unicode_520_ci&multiStatements=true", s.pass, s.port, database)
}

// Join is the address of a database on the server that another process runs in dir.
func Join(dir, database string) (string, error) {
	s := &Server{}
	pass, err1 := os.ReadFile(filepath.Join(dir, "password"))
	port, err2 := os.ReadFile(filepath.Join(dir, "port"))
	if err := errors.Join(err1, err2); err != nil {
		return "", fmt.Errorf("find the running server: %w", err)
	}
	s.pass = string(pass)
	if s.port, err1 = strconv.Atoi(string(port)); err1 != nil {
		return "", fmt.Errorf("find the running server: %w", err1)
	}
	return s.DSN(database), nil
}

// Stop ends the server in order and waits for it. It may be called more than once.
func (s *Server) Stop() {
	if s == nil {
		return
	}
	s.mu.Lock()
	s.ending = true
	s.mu.Unlock()
	s.end()
	<-s.stopped
	s.end() // one that was just being started again
	s.lock.Close()
}

// end ends the process and waits for it.
func (s *Server) end() {
	s.mu.Lock()
	cmd, done := s.cmd, s.done
	s.mu.Unlock()
	if cmd == nil || cmd.Process == nil {
		return
	}
	_ = cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-done:
	case <-time.After(30 * time.Second):
		_ = cmd.Process.Kill()
		<-done
	}
}

func currentUser() string {
	if os.Getuid() == 0 {
		return "root"
	}
	return os.Getenv("USER")
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("find a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
