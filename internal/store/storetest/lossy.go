package storetest

import (
	"encoding/binary"
	"io"
	"net"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/require"
)

// Lossy stands between a program and its database and loses answers to commits: the database has committed, and the
// program sees its connection break.
type Lossy struct {
	URL  string
	lose atomic.Int64 // answers still to be lost
	Lost atomic.Int64 // answers that were lost
}

// NewLossy stands before the database that a URL names, until the test ends.
func NewLossy(t testing.TB, database string) *Lossy {
	u, err := url.Parse(database)
	require.NoError(t, err)
	behind := u.Host
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	u.Host = l.Addr().String()
	q := u.Query()
	q.Set("sslmode", "disable") // what is said has to be read
	u.RawQuery = q.Encode()
	lossy := &Lossy{URL: u.String()}
	var open sync.WaitGroup
	ended := make(chan struct{})
	open.Go(func() {
		for {
			client, err := l.Accept()
			if err != nil {
				return
			}
			open.Go(func() { lossy.pass(client, behind, ended) })
		}
	})
	t.Cleanup(func() {
		close(ended)
		l.Close()
		open.Wait()
	})
	return lossy
}

// Lose has the answers to the next so many commits lost.
func (l *Lossy) Lose(n int64) { l.lose.Store(n) }

func (l *Lossy) pass(client net.Conn, behind string, ended chan struct{}) {
	server, err := net.Dial("tcp", behind)
	if err != nil {
		client.Close()
		return
	}
	done := make(chan struct{})
	var both sync.WaitGroup
	both.Go(func() {
		_, _ = io.Copy(server, client)
		server.Close()
	})
	both.Go(func() {
		l.answers(server, client)
		client.Close()
		server.Close()
		close(done)
	})
	select {
	case <-ended:
		client.Close()
		server.Close()
	case <-done:
	}
	both.Wait()
}

// answers passes the server's messages on, one by one: a type, a length and a body.
func (l *Lossy) answers(server io.Reader, client io.Writer) {
	head := make([]byte, 5)
	for {
		if _, err := io.ReadFull(server, head); err != nil {
			return
		}
		body := make([]byte, binary.BigEndian.Uint32(head[1:])-4)
		if _, err := io.ReadFull(server, body); err != nil {
			return
		}
		if head[0] == 'C' && strings.HasPrefix(string(body), "COMMIT") && l.lose.Add(-1) >= 0 {
			l.Lost.Add(1)
			return
		}
		if _, err := client.Write(append(head[:5:5], body...)); err != nil {
			return
		}
	}
}
