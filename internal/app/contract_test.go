package app_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	contract "zestyloom/api"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// asker makes requests up from the contract: mostly what it allows, now and then what it does not.
type asker struct {
	*rand.Rand
	ids map[string][]string // that there are, by what they are of
	mad float64             // how often something is not as it should be
}

// nasty are texts that some program has stumbled over.
var nasty = []string{"", " ", "\x00", "a\x00b", "é", "\u202e", "'; drop table takes; --", strings.Repeat("x", 300), "../../etc/passwd",
	"%00", "=1+1",
	"null", "00000000-0000-0000-0000-000000000000", "\xff\xfe", "12:00:00:00", "-1"}

func (a *asker) chance(p float64) bool { return a.Float64() < p }

func pick[T any](a *asker, list []T) T { return list[a.IntN(len(list))] }

// id gives an ID of a kind, as far as there is one.
func (a *asker) id(kind string) string {
	if list := a.ids[kind]; len(list) > 0 && !a.chance(a.mad) {
		return pick(a, list)
	}
	return pick(a, nasty)
}

// value makes a value of a schema up.
func (a *asker) value(name string, ref *openapi3.SchemaRef, depth int) any {
	s := ref.Value
	if a.chance(a.mad / 4) {
		return pick(a, []any{nil, "", -1, 1e308, []any{}, map[string]any{}, true, pick(a, nasty), strings.Repeat("[", 3)})
	}
	switch {
	case s.Nullable && a.chance(0.1):
		return nil
	case len(s.OneOf) > 0:
		return a.value(name, pick(a, s.OneOf), depth)
	case len(s.AnyOf) > 0:
		return a.value(name, pick(a, s.AnyOf), depth)
	case len(s.AllOf) > 0:
		all := map[string]any{}
		for _, part := range s.AllOf {
			if v, is := a.value(name, part, depth).(map[string]any); is {
				maps.Copy(all, v)
			} else {
				return a.value(name, part, depth)
			}
		}
		return all
	case len(s.Enum) > 0:
		return pick(a, s.Enum)
	}
	switch {
	case s.Type.Is("object"):
		made := map[string]any{}
		for _, key := range slices.Sorted(maps.Keys(s.Properties)) {
			must := slices.Contains(s.Required, key)
			if must && !a.chance(a.mad/4) || !must && depth < 5 && a.chance(0.4) {
				made[key] = a.value(key, s.Properties[key], depth+1)
			}
		}
		return made
	case s.Type.Is("array"):
		made := []any{}
		for range a.IntN(4) {
			made = append(made, a.value(strings.TrimSuffix(name, "s"), s.Items, depth+1))
		}
		return made
	case s.Type.Is("integer"), s.Type.Is("number"):
		return a.number(s)
	case s.Type.Is("boolean"):
		return a.chance(0.5)
	}
	if _, known := a.ids[name]; known {
		return a.id(name)
	}
	if s.Format == "date-time" {
		return time.Now().Format(time.RFC3339)
	}
	if a.chance(0.3) {
		return pick(a, nasty)
	}
	return pick(a, []string{"Boom", "Reel 2", "DX", "10:00:00:00", "25", "stereo", "L", "The Lantern Ferry", "wave"})
}

func (a *asker) number(s *openapi3.Schema) any {
	low, high := -1e6, 1e9
	if s.Min != nil {
		low = *s.Min
	}
	if s.Max != nil {
		high = *s.Max
	}
	x := pick(a, []float64{low, high, 0, 1, low + a.Float64()*(high-low), float64(a.IntN(200)), 36000 * 48000})
	if s.Type.Is("integer") {
		return int64(math.Max(-1<<62, math.Min(1<<62, x)))
	}
	return x
}

// query gives the parameters of a request, in its query and in its head.
func (a *asker) query(op *openapi3.Operation) (q url.Values, head http.Header) {
	q, head = url.Values{}, http.Header{}
	for _, p := range op.Parameters {
		if p.Value.In == "path" || !p.Value.Required && a.chance(0.5) {
			continue
		}
		text := fmt.Sprint(a.value(p.Value.Name, p.Value.Schema, 0))
		switch p.Value.In {
		case "query":
			q.Set(p.Value.Name, text)
		case "header":
			head.Set(p.Value.Name, strconv.QuoteToASCII(text))
		}
	}
	return q, head
}

// fuzzFor is how long the contract is tried, which ./loom test makes longer.
func fuzzFor(t *testing.T) time.Duration {
	seconds, err := strconv.Atoi(os.Getenv("ZESTYLOOM_TEST_CONTRACT"))
	if os.Getenv("ZESTYLOOM_TEST_CONTRACT") == "" {
		return 10 * time.Second
	}
	require.NoError(t, err)
	return time.Duration(seconds) * time.Second
}

// What is asked of something that is not there is not found, whatever it is: an empty list of it would say that it is there.
func TestNothingIsThere(t *testing.T) {
	s := apptest.Start(t)
	crossing(t, s)
	doc, err := openapi3.NewLoader().LoadFromData(contract.YAML)
	require.NoError(t, err)
	nothing, asked := "7d9f2b1c-0000-4000-8000-000000000000", 0
	for path, item := range doc.Paths.Map() {
		if !strings.Contains(path, "{") || strings.HasPrefix(path, "/uploads") {
			continue
		}
		for method, op := range item.Operations() {
			var body any
			if op.RequestBody != nil {
				body = map[string]any{}
			}
			at := regexp.MustCompile(`{\w+}`).ReplaceAllString(path, nothing)
			status := s.Call(method, at, body, nil)
			more := op.RequestBody != nil || slices.ContainsFunc(slices.Concat(item.Parameters, op.Parameters), func(p *openapi3.ParameterRef) bool {
				return p.Value.In == openapi3.ParameterInQuery && p.Value.Required
			})
			assert.True(t, status == http.StatusNotFound || more && status == http.StatusBadRequest, "%s %s answers %d", method, path, status)
			asked++
		}
	}
	assert.Greater(t, asked, 80)
}

// Whatever is asked, the answer, a refusal too, is what the contract says, and never that something went wrong on the server.
func TestEveryAnswerIsInTheContract(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "interleaved"})
	var r api.Receipt
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &r)
	s.Settled(production)
	a := &asker{Rand: rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1)), mad: 0.1, ids: map[string][]string{
		"production": {production}, "reel": {v.ID}, "print": {p.ID}, "receipt": {r.ID}, "with": {r.ID}, "work": {p.ID, r.ID},
		"card": {"LF03"},
		"name": {p.Plan.Files[0].Name, "Boom"}, "file": {p.Plan.Files[0].Name}, "paper": {"report.json", "cue-sheet.csv",
			"manifest.sha256"},
		"spec": {"eight-channel-mix", "promo-kit"}, "profile": {"r128"}, "packaging": {"interleaved", "per-group"}, "pattern": {},
		"path":   {"day1/12A.wav"},
		"folder": {"Harbour Mile", "day1"}, "production_id": {production}, "upload": {p.ID},
	}}
	for _, take := range s.Takes(production) {
		a.ids["take"] = append(a.ids["take"], take.ID)
	}
	a.ids["reference"] = a.ids["take"]
	for _, c := range v.Clips {
		a.ids["clip"] = append(a.ids["clip"], c.ID)
	}
	for _, x := range v.Tracks {
		a.ids["track"] = append(a.ids["track"], x.ID)
	}
	for _, x := range v.Groups {
		a.ids["group"] = append(a.ids["group"], x.ID)
		a.ids["of"] = append(a.ids["of"], x.ID)
	}
	for _, x := range v.Stems {
		a.ids["stem"] = append(a.ids["stem"], x.ID)
	}
	for _, x := range v.Outputs {
		a.ids["output"] = append(a.ids["output"], x.ID)
	}
	doc, err := openapi3.NewLoader().LoadFromData(contract.YAML)
	require.NoError(t, err)
	type operation struct {
		path, method string
		op           *openapi3.Operation
	}
	var all []operation
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			// Streams have no end; uploads have a protocol of their own; and what there is, is to stay.
			if path == "/events" || strings.HasPrefix(path, "/uploads/") || method == http.MethodDelete && !strings.Contains(path, "/tie") {
				continue
			}
			all = append(all, operation{path, method, op})
		}
	}
	slices.SortFunc(all, func(x, y operation) int { return strings.Compare(x.path+x.method, y.path+y.method) })
	client := &http.Client{Timeout: time.Minute}
	failures, asked := map[string]string{}, 0
	for until := time.Now().Add(fuzzFor(t)); time.Now().Before(until); asked++ {
		o := all[asked%len(all)]
		a.mad = pick(a, []float64{0, 0.1, 0.4})
		path := o.path
		for strings.Contains(path, "{") {
			from, to := strings.Index(path, "{"), strings.Index(path, "}")
			path = path[:from] + url.PathEscape(a.id(path[from+1:to])) + path[to+1:]
		}
		q, head := a.query(o.op)
		var body []byte
		kind := "application/json"
		if o.op.RequestBody != nil {
			for k, media := range o.op.RequestBody.Value.Content {
				kind = k
				v := a.value("", media.Schema, 0)
				body, err = json.Marshal(v)
				if text, is := v.(string); is && k != "application/json" {
					body = []byte(text)
				}
				if err != nil {
					body = []byte("{")
				}
			}
		}
		req, err := http.NewRequest(o.method, s.Base+api.Base+path+"?"+q.Encode(), bytes.NewReader(body))
		if err != nil {
			continue // it can't even be sent
		}
		req.Header = head
		if body != nil {
			req.Header.Set("Content-Type", kind)
		}
		res, err := client.Do(req)
		if err != nil && strings.Contains(err.Error(), "invalid header field") {
			continue // it can't even be sent
		}
		var answer []byte
		if err == nil {
			answer, err = io.ReadAll(res.Body)
			res.Body.Close()
		}
		if err != nil {
			failures[o.method+" "+o.path+" no answer"] = fmt.Sprintf("%s?%s\n%.500s\n%s", path, q.Encode(), body, err)
			continue
		}
		if res.StatusCode >= 500 && res.StatusCode != http.StatusInsufficientStorage {
			failures[o.method+" "+o.path+" 500"] = fmt.Sprintf("%s?%s\n%.2000s\n%s", path, q.Encode(), body, answer)
		} else if err := s.Meets(req, res, answer); err != nil {
			failures[o.method+" "+o.path] = fmt.Sprintf("%s?%s\n%.500s\n%d %.300s\n%.600s", path, q.Encode(), body, res.StatusCode, answer,
				err)
		}
	}
	for _, of := range slices.Sorted(maps.Keys(failures)) {
		assert.Fail(t, of, failures[of])
	}
	t.Logf("%d requests to %d operations", asked, len(all))
}
