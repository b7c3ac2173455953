package api

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A file that is no longer what it was breaks off when it is fetched, so that nobody takes it for whole; one that is arrives, and so
// does any part of it.
func TestADamagedFileBreaksOff(t *testing.T) {
	whole := bytes.Repeat([]byte("lantern "), 40_000)
	digest := sha256.Sum256(whole)
	damaged := slices.Clone(whole)
	damaged[12345] ^= 1
	now := whole
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		http.ServeContent(w, r, "", time.Time{}, newProven(bytes.NewReader(now), "x.wav", int64(len(now)), hex.EncodeToString(digest[:])))
	}))
	defer server.Close()
	fetch := func(part string) ([]byte, error) {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodGet, server.URL, nil)
		require.NoError(t, err)
		if part != "" {
			r.Header.Set("Range", part)
		}
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer answer.Body.Close()
		return io.ReadAll(answer.Body)
	}
	got, err := fetch("")
	require.NoError(t, err)
	assert.True(t, bytes.Equal(whole, got))
	now = damaged
	_, err = fetch("")
	require.ErrorIs(t, err, io.ErrUnexpectedEOF)
	got, err = fetch("bytes=5-104")
	require.NoError(t, err)
	assert.Equal(t, damaged[5:105], got)
}
