package app

import (
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"omphalos/app/store"
)

// Metrics are figures of a running server for Prometheus: how much it is asked for and how long that takes, by the part
// of the program alone. They name no quiz, no address and no one.
type Metrics struct {
	registry *prometheus.Registry
	took     *prometheus.HistogramVec
}

// NewMetrics makes the figures of a server on a store.
func NewMetrics(s *store.Store) *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name:    "omphalos_request_seconds",
			Help:    "Time taken to answer requests, by part of the program and status class.",
			Buckets: []float64{0.001, 0.005, 0.02, 0.1, 0.3, 1, 3, 10, 60},
		}, []string{"part", "status"}),
	}
	figure := func(name, help string, read func() (int64, error)) prometheus.Collector {
		return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help}, func() float64 {
			n, err := read()
			if err != nil {
				return -1 // it cannot be told just now
			}
			return float64(n)
		})
	}
	m.registry.MustRegister(
		m.took,
		collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		prometheus.NewCounterFunc(prometheus.CounterOpts{
			Name: "omphalos_responses_stored_total", Help: "Responses acknowledged since the server started.",
		}, func() float64 { return float64(s.Responses.Stored()) }),
		figure("omphalos_database_bytes", "Size of the database and its log, in bytes.", s.Size),
		figure("omphalos_deliveries_waiting", "Webhook events waiting to be delivered.", s.Deliveries.Waiting),
	)
	return m
}

// Handler answers with the figures.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}

// observe times requests.
func (m *Metrics) observe(c *gin.Context) {
	began := time.Now()
	c.Next()
	part := partOf(c.FullPath())
	if strings.HasSuffix(c.FullPath(), "/events") {
		return // a stream is open for as long as someone looks
	}
	m.took.WithLabelValues(part, strconv.Itoa(c.Writer.Status()/100)+"xx").Observe(time.Since(began).Seconds())
}

// partOf is the part of the program that answers a route.
func partOf(route string) string {
	first, _, _ := strings.Cut(strings.TrimPrefix(route, "/"), "/")
	switch first {
	case "q", "kit.js", "media", "samples":
		return "respondents"
	case "assets":
		return "assets"
	case "healthz", "readyz", "metrics":
		return "operation"
	}
	if route == "" {
		return "none" // no address of the program
	}
	return "workbench"
}
