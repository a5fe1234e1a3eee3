// Package store keeps the book, its log and what was published in MariaDB, and holds the compiled engine of the newest
// saved version in memory. It decides no price and knows no HTTP.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

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
	db *gorm.DB
}

// Open connects and brings the schema up to date.
func Open(ctx context.Context, dsn string) (*Store, error) {
	config, err := driver.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("read the name of the database: %w", err)
	}
	config.InterpolateParams = true // one way to the server and back for a statement, not three
	db, err := gorm.Open(mysql.New(mysql.Config{DSNConfig: config}), &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true, TranslateError: true})
	if err != nil {
		return nil, fmt.Errorf("connect to MariaDB: %w", err)
	}
	sql, err := db.DB()
	if err != nil {
		return nil, fmt.Errorf("connect to MariaDB: %w", err)
	}
	sql.SetMaxOpenConns(16)
	sql.SetConnMaxLifetime(time.Hour)
	provider, err := goose.NewProvider(goose.DialectMySQL, sql, mustSub("migrations"), goose.WithVerbose(false))
	if err != nil {
		return nil, fmt.Errorf("read the migrations: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return nil, fmt.Errorf("migrate the database: %w", err)
	}
	return &Store{db: db}, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	sql, err := s.db.DB()
	if err != nil {
		return fmt.Errorf("close the database: %w", err)
	}
	return sql.Close()
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
	err := s.db.WithContext(ctx).Raw(`SELECT MAX(t) FROM (SELECT MAX(at) AS t FROM log UNION ALL SELECT MAX(COALESCE(ended, started)) FROM publications
		WHERE status <> 'broken-off') times`).Scan(&last).Error
	if err != nil || last == nil {
		return time.Time{}, err
	}
	return *last, nil
}
