package api

import (
	"time"

	"github.com/gin-gonic/gin"

	"zestyloom/internal/store"
)

// heartbeat is how often something is sent to who watches, so that a lost connection is noticed.
const heartbeat = 15 * time.Second

// WatchAll sends an event for whatever changes. Browsers need one stream for all tabs and rooms.
func (s *Server) WatchAll(c *gin.Context) {
	events, cancel := s.Store.Subscribe()
	defer cancel()
	c.Header("Cache-Control", "no-store")
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	c.SSEvent("change", store.Event{})
	c.Writer.Flush()
	for {
		select {
		case <-c.Request.Context().Done():
			return
		case <-s.ending:
			return
		case e := <-events:
			c.SSEvent("change", e)
		case <-beat.C:
			_, _ = c.Writer.WriteString(": still here\n\n")
		}
		c.Writer.Flush()
	}
}
