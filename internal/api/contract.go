package api

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/gin-gonic/gin"

	contract "zestyloom/api"
	"zestyloom/core/fault"
	"zestyloom/internal/store"
)

// What is no JSON is kept as it is. The list is the process's, and so filled once.
func init() {
	openapi3filter.RegisterBodyDecoder("application/yaml", openapi3filter.FileBodyDecoder)
	openapi3filter.RegisterBodyDecoder("text/csv", openapi3filter.FileBodyDecoder)
}

// contract holds each request against api/openapi.yaml before it is answered, so that what the contract says of limits
// holds.
func (s *Server) contract() (gin.HandlerFunc, error) {
	doc, err := openapi3.NewLoader().LoadFromData(contract.YAML)
	if err != nil {
		return nil, err
	}
	doc.Servers = openapi3.Servers{{URL: Base}}
	router, err := gorillamux.NewRouter(doc)
	if err != nil {
		return nil, err
	}
	options := &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc, SkipSettingDefaults: true}
	return func(c *gin.Context) {
		if !strings.HasPrefix(c.Request.URL.Path, Base+"/") || strings.HasPrefix(c.Request.URL.Path, uploadsPath) {
			return
		}
		bare := *c.Request
		u := *c.Request.URL
		u.Scheme, u.Host = "", ""
		bare.URL = &u
		route, params, err := router.FindRoute(&bare)
		if err != nil {
			return // gin says so
		}
		if inPieces(c.Request) {
			under(c, nil)
			unread := *options
			unread.ExcludeRequestBody = true
			bare.Body = http.NoBody // it would be closed
			err = openapi3filter.ValidateRequest(c, &openapi3filter.RequestValidationInput{Request: &bare, PathParams: params, Route: route,
				Options: &unread})
			if err != nil {
				s.fail(c, fault.Wrap(fault.BadInput, err, "The request is not as it should be: %s", reason(err)))
			}
			return
		}
		body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, mostOf(c.FullPath())))
		if err != nil {
			s.fail(c, err)
			return
		}
		if err := bounded(body); err != nil {
			s.fail(c, err)
			return
		}
		under(c, body)
		bare.Body = io.NopCloser(bytes.NewReader(body))
		err = openapi3filter.ValidateRequest(c, &openapi3filter.RequestValidationInput{Request: &bare, PathParams: params, Route: route,
			Options: options})
		c.Request.Body = io.NopCloser(bytes.NewReader(body))
		if err != nil {
			s.fail(c, fault.Wrap(fault.BadInput, err, "The request is not as it should be: %s", reason(err)))
		}
	}, nil
}

// maxKey is how long a request's key may be; the contract refuses longer ones.
const maxKey = 200

// under puts a request that has a key of its own into its context, with a digest of all of it, but for what the caller has seen so far.
// Of files that come piece by piece it is how long they are that counts.
func under(c *gin.Context, body []byte) {
	key := c.GetHeader("Idempotency-Key")
	if key == "" || len(key) > maxKey {
		return
	}
	sum := sha256.New()
	query := c.Request.URL.Query()
	query.Del("since")
	fmt.Fprintf(sum, "%s %s?%s %d\n", c.Request.Method, c.Request.URL.Path, query.Encode(), c.Request.ContentLength)
	sum.Write(body)
	c.Request = c.Request.WithContext(store.Under(c.Request.Context(), store.Request{Key: key, Digest: hex.EncodeToString(sum.Sum(nil))}))
}

// What lies in one another at most in a request: far more than anybody sends. Validators try every form that something may have, and
// again in it, so that what is nested costs them as many times over as there are forms.
const (
	maxNested  = 64
	maxSeveral = 2 // commands that hold commands
	// maxCommands is how many commands one request may hold: one for each clip of any selection.
	maxCommands = 10_000
)

// bounded refuses what is nested too deep to be looked at. What is no JSON is for others to say.
func bounded(body []byte) error {
	if bytes.Count(body, []byte(`"kind"`)) > maxCommands { // far less than each has at least
		return fault.New(fault.BadInput, "The request holds more than %d commands; send them in parts", maxCommands)
	}
	var v any
	if json.Unmarshal(body, &v) != nil {
		return nil
	}
	return nested(v, 0, 0)
}

func nested(v any, depth, several int) error {
	if depth > maxNested {
		return fault.New(fault.BadInput, "The request is not as it should be: lists and objects lie in one another more than %d deep",
			maxNested)
	}
	switch v := v.(type) {
	case map[string]any:
		if v["kind"] == "several" {
			several++
		}
		if several > maxSeveral {
			return fault.New(fault.BadInput, "The request is not as it should be: commands hold commands more than %d deep", maxSeveral)
		}
		for _, x := range v {
			if err := nested(x, depth+1, several); err != nil {
				return err
			}
		}
	case []any:
		for _, x := range v {
			if err := nested(x, depth+1, several); err != nil {
				return err
			}
		}
	}
	return nil
}

// mostOf is how large the body of a request to a route may be, in bytes.
func mostOf(route string) int64 {
	switch {
	case strings.HasSuffix(route, "/cutlist"), strings.HasSuffix(route, "/cutlist/read"), strings.HasSuffix(route, "/handedover"):
		return maxList
	case strings.HasSuffix(route, "/report"):
		return maxReport
	}
	return maxBody
}

// reason is the first thing that is wrong with a request, in few words.
func reason(err error) string {
	var schema *openapi3.SchemaError
	if errors.As(err, &schema) {
		for inner := schema; errors.As(inner.Origin, &inner); { // of several that it may be, what is wrong with the one
			schema = inner
		}
		if schema.SchemaField == "discriminator" {
			return fmt.Sprintf("%v is none of the kinds that there are", schema.Value)
		}
		if at := strings.Join(schema.JSONPointer(), "/"); at != "" {
			return at + ": " + schema.Reason
		}
		return schema.Reason
	}
	var request *openapi3filter.RequestError
	if errors.As(err, &request) && request.Parameter != nil {
		return request.Parameter.Name + ": " + request.Reason
	}
	line, _, _ := strings.Cut(err.Error(), "\n")
	return line
}
