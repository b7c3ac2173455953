package app_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	contract "zestyloom/api"
	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// house is a server at which people have worked for long: many productions, one of them with thousands of takes, a reel with hundreds
// of prints and a desk with a hundred receipts.
type house struct {
	*apptest.Server
	production, reel, print, receipt, take, work string
}

const manyProductions, manyTakes, manyPrints, manyReceipts = 300, 3000, 200, 100

// lived makes one of each by the ways that people go, and copies their rows.
func lived(b *testing.B) house {
	s := apptest.Start(b)
	s.Record("12A.wav", 10, "Mix L", "Mix R", "Boom", "Ines lav", "Tobiah lav", "Radio", "Plant", "Spare")
	h := house{Server: s, production: s.Production()}
	s.Bring(h.production, "12A.wav")
	h.take = s.Takes(h.production)["12A.wav"].ID
	v := s.Reel(h.production, "Reel 1")
	h.reel = v.ID
	s.OK("POST", "/reels/"+v.ID+"/lay", map[string]any{"revision": v.Revision, "takes": []string{h.take}}, &v)
	s.OK("POST", "/reels/"+v.ID+"/spec", api.SpecChoice{Revision: v.Revision, Spec: "eight-channel-mix"}, &v)
	p := printed(s, h.production, v, map[string]any{"packaging": "per-group"})
	require.NotNil(b, p.Report, p.Message)
	var r api.Receipt
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &r)
	s.Settled(h.production)
	h.print, h.receipt, h.work = p.ID, r.ID, p.ID
	conn, err := pgx.Connect(context.Background(), s.Database)
	require.NoError(b, err)
	defer conn.Close(context.Background())
	for _, q := range []string{
		`insert into productions (name, sample_rate, frame_rate) select 'Ferry ' || n, 48000, frame_rate from productions, generate_series(1, %d) n`,
		`insert into takes (production_id, kind, file_name, came_from, media_key, sound_key, sound, size, sha256, stream, description, channels, findings)
			select production_id, kind, n || file_name, came_from, media_key, sound_key, sound, size, sha256 || n, stream,
			jsonb_set(jsonb_set(description, '{scene}', to_jsonb(n::text)), '{roll}', '"LF1"'), channels, findings
			from takes, generate_series(1, %d) n where not dissolved and part_of is null`,
		`with made as (insert into work (production_id, kind, title, state, args) select production_id, kind, title, 'done', args from work, generate_series(1, %d)
			where kind = 'print' returning id)
			insert into prints (id, reel_id, revision, plan, reel, report, receipt) select made.id, reel_id, revision, plan, reel, report, receipt from prints, made`,
		`with made as (insert into work (production_id, kind, title, state, args) select production_id, kind, title, 'done', args from work, generate_series(1, %d)
			where kind = 'check' returning id)
			insert into receipts (id, production_id, print_id, name, folder, spec, packaging, receipt) select made.id, production_id, print_id, name, folder, spec, packaging,
			receipt from receipts, made`,
		`insert into matches (production_id, take_id, method, result) select production_id, id, 'both',
			'{"offsetSamples": 480000, "confidence": 0.97, "runnerUp": 0.1, "driftPPM": 1.5, "matched": true, "windows": 24}' from (select * from takes limit %d) t`,
	} {
		n := map[string]int{"productions": manyProductions, "takes": manyTakes, "prints": manyPrints, "receipts": manyReceipts,
			"matches": manyTakes}
		for what, many := range n {
			if strings.Contains(q, "insert into "+what+" ") {
				_, err := conn.Exec(context.Background(), fmt.Sprintf(q, many))
				require.NoError(b, err, what)
			}
		}
	}
	_, err = conn.Exec(context.Background(), "vacuum analyze")
	require.NoError(b, err)
	return h
}

// manyClients is how many ask at once.
const manyClients = 20

// large are routes whose answers are as large as what is asked for: files, whole reels, and what is drawn of them.
var large = []string{"/report", "/files/", "/archive", "/waveform", "/samples", "/picture", "/sound", "/events", "/reels/{reel}",
	"/papers/", "/handover"}

// paths gives the addresses of all that can be asked for in the contract and has an answer here.
func (h house) paths(b *testing.B) map[string]string {
	doc, err := openapi3.NewLoader().LoadFromData(contract.YAML)
	require.NoError(b, err)
	fill := strings.NewReplacer("{production}", h.production, "{reel}", h.reel, "{print}", h.print, "{receipt}", h.receipt, "{take}",
		h.take,
		"{work}", h.work, "{card}", "LF03")
	paths := map[string]string{}
	for route, item := range doc.Paths.Map() {
		if item.Get == nil || slices.ContainsFunc(large, func(l string) bool {
			return strings.HasSuffix(route, l) || strings.HasSuffix(l, "/") && strings.Contains(route, l)
		}) {
			continue
		}
		at := fill.Replace(route)
		if strings.Contains(at, "{") {
			continue
		}
		res, err := http.Get(h.Base + api.Base + at)
		require.NoError(b, err)
		res.Body.Close()
		if res.StatusCode == http.StatusOK {
			paths[route] = at
		}
	}
	return paths
}

// BenchmarkRoutes has twenty people ask for everything that there is, one after another and without a pause, at a server that has
// seen much. The goals: 150 ms at the 95th percentile and 200 kB an answer.
func BenchmarkRoutes(b *testing.B) {
	h := lived(b)
	paths := h.paths(b)
	routes := slices.Sorted(func(yield func(string) bool) {
		for r := range paths {
			if !yield(r) {
				return
			}
		}
	})
	for _, route := range routes {
		b.Run(strings.ReplaceAll(strings.Trim(route, "/"), "/", "·"), func(b *testing.B) {
			var mu sync.Mutex
			var took []time.Duration
			var size int
			var all sync.WaitGroup
			for range manyClients {
				all.Go(func() {
					time.Sleep(rand.N(pause)) // nobody begins at the same moment
					for range max(10, b.N) {
						began := time.Now()
						res, err := http.Get(h.Base + api.Base + paths[route])
						if err != nil {
							return
						}
						body, err := io.ReadAll(res.Body)
						res.Body.Close()
						mu.Lock()
						if err == nil && res.StatusCode == http.StatusOK {
							took = append(took, time.Since(began))
							size = max(size, len(bytes.TrimSpace(body)))
						}
						mu.Unlock()
						time.Sleep(pause)
					}
				})
			}
			all.Wait()
			require.Len(b, took, manyClients*max(10, b.N), "%s is answered", route)
			spread(b, took)
			b.ReportMetric(float64(size)/1000, "kB")
		})
	}
}

// pause is how long somebody looks at an answer before asking for the next.
const pause = 200 * time.Millisecond

// BenchmarkEditOfAllTakes is an edit of 3,000 takes at once, naming a whole roll like one take, and changing the stems of their production.
func BenchmarkEditOfAllTakes(b *testing.B) {
	h := lived(b)
	var ids []string
	for _, t := range h.Takes(h.production) {
		ids = append(ids, t.ID)
	}
	var stems map[string]any
	h.OK("GET", "/productions/"+h.production+"/stems", nil, &stems)
	for _, step := range []struct {
		name string
		do   func(n int)
	}{
		{"edit", func(n int) {
			h.OK("POST", "/productions/"+h.production+"/takes/edit", map[string]any{"takes": ids,
				"edit": map[string]any{"slate": map[string]any{"note": fmt.Sprint(n)}}}, nil)
		}},
		{"undo", func(int) {
			var list api.TakeList
			h.OK("GET", "/productions/"+h.production+"/takes?limit=1", nil, &list)
			h.OK("POST", "/productions/"+h.production+"/takes/undo", map[string]any{"revision": list.Revision}, nil)
			h.OK("POST", "/productions/"+h.production+"/takes/redo", map[string]any{"revision": list.Revision + 1}, nil)
		}},
		{"carry", func(n int) {
			h.OK("PATCH", "/takes/"+ids[0], map[string]any{"channels": []any{map[string]any{"index": 2, "name": fmt.Sprint("Boom ", n)}}},
				nil)
			h.OK("POST", "/takes/"+ids[0]+"/carry", nil, nil)
		}},
		{"stems", func(int) { h.OK("PUT", "/productions/"+h.production+"/stems", stems, nil) }},
	} {
		b.Run(step.name, func(b *testing.B) {
			var took []time.Duration
			for n := range max(5, b.N) {
				began := time.Now()
				step.do(n)
				took = append(took, time.Since(began))
			}
			spread(b, took)
		})
	}
}
