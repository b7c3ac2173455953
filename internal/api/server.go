package api

import (
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"zestyloom/core/fault"
	"zestyloom/internal/cards"
	"zestyloom/internal/jobs"
	"zestyloom/internal/library"
	"zestyloom/internal/listen"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
	"zestyloom/internal/web"
)

// Config is what the server is made of.
type Config struct {
	Store   *store.Store
	Media   *media.Folder
	Jobs    *jobs.Runner
	Cards   cards.Cards
	Uploads string   // folder where uploads arrive
	Hosts   []string // names that requests may be for besides loopback's
	Log     *slog.Logger
}

// Server implements the generated ServerInterface.
type Server struct{ Config }

var _ ServerInterface = (*Server)(nil)

// Base is where the API's paths begin.
const Base = "/api/v1"

// New makes the handler of everything: the API, uploads, listening and the interface.
func New(c Config) (http.Handler, error) {
	s := &Server{c}
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.Use(s.recovered(), s.guard())
	RegisterHandlersWithOptions(e, s, GinServerOptions{BaseURL: Base, ErrorHandler: func(c *gin.Context, err error, _ int) {
		s.fail(c, fault.Wrap(fault.BadInput, err, "The request has a part that can't be read: %v", err))
	}})
	uploads, err := s.uploads()
	if err != nil {
		return nil, err
	}
	e.Any(Base+"/uploads/*rest", gin.WrapH(http.StripPrefix(Base+"/uploads/", uploads)))
	e.GET(Base+"/listen", gin.WrapH(&listen.Server{Library: library.Library{Store: c.Store, Media: c.Media}, Log: c.Log}))
	e.GET(Base+"/specs/schema", func(c *gin.Context) { s.schema(c) })
	e.NoRoute(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			s.fail(c, fault.New(fault.NotFound, "There is nothing at this address"))
			return
		}
		c.Status(http.StatusOK) // gin has put 404 there; the interface answers for its own paths
		web.Handler().ServeHTTP(c.Writer, c.Request)
	})
	return e, nil
}

// recovered turns a panic into a logged problem, so that one request can't take the others with it.
func (s *Server) recovered() gin.HandlerFunc {
	return gin.CustomRecoveryWithWriter(io.Discard, func(c *gin.Context, err any) {
		if err == http.ErrAbortHandler {
			panic(err) // meant for net/http, which cuts the connection
		}
		s.Log.Error("panic", "path", c.Request.URL.Path, "error", err)
		s.fail(c, errors.New("panic"))
	})
}

// guard refuses requests for a foreign host and from a foreign page.
func (s *Server) guard() gin.HandlerFunc {
	return func(c *gin.Context) {
		if !s.known(c.Request.Host) {
			s.fail(c, fault.New(fault.BadInput, "This server does not answer for %q", c.Request.Host))
			return
		}
		if origin := c.GetHeader("Origin"); origin != "" {
			u, err := url.Parse(origin)
			if err != nil || u.Host != c.Request.Host {
				s.fail(c, fault.New(fault.BadInput, "Requests from other pages are refused"))
				return
			}
		}
		c.Header("X-Content-Type-Options", "nosniff")
		c.Header("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; worker-src 'self' blob:; connect-src 'self'; frame-ancestors 'none'")
		c.Next()
	}
}

func (s *Server) known(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.Trim(name, "[]")
	if ip := net.ParseIP(name); ip != nil && ip.IsLoopback() {
		return true
	}
	return name == "localhost" || slices.Contains(s.Hosts, name)
}

var statusOf = map[fault.Kind]int{
	fault.NotFound: http.StatusNotFound, fault.Stale: http.StatusConflict, fault.Unties: http.StatusConflict, fault.BadInput: http.StatusBadRequest,
	fault.Unsupported: http.StatusUnprocessableEntity, fault.Damaged: http.StatusUnprocessableEntity,
	fault.NoSpace: http.StatusInsufficientStorage, fault.Cancelled: 499,
}

// fail answers with a problem document. What has no kind is the server's fault: it is logged, and told without
// its inner words.
func (s *Server) fail(c *gin.Context, err error) {
	kind := fault.KindOf(err)
	status, known := statusOf[kind]
	sentence := fault.Sentence(err)
	if store.Unavailable(err) {
		status, known, sentence = http.StatusServiceUnavailable, true, "The database does not answer just now. Nothing was lost; try again in a moment"
		c.Header("Retry-After", "2")
		s.Log.Warn("the database does not answer", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
	}
	if !known {
		status, sentence = http.StatusInternalServerError, "Something went wrong on the server. Try again; if it stays, the server's log says more"
		if c.Request.Context().Err() == nil {
			s.Log.Error("request failed", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
		}
	}
	b, _ := json.Marshal(Problem{Type: "about:blank", Title: sentence, Status: status, Kind: ptr(string(kind))})
	c.Data(status, "application/problem+json", b)
	c.Abort()
}

// answer sends a value, or the problem.
func (s *Server) answer(c *gin.Context, status int, value any, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.JSON(status, value)
}

// done answers without contents, or with the problem.
func (s *Server) done(c *gin.Context, err error) {
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Status(http.StatusNoContent)
}

// maxBody bounds a request's JSON, in bytes.
const maxBody = 4 << 20

// read decodes a request's JSON; ok is false where that failed and has been answered.
func (s *Server) read(c *gin.Context, into any) (ok bool) { return s.readAtMost(c, into, maxBody) }

// readAtMost is read for requests of another size, in bytes.
func (s *Server) readAtMost(c *gin.Context, into any, most int64) (ok bool) {
	d := json.NewDecoder(http.MaxBytesReader(c.Writer, c.Request.Body, most))
	d.DisallowUnknownFields()
	if err := d.Decode(into); err != nil {
		s.fail(c, fault.Wrap(fault.BadInput, err, "The request can't be read: %v", err))
		return false
	}
	return true
}

func ptr[T any](x T) *T { return &x }

// author says who makes an edit, for the history. The browser sends the name escaped, as headers have no letters but
// English ones.
func author(c *gin.Context) string {
	if a, err := url.QueryUnescape(c.GetHeader("Loom-Author")); err == nil && a != "" && len(a) <= 200 && utf8.ValidString(a) {
		return a
	}
	return "editor"
}
