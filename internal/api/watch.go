package api

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Metrics are what the server counts of itself, in Prometheus' form.
type Metrics struct {
	registry  *prometheus.Registry
	requests  *prometheus.HistogramVec
	jobs      *prometheus.CounterVec
	jobTime   *prometheus.HistogramVec
	listeners prometheus.Gauge
}

// NewMetrics prepares them. state is asked for the work that there is, by state, and for the free bytes on the disk.
func NewMetrics(work func(context.Context) (map[string]int, error), free func() (int64, error),
	connections func() (used, most int32)) *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "loom_request_seconds",
			Help: "How long requests took, by route and status.", Buckets: prometheus.DefBuckets}, []string{"method", "route", "status"}),
		jobs: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "loom_work_ended_total", Help: "Work that ended, by kind and how."},
			[]string{"kind", "state"}),
		jobTime: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "loom_work_seconds", Help: "How long work took, by kind.",
			Buckets: prometheus.ExponentialBuckets(0.1, 3, 10)},
			[]string{"kind"}),
		listeners: prometheus.NewGauge(prometheus.GaugeOpts{Name: "loom_listeners", Help: "Connections that listen live."}),
	}
	m.registry.MustRegister(m.requests, m.jobs, m.jobTime, m.listeners, &states{work: work},
		prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "loom_disk_free_bytes", Help: "What can still be written where media lie."},
			func() float64 {
				n, err := free()
				if err != nil {
					return -1
				}
				return float64(n)
			}),
		prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "loom_database_connections",
			Help: "Connections to the database that are in use."},
			func() float64 {
				used, _ := connections()
				return float64(used)
			}),
		prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "loom_database_connections_most",
			Help: "Connections to the database that may be in use at once."}, func() float64 {
			_, most := connections()
			return float64(most)
		}))
	return m
}

// states tells how much work there is in each state.
type states struct {
	work func(context.Context) (map[string]int, error)
}

var workInState = prometheus.NewDesc("loom_work", "Work that there is, by state.", []string{"state"}, nil)

func (s *states) Describe(to chan<- *prometheus.Desc) { to <- workInState }

func (s *states) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	counts, err := s.work(ctx)
	if err != nil {
		to <- prometheus.NewInvalidMetric(workInState, err)
		return
	}
	for state, n := range counts {
		to <- prometheus.MustNewConstMetric(workInState, prometheus.GaugeValue, float64(n), state)
	}
}

// WorkEnded counts an attempt at work.
func (m *Metrics) WorkEnded(kind, state string, took time.Duration) {
	m.jobs.WithLabelValues(kind, state).Inc()
	m.jobTime.WithLabelValues(kind).Observe(took.Seconds())
}

// Listener counts those who listen.
func (m *Metrics) Listener(n int) { m.listeners.Add(float64(n)) }

// watched gives each request an ID, which the answer names, and logs and counts it.
func (s *Server) watched() gin.HandlerFunc {
	return func(c *gin.Context) {
		id := uuid.NewString()
		c.Header("Loom-Request", id)
		begun := time.Now()
		c.Next()
		took, route := time.Since(begun), c.FullPath()
		if route == "" {
			route = "other"
		}
		s.Metrics.requests.WithLabelValues(c.Request.Method, route, strconv.Itoa(c.Writer.Status())).Observe(took.Seconds())
		s.Log.Debug("request", "request", id, "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "took",
			took.Round(time.Microsecond), "bytes", c.Writer.Size())
	}
}

// health says that the process answers; ready, that it can do what it is asked for.
func (s *Server) health(e *gin.Engine) {
	e.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "alive\n") })
	e.GET("/readyz", func(c *gin.Context) {
		if s.Preparing.Load() {
			c.String(http.StatusServiceUnavailable, "still being prepared\n")
			return
		}
		ctx, cancel := context.WithTimeout(c, 2*time.Second)
		defer cancel()
		if err := s.Jobs.Keeping.Pool.Ping(ctx); err != nil {
			c.String(http.StatusServiceUnavailable, "the database does not answer\n")
			return
		}
		if err := s.Jobs.Room(0); err != nil {
			c.String(http.StatusServiceUnavailable, "the disk is full\n")
			return
		}
		c.String(http.StatusOK, "ready\n")
	})
	e.GET("/metrics", gin.WrapH(promhttp.HandlerFor(s.Metrics.registry, promhttp.HandlerOpts{ErrorHandling: promhttp.ContinueOnError})))
}
