package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net"
	"time"

	mysqldriver "github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
)

// Outage is the error of everything that needs the database while that cannot be used: since when, and why.
type Outage struct {
	Since  time.Time
	Reason string // such as "the database does not answer"
	cause  error
}

func (o *Outage) Error() string { return fmt.Sprintf("%s: %v", o.Reason, o.cause) }

// Unwrap is what the driver said.
func (o *Outage) Unwrap() error { return o.cause }

// Why an outage is.
const (
	away     = "the database does not answer"
	diskFull = "the disk of the database is full"
	readOnly = "the database can only be read"
)

// Numbers of MariaDB's errors that say that it cannot be used at all, by what that is.
var outageNumbers = map[uint16]string{
	1021: diskFull, 1114: diskFull, 3: diskFull, // ER_DISK_FULL, ER_RECORD_FILE_FULL, EE_WRITE
	1290: readOnly, 1036: readOnly, 1836: readOnly, // ER_OPTION_PREVENTS_STATEMENT, ER_OPEN_AS_READONLY, ER_READ_ONLY_MODE
	// shutting down, too many connections, blocked, killed, no majority
	1053: away, 1040: away, 1129: away, 1927: away, 1047: away,
}

// outageOf says whether an error is that the database cannot be used, and why; "" where it is another error.
func outageOf(err error) string {
	var said *mysqldriver.MySQLError
	if errors.As(err, &said) {
		return outageNumbers[said.Number]
	}
	var network *net.OpError
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return ""
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysqldriver.ErrInvalidConn),
		errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF), errors.As(err, &network):
		return away
	}
	return ""
}

// noted turns an error of the driver into an Outage where it is one, and remembers since when.
func (s *Store) noted(err error) error {
	var known *Outage
	if err == nil || errors.As(err, &known) {
		return err
	}
	reason := outageOf(err)
	if reason == "" {
		return err
	}
	next := &Outage{time.Now(), reason, err}
	for {
		now := s.outage.Load()
		if now != nil {
			next.Since = now.Since
		}
		if s.outage.CompareAndSwap(now, next) {
			if now == nil {
				slog.Error("the database cannot be used", "reason", reason, "error", err)
			}
			return next
		}
	}
}

// Outage is nil while the database can be used.
func (s *Store) Outage() *Outage { return s.outage.Load() }

// noteErrors has every statement's error looked at.
func (s *Store) noteErrors() error {
	note := func(tx *gorm.DB) {
		// Whoever gave up a request has its connection closed: that is no outage.
		if tx.Error != nil && tx.Statement.Context.Err() == nil {
			tx.Error = s.noted(tx.Error)
		}
	}
	c := s.db.Callback()
	return errors.Join(c.Query().After("*").Register("dogbane:noted", note),
		c.Create().After("*").Register("dogbane:noted", note),
		c.Update().After("*").Register("dogbane:noted", note), c.Delete().After("*").Register("dogbane:noted", note),
		c.Row().After("*").Register("dogbane:noted", note), c.Raw().After("*").Register("dogbane:noted", note))
}

// transaction runs work in one transaction.
func (s *Store) transaction(ctx context.Context, work func(tx *gorm.DB) error) error {
	var err error
	for try := range mostDeadlocks {
		if err = s.db.WithContext(ctx).Transaction(work); !deadlocked(err) {
			break
		}
		select { // whoever was in the way has gone on by then
		case <-ctx.Done():
		case <-time.After(time.Duration(rand.Int64N(int64(try+1) * int64(20*time.Millisecond)))):
		}
	}
	if ctx.Err() != nil {
		return err
	}
	return s.noted(err)
}

// mostDeadlocks is how often a transaction is tried that the database gave up in favour of another.
const mostDeadlocks = 8

// deadlocked reports whether the database gave a transaction up in favour of another (ER_LOCK_DEADLOCK).
func deadlocked(err error) bool {
	var said *mysqldriver.MySQLError
	return errors.As(err, &said) && said.Number == 1213
}

// Watch looks every so often whether the database can be used, until ctx ends: so an outage is known before somebody
// meets it, and is over by itself.
func (s *Store) Watch(ctx context.Context, every time.Duration) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
		asking, cancel := context.WithTimeout(ctx, 5*time.Second)
		err := s.Ping(asking)
		now := s.Outage()
		if err == nil && now != nil && now.Reason != away { // it answers; can it write?
			err = s.SetFact(asking, "last-outage", time.Now().UTC().Format(time.RFC3339))
		}
		if err != nil && asking.Err() != nil && ctx.Err() == nil {
			err = s.noted(fmt.Errorf("ask whether it is there: %w", driver.ErrBadConn))
		}
		cancel()
		if err == nil && now != nil && s.outage.CompareAndSwap(now, nil) {
			slog.Info("the database can be used again", "after", time.Since(now.Since).Round(time.Millisecond))
		}
	}
}
