package api

import (
	"bytes"
	"compress/gzip"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A browser that takes zstd gets it where speed counts; what it keeps for ever is packed as small as gzip can.
func TestAssetsArePackedAsSmallAsCanBe(t *testing.T) {
	var text strings.Builder
	for i := range 20_000 {
		text.WriteString("const a")
		text.WriteString(strings.Repeat(string(rune('a'+i*i%23)), i%7))
		text.WriteString("=1;\n")
	}
	h := compressed(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/javascript")
		_, _ = w.Write([]byte(text.String()))
	}))
	get := func(path string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(http.MethodGet, path, nil)
		r.Header.Set("Accept-Encoding", "gzip, br, zstd")
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	asset := get("/assets/index-x.js")
	assert.Equal(t, "gzip", asset.Header().Get("Content-Encoding"))
	var best bytes.Buffer
	z, err := gzip.NewWriterLevel(&best, gzip.BestCompression)
	require.NoError(t, err)
	_, err = z.Write([]byte(text.String()))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	assert.Less(t, asset.Body.Len(), best.Len()*103/100)
	assert.Equal(t, "zstd", get("/api/v1/reels").Header().Get("Content-Encoding"))
}
