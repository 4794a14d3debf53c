package servers_test

import (
	"bufio"
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// freePort is an address of the loopback at which nobody answers.
func freePort(t *testing.T) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return l.Addr().String()
}

// answers waits until somebody answers at an address.
func answers(t *testing.T, address string) {
	t.Helper()
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(20 * time.Millisecond) {
		if c, err := net.DialTimeout("tcp", address, time.Second); err == nil {
			c.Close()
			return
		}
		if time.Now().After(deadline) {
			t.Fatalf("nobody answers at %s", address)
		}
	}
}

// background runs a program until the test ends; it skips where there is none.
func background(b *clitest.Bench, name string, args ...string) {
	b.Helper()
	path, err := exec.LookPath(name)
	if err != nil {
		b.Skipf("there is no %s here", name)
	}
	cmd := exec.Command(path, args...)
	cmd.Dir = b.Dir
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		b.Fatal(err)
	}
	b.Cleanup(func() {
		_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL)
		_ = cmd.Wait()
		if b.Failed() {
			b.Logf("%s said:\n%s", name, out.String())
		}
	})
}

// nginx runs a web server; servers are what stands in its http block.
func nginx(b *clitest.Bench, servers string) {
	b.Helper()
	b.Write("nginx/conf",
		fmt.Sprintf(
			"daemon off; master_process off; pid %[1]s/pid; error_log %[1]s/errors;\nevents { worker_connections 4000; }\nhttp { access_log off; keepalive_requests 1000000;\ntypes { text/html html; text/css css; text/javascript js; image/svg+xml svg; application/pdf pdf; }\nclient_body_temp_path %[1]s/t1; proxy_temp_path %[1]s/t2; fastcgi_temp_path %[1]s/t3; uwsgi_temp_path %[1]s/t4; scgi_temp_path %[1]s/t5;\n%[2]s\n}\n",
			filepath.Join(b.Dir, "nginx"), servers))
	background(b, "nginx", "-c", filepath.Join(b.Dir, "nginx", "conf"))
}

// TestGatewayNginx stands before a web server with the demo's pages, and asks with curl.
func TestGatewayNginx(t *testing.T) {
	curl, err := exec.LookPath("curl")
	if err != nil {
		t.Skip("there is no curl here")
	}
	b := clitest.New(t)
	b.Want(0, clitest.Args("demo", "--quiet"))
	site, public := filepath.Join(b.Dir, "tern-hill", "site"), filepath.Join(b.Dir, "tern-hill", "public")
	address := freePort(t)
	nginx(b,
		fmt.Sprintf(
			"gzip on; gzip_min_length 1; gzip_types text/css text/javascript;\nserver { listen %s; root %s; error_page 404 /contact/index.html; location = /moved { return 301 /visit/; } }",
			address, site))
	answers(t, address)
	g := b.Start("gateway", "--gate", filepath.Join(b.Dir, "tern-hill", "yellowgate.yaml"), "--origin",
		"http://"+address, "--listen", "127.0.0.1:0")
	ask := func(args ...string) string {
		t.Helper()
		var out bytes.Buffer
		cmd := exec.Command(curl, append([]string{"-sS", "--max-time", "20"}, args...)...)
		cmd.Stdout, cmd.Dir = &out, b.Dir
		if err := cmd.Run(); err != nil {
			t.Errorf("curl %v: %v", args, err)
		}
		return out.String()
	}
	asWritten(t, public, func(path, want string) {
		for _, option := range []string{"--compressed", "-s"} {
			if got := ask(option, g.Address+path); got != want {
				t.Errorf("%s (%s) is not as apply writes it", path, option)
			}
		}
	})
	page, _ := os.ReadFile(filepath.Join(public, "visit", "index.html"))
	if head := ask("-I", g.Address+"/visit/"); !strings.Contains(head, "HTTP/1.1 200") ||
		strings.Contains(head, "Content-Length") || !strings.Contains(head, ".yg") ||
		strings.Contains(head, "Accept-Ranges") {
		t.Errorf("HEAD:\n%s", head)
	}
	ask("--etag-save", "tag", "-o", "page", g.Address+"/visit/")
	if status := ask("--etag-compare", "tag", "-o", os.DevNull, "-w", "%{http_code}",
		g.Address+"/visit/"); status != "304" {
		t.Errorf("with the page's tag: %s", status)
	}
	if status := ask("-z", "1 Jan 2037 00:00:00 GMT", "-o", os.DevNull, "-w", "%{http_code}",
		g.Address+"/visit/"); status != "304" {
		t.Errorf("if it was changed after 2037: %s", status)
	}
	if body := ask("-z", "1 Jan 1999 00:00:00 GMT", g.Address+"/visit/"); body != string(page) {
		t.Errorf("if it was changed after 1999: %d bytes", len(body))
	}
	shim, _ := os.ReadFile(filepath.Join(site, "kit", "glyphs", "glyphs.js"))
	if part := ask("-r", "10-29", g.Address+"/kit/glyphs/glyphs.js"); part != string(shim[10:30]) {
		t.Errorf("a part of a file: %q", part)
	}
	if head := ask("-I", g.Address+"/kit/glyphs/glyphs.js"); strings.Contains(head, ".yg") ||
		!strings.Contains(head, "Accept-Ranges: bytes") {
		t.Errorf("the head of a file:\n%s", head)
	}
	if all := ask("-i", g.Address+"/none/"); !strings.Contains(all, "HTTP/1.1 404") ||
		!strings.Contains(all, "yg:visit-counter") {
		t.Errorf("the error page:\n%s", all)
	}
	if all := ask("-i", g.Address+"/moved"); !strings.Contains(all, "HTTP/1.1 301") ||
		!strings.Contains(all, "/visit/") || strings.Contains(all, "yg:") {
		t.Errorf("a redirect:\n%s", all)
	}
	if g.Stop() != 0 || !strings.Contains(g.Said(), "gated=true") || !strings.Contains(g.Said(), "passed=not-modified") {
		t.Errorf("the log:\n%s", g.Said())
	}
}

// TestGatewayApp stands before an application: sessions, forms, redirects, streams, pieces.
func TestGatewayApp(t *testing.T) {
	const python = "/usr/bin/python3"
	if exec.Command(python, "-c", "import flask, gunicorn").Run() != nil {
		t.Skip("there is no Flask with gunicorn here")
	}
	app, err := os.ReadFile("testdata/app.py")
	if err != nil {
		t.Fatal(err)
	}
	b := clitest.New(t, "app.py", string(app), "yellowgate.yaml",
		"yellowgate: 1\nitems: {counter: {code: <i>counted</i>, pages: not /thanks/}}\n")
	address, status := freePort(t), freePort(t)
	background(b, python, "-m", "gunicorn", "-b", address, "-k", "gthread", "--threads", "8", "app:app")
	answers(t, address)
	g := b.Start("gateway", "--origin", "http://"+address, "--listen", "127.0.0.1:0", "--status", status,
		"--server-timing", "--log", "json")
	jar, _ := cookiejar.New(nil)
	client := &http.Client{Jar: jar, Timeout: 20 * time.Second}
	get := func(path string, more ...string) (*http.Response, string) {
		t.Helper()
		req, err := http.NewRequest("GET", g.Address+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, line := range more {
			name, value, _ := strings.Cut(line, ": ")
			req.Header.Set(name, value)
		}
		r, err := client.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		body, err := io.ReadAll(r.Body)
		if err != nil {
			t.Fatalf("%s: %v", path, err)
		}
		return r, string(body)
	}
	for i := 1; i <= 3; i++ {
		r, body := get("/")
		if !strings.Contains(body, fmt.Sprintf("visit %d", i)) || !strings.Contains(body, "counted") ||
			!strings.Contains(r.Header.Get("Server-Timing"), "gate;dur=") {
			t.Errorf("visit %d: %v\n%s", i, r.Header, body)
		}
	}
	if r, err := client.PostForm(g.Address+"/contact/", url.Values{}); err != nil || r.StatusCode != 422 {
		t.Errorf("a form with a mistake: %v %v", r, err)
	} else if body, _ := io.ReadAll(r.Body); !strings.Contains(string(body), "a name, please") ||
		!strings.Contains(string(body), "counted") {
		t.Errorf("a form with a mistake: %s", body)
	}
	if r, err := client.PostForm(g.Address+"/contact/", url.Values{"name": {"Auk"}}); err != nil ||
		r.Request.URL.Path != "/thanks/" {
		t.Errorf("a form: %v %v", r, err)
	} else if body, _ := io.ReadAll(r.Body); !strings.Contains(string(body), "Thank you, Auk") ||
		strings.Contains(string(body), "counted") {
		t.Errorf("after the redirect: %s", body)
	}
	if _, body := get("/piece"); body != "<li>one more</li>" {
		t.Errorf("a piece for a script: %s", body)
	}
	if r, body := get("/none/"); r.StatusCode != 404 || !strings.Contains(body, "nothing is here") ||
		!strings.Contains(body, "counted") {
		t.Errorf("an error page: %d %s", r.StatusCode, body)
	}
	if r, body := get("/slow-page"); !strings.Contains(body, "counted") || len(r.TransferEncoding) == 0 {
		t.Errorf("a page in pieces: %v\n%s", r.TransferEncoding, body)
	}
	if r, body := get("/report.pdf", "Range: bytes=0-7"); r.StatusCode != 206 || body != "%PDF-1.4" {
		t.Errorf("a part of a download: %d %q", r.StatusCode, body)
	}
	if r, _ := get("/report.pdf", `If-None-Match: "report"`); r.StatusCode != 304 {
		t.Errorf("a download that has not changed: %d", r.StatusCode)
	}
	if _, body := get("/who"); !strings.Contains(body, strings.TrimPrefix(g.Address, "http://")) ||
		!strings.Contains(body, `"for":"127.0.0.1"`) {
		t.Errorf("who asks: %s", body)
	}
	upload := strings.Repeat("owl", 500_000)
	if r, err := client.Post(g.Address+"/echo", "application/octet-stream", strings.NewReader(upload)); err != nil {
		t.Error(err)
	} else if body, _ := io.ReadAll(r.Body); string(body) != upload {
		t.Errorf("of %d bytes %d come back", len(upload), len(body))
	}
	r, err := client.Get(g.Address + "/stream")
	if err != nil {
		t.Fatal(err)
	}
	var came []time.Time
	for lines := bufio.NewScanner(r.Body); lines.Scan(); {
		if strings.HasPrefix(lines.Text(), "data: ") {
			came = append(came, time.Now())
		}
	}
	if len(came) != 4 || came[3].Sub(came[0]) < 300*time.Millisecond {
		t.Errorf("of a stream %d pieces came, at %v", len(came), came)
	}
	m, err := http.Get("http://" + status + "/metrics")
	if err != nil {
		t.Fatal(err)
	}
	metrics, _ := io.ReadAll(m.Body)
	for _, want := range []string{`yellowgate_requests_total{status="422"} 1`,
		`yellowgate_passed_total{reason="fragment"} 1`, "yellowgate_gate_in_order 1", "yellowgate_origin_up 1"} {
		if !strings.Contains(string(metrics), want) {
			t.Errorf("the metrics have no %s:\n%s", want, metrics)
		}
	}
	b.Write("yellowgate.yaml", "yellowgate: 1\nitemz: {}\n")
	g.Says(
		`"level":"ERROR","msg":"the gate file has a mistake; the last good one stays in effect","at":"yellowgate.yaml:2:1"`)
	if _, body := get("/"); !strings.Contains(body, "counted") {
		t.Errorf("with a broken gate file: %s", body)
	}
	if h, err := http.Get("http://" + status + "/health"); err != nil || h.StatusCode != 200 {
		t.Errorf("health: %v %v", h, err)
	} else if body, _ := io.ReadAll(h.Body); !strings.Contains(string(body), "broken; the last good one is in effect") {
		t.Errorf("health: %s", body)
	}
	b.Write("yellowgate.yaml", "yellowgate: 1\nitems: {counter: {code: <i>counted anew</i>, pages: all}}\n")
	g.Says("another gate is in effect")
	if err := g.Cmd.Process.Signal(syscall.SIGHUP); err != nil {
		t.Fatal(err)
	}
	g.Says("the gate file was read again; nothing has changed")
	if _, body := get("/thanks/"); !strings.Contains(body, "counted anew") {
		t.Errorf("with another gate: %s", body)
	}
}

// TestGatewayBrowser: what a browser keeps is good while page and gate are the same, and never shown
// once they are not.
func TestGatewayBrowser(t *testing.T) {
	clitest.NeedBrowser(t)
	b := clitest.New(t, "yellowgate.yaml",
		"yellowgate: 1\nitems: {counter: {code: <i id=count>one</i>, pages: all}}\n", "site/visit/index.html",
		clitest.Doc("Visit", "<h1>Visit</h1>"), "site/index.html", clitest.Doc("Home", "<h1>Home</h1>"))
	old := time.Now().Add(-48 * time.Hour)
	for _, file := range []string{"yellowgate.yaml", "site/visit/index.html", "site/index.html"} {
		if err := os.Chtimes(filepath.Join(b.Dir, file), old, old); err != nil {
			t.Fatal(err)
		}
	}
	address := freePort(t)
	nginx(b,
		fmt.Sprintf("etag on; server { listen %s; root %s; add_header Cache-Control no-cache; }", address,
			filepath.Join(b.Dir, "site")))
	answers(t, address)
	g := b.Start("gateway", "--origin", "http://"+address, "--listen", "127.0.0.1:0")
	tab := clitest.BrowserAt(t, g.Address)
	visit := func() { tab.Do(chromedp.Navigate(g.Address+"/"), chromedp.Navigate(g.Address+"/visit/")) }
	counted := "document.getElementById('count').textContent"
	visit()
	tab.Becomes("at first", counted, "one")
	visit()
	tab.Becomes("again", counted, "one")
	g.Says("path=/visit/ status=304")
	b.Write("yellowgate.yaml", "yellowgate: 1\nitems: {counter: {code: <i id=count>two</i>, pages: all}}\n")
	g.Says("another gate is in effect")
	visit()
	tab.Becomes("after the gate has changed", counted, "two")
	tab.Do(chromedp.Reload())
	tab.Becomes("loaded again", counted, "two")
	b.Write("site/visit/index.html", clitest.Doc("Visit", "<h1>Visit us</h1>"))
	visit()
	tab.Becomes("after the page has changed", "document.querySelector('h1').textContent + "+counted, "Visit ustwo")
	b.Write("yellowgate.yaml", "yellowgate: 1\nitems: {counter: {code: <i id=count>one</i>, pages: all}}\n")
	deadline := time.Now().Add(2 * time.Minute)
	for strings.Count(g.Said(), "another gate") < 2 && time.Now().Before(deadline) {
		time.Sleep(10 * time.Millisecond)
	}
	visit()
	tab.Becomes("the first gate again", "document.querySelector('h1').textContent + "+counted, "Visit usone")
}

// TestGatewayPair: two gateways behind a load balancer; one is killed under load, and the gate file is
// changed: nobody sees a failed answer.
func TestGatewayPair(t *testing.T) {
	of := func(n int) string {
		return fmt.Sprintf(
			"yellowgate: 1\nitems:\n  a: {code: <i>gate %d</i>, pages: all}\n  b: {code: <b>gate %d</b>, pages: all}\n",
			n, n)
	}
	b := clitest.New(t, "yellowgate.yaml", of(0), "site/index.html", clitest.Doc("Home", "<h1>Home</h1>"))
	origin, front := freePort(t), freePort(t)
	one, two := freePort(t), freePort(t)
	nginx(b,
		fmt.Sprintf(
			"server { listen %s; root %s; }\nupstream gateways { server %s max_fails=1 fail_timeout=1s; server %s max_fails=1 fail_timeout=1s; keepalive 16; }\nserver { listen %s; location / { proxy_pass http://gateways; proxy_http_version 1.1; proxy_set_header Connection ''; proxy_set_header Host $host; proxy_set_header X-Forwarded-For $remote_addr; proxy_next_upstream error timeout non_idempotent; } }",
			origin, filepath.Join(b.Dir, "site"), one, two, front))
	answers(t, origin)
	var gateways []*clitest.Running
	for _, at := range []string{one, two} {
		gateways = append(gateways,
			b.Start("gateway", "--origin", "http://"+origin, "--listen", at, "--behind-proxy", "--log", "off"))
	}
	answers(t, front)
	number := regexp.MustCompile(`gate (\d+)`)
	var stop atomic.Bool
	const clientCount = 8
	var done, last, cut atomic.Int64
	var clients sync.WaitGroup
	for range clientCount {
		clients.Go(func() {
			client := &http.Client{Timeout: 10 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 2}}
			for !stop.Load() {
				r, err := client.Get("http://" + front + "/")
				if err != nil {
					t.Error(err)
					return
				}
				body, err := io.ReadAll(r.Body)
				r.Body.Close()
				if errors.Is(err, io.ErrUnexpectedEOF) && cut.Add(1) <= clientCount {
					continue // on its way through the gateway that was killed
				}
				m := number.FindAllSubmatch(body, -1)
				if err != nil || r.StatusCode != 200 || len(m) != 2 || !bytes.Equal(m[0][1], m[1][1]) {
					t.Errorf("%d (%v):\n%s", r.StatusCode, err, body)
					return
				}
				n, _ := strconv.ParseInt(string(m[0][1]), 10, 64)
				last.Store(n)
				done.Add(1)
			}
		})
	}
	const final = 21
	for i := 1; i <= final; i++ {
		text := of(i)
		if i%5 == 0 {
			text = "yellowgate: 1\nitems: ["
		}
		b.Write("yellowgate.yaml.new", text)
		if err := os.Rename(filepath.Join(b.Dir, "yellowgate.yaml.new"),
			filepath.Join(b.Dir, "yellowgate.yaml")); err != nil {
			t.Fatal(err)
		}
		time.Sleep(60 * time.Millisecond)
		if i == 8 {
			_ = gateways[0].Cmd.Process.Kill()
		}
		if i == 14 { // it comes again, and the other one ends as an operator ends it
			gateways[0] = b.Start("gateway", "--origin", "http://"+origin, "--listen", one, "--behind-proxy", "--log", "off")
			time.Sleep(2500 * time.Millisecond) // until the load balancer tries it again
			if code := gateways[1].Stop(); code != 0 {
				t.Errorf("it ends with %d", code)
			}
		}
	}
	for deadline := time.Now().Add(2 * time.Minute); last.Load() != final && time.Now().Before(
		deadline); time.Sleep(20 * time.Millisecond) {
	}
	stop.Store(true)
	clients.Wait()
	if done.Load() < 20 || last.Load() != final {
		t.Errorf("%d answers, the last of gate %d", done.Load(), last.Load())
	}
	t.Logf("%d answers", done.Load())
}

// TestGatewayUse: what cannot be is a clear error.
func TestGatewayUse(t *testing.T) {
	b := clitest.New(t, "yellowgate.yaml", "yellowgate: 1\nitems: {}\n", "broken.yaml", "yellowgate: 1\nitemz: {}\n",
		"no.pem", "nothing", "origin.yaml", "yellowgate: 1\nsite: {origin: \"http://127.0.0.1:1\"}\n")
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	for _, c := range []struct {
		status int
		line   string
		want   string
	}{
		{2, "gateway", "site: origin: http://127.0.0.1:8000, or give --origin"},
		{3, "gateway x", "x: no such file"},
		{2, "gateway --origin 127.0.0.1:8000", "scheme, host and port of an application"},
		{2, "gateway --origin http://a:b@127.0.0.1:8000", "scheme, host and port of an application"},
		{2, "gateway --origin http://127.0.0.1:8000/app", "scheme, host and port of an application"},
		{2, "gateway --origin http://127.0.0.1:1 --gate broken.yaml", "unknown key \"itemz\""},
		{2, "gateway --origin http://127.0.0.1:1 --gate broken.yaml", "the gateway will not start"},
		{3, "gateway --origin http://127.0.0.1:1 --gate none.yaml", "none.yaml: no such file"},
		{2, "gateway --gate origin.yaml --listen " + taken.Addr().String(), "is taken"},
		{2, "gateway --gate origin.yaml --listen 127.0.0.1:0 --status " + taken.Addr().String(), "is taken"},
		{2, "gateway --gate origin.yaml --listen 127.0.0.1", "takes a host and a port"},
		{3, "gateway --gate origin.yaml --listen 192.0.2.1:80", "an address of this machine"},
		{2, "gateway --gate origin.yaml --largest much",
			"--largest is a size, such as 51200, 50 kB, 8 MB or 64 MiB, not \"much\""},
		{2, "gateway --gate origin.yaml --keep -3", "--keep is a size"},
		{2, "gateway --gate origin.yaml --page-wait 0s", "more than nothing"},
		{2, "gateway --gate origin.yaml --page-wait soon",
			"\"soon\" is not a time: write a number and a unit, such as 250ms, 8s, 2min, 1h or 7d"},
		{2, "gateway --gate origin.yaml --log loud", "--log is text, json, combined or off"},
		{2, "gateway --gate origin.yaml --certificate no.pem", "belong together"},
		{2, "gateway --gate origin.yaml --certificate no.pem --key no.pem", "both are PEM files"},
		{3, "gateway --gate origin.yaml --certificate gone.pem --key no.pem", "gone.pem: no such file"},
		{2, "gateway --gate origin.yaml --origin-ca no.pem", "no.pem holds no certificate"},
		{3, "gateway --gate origin.yaml --origin-ca gone.pem", "gone.pem: no such file"},
	} {
		b.Want(c.status, clitest.Args(strings.Fields(c.line)...), c.want)
	}
}

// certificate makes a certificate for the loopback, that says for itself that it is good.
func certificate(t *testing.T, serial int64) (cert, key []byte) {
	k, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	of := &x509.Certificate{SerialNumber: big.NewInt(serial), Subject: pkix.Name{CommonName: "Tern Hill"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.ParseIP("127.0.0.1")}, IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, of, of, &k.PublicKey, k)
	if err != nil {
		t.Fatal(err)
	}
	private, err := x509.MarshalPKCS8PrivateKey(k)
	if err != nil {
		t.Fatal(err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(
		&pem.Block{Type: "PRIVATE KEY", Bytes: private})
}

// TestGatewaySecure: TLS to clients, with a certificate that is changed while it runs, and to an
// origin whose certificate only its own authority knows.
func TestGatewaySecure(t *testing.T) {
	t.Parallel()
	b := clitest.New(t, "yellowgate.yaml", "yellowgate: 1\nitems: {counter: {code: <i>counted</i>, pages: all}}\n")
	cert, key := certificate(t, 1)
	b.Write("site.pem", string(cert))
	b.Write("site.key", string(key))
	theirs, theirKey := certificate(t, 7)
	b.Write("origin-ca.pem", string(theirs))
	pair, err := tls.X509KeyPair(theirs, theirKey)
	if err != nil {
		t.Fatal(err)
	}
	l, err := tls.Listen("tcp", "127.0.0.1:0", &tls.Config{Certificates: []tls.Certificate{pair}})
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		_ = http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, clitest.Doc("Home", r.Header.Get("X-Forwarded-Proto")))
		}))
	}()
	g := b.Start("gateway", "--origin", "https://"+l.Addr().String(), "--origin-ca", "origin-ca.pem", "--listen",
		"127.0.0.1:0", "--certificate", "site.pem", "--key", "site.key")
	serial := func() int64 {
		t.Helper()
		c, err := tls.Dial("tcp", strings.TrimPrefix(g.Address, "https://"), &tls.Config{InsecureSkipVerify: true})
		if err != nil {
			t.Fatal(err)
		}
		defer c.Close()
		return c.ConnectionState().PeerCertificates[0].SerialNumber.Int64()
	}
	roots := x509.NewCertPool()
	roots.AppendCertsFromPEM(cert)
	client := &http.Client{
		Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}, ForceAttemptHTTP2: true}}
	r, err := client.Get(g.Address + "/")
	if err != nil {
		t.Fatal(err)
	}
	body, _ := io.ReadAll(r.Body)
	if r.ProtoMajor != 2 || !strings.Contains(string(body), "counted") || !strings.Contains(string(body), "https") {
		t.Errorf("%s\n%s", r.Proto, body)
	}
	if serial() != 1 {
		t.Error("another certificate")
	}
	time.Sleep(1100 * time.Millisecond)
	b.Write("site.pem", "half of a certif")
	if serial() != 1 {
		t.Error("a broken certificate took the place of the good one")
	}
	next, nextKey := certificate(t, 2)
	b.Write("site.pem", string(next))
	b.Write("site.key", string(nextKey))
	for deadline := time.Now().Add(2 * time.Minute); serial() != 2; time.Sleep(100 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatal("the new certificate is not taken")
		}
	}
	untrusted := b.Start("gateway", "--origin", "https://"+l.Addr().String(), "--listen", "127.0.0.1:0")
	if status, _, _ := untrusted.Get("/"); status != 502 {
		t.Errorf("an origin that nobody trusts: %d", status)
	}
	untrusted.Says("certificate")
}

// TestGatewayIdle: thousands of connections on which nothing is asked cost nobody an answer.
func TestGatewayIdle(t *testing.T) {
	t.Parallel()
	var limit syscall.Rlimit
	if err := syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit); err != nil || limit.Max < 12_000 {
		t.Skipf("a process may have %d files here", limit.Max)
	}
	b := clitest.New(t, "yellowgate.yaml", "yellowgate: 1\nitems: {}\n", "site/index.html", clitest.Doc("Home", "x"))
	origin := freePort(t)
	nginx(b, fmt.Sprintf("server { listen %s; root %s; }", origin, filepath.Join(b.Dir, "site")))
	answers(t, origin)
	g := b.Start("gateway", "--origin", "http://"+origin, "--listen", "127.0.0.1:0", "--idle", "1s", "--log", "off")
	var idle []net.Conn
	defer func() {
		for _, c := range idle {
			c.Close()
		}
	}()
	for i := range testsize.Of(500, 4000) {
		c, err := net.Dial("tcp", strings.TrimPrefix(g.Address, "http://"))
		if err != nil {
			t.Fatalf("after %d: %v", i, err)
		}
		if i%2 == 0 { // half of them trickle a head
			fmt.Fprint(c, "GET / HTTP/1.1\r\nHost: x\r\nX-Slow: ")
		}
		idle = append(idle, c)
	}
	for range 50 {
		if status, body, _ := g.Get("/"); status != 200 || !strings.Contains(body, "Home") {
			t.Fatalf("%d %s", status, body)
		}
	}
	_ = idle[1].SetReadDeadline(time.Now().Add(2 * time.Minute))
	if _, err := idle[1].Read(make([]byte, 1)); err != io.EOF && !strings.Contains(fmt.Sprint(err), "reset") {
		t.Errorf("an idle connection is not closed: %v", err)
	}
	if g.Stop() != 0 {
		t.Error(g.Said())
	}
}
