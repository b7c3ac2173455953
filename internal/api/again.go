package api

import (
	"bytes"
	"context"
	"net/http"

	"github.com/gin-gonic/gin"

	"zestyloom/internal/store"
)

// maxAnswer bounds an answer that is kept for whoever asks again, in bytes.
const maxAnswer = 256 << 10

// recorder keeps what is answered, besides answering it.
type recorder struct {
	gin.ResponseWriter
	body bytes.Buffer
}

func (r *recorder) Write(b []byte) (int, error) {
	if r.body.Len() <= maxAnswer {
		r.body.Write(b)
	}
	return r.ResponseWriter.Write(b)
}

// again answers a request that has been answered before, under the same key, with the same. What it has made may have gone on since.
func (s *Server) again() gin.HandlerFunc {
	return func(c *gin.Context) {
		r := store.RequestOf(c.Request.Context())
		if r == nil {
			return
		}
		was, err := s.Store.Answered(c, *r)
		if err != nil {
			s.fail(c, err)
			return
		}
		if was != nil {
			if was.Location != "" {
				c.Header("Location", was.Location)
			}
			c.Data(was.Status, gin.MIMEJSON+"; charset=utf-8", was.Body)
			c.Abort()
			return
		}
		w := &recorder{ResponseWriter: c.Writer}
		c.Writer = w
		c.Next()
		if status := w.Status(); status < http.StatusMultipleChoices && !r.Known() && w.body.Len() <= maxAnswer {
			answer := store.Answer{Status: status, Location: w.Header().Get("Location"), Body: w.body.Bytes()}
			if err := s.Store.KeepAnswer(context.WithoutCancel(c.Request.Context()), *r, answer); err != nil {
				s.Log.Warn("an answer could not be kept for whoever asks again", "error", err) // then what it made is known all the same
			}
		}
	}
}
