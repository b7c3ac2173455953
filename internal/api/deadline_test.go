package api

import (
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	contract "zestyloom/api"
)

// Each route of the contract has a deadline but those that last as long as somebody reads, which are told by what they answer with.
func TestEveryRouteHasADeadline(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(contract.YAML)
	require.NoError(t, err)
	endless := func(op *openapi3.Operation) bool {
		ok := op.Responses.Status(200)
		if ok == nil {
			return false
		}
		for kind := range ok.Value.Content {
			switch kind {
			case "text/event-stream", "application/zip", "video/mp4", "audio/wav":
				return true
			}
		}
		return false
	}
	looked, lasts := 0, 0
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if strings.HasPrefix(path, "/uploads/") {
				continue // the protocol has limits of its own
			}
			looked++
			filled := strings.NewReplacer("{", "", "}", "").Replace(path)
			d := deadline(httptest.NewRequest(method, Base+filled, nil))
			if endless(op) {
				lasts++
				assert.Zero(t, d, "%s %s lasts", method, path)
			} else {
				assert.Contains(t, []time.Duration{usualDeadline, slowDeadline}, d, "%s %s", method, path)
			}
		}
	}
	assert.Greater(t, looked, 100)
	assert.Greater(t, lasts, 4)
	received := httptest.NewRequest("POST", Base+"/productions/x/receipts", nil)
	assert.Equal(t, usualDeadline, deadline(received), "without files it is like any other")
	received.Header.Set("Content-Type", "multipart/form-data; boundary=x")
	assert.Zero(t, deadline(received), "files come as fast as they do")
}

// What waits for longer than its deadline is given up, and answered in words.
func TestARequestThatWaitsIsGivenUp(t *testing.T) {
	was := usualDeadline
	usualDeadline = 30 * time.Millisecond
	defer func() { usualDeadline = was }()
	s := &Server{Config: Config{Log: slog.New(slog.DiscardHandler)}}
	gin.SetMode(gin.TestMode)
	e := gin.New()
	e.ContextWithFallback = true
	e.Use(within())
	e.GET(Base+"/waits", func(c *gin.Context) {
		select {
		case <-c.Done():
			s.fail(c, c.Err())
		case <-time.After(time.Minute):
			c.Status(http.StatusOK)
		}
	})
	w := httptest.NewRecorder()
	e.ServeHTTP(w, httptest.NewRequest("GET", Base+"/waits", nil))
	assert.Equal(t, http.StatusServiceUnavailable, w.Code)
	assert.Contains(t, w.Body.String(), "too much to do")
	w = httptest.NewRecorder()
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	e.ServeHTTP(w, httptest.NewRequestWithContext(gone, "GET", Base+"/waits", nil))
	assert.Equal(t, 499, w.Code, "who went away is not told that")
}
