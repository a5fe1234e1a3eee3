// Package storetest gives tests a real, private MariaDB that is thrown away afterwards.
package storetest

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"sync/atomic"
	"testing"
	"time"

	"dogbane/internal/store"
	"dogbane/internal/store/localdb"
)

var (
	server *localdb.Server
	count  atomic.Int64
)

// Main runs the tests of a package with a server of its own; call it from TestMain.
func Main(m *testing.M) {
	os.Exit(func() int {
		dir, err := os.MkdirTemp("", "dogbane-test")
		if err != nil {
			panic(err)
		}
		defer os.RemoveAll(dir)
		ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
		defer cancel()
		if server, err = localdb.Start(ctx, dir, localdb.Options{}); err != nil {
			panic(err)
		}
		defer server.Stop()
		return m.Run()
	}())
}

// Address makes an empty database of the test's own and answers where it is reached.
func Address(t testing.TB) string {
	t.Helper()
	name := fmt.Sprintf("test_%d", count.Add(1))
	db, err := sql.Open("mysql", server.DSN("dogbane"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if _, err := db.Exec("CREATE DATABASE " + name + " CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_520_ci"); err != nil {
		t.Fatal(err)
	}
	return server.DSN(name)
}

// Database is an empty database without a schema.
func Database(t testing.TB) *sql.DB {
	t.Helper()
	db, err := sql.Open("mysql", Address(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = db.Close() })
	return db
}

// Open is a store in an empty database of the test's own.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), Address(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}
