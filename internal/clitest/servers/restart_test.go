package servers_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"yellowgate/internal/clitest"
)

// TestGatewayRestart: where the socket is passed on, as systemd does, a restart under load refuses nobody, though a
// stream is open.
func TestGatewayRestart(t *testing.T) {
	t.Parallel()
	origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/events" {
			w.Header().Set("Content-Type", "text/event-stream")
			_ = http.NewResponseController(w).Flush()
			<-r.Context().Done()
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = io.WriteString(w, clitest.Doc("Home", "<h1>Home</h1>"))
	}))
	defer origin.Close()
	b := clitest.New(t, "yellowgate.yaml", "yellowgate: 1\nitems: {a: {code: <i>counted</i>, pages: all}}\n")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	socket, err := l.(*net.TCPListener).File()
	if err != nil {
		t.Fatal(err)
	}
	start := func() *exec.Cmd {
		cmd := exec.Command("sh", "-c", `LISTEN_PID=$$ LISTEN_FDS=1 exec "$@"`, "sh", clitest.Program(),
			"gateway", "--origin", origin.URL, "--log", "off", "-q", "--drain-streams", "100ms")
		cmd.Dir, cmd.ExtraFiles = b.Dir, []*os.File{socket}
		cmd.Stderr = os.Stderr
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = cmd.Process.Kill() })
		return cmd
	}
	running := start()
	ask := func(path string) (string, error) {
		client := http.Client{Timeout: time.Minute, Transport: &http.Transport{DisableKeepAlives: true}}
		r, err := client.Get("http://" + l.Addr().String() + path)
		if err != nil {
			return "", err
		}
		defer r.Body.Close()
		body, err := io.ReadAll(r.Body)
		return string(body), err
	}
	if body, err := ask("/"); err != nil || !strings.Contains(body, "counted") {
		t.Fatalf("%v\n%s", err, body)
	}
	var stop atomic.Bool
	var done atomic.Int64
	var clients sync.WaitGroup
	for range 4 {
		clients.Go(func() {
			for !stop.Load() {
				if body, err := ask("/"); err != nil || !strings.Contains(body, "counted") {
					t.Errorf("%v\n%s", err, body)
					return
				}
				done.Add(1)
			}
		})
	}
	for range 3 {
		streamed := make(chan error, 1)
		go func() { _, err := ask("/events"); streamed <- err }()
		for n := done.Load(); done.Load() < n+20 && !t.Failed(); time.Sleep(time.Millisecond) {
		}
		next := start()
		if err := running.Process.Signal(syscall.SIGTERM); err != nil {
			t.Fatal(err)
		}
		began := time.Now()
		if err := running.Wait(); err != nil {
			t.Errorf("it ended with %v", err)
		}
		if took := time.Since(began); took > 20*time.Second { // the stream would hold it for half a minute
			t.Errorf("it took %s to end", took)
		}
		<-streamed
		running = next
	}
	stop.Store(true)
	clients.Wait()
	t.Logf("%d answers", done.Load())
}

// TestGatewaySockets: both sides can be unix sockets, and SIGUSR1 turns gating off and on.
func TestGatewaySockets(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	l, err := net.Listen("unix", filepath.Join(dir, "app"))
	if err != nil {
		t.Fatal(err)
	}
	go func() {
		_ = http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(w, clitest.Doc("Home", "<h1>"+r.Header.Get("X-Forwarded-For")+"</h1>"))
		}))
	}()
	defer l.Close()
	b := clitest.New(t, "yellowgate.yaml", "yellowgate: 1\nitems: {a: {code: <i>counted</i>, pages: all}}\n")
	front := filepath.Join(dir, "front")
	s := b.Start("gateway", "--origin", "unix:"+filepath.Join(dir, "app"), "--listen", "unix:"+front,
		"--behind-proxy", "--log", "json", "--status", "127.0.0.1:0")
	client := http.Client{
		Transport: &http.Transport{
			DialContext: func(context.Context, string, string) (net.Conn, error) { return net.Dial("unix", front) }}}
	get := func() string {
		req, _ := http.NewRequest("GET", "http://ternhill.example/", nil)
		req.Header.Set("X-Forwarded-For", "198.51.100.1")
		r, err := client.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer r.Body.Close()
		body, _ := io.ReadAll(r.Body)
		return string(body)
	}
	if body := get(); !strings.Contains(body, "counted") || !strings.Contains(body, "198.51.100.1") {
		t.Errorf("through both sockets:\n%s", body)
	}
	s.Says(`"client":"198.51.100.1"`)
	for _, gated := range []bool{false, true} {
		_ = s.Cmd.Process.Signal(syscall.SIGUSR1)
		s.Says(map[bool]string{false: "gating is off", true: "gating is on again"}[gated])
		if body := get(); strings.Contains(body, "counted") != gated {
			t.Errorf("gated, not %v:\n%s", gated, body)
		}
	}
	b.Want(2, clitest.Args("gateway", "--origin", "http://127.0.0.1:1", "--listen", "unix:"+front), "is taken")
	b.Want(2, clitest.Args("gateway", "--origin", "http://127.0.0.1:1", "--trusted-proxy", "nginx"),
		"--trusted-proxy is an address or a range")
}

// TestGatewaySites: one gateway stands before several sites, by their names; others are answered by the first, or
// refused.
func TestGatewaySites(t *testing.T) {
	t.Parallel()
	b := clitest.New(t)
	for _, name := range []string{"hill", "shop"} {
		origin := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			_, _ = io.WriteString(w, clitest.Doc(name, "<h1>"+name+"</h1>"))
		}))
		defer origin.Close()
		b.Write(name+"/yellowgate.yaml",
			"yellowgate: 1\nsite: {url: \"https://"+name+".example\", origin: \""+origin.URL+
				"\", gateway: {hosts: www."+name+".example}}\nitems: {a: {code: <i>gate of "+name+
				"</i>, pages: all}}\n")
	}
	s := b.Start("gateway", "hill/yellowgate.yaml", "shop/yellowgate.yaml", "--listen", "127.0.0.1:0", "--log", "off",
		"--unknown-hosts", "refuse", "--status", "127.0.0.1:0")
	pass := b.Start("gateway", "hill/yellowgate.yaml", "shop/yellowgate.yaml", "--listen", "127.0.0.1:0", "--log", "off")
	for _, c := range []struct {
		of     *clitest.Running
		host   string
		status int
		want   string
	}{
		{s, "hill.example", 200, "gate of hill"}, {s, "www.shop.example:8080", 200, "gate of shop"}, {s,
			"SHOP.example.", 200, "gate of shop"},
		{s, "other.example", 421, "No site has this name"}, {pass, "other.example", 200, "gate of hill"}, {pass,
			"shop.example", 200, "gate of shop"},
	} {
		req, _ := http.NewRequest("GET", c.of.Address+"/", nil)
		req.Host = c.host
		r, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(r.Body)
		r.Body.Close()
		if r.StatusCode != c.status || !strings.Contains(string(body), c.want) {
			t.Errorf("%s: %d\n%s", c.host, r.StatusCode, body)
		}
	}
	b.Want(2,
		clitest.Args("gateway", "hill/yellowgate.yaml", "shop/yellowgate.yaml", "--origin", "http://127.0.0.1:1"),
		"--origin is of one site")
	b.Want(2, clitest.Args("gateway", "hill/yellowgate.yaml", "--unknown-hosts", "eat"), "pass or refuse")
}
