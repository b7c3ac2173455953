package api

import (
	"context"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"zestyloom/core/fault"
)

// headers are on every answer, refusals too.
var headers = map[string]string{
	"X-Content-Type-Options":       "nosniff",
	"X-Frame-Options":              "DENY",
	"Referrer-Policy":              "no-referrer",
	"Cross-Origin-Resource-Policy": "same-origin",
	"Cross-Origin-Opener-Policy":   "same-origin",
	"Content-Security-Policy": "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; worker-src 'self' blob:; connect-src 'self'; " +
		"base-uri 'none'; form-action 'none'; object-src 'none'; frame-ancestors 'none'",
}

// guard refuses requests for a foreign host, from a foreign page, and with names that can't be.
func (s *Server) guard() gin.HandlerFunc {
	origins := http.NewCrossOriginProtection()
	return func(c *gin.Context) {
		for name, value := range headers {
			c.Header(name, value)
		}
		query, err := url.QueryUnescape(c.Request.URL.RawQuery)
		if err != nil {
			query = "\x00"
		}
		switch {
		case !s.known(c.Request.Host):
			s.refuse(c, http.StatusMisdirectedRequest, fault.New(fault.BadInput, "This server does not answer for %q", c.Request.Host))
		case origins.Check(c.Request) != nil || foreign(c.Request):
			s.refuse(c, http.StatusForbidden, fault.New(fault.BadInput, "Requests from other pages are refused"))
		case !plain(c.Request.URL.Path) || !plain(query):
			s.fail(c, fault.New(fault.NotFound, "There is nothing at this address: it has characters that no name has"))
		default:
			c.Next()
		}
	}
}

// foreign tells whether another page than ours asks, also with a method that changes nothing: live sound is fetched so.
// Opening a page by a link from elsewhere is nothing foreign.
func foreign(r *http.Request) bool {
	if site := r.Header.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" && site != "none" {
		return r.Header.Get("Sec-Fetch-Mode") != "navigate" || strings.HasPrefix(r.URL.Path, "/api/")
	}
	origin := r.Header.Get("Origin")
	return origin != "" && origin != "http://"+r.Host && origin != "https://"+r.Host
}

// plain tells whether a text is UTF-8 without control characters.
func plain(text string) bool {
	return utf8.ValidString(text) && !strings.ContainsFunc(text, unicode.IsControl)
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

// patience is how long the body of a request may take to come, other than an upload's.
const patience = 30 * time.Second

// inPieces tells whether a request brings files, which may be of any size and are read as they come.
func inPieces(r *http.Request) bool {
	return r.Method == http.MethodPost && strings.HasSuffix(r.URL.Path, "/receipts") &&
		strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/form-data")
}

// Requests that go on for as long as somebody reads, sends or listens, by how their paths end; and those that compute for long.
var (
	lasting = []string{"/events", "/listen", "/archive", "/picture", "/sound"}
	slow    = []string{"/comparison", "/lenders", "/gauge", "/gauge/lines", "/gauge/parts", "/gauge/correct", "/handedover", "/cutlist",
		"/cutlist/read", "/waveform", "/samples", "/plan", "/prints", "/queue"}
)

// A request is answered within these, or given up; tests have less patience.
var (
	usualDeadline = 30 * time.Second
	slowDeadline  = 5 * time.Minute
)

// deadline is how long a request may take; 0 where it goes on for as long as somebody reads.
func deadline(r *http.Request) time.Duration {
	p := r.URL.Path
	ends := func(s string) bool { return strings.HasSuffix(p, s) }
	switch {
	case strings.HasPrefix(p, uploadsPath), strings.Contains(p, "/files/"), inPieces(r), slices.ContainsFunc(lasting, ends):
		return 0
	case slices.ContainsFunc(slow, ends), r.Method == http.MethodDelete: // what is removed takes much with it
		return slowDeadline
	}
	return usualDeadline
}

// within ends a request that takes too long: whatever it waits for, a connection to the database too, has its context.
func within() gin.HandlerFunc {
	return func(c *gin.Context) {
		if d := deadline(c.Request); d > 0 {
			ctx, cancel := context.WithTimeoutCause(c.Request.Context(), d, errTooBusy)
			defer cancel()
			c.Request = c.Request.WithContext(ctx)
		}
		c.Next()
	}
}

var errTooBusy = fault.New(fault.Away, "The server has too much to do just now and has given this up. Try again in a moment")

// hurry bounds how long a request's body may take. Uploads have limits of their own.
func hurry() gin.HandlerFunc {
	return func(c *gin.Context) {
		if c.Request.ContentLength != 0 && !strings.HasPrefix(c.Request.URL.Path, uploadsPath) && !inPieces(c.Request) {
			// Where the connection has no deadlines there is nothing to hurry.
			_ = http.NewResponseController(c.Writer).SetReadDeadline(time.Now().Add(patience))
		}
		c.Next()
	}
}
