// Package storetest gives tests a database of their own in a real PostgreSQL. Begin reading at URL.
package storetest

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/url"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/store"
)

// URL makes an empty database, which is dropped when the test ends, and gives its address. The server is the one that
// ZESTYLOOM_TEST_DATABASE names; ./loom test sets it.
func URL(t testing.TB) string {
	admin := os.Getenv("ZESTYLOOM_TEST_DATABASE")
	if admin == "" {
		t.Fatal("These tests need PostgreSQL: run ./loom test, or set ZESTYLOOM_TEST_DATABASE")
	}
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, admin)
	require.NoError(t, err)
	defer conn.Close(ctx)
	name := fmt.Sprintf("loom_test_%016x", rand.Uint64())
	_, err = conn.Exec(ctx, "create database "+name)
	require.NoError(t, err)
	t.Cleanup(func() {
		conn, err := pgx.Connect(ctx, admin)
		if err == nil {
			_, err = conn.Exec(ctx, "drop database "+name+" with (force)")
			conn.Close(ctx)
		}
		if err != nil {
			t.Log("dropping the test's database:", err)
		}
	})
	u, err := url.Parse(admin)
	require.NoError(t, err)
	u.Path = "/" + name
	return u.String()
}

// Open opens a store on a database of its own.
func Open(t testing.TB) *store.Store {
	s, err := store.Open(context.Background(), URL(t))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s
}
