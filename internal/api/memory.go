package api

import (
	"math"
	"runtime/debug"
	"runtime/metrics"

	"github.com/gin-gonic/gin"
)

// smallBody is what a request may bring however little memory is left, in bytes.
const smallBody = 64 << 10

// short tells whether the process is near the ceiling that it was given: what a large request unfolds to might go beyond.
func short() bool {
	most := debug.SetMemoryLimit(-1)
	if most == math.MaxInt64 {
		return false
	}
	used := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}, {Name: "/memory/classes/heap/stacks:bytes"}}
	metrics.Read(used)
	return used[0].Value.Uint64()+used[1].Value.Uint64() > uint64(most/10*9)
}

// frugal refuses large requests while there is little memory left, before anything is read of them.
func (s *Server) frugal() gin.HandlerFunc {
	return func(c *gin.Context) {
		if (c.Request.ContentLength > smallBody || c.Request.ContentLength < 0) && !inPieces(c.Request) && short() {
			c.Header("Retry-After", "2")
			s.fail(c, errTooBusy)
		}
	}
}
