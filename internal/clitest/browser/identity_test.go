package browser_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"yellowgate/internal/clitest"
)

// TestBrowserIdentity: what lets a user in is sent by the browser to the site that is visited, with every
// request, and to nobody else; the cookies that were given do not count as the page's.
func TestBrowserIdentity(t *testing.T) {
	clitest.NeedBrowser(t)
	var mu sync.Mutex
	var leaked, strangers []string
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		strangers = append(strangers, r.URL.Path)
		if r.Header.Get("Authorization") != "" || r.Header.Get("X-Staging") != "" {
			leaked = append(leaked, r.URL.Path)
		}
		w.Header().Set("Content-Type", "text/javascript")
		fmt.Fprint(w, "there = 1;")
	}))
	defer other.Close()
	var agents sync.Map
	served := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, password, _ := r.BasicAuth()
		session, _ := r.Cookie("session")
		if user != "editor" || password != "perseids" || r.Header.Get("X-Staging") != "yes" || session == nil ||
			session.Value != "orion" {
			http.Error(w, "no", http.StatusUnauthorized)
			return
		}
		agents.Store(r.URL.Path, strings.Contains(r.UserAgent(), "Chrome"))
		switch r.URL.Path {
		case "/app.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprintf(w,
				`document.title = "Let in"; fetch("/data"); const s = document.createElement("script"); s.src = "%s/other.js"; document.head.append(s);`,
				other.URL)
		case "/away":
			http.Redirect(w, r, other.URL+"/redirected.js", http.StatusFound)
		case "/":
			http.SetCookie(w, &http.Cookie{Name: "seen", Value: "1"})
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			fmt.Fprint(w, clitest.Doc("Staging", `<script src="/app.js"></script><script src="/away"></script>`))
		}
	}))
	defer served.Close()
	b := clitest.New(t, "cookies.txt", "127.0.0.1\tFALSE\t/\tFALSE\t0\tsession\torion\n")
	t.Setenv("YELLOWGATE_PASSWORD", "perseids")
	out := b.Want(0,
		clitest.Args("show", served.URL+"/", "--browser", "--network", "--user", "editor", "--header",
			"X-Staging: yes", "--cookies", "cookies.txt"), "Let in", "/data", "/other.js")
	for _, path := range []string{"/", "/app.js", "/data", "/away"} {
		if chromium, ok := agents.Load(path); !ok || path != "/" && chromium != true {
			t.Errorf("the browser was not let in to %s:\n%s", path, out)
		}
	}
	mu.Lock()
	defer mu.Unlock()
	if len(leaked) > 0 || len(strangers) != 2 {
		t.Errorf("another site was told who asks: %v of %v", leaked, strangers)
	}
	if strings.Contains(out, "session") || !strings.Contains(out, "seen") {
		t.Errorf("the cookie of the page is seen, and session was given:\n%s", out)
	}
	b.Want(2, clitest.Args("show", "/", "--browser", "--user", "editor"), "--user says how a running site is asked")
	b.Want(2, clitest.Args("audit", "--browser", "--parallel", "0"), "--parallel is how many pages are open at a time")
}
