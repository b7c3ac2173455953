package api

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"unicode/utf8"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"zestyloom/core/fault"
	"zestyloom/internal/analysis"
	"zestyloom/internal/cards"
	"zestyloom/internal/jobs"
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
	Metrics *Metrics
}

// Server implements the generated ServerInterface.
type Server struct {
	Config
	handler   http.Handler
	listeners *listen.Server
	gauges    *analysis.Keeper
	rendering chan struct{} // as many requests render a stretch at once as it has room
	comparing chan struct{} // as many compare deliveries at once as it has room
	endOnce   sync.Once
	ending    chan struct{} // closed when the process ends
	// Preparing is set while what the server is to show is still being made; until then it is not ready.
	Preparing atomic.Bool
}

var _ ServerInterface = (*Server)(nil)

// Base is where the API's paths begin.
const Base = "/api/v1"

// uploadsPath is where uploads are sent to.
const uploadsPath = Base + "/uploads/"

// New makes the server of everything: the API, uploads, listening and the interface.
func New(c Config) (*Server, error) {
	s := &Server{Config: c, ending: make(chan struct{}), comparing: make(chan struct{}, 1), rendering: make(chan struct{}, 1)}
	s.listeners = &listen.Server{Known: c.Store, Files: func(ctx context.Context) listen.Files { return s.library().Session(ctx) },
		Log:   c.Log,
		Heard: c.Metrics.Listener,
		Tape:  s.tape}
	s.gauges = &analysis.Keeper{Library: s.library(), Log: c.Log}
	s.gauges.Open()
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.ContextWithFallback = true // so that a handler's context ends with its request
	e.HandleMethodNotAllowed = true
	e.RedirectTrailingSlash = false // an address that is none is not another one
	checked, err := s.contract()
	if err != nil {
		return nil, err
	}
	e.Use(s.recovered(), s.watched(), s.guard(), hurry(), within(), s.frugal(), checked, s.again(), s.there())
	RegisterHandlersWithOptions(e, s, GinServerOptions{BaseURL: Base, ErrorHandler: func(c *gin.Context, err error, _ int) {
		s.fail(c, fault.Wrap(fault.BadInput, err, "The request has a part that can't be read: %v", err))
	}})
	uploads, err := s.uploads()
	if err != nil {
		return nil, err
	}
	e.Any(uploadsPath+"*rest", gin.WrapH(http.StripPrefix(uploadsPath, uploads)))
	e.GET(Base+"/listen", gin.WrapH(s.listeners))
	s.health(e)
	e.NoMethod(func(c *gin.Context) {
		s.refuse(c, http.StatusMethodNotAllowed, fault.New(fault.BadInput, "%s can't be done at this address", c.Request.Method))
	})
	e.NoRoute(s.page)
	s.handler = compressed(e)
	return s, nil
}

// page answers where there is no route: with the interface, which knows the addresses that are its own.
func (s *Server) page(c *gin.Context) {
	p := c.Request.URL.Path
	if strings.HasPrefix(p, "/api/") {
		s.fail(c, fault.New(fault.NotFound, "There is nothing at this address"))
		return
	}
	if c.Request.Method != http.MethodGet {
		s.refuse(c, http.StatusMethodNotAllowed, fault.New(fault.BadInput, "%s can't be done at this address", c.Request.Method))
		return
	}
	c.Status(http.StatusOK) // gin has put 404 there
	web.Handler().ServeHTTP(c.Writer, c.Request)
}

// compressed packs answers of text: at once, but what a browser keeps for ever as small as can be. HEAD is answered like GET;
// what comes after the headers net/http leaves out.
func compressed(h http.Handler) http.Handler {
	text := gzhttp.ContentTypes([]string{"application/json", "application/problem+json", "application/schema+json",
		"application/yaml", "text/html", "text/css", "text/javascript", "text/csv", "image/svg+xml"})
	wrap, err := gzhttp.NewWrapper(text)
	small, smallErr := gzhttp.NewWrapper(text, gzhttp.EnableZstd(false), gzhttp.CompressionLevel(gzip.BestCompression))
	if err := errors.Join(err, smallErr); err != nil {
		panic(err) // the options are ours, so this can't be
	}
	packed, assets := wrap(h), small(h)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Method == http.MethodHead && !strings.HasPrefix(r.URL.Path, uploadsPath):
			get := r.Clone(r.Context())
			get.Method = http.MethodGet
			h.ServeHTTP(w, get)
		case strings.HasPrefix(r.URL.Path, uploadsPath), strings.HasSuffix(r.URL.Path, "/listen"), strings.HasSuffix(r.URL.Path, "/events"):
			h.ServeHTTP(w, r) // taken over, or sent piece by piece
		case strings.HasPrefix(r.URL.Path, "/assets/"):
			assets.ServeHTTP(w, r)
		default:
			packed.ServeHTTP(w, r)
		}
	})
}

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// End ends what would go on for ever: live listening and streams of events. Everything else is left to finish.
func (s *Server) End() {
	s.endOnce.Do(func() { close(s.ending) })
	s.listeners.Close()
	s.gauges.Close()
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

var statusOf = map[fault.Kind]int{
	fault.NotFound: http.StatusNotFound, fault.Stale: http.StatusConflict, fault.Unties: http.StatusConflict,
	fault.Asks: http.StatusConflict, fault.Loses: http.StatusConflict, fault.Met: http.StatusConflict,
	fault.BadInput:    http.StatusBadRequest,
	fault.Unsupported: http.StatusUnprocessableEntity, fault.Damaged: http.StatusUnprocessableEntity,
	fault.NoSpace: http.StatusInsufficientStorage, fault.Cancelled: 499,
}

// fail answers with a problem document. What has no kind is the server's fault: it is logged, and told without
// its inner words.
func (s *Server) fail(c *gin.Context, err error) {
	kind := fault.KindOf(err)
	status, known := statusOf[kind]
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		status, err = http.StatusRequestEntityTooLarge, fault.New(fault.BadInput,
			"The request is larger than the %d bytes that are taken here",
			tooLarge.Limit)
	case errors.Is(err, errTooBusy), errors.Is(context.Cause(c.Request.Context()), errTooBusy):
		c.Header("Retry-After", "2")
		s.Log.Warn("a request took too long", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
		status, err = http.StatusServiceUnavailable, errTooBusy
	case errors.Is(err, os.ErrDeadlineExceeded):
		status, err = http.StatusRequestTimeout, fault.New(fault.BadInput, "The request took too long to arrive; try again")
	case known:
	case store.Unavailable(err):
		c.Header("Retry-After", "2")
		s.Log.Warn("the database does not answer", "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
		status, err = http.StatusServiceUnavailable, fault.New(fault.Away,
			"The database does not answer just now. Nothing was lost; try again in a moment")
	case store.BadText(err):
		status, err = http.StatusBadRequest, fault.New(fault.BadInput, "The request has a character in it that no name has")
	case c.Request.Context().Err() != nil:
		status, err = statusOf[fault.Cancelled], fault.New(fault.Cancelled, "The request was given up")
	default:
		s.Log.Error("request failed", "request", c.Writer.Header().Get("Loom-Request"), "method", c.Request.Method, "path",
			c.Request.URL.Path,
			"error", err)
		status, err = http.StatusInternalServerError, fault.New("", "Something went wrong on the server. Try again; if it stays, the server's log says more")
	}
	s.refuse(c, status, err)
}

// refuse answers with a problem document of a status.
func (s *Server) refuse(c *gin.Context, status int, err error) {
	kind := string(fault.KindOf(err))
	p := Problem{Type: "about:blank", Title: fault.Sentence(err), Status: status, Kind: &kind}
	if kind != "" {
		p.Type = "urn:zestyloom:" + strings.ReplaceAll(kind, " ", "-")
	}
	if request := c.Writer.Header().Get("Loom-Request"); request != "" {
		p.Instance = ptr("urn:uuid:" + request)
	}
	var stale *store.StaleError
	if errors.As(err, &stale) {
		p.Revision = &stale.Revision
	}
	var met *store.MetError
	if errors.As(err, &met) {
		if p.Step = &met.Step; !met.At.IsZero() {
			p.At = &met.At
		}
	}
	b, _ := json.Marshal(p)
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

// read decodes a request's JSON, whose size the contract's check has bounded; ok is false where that failed and has been
// answered.
func (s *Server) read(c *gin.Context, into any) (ok bool) {
	d := json.NewDecoder(c.Request.Body)
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
