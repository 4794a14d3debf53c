package gateway

import (
	"encoding/json"
	"net"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"yellowgate/internal/server/reload"
	"yellowgate/internal/version"
)

// What an operator sees: metrics in the text format of Prometheus, and whether all is well.

// Seen counts what passes.
type Seen struct {
	registry *prometheus.Registry
	gate     *reload.Watcher
	kept     *pageCache
	origin   *health

	requests *prometheus.CounterVec
	gated    prometheus.Counter
	passed   map[string]prometheus.Counter
	gating   prometheus.Histogram
	asking   prometheus.Histogram
	bytes    prometheus.Counter
	now      prometheus.Gauge
	byStatus sync.Map // status -> counter
}

// NewSeen makes what counts for one gateway.
func NewSeen() *Seen {
	s := &Seen{registry: prometheus.NewRegistry(), origin: &health{}, passed: map[string]prometheus.Counter{}}
	seconds := []float64{.0001, .00025, .0005, .001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10}
	s.requests = prometheus.NewCounterVec(
		prometheus.CounterOpts{Name: "yellowgate_requests_total", Help: "Requests answered, by status."},
		[]string{"status"},
	)
	s.gated = prometheus.NewCounter(
		prometheus.CounterOpts{Name: "yellowgate_gated_total", Help: "Answers that were gated."},
	)
	passed := prometheus.NewCounterVec(
		prometheus.CounterOpts{
			Name: "yellowgate_passed_total",
			Help: "Answers that were passed on as they came, by why.",
		},
		[]string{"reason"},
	)
	s.gating = prometheus.NewHistogram(
		prometheus.HistogramOpts{Name: "yellowgate_gating_seconds", Help: "Time to make a page.", Buckets: seconds},
	)
	s.asking = prometheus.NewHistogram(
		prometheus.HistogramOpts{
			Name:    "yellowgate_origin_seconds",
			Help:    "Time until the head of the origin's answer came.",
			Buckets: seconds,
		},
	)
	s.bytes = prometheus.NewCounter(
		prometheus.CounterOpts{Name: "yellowgate_sent_bytes_total", Help: "Bytes of bodies sent to clients."},
	)
	s.now = prometheus.NewGauge(
		prometheus.GaugeOpts{Name: "yellowgate_requests_in_flight", Help: "Requests that are being answered."},
	)
	for _, r := range reasons {
		s.passed[r] = passed.WithLabelValues(r)
	}
	keep := func(name, help string, kind prometheus.ValueType, value func() float64) {
		s.registry.MustRegister(&collector{prometheus.NewDesc(name, help, nil, nil), kind, value})
	}
	counts := func(i int) func() float64 {
		return func() float64 {
			if s.kept == nil {
				return 0
			}
			bytes, pages, hits, misses := s.kept.counts()
			return []float64{float64(bytes), float64(pages), float64(hits), float64(misses)}[i]
		}
	}
	keep("yellowgate_kept_bytes", "Size of the gated pages that are kept.", prometheus.GaugeValue, counts(0))
	keep("yellowgate_kept_pages", "How many gated pages are kept.", prometheus.GaugeValue, counts(1))
	keep("yellowgate_kept_hits_total", "Pages that were kept from before.", prometheus.CounterValue, counts(2))
	keep("yellowgate_kept_misses_total", "Pages that had to be made.", prometheus.CounterValue, counts(3))
	keep(
		"yellowgate_gate_in_order",
		"1 where the gate file as it is now is in effect, 0 where an earlier one is.",
		prometheus.GaugeValue,
		func() float64 {
			if s.gate != nil && s.gate.Now().Err == nil {
				return 1
			}
			return 0
		},
	)
	keep(
		"yellowgate_gate_readings_total",
		"How often the gate file was read.",
		prometheus.CounterValue,
		func() float64 {
			if s.gate == nil {
				return 0
			}
			return float64(s.gate.Now().Number)
		},
	)
	keep(
		"yellowgate_origin_up",
		"1 where the origin answered last, 0 where it did not.",
		prometheus.GaugeValue,
		func() float64 {
			if ok, _ := s.origin.state(); ok {
				return 1
			}
			return 0
		},
	)
	s.registry.MustRegister(s.requests, s.gated, passed, s.gating, s.asking, s.bytes, s.now,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return s
}

// collector is a metric whose value is asked for.
type collector struct {
	desc  *prometheus.Desc
	kind  prometheus.ValueType
	value func() float64
}

func (a *collector) Describe(c chan<- *prometheus.Desc) { c <- a.desc }
func (a *collector) Collect(c chan<- prometheus.Metric) {
	c <- prometheus.MustNewConstMetric(a.desc, a.kind, a.value())
}

func (s *Seen) begin() { s.now.Inc() }

// end counts an answer.
func (s *Seen) end(a *exchange, w *writer) {
	s.now.Dec()
	counter, ok := s.byStatus.Load(w.status)
	if !ok {
		counter, _ = s.byStatus.LoadOrStore(w.status, s.requests.WithLabelValues(strconv.Itoa(w.status)))
	}
	counter.(prometheus.Counter).Inc()
	s.bytes.Add(float64(w.bytes))
	if a.gated {
		s.gated.Inc()
		s.gating.Observe(a.gating.Seconds())
	} else if c := s.passed[a.why]; c != nil {
		c.Inc()
	}
	if !a.answered.IsZero() {
		s.asking.Observe(a.answered.Sub(a.asked).Seconds())
	}
}

// health is whether the origin answers.
type health struct {
	mu   sync.Mutex
	why  string // it did not answer last
	when time.Time
}

func (h *health) up() {
	h.mu.Lock()
	h.why, h.when = "", time.Now()
	h.mu.Unlock()
}

func (h *health) down(err error) {
	h.mu.Lock()
	h.why, h.when = err.Error(), time.Now()
	h.mu.Unlock()
}

func (h *health) state() (ok bool, why string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.why == "", h.why
}

// Status serves /metrics and /health. The gateway whose origin it asks for must have been made.
func (g *Gateway) Status() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(g.Seen.registry, promhttp.HandlerOpts{}))
	mux.HandleFunc("GET /health", g.health)
	return mux
}

// health says whether all is well: 200, or 503 where the origin does not take a connection. A gate
// file that is broken is told, and no reason for 503: the last good one is in effect.
func (g *Gateway) health(w http.ResponseWriter, _ *http.Request) {
	s := g.Gate.Now()
	d := struct {
		Status  string `json:"status"`
		Origin  string `json:"origin"`
		Gate    string `json:"gate"`
		Digest  string `json:"digest"`
		Version string `json:"version"`
	}{"well", "answers", "in effect", s.Project.Digest, version.Number}
	status := http.StatusOK
	if err := g.reach(); err != nil {
		status, d.Status, d.Origin = http.StatusServiceUnavailable, "unwell", err.Error()
	}
	if s.Err != nil {
		d.Gate = "broken; the last good one is in effect: " + s.Err.Error()
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(d)
}

// reach opens a connection to the origin.
func (g *Gateway) reach() error {
	network, host := "tcp", g.Origin.Host
	if g.Origin.Port() == "" {
		host = net.JoinHostPort(g.Origin.Hostname(), map[string]string{"http": "80", "https": "443"}[g.Origin.Scheme])
	}
	if g.Socket != "" {
		network, host = "unix", g.Socket
	}
	c, err := net.DialTimeout(network, host, 2*time.Second)
	if err != nil {
		return err
	}
	return c.Close()
}
