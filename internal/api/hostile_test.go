package api

import (
	"log/slog"
	"net/http/httptest"
	"runtime"
	"runtime/debug"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is nested is refused before a validator sees it, to which each level costs as many times over as there are kinds of commands;
// what is large is looked at once.
func TestHostileBodies(t *testing.T) {
	s := &Server{}
	check, err := s.contract()
	require.NoError(t, err)
	gin.SetMode(gin.TestMode)
	several := func(n int, one string) string {
		return `{"revision":1,"kind":"several","command":{"commands":[` + strings.TrimSuffix(strings.Repeat(one+",", n), ",") + `]}}`
	}
	nested := func(n int) string {
		return several(1, strings.Repeat(`{"kind":"several","command":{"commands":[`, n)+strings.Repeat(`]}}`, n))
	}
	for name, body := range map[string]struct{ text, refused string }{
		"commands in commands":        {nested(1), ""},
		"commands three deep":         {nested(2), "commands hold commands more than 2 deep"},
		"commands as deep as it goes": {nested(9_000), "max depth"},
		"commands kind last": {strings.Repeat(`{"command":{"commands":[`, 40) + strings.Repeat(`]},"kind":"several"}`, 40),
			"commands hold commands"},
		"lists":     {several(1, strings.Repeat("[", 5000)+strings.Repeat("]", 5000)), "lie in one another"},
		"objects":   {several(1, strings.Repeat(`{"a":`, 5000)+"1"+strings.Repeat("}", 5000)), "lie in one another"},
		"too deep":  {strings.Repeat("[", 2_000_000), "max depth"},
		"nobody's":  {several(10_000-1, `{"kind":"nobody"}`), "none of the kinds"},
		"too many":  {several(50_000, `{"kind":"setMark","command":{"name":"x","at":1}}`), "more than 10000 commands"},
		"very many": {several(10_000-1, `{"kind":"setMark","command":{"name":"x","at":1}}`), ""},
		"keys":      {several(1, `{"kind":"setMark","command":{`+strings.Repeat(`"name":"x",`, 300_000)+`"at":1}}`), ""},
		"numbers":   {several(1, `{"kind":"hush","command":{"clip":"x","channel":0,"from":`+strings.Repeat("9", 3_000_000)+`,"to":1}}`), "from"},
		"cut short": {nested(1)[:60], "unexpected"},
	} {
		w := httptest.NewRecorder()
		c, _ := gin.CreateTestContext(w)
		c.Request = httptest.NewRequest("POST", Base+"/reels/11111111-2222-4333-8444-555555555555/commands", strings.NewReader(body.text))
		c.Request.Header.Set("Content-Type", "application/json")
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began := time.Now()
		check(c)
		runtime.ReadMemStats(&after)
		assert.Less(t, time.Since(began), 10*time.Second, name) // 2 on a machine that does nothing else
		assert.Less(t, (after.TotalAlloc-before.TotalAlloc)>>20, uint64(300), "MiB for %s", name)
		if body.refused == "" {
			assert.False(t, c.IsAborted(), "%s: %s", name, w.Body)
			continue
		}
		assert.Contains(t, w.Body.String(), body.refused, name)
	}
}

// Near the ceiling of memory a large request is refused before it is read, and a small one is not.
func TestNearTheCeilingLargeRequestsAreRefused(t *testing.T) {
	was := debug.SetMemoryLimit(-1)
	defer debug.SetMemoryLimit(was)
	s := &Server{Config: Config{Log: slog.New(slog.DiscardHandler)}}
	ask := func(bytes int) int {
		w := httptest.NewRecorder()
		c, _ := gin.CreateTestContext(w)
		c.Request = httptest.NewRequest("POST", Base+"/productions", strings.NewReader(strings.Repeat(" ", bytes)))
		s.frugal()(c)
		return w.Code
	}
	assert.Equal(t, 200, ask(1<<20))
	debug.SetMemoryLimit(1 << 16)
	assert.Equal(t, 503, ask(1<<20))
	assert.Equal(t, 200, ask(100))
}
