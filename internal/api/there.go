package api

import (
	"github.com/gin-gonic/gin"
)

// there refuses requests about what is not there, whatever the rest of their paths asks for: a list of nothing is not the same as nothing.
func (s *Server) there() gin.HandlerFunc {
	return func(c *gin.Context) {
		for _, p := range c.Params {
			if err := s.Store.There(c, p.Key, p.Value); err != nil {
				s.fail(c, err)
				return
			}
		}
	}
}
