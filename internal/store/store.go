// Package store keeps the book, its log and everything beside it in MariaDB: rows and statements, nothing else. What a
// row means belongs to the packages whose interfaces it serves.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"sync/atomic"
	"time"

	"dogbane/internal/book"

	driver "github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
	"gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the database.
type Store struct {
	db     *gorm.DB
	outage atomic.Pointer[Outage]
}

// Open connects and brings the schema up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	config, err := driver.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("read the name of the database: %w", err)
	}
	if config.Timeout == 0 {
		config.Timeout = 5 * time.Second
	}
	if config.ReadTimeout == 0 { // longer than anything waits for a lock
		config.ReadTimeout, config.WriteTimeout = 90*time.Second, 90*time.Second
	}
	config.InterpolateParams = true // one way to the server and back for a statement, not three
	db, err := gorm.Open(mysql.New(mysql.Config{DSNConfig: config}),
		&gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true, TranslateError: true})
	if err != nil {
		return nil, fmt.Errorf("connect to MariaDB: %w", err)
	}
	sql, err := db.DB()
	if err != nil {
		return nil, fmt.Errorf("connect to MariaDB: %w", err)
	}
	sql.SetMaxOpenConns(16)
	sql.SetConnMaxLifetime(time.Hour)
	if err := migrate(ctx, sql); err != nil {
		return nil, errors.Join(fmt.Errorf("migrate the database: %w", err), sql.Close())
	}
	s := &Store{db: db}
	if err := s.noteErrors(); err != nil {
		return nil, errors.Join(fmt.Errorf("look at the errors of the database: %w", err), sql.Close())
	}
	if err := s.upgrade(ctx); err != nil {
		return nil, errors.Join(err, sql.Close())
	}
	return s, nil
}

// migrate brings the schema up to date, one program at a time. Every step can be repeated, so that a start which was
// killed in the middle of one leaves nothing that the next could not finish.
func migrate(ctx context.Context, pool *sql.DB) error {
	lock, err := pool.Conn(ctx)
	if err != nil {
		return err
	}
	defer lock.Close()
	var mine sql.NullBool
	if err := lock.QueryRowContext(ctx, "SELECT GET_LOCK(CONCAT('dogbane-migrate-', DATABASE()), 300)").Scan(
		&mine); err != nil || !mine.Bool {
		return errors.Join(errors.New("another program is migrating it"), err)
	}
	defer func() {
		_, _ = lock.ExecContext(context.WithoutCancel(ctx), "DO RELEASE_LOCK(CONCAT('dogbane-migrate-', DATABASE()))")
	}()
	var begun bool
	if err := lock.QueryRowContext(ctx,
		"SELECT COUNT(*) > 0 FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'goose_db_version'").Scan(&begun); err != nil {
		return err
	}
	if begun { // the library makes this table and its first row in two steps
		if _, err := lock.ExecContext(ctx, `INSERT INTO goose_db_version (version_id, is_applied)
			SELECT 0, 1 FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM goose_db_version WHERE version_id = 0)`); err != nil {
			return err
		}
	}
	steps, err := versions(pool)
	if err != nil {
		return err
	}
	_, err = steps.Up(ctx)
	return err
}

// versions are the steps from one version of the database to the next.
func versions(pool *sql.DB) (*goose.Provider, error) {
	return goose.NewProvider(goose.DialectMySQL, pool, mustSub("migrations"), goose.WithVerbose(false),
		goose.WithGoMigrations(repairs()...))
}

// ErrNotFound says that there is no such thing.
var ErrNotFound = book.ErrNotFound

// Close ends all connections.
func (s *Store) Close() error {
	sql, err := s.db.DB()
	if err != nil {
		return fmt.Errorf("close the database: %w", err)
	}
	return sql.Close()
}

// SQL is the pool of connections, for what is asked beside the store.
func (s *Store) SQL() *sql.DB {
	pool, err := s.db.DB()
	if err != nil {
		panic(fmt.Sprintf("store: the pool is gone: %v", err))
	}
	return pool
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	return s.db.WithContext(ctx).Exec("SELECT 1").Error
}

// fact is a row of the table of that name.
type fact struct {
	Name  string `gorm:"primaryKey"`
	Value string
}

// Fact is a single fact about the installation, or "".
func (s *Store) Fact(ctx context.Context, name string) (string, error) {
	var f fact
	err := s.db.WithContext(ctx).Where("name = ?", name).Take(&f).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", nil
	}
	if err != nil {
		return "", fmt.Errorf("read the fact %q: %w", name, err)
	}
	return f.Value, nil
}

// SetFact keeps a fact.
func (s *Store) SetFact(ctx context.Context, name, value string) error {
	if err := s.db.WithContext(ctx).Save(&fact{name, value}).Error; err != nil {
		return fmt.Errorf("keep the fact %q: %w", name, err)
	}
	return nil
}

// DropFact forgets a fact.
func (s *Store) DropFact(ctx context.Context, name string) error {
	if err := s.db.WithContext(ctx).Delete(&fact{Name: name}).Error; err != nil {
		return fmt.Errorf("forget the fact %q: %w", name, err)
	}
	return nil
}

// Clear empties all tables, for an installation that broke off.
func (s *Store) Clear(ctx context.Context) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var tables []string
		if err := tx.Raw(`SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE()
			AND table_name <> 'goose_db_version'`).Scan(&tables).Error; err != nil {
			return err
		}
		if err := tx.Exec("SET FOREIGN_KEY_CHECKS = 0").Error; err != nil { // of this connection
			return err
		}
		defer tx.Exec("SET FOREIGN_KEY_CHECKS = 1")
		for _, table := range tables {
			if err := tx.Exec("DELETE FROM `" + table + "`").Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("clear the database: %w", err)
	}
	return nil
}

func mustSub(dir string) fs.FS {
	sub, err := fs.Sub(migrations, dir)
	if err != nil {
		panic(fmt.Sprintf("store: the embedded folder %s is missing: %v", dir, err))
	}
	return sub
}

// LastRecorded is the newest time in the log and the publications.
func (s *Store) LastRecorded(ctx context.Context) (time.Time, error) {
	var last *time.Time
	err := s.db.WithContext(ctx).Raw(
		`SELECT MAX(t) FROM (SELECT MAX(at) AS t FROM log UNION ALL SELECT MAX(COALESCE(ended, started)) FROM publications) times`).Scan(&last).Error
	if err != nil || last == nil {
		return time.Time{}, err
	}
	return *last, nil
}
