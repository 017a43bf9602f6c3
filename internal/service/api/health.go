package api

import (
	"context"
	"crypto/sha256"
	"crypto/subtle"
	"net/http"
	"strconv"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/adaptor"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"nimbusreach/internal/core/check"
)

// Metrics counts what the service does.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	handedIn prometheus.Counter
	verdicts *prometheus.CounterVec
	checking prometheus.Histogram
	waiting  prometheus.Histogram
	queue    prometheus.Gauge
	faults   *prometheus.CounterVec
	stuck    prometheus.Counter

	causeFaults prometheus.Counter
}

func newMetrics() *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "nimbus_request_seconds",
			Help: "Time to answer a request.", Buckets: prometheus.ExponentialBuckets(0.0005, 2, 14)}, []string{"method",
			"route", "status"}),
		handedIn: prometheus.NewCounter(prometheus.CounterOpts{Name: "nimbus_attempts_total",
			Help: "Attempts handed in to this process."}),
		verdicts: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "nimbus_verdicts_total",
			Help: "Verdicts stored by this process."}, []string{"verdict"}),
		checking: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "nimbus_check_seconds",
			Help: "Time to check an attempt.", Buckets: prometheus.ExponentialBuckets(0.00005, 3, 12)}),
		waiting: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "nimbus_verdict_seconds",
			Help: "Time from hand-in to stored verdict.", Buckets: prometheus.ExponentialBuckets(0.001, 2, 16)}),
		queue: prometheus.NewGauge(prometheus.GaugeOpts{Name: "nimbus_queue_length",
			Help: "Attempts that wait or are being checked, in all processes."}),
		faults: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "nimbus_faults_total",
			Help: "Faults of ours that ended one piece of work, by what was being done."}, []string{"doing"}),
		stuck: prometheus.NewCounter(prometheus.CounterOpts{Name: "nimbus_stuck_total",
			Help: "Attempts that this process gave up after several tries."}),

		causeFaults: prometheus.NewCounter(prometheus.CounterOpts{Name: "nimbus_cause_faults_total",
			Help: "Faults of ours in the search for causes; their verdicts stand."}),
	}
	m.registry.MustRegister(m.requests, m.handedIn, m.verdicts, m.checking, m.waiting, m.queue, m.faults, m.stuck,
		m.causeFaults, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

func (m *Metrics) request(method, route string, status int, took time.Duration) {
	m.requests.WithLabelValues(method, route, strconv.Itoa(status)).Observe(took.Seconds())
}

func (m *Metrics) checked(v *check.Verdict, waited, took time.Duration) {
	m.verdicts.WithLabelValues(string(v.Verdict)).Inc()
	m.checking.Observe(took.Seconds())
	m.waiting.Observe(waited.Seconds())
}

func (s *Server) health() {
	s.app.Get("/healthz", func(c fiber.Ctx) error { return c.JSON(fiber.Map{"alive": true}) })
	s.app.Get("/readyz", func(c fiber.Ctx) error {
		b := s.backend.Load()
		if b == nil {
			return errNoDatabase()
		}
		ctx, cancel := context.WithTimeout(c.Context(), time.Second)
		defer cancel()
		if err := b.Store.Ping(ctx); err != nil {
			b.Store.Away(err)
			return errNoDatabase()
		}
		return c.JSON(fiber.Map{"ready": true})
	})
	if s.options.MetricsToken == "" {
		s.app.Get("/metrics", func(fiber.Ctx) error { return fiber.ErrNotFound })
		return
	}
	wanted := sha256.Sum256([]byte("Bearer " + s.options.MetricsToken))
	metrics := adaptor.HTTPHandler(s.MetricsHandler())
	s.app.Get("/metrics", func(c fiber.Ctx) error {
		given := sha256.Sum256([]byte(c.Get("Authorization")))
		if subtle.ConstantTimeCompare(given[:], wanted[:]) != 1 {
			return fail(http.StatusUnauthorized, "metrics-token", "Not allowed", "Metrics are read with a token of their own.",
				"send Authorization: Bearer with NIMBUS_METRICS_TOKEN")
		}
		return metrics(c)
	})
}

// MetricsHandler answers the metrics, for an address of their own.
func (s *Server) MetricsHandler() http.Handler {
	metrics := promhttp.HandlerFor(s.metrics.registry, promhttp.HandlerOpts{})
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if b := s.backend.Load(); b != nil {
			if n, err := b.Store.QueueLength(r.Context()); err == nil {
				s.metrics.queue.Set(float64(n))
			}
		}
		metrics.ServeHTTP(w, r)
	})
}
