// Load prints how many requests a second the gateway answers, as a ratio to the same reverse proxy
// without a gate that is run beside it, and to nginx as a proxy: pages of 5, 30 and 200 kB, with
// gated pages kept and with none kept, and with the log; the demo's gate file, or one with five items.
//
//	go run ./scripts/load [-seconds N] [-rounds N] [-accept CODINGS] [-five]
//
// It needs wrk, and takes nginx where it is. Machines are noisy: all are run in turn, round after
// round, and the medians are compared. All run on the same cores.
package main

import (
	"flag"
	"fmt"
	"log"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"yellowgate/internal/demo"
	"yellowgate/internal/server/gateway"
)

var (
	seconds = flag.Int("seconds", 5, "how long each is asked in a round")
	rounds  = flag.Int("rounds", 3, "how many rounds there are")
	accept  = flag.String("accept", "", "the codings that the client takes, such as gzip; the origin then sends gzip")
	five    = flag.Bool("five", false, "a gate file with five items in place of the demo's")
	role    = flag.String("role", "", "run as origin or proxy (for itself)")
	listen  = flag.String("listen", "", "where that answers")
	origin  = flag.String("origin", "", "what the proxy asks")
	root    = flag.String("root", "", "what the origin has")
)

func main() {
	log.SetFlags(0)
	flag.Parse()
	switch *role {
	case "origin":
		log.Fatal(http.ListenAndServe(*listen, http.FileServer(http.Dir(*root))))
	case "proxy":
		debug.SetGCPercent(400) // as the gateway
		u, err := url.Parse(*origin)
		check(err)
		log.Fatal(
			http.ListenAndServe(
				*listen,
				&httputil.ReverseProxy{
					BufferPool:    gateway.Buffers,
					FlushInterval: -1,
					Transport:     gateway.NewTransport(time.Minute, nil, ""),
					Rewrite: func(pr *httputil.ProxyRequest) {
						pr.SetURL(u)
						pr.Out.Host = pr.In.Host
						pr.SetXForwarded()
					},
				},
			),
		)
	}
	dir, err := os.MkdirTemp("", "yellowgate-load")
	check(err)
	defer os.RemoveAll(dir)
	_, err = demo.Write(filepath.Join(dir, "demo"))
	check(err)
	page, err := os.ReadFile(filepath.Join(dir, "demo/site/visit/index.html"))
	check(err)
	for _, kb := range []int{5, 30, 200} {
		filler := strings.Repeat("<p class=\"note\"><a href=\"/visit/\">Stars and owls</a> over the hill</p>\n",
			max(0, (kb*1000-len(page))/70))
		check(
			os.WriteFile(filepath.Join(dir, "demo/site", fmt.Sprintf("page-%d.html", kb)),
				[]byte(strings.Replace(string(page), "</body>", filler+"</body>", 1)), 0o644))
	}
	self, err := os.Executable()
	check(err)
	build := filepath.Join(dir, "yellowgate")
	run := exec.Command("go", "build", "-o", build, "./cmd/yellowgate")
	run.Env = append(os.Environ(), "CGO_ENABLED=0")
	check(run.Run())
	at := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		check(err)
		defer l.Close()
		return l.Addr().String()
	}
	from := at()
	if path, err := exec.LookPath("nginx"); err == nil {
		start(dir, path, "-c",
			nginxConf(dir, "origin",
				fmt.Sprintf("%s server { listen %s; root %s; }", coded(), from, filepath.Join(dir, "demo/site"))))
	} else {
		start(dir, self, "-role", "origin", "-listen", from, "-root", filepath.Join(dir, "demo/site"))
	}
	type runner struct{ name, address string }
	runners := []runner{{"the proxy without a gate", at()}}
	start(dir, self, "-role", "proxy", "-listen", runners[0].address, "-origin", "http://"+from)
	gate := filepath.Join(dir, "demo/yellowgate.yaml")
	if *five {
		check(os.WriteFile(gate, []byte(fiveItems), 0o644))
	}
	for _, r := range []struct {
		name string
		args []string
	}{
		{"gateway, nothing kept", []string{"--keep", "0", "--log", "off"}},
		{"nothing kept, with a log", []string{"--keep", "0", "--log", "text"}},
		{"gateway, pages kept", []string{"--log", "off"}},
		{"pages kept, with a log", []string{"--log", "text"}},
	} {
		address := at()
		start(dir, build,
			append([]string{"gateway", "--gate", gate, "--origin", "http://" + from, "--listen", address}, r.args...)...)
		runners = append(runners, runner{r.name, address})
	}
	if path, err := exec.LookPath("nginx"); err == nil {
		address := at()
		runners = append(runners, runner{"nginx as proxy", address})
		start(dir, path, "-c",
			nginxConf(dir, "proxy",
				fmt.Sprintf(
					"upstream o { server %s; keepalive 64; } server { listen %s; location / { proxy_pass http://o; "+
						"proxy_http_version 1.1; proxy_set_header Connection ''; } }",
					from, address)))
	}
	time.Sleep(time.Second)
	for _, kb := range []int{5, 30, 200} {
		path := fmt.Sprintf("/page-%d.html", kb)
		rates, tails := make([][]float64, len(runners)), make([][]float64, len(runners))
		for range *rounds {
			for i, r := range runners {
				rate, tail := wrk("http://" + r.address + path)
				rates[i], tails[i] = append(rates[i], rate), append(tails[i], tail)
			}
		}
		fmt.Printf("%d kB\n", kb)
		for i, r := range runners {
			fmt.Printf("  %-26s %8.0f requests/s  %5.1f %%   99th percentile %6.2f ms (%+.2f)\n", r.name,
				median(rates[i]), 100*median(rates[i])/median(rates[0]), median(tails[i]),
				median(tails[i])-median(tails[0]))
		}
	}
	for _, c := range running {
		_ = c.Process.Kill()
	}
}

// fiveItems is a gate file with an item of each common kind, and metadata.
const fiveItems = `yellowgate: 1
site: {name: Tern Hill Observatory, url: "https://ternhill.example"}
metadata: [{pages: all, description: Nights under the stars}]
items:
  counter: {code: <script>count()</script>, pages: all, place: head-end}
  booking: {script: /js/booking.js, stylesheet: /css/booking.css, pages: /book/**}
  domkit: {found: "script[src*=domkit]", pages: has(.slides)}
  pointer: {script: /js/pointer.js, pages: all, except: /members/**}
  letter: {popup: <p>The night letter</p>, label: Letter, open: {after: 8s}, pages: all}
`

var running []*exec.Cmd

func start(dir, name string, args ...string) {
	c := exec.Command(name, args...)
	c.Dir = dir
	check(c.Start())
	running = append(running, c)
}

func coded() string {
	if *accept != "" {
		return "gzip on; gzip_min_length 1; gzip_types text/css;"
	}
	return ""
}

func nginxConf(dir, name, servers string) string {
	file := filepath.Join(dir, name+".conf")
	check(
		os.WriteFile(file,
			[]byte(
				fmt.Sprintf(
					"daemon off; master_process off; pid %[1]s/%[2]s.pid; error_log %[1]s/%[2]s.errors;\n"+
						"events {}\n"+
						"http { access_log off; types { text/html html; } keepalive_requests 100000000; "+
						"client_body_temp_path %[1]s/t1; proxy_temp_path %[1]s/t2; fastcgi_temp_path %[1]s/t3; "+
						"uwsgi_temp_path %[1]s/t4; scgi_temp_path %[1]s/t5;\n%[3]s }\n", dir, name, servers)), 0o644))
	return file
}

var (
	rateSaid = regexp.MustCompile(`Requests/sec:\s+([\d.]+)`)
	tailSaid = regexp.MustCompile(`99%\s+([\d.]+)(us|ms|s)`)
)

// wrk asks for an address, and returns requests a second and the 99th percentile in milliseconds.
func wrk(address string) (rate, tail float64) {
	args := []string{"-t2", "-c16", fmt.Sprintf("-d%ds", *seconds), "--latency", address}
	if *accept != "" {
		args = append(args, "-H", "Accept-Encoding: "+*accept)
	}
	out, err := exec.Command("wrk", args...).Output()
	check(err)
	m, n := rateSaid.FindSubmatch(out), tailSaid.FindSubmatch(out)
	if m == nil || n == nil || strings.Contains(string(out), "Non-2xx") {
		log.Fatalf("wrk said:\n%s", out)
	}
	rate, err = strconv.ParseFloat(string(m[1]), 64)
	check(err)
	tail, err = strconv.ParseFloat(string(n[1]), 64)
	check(err)
	return rate, tail * map[string]float64{"us": .001, "ms": 1, "s": 1000}[string(n[2])]
}

func median(x []float64) float64 {
	x = slices.Sorted(slices.Values(x))
	return x[len(x)/2]
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
