package servers_test

import (
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"yellowgate/internal/clitest"
)

// TestDemoServe: the demo's site with stand-ins for its vendors, in a browser that is told where they
// are as the program says: what the vendors' code is for works, and no network is asked.
func TestDemoServe(t *testing.T) {
	b := clitest.New(t)
	s := b.Start("demo", "--serve", "--listen", "127.0.0.1:0", "--verbose")
	s.Says("--ignore-certificate-errors-spki-list=")
	if !b.Exists("tern-hill/yellowgate.yaml") || !b.Exists("tern-hill/yellowgate.schema.json") ||
		b.Exists("tern-hill/public") {
		t.Error("the demo is not as it is served")
	}
	rules, key := regexp.MustCompile(`--host-resolver-rules="([^"]*)"`).FindStringSubmatch(s.Said()),
		regexp.MustCompile(`spki-list=(\S+)`).FindStringSubmatch(s.Said())
	if rules == nil || key == nil {
		t.Fatalf("it does not tell a browser where its stand-ins are:\n%s", s.Said())
	}
	at := regexp.MustCompile(`MAP (\S+):443 (\S+?)(?:,|$)`).FindAllStringSubmatch(rules[1], -1)
	want := map[string]string{"pay.lantern.example/v1/lantern.js": "window.lantern",
		"campaign.lantern.example/booked.gif": "GIF89a", "camera.ternhill.example/live": "Sky camera",
		"count.ternhill.example/seen": "", "tags.lantern.example/replay.js": "replay599",
		"talk.lantern.example/talk.js": "chat-room", "ask.lantern.example/ask.js": "showModal"}
	if len(at) != len(want) {
		t.Errorf("the stand-ins are %v", at)
	}
	for _, m := range at {
		client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}},
			Timeout: 10 * time.Second}
		for path, text := range want {
			host, rest, _ := strings.Cut(path, "/")
			if host != m[1] {
				continue
			}
			r, err := client.Get("https://" + m[2] + "/" + rest)
			if err != nil {
				t.Fatal(err)
			}
			body, _ := io.ReadAll(r.Body)
			if !strings.HasPrefix(fmt.Sprint(r.StatusCode), "2") || !strings.Contains(string(body), text) ||
				r.Header.Get("Access-Control-Allow-Origin") != "*" {
				t.Errorf("%s: %d %v\n%s", path, r.StatusCode, r.Header, body)
			}
			if r, err := client.Get("https://" + m[2] + "/../../demo.go"); err != nil ||
				r.StatusCode == 200 && host != "count.ternhill.example" {
				t.Errorf("%s has what it should not: %v %v", host, r, err)
			}
		}
	}
	if clitest.BrowserName() != "" {
		tab := clitest.OwnBrowser(t, 60*time.Second, s.Address,
			chromedp.Flag("host-resolver-rules", rules[1]+", MAP * ~NOTFOUND, EXCLUDE 127.0.0.1"),
			chromedp.Flag("ignore-certificate-errors-spki-list", key[1]))
		tab.Do(chromedp.Navigate(s.Address + "/book/pay/"))
		tab.Becomes("the payment library", "document.querySelector('#lantern-card input') !== null", "true")
		tab.Do(chromedp.Navigate(s.Address + "/sky-camera/"))
		s.Says("camera.ternhill.example received a request for /live")
		s.Says("pay.lantern.example received a request for /v1/lantern.js")
	}
	if s.Stop() != 0 {
		t.Errorf("it ends badly:\n%s", s.Said())
	}
	// What is there is served as it is.
	page := filepath.Join(b.Dir, "tern-hill", "site", "visit", "index.html")
	text := b.Read("tern-hill/site/visit/index.html")
	if err := os.WriteFile(page, []byte(strings.Replace(text, "</body>", "<p>mine</p></body>", 1)), 0o644); err != nil {
		t.Fatal(err)
	}
	again := b.Start("demo", "--serve", "--listen", "127.0.0.1:0")
	if _, body, _ := again.Get("/visit/"); !strings.Contains(body, "<p>mine</p>") {
		t.Error("the demo was written anew")
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	b.Want(2, clitest.Args("demo", "--serve", "--listen", l.Addr().String()), "is taken")
}

// TestAuditAtOrigin: the gate file names an origin and no folder: what passes the gateway is audited
// against the gate all the same.
func TestAuditAtOrigin(t *testing.T) {
	b := clitest.New(t, "site/index.html", clitest.Doc("Home", "<h1>Home</h1><a href=/visit/>visit</a>"),
		"site/visit/index.html", clitest.Doc("Visit", "<h1>Visit</h1>"))
	files := http.FileServer(http.Dir(filepath.Join(b.Dir, "site")))
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	origin := &http.Server{Handler: files}
	go func() { _ = origin.Serve(l) }()
	defer origin.Close()
	b.Write("yellowgate.yaml",
		"yellowgate: 1\nsite: {origin: \"http://"+l.Addr().String()+
			"\", url: \"https://ternhill.example\", source: captured}\nitems:\n  counter: {code: <i>counted</i>, pages: not /visit/}\n  note: {code: <b>note</b>, place: body-start, pages: /visit/}\n")
	g := b.Start("gateway", "--listen", "127.0.0.1:0")
	out := b.Want(0,
		clitest.Args("audit", g.Address+"/", "--gate", "yellowgate.yaml", "--own-site", "--fail-on", "error"),
		"counter", "as the gate says")
	if strings.Contains(out, "missing on") || strings.Contains(out, "leaked on") {
		t.Errorf("of what passes the gateway:\n%s", out)
	}
	b.Want(1,
		clitest.Args("audit", "http://"+l.Addr().String()+"/", "--gate", "yellowgate.yaml", "--own-site", "--fail-on",
			"error"), "missing-item", "missing on 1")
	b.Write("site/visit/index.html", clitest.Doc("Visit", "<!--yg:counter--><i>counted</i><!--/yg:counter-->"))
	b.Want(1,
		clitest.Args("audit", "http://"+l.Addr().String()+"/", "--gate", "yellowgate.yaml", "--own-site", "--fail-on",
			"error"), "leaked-item")
}
