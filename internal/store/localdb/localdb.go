// Package localdb runs a private MariaDB server on loopback in a folder of its own: the start command keeps its data
// there, the tests throw theirs away. It knows nothing of what is stored.
package localdb

import (
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
	"strings"
	"syscall"
	"time"

	_ "github.com/go-sql-driver/mysql" // the driver that Server.DSN is for
)

// Where Debian's package mariadb-server-core puts its programs.
const (
	serverProgram  = "/usr/sbin/mariadbd"
	installProgram = "/usr/bin/mariadb-install-db"
)

// Server is a running MariaDB server.
type Server struct {
	dir  string
	port int
	pass string
	cmd  *exec.Cmd
	lock *os.File
	done chan struct{} // closed when the server process has ended
}

// Options of a server.
type Options struct {
	Durable bool // survive power loss; tests do without
}

// ErrInUse says that another process runs a server in the folder.
var ErrInUse = errors.New("the data folder is in use by another Dogbane")

// Start runs a server with its data in dir, which it creates and sets up when empty, and returns once the server
// answers. Whatever an earlier, crashed run left behind is cleared away first. The server ends with this process.
func Start(ctx context.Context, dir string, opt Options) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, fmt.Errorf("find the data folder: %w", err)
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	s := &Server{dir: dir, done: make(chan struct{})}
	if s.lock, err = os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return nil, fmt.Errorf("open the lock of the data folder: %w", err)
	}
	if err := syscall.Flock(int(s.lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		s.lock.Close()
		return nil, fmt.Errorf("%s: %w", dir, ErrInUse)
	}
	if err := s.start(ctx, opt); err != nil {
		s.lock.Close()
		return nil, err
	}
	return s, nil
}

func (s *Server) start(ctx context.Context, opt Options) error {
	s.endLeftover()
	data := filepath.Join(s.dir, "data")
	if _, err := os.Stat(filepath.Join(s.dir, "ready")); err != nil {
		// Not there, or a set-up that broke off: begin anew.
		if err := os.RemoveAll(data); err != nil {
			return fmt.Errorf("clear a broken data folder: %w", err)
		}
		out, err := exec.CommandContext(ctx, installProgram, "--no-defaults", "--datadir="+data, "--user="+currentUser(),
			"--auth-root-authentication-method=normal", "--skip-test-db").CombinedOutput()
		if err != nil {
			return fmt.Errorf("set up a MariaDB data folder: %w\n%s", err, out)
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
	init := filepath.Join(s.dir, "init.sql")
	statements := fmt.Sprintf("CREATE USER IF NOT EXISTS dogbane@'127.0.0.1';\nALTER USER dogbane@'127.0.0.1' IDENTIFIED BY '%s';\n"+
		"GRANT ALL ON *.* TO dogbane@'127.0.0.1';\nALTER USER root@localhost IDENTIFIED BY '%s';\n"+
		"CREATE DATABASE IF NOT EXISTS dogbane CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_520_ci;\n", s.pass, s.pass)
	if err := os.WriteFile(init, []byte(statements), 0o600); err != nil {
		return fmt.Errorf("write the server's first statements: %w", err)
	}
	args := []string{"--no-defaults", "--user=" + currentUser(), "--datadir=" + data, "--socket=" + s.socket(),
		"--pid-file=" + filepath.Join(s.dir, "pid"), "--bind-address=127.0.0.1", "--port=" + strconv.Itoa(s.port), "--skip-networking=OFF",
		"--skip-name-resolve", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_unicode_520_ci", "--default-time-zone=+00:00",
		"--sql-mode=STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION",
		"--max-allowed-packet=64M", "--skip-log-bin", "--performance-schema=OFF", "--log-error=" + filepath.Join(s.dir, "err.log"), "--init-file=" + init}
	if opt.Durable {
		args = append(args, "--innodb-flush-log-at-trx-commit=1", "--innodb-doublewrite=1", "--innodb-flush-method=O_DIRECT", "--innodb-buffer-pool-size=512M")
	} else {
		args = append(args, "--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0", "--innodb-flush-method=nosync")
	}
	s.cmd = exec.Command(serverProgram, args...)
	// Ctrl+C reaches this process alone, which ends the server last; should it die, the kernel ends the server.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	started := make(chan error)
	go func() {
		// The death signal is tied to the thread that started the child: that thread has to live as long.
		runtime.LockOSThread()
		started <- s.cmd.Start()
		if s.cmd.Process != nil {
			_ = s.cmd.Wait()
		}
		close(s.done)
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("start MariaDB: %w", err)
	}
	slog.Debug("MariaDB starting", "dir", s.dir, "port", s.port)
	return s.awaitReady(ctx)
}

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

// endLeftover ends a server that an earlier run left in this folder. This process holds the folder's lock, so nobody
// else can be using it.
func (s *Server) endLeftover() {
	text, err := os.ReadFile(filepath.Join(s.dir, "pid"))
	if err != nil {
		return
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil {
		return
	}
	ours := func() bool {
		line, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		return err == nil && strings.Contains(string(line), "--datadir="+filepath.Join(s.dir, "data"))
	}
	if !ours() {
		return
	}
	slog.Info("ending a database server that an earlier run left behind", "pid", pid)
	_ = syscall.Kill(pid, syscall.SIGTERM)
	for range 300 {
		if !ours() {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	_ = syscall.Kill(pid, syscall.SIGKILL)
}

func (s *Server) awaitReady(ctx context.Context) error {
	for {
		select {
		case <-s.done:
			log, _ := os.ReadFile(filepath.Join(s.dir, "err.log"))
			return fmt.Errorf("MariaDB ended while starting; the end of its log:\n%s", log[max(0, len(log)-2000):])
		case <-ctx.Done():
			s.Stop()
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
	if s == nil || s.cmd == nil || s.cmd.Process == nil {
		return
	}
	_ = s.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case <-s.done:
	case <-time.After(30 * time.Second):
		_ = s.cmd.Process.Kill()
		<-s.done
	}
	s.lock.Close()
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
