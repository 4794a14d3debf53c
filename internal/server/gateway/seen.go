package gateway

import (
	"encoding/json"
	"net"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"yellowgate/internal/server/reload"
	"yellowgate/internal/version"
)

// What an operator sees: metrics in the text format of Prometheus, and whether all is well.

// Seen counts what passes.
type Seen struct {
	registry *prometheus.Registry
	gates    []*reload.Watcher
	kept     []*pageCache
	origin   *health

	requests *prometheus.CounterVec
	gated    prometheus.Counter
	passed   map[string]prometheus.Counter
	gating   *prometheus.HistogramVec
	asking   *prometheus.HistogramVec
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
		[]string{"status"})
	s.gated = prometheus.NewCounter(
		prometheus.CounterOpts{Name: "yellowgate_gated_total", Help: "Answers that were gated."})
	passed := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "yellowgate_passed_total", Help: "Answers that were passed on as they came, by why."}, []string{"reason"})
	s.gating = prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "yellowgate_gating_seconds", Buckets: seconds,
		Help: "Time to make a page, or to find out that it passes."}, []string{"outcome"})
	s.asking = prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "yellowgate_origin_seconds", Buckets: seconds,
		Help: "Time until the head of the origin's answer came."}, []string{"outcome"})
	s.bytes = prometheus.NewCounter(
		prometheus.CounterOpts{Name: "yellowgate_sent_bytes_total", Help: "Bytes of bodies sent to clients."})
	s.now = prometheus.NewGauge(
		prometheus.GaugeOpts{Name: "yellowgate_requests_in_flight", Help: "Requests that are being answered."})
	for _, r := range reasons {
		s.passed[r] = passed.WithLabelValues(r)
	}
	s.registry.MustRegister(s.requests, s.gated, passed, s.gating, s.asking, s.bytes, s.now,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	s.measureKept()
	s.measureState()
	return s
}

// measure adds a metric whose value is asked for.
func (s *Seen) measure(name, help string, kind prometheus.ValueType, value func() float64) {
	s.registry.MustRegister(&collector{prometheus.NewDesc(name, help, nil, nil), kind, value})
}

// measureKept adds what the caches of gated pages come to.
func (s *Seen) measureKept() {
	counts := func(i int) func() float64 {
		return func() float64 {
			sum := [4]int64{}
			for _, k := range s.kept {
				bytes, pages, hits, misses := k.counts()
				for i, n := range [4]int64{bytes, int64(pages), hits, misses} {
					sum[i] += n
				}
			}
			return float64(sum[i])
		}
	}
	s.measure("yellowgate_kept_bytes", "Size of the gated pages that are kept.", prometheus.GaugeValue, counts(0))
	s.measure("yellowgate_kept_pages", "How many gated pages are kept.", prometheus.GaugeValue, counts(1))
	s.measure("yellowgate_kept_hits_total", "Pages that were kept from before.", prometheus.CounterValue, counts(2))
	s.measure("yellowgate_kept_misses_total", "Pages that had to be made.", prometheus.CounterValue, counts(3))
}

// measureState adds how the gate files and the origin are.
func (s *Seen) measureState() {
	truth := func(yes bool) float64 {
		if yes {
			return 1
		}
		return 0
	}
	s.measure("yellowgate_gate_in_order", "1 where the gate file as it is now is in effect, 0 where an earlier one is.",
		prometheus.GaugeValue, func() float64 {
			return truth(!slices.ContainsFunc(s.gates, func(g *reload.Watcher) bool { return g.Now().Err != nil }))
		})
	s.measure("yellowgate_gate_readings_total", "How often the gate file was read.", prometheus.CounterValue,
		func() (n float64) {
			for _, g := range s.gates {
				n += float64(g.Now().Number)
			}
			return n
		})
	s.measure("yellowgate_origin_up", "1 where the origin answered last, 0 where it did not.", prometheus.GaugeValue,
		func() float64 {
			ok, _ := s.origin.state()
			return truth(ok)
		})
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
	outcome := "gated"
	if a.gated {
		s.gated.Inc()
	} else if outcome = a.why; s.passed[a.why] != nil {
		s.passed[a.why].Inc()
	}
	if a.gating > 0 {
		s.gating.WithLabelValues(outcome).Observe(a.gating.Seconds())
	}
	if !a.answered.IsZero() {
		s.asking.WithLabelValues(outcome).Observe(a.answered.Sub(a.asked).Seconds())
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

// siteHealth is how a site is.
type siteHealth struct {
	Status  string `json:"status"`
	Origin  string `json:"origin"`
	Gate    string `json:"gate"`
	Digest  string `json:"digest"`
	Version string `json:"version"`
	// Sites are the others by their names, where there are several.
	Sites map[string]siteHealth `json:"sites,omitempty"`
}

// health says whether all is well: 200, or 503 where an origin does not take a connection.
func (s *Sites) health(w http.ResponseWriter, _ *http.Request) {
	d, status := s.List[0].health(), http.StatusOK
	for _, g := range s.List[1:] {
		if d.Sites == nil {
			d.Sites = map[string]siteHealth{}
		}
		of := g.health()
		d.Sites[strings.Join(g.hosts(), " ")] = of
		if of.Status != "well" {
			d.Status = of.Status
		}
	}
	if d.Status != "well" {
		status = http.StatusServiceUnavailable
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(d)
}

// health is how one site is. A gate file that is broken is told, and nothing is unwell for that: the last good one
// is in effect.
func (g *Gateway) health() siteHealth {
	s := g.Gate.Now()
	d := siteHealth{Status: "well", Origin: "answers", Gate: "in effect", Digest: s.Project.Digest,
		Version: version.Number}
	if err := g.reach(); err != nil {
		d.Status, d.Origin = "unwell", err.Error()
	}
	if s.Err != nil {
		d.Gate = "broken; the last good one is in effect: " + s.Err.Error()
	}
	return d
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
