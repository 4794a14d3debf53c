package browser_test

import (
	"bytes"
	"net"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"yellowgate/internal/clitest"
	"yellowgate/internal/testsize"
)

// TestStopped: a command that is stopped while its browser waits for a page ends with 130 and
// reports nothing that reads as a result, and its browser is gone with it.
func TestStopped(t *testing.T) {
	clitest.NeedBrowser(t)
	silent, err := net.Listen("tcp", "127.0.0.1:0") // takes a connection and says nothing
	if err != nil {
		t.Fatal(err)
	}
	defer silent.Close()
	at := silent.Addr().String()
	b := clitest.New(t, "site/index.html", clitest.Doc("Tern Hill", `<script src="http://`+at+`/slow.js"></script>`),
		"yellowgate.yaml",
		"yellowgate: 1\nsite: {source: site, output: public}\nitems:\n  slow: {found: {url: \"http://"+at+
			"/**\"}, pages: /}\n")
	b.Want(0, clitest.Args("apply"))
	commands := []string{
		"audit",
		"show /",
		"compare site public",
		"where slow",
		"audit --format json",
		"survey site",
		"suggest",
	}
	for _, command := range commands[:testsize.Of(3, len(commands))] {
		args := append(strings.Fields(command), "--browser", "--host", at+"="+at)
		cmd := exec.Command(clitest.Program(), args...)
		var out, errout bytes.Buffer
		cmd.Dir, cmd.Stdout, cmd.Stderr = b.Dir, &out, &errout
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		silent.(*net.TCPListener).SetDeadline(time.Now().Add(2 * time.Minute))
		conn, err := silent.Accept()
		if err != nil {
			t.Fatal(err)
		}
		cmd.Process.Signal(syscall.SIGINT)
		cmd.Wait()
		if code := cmd.ProcessState.ExitCode(); code != 130 || out.Len() > 0 ||
			!strings.Contains(errout.String(), "stopped: ") {
			t.Errorf("%s: status %d\n%s%s", command, code, &out, &errout)
		}
		if _, err := conn.Read(make([]byte, 1<<16)); err == nil { // its request; then the end
			if _, err = conn.Read(make([]byte, 1)); err == nil {
				t.Errorf("%s: its browser goes on", command)
			}
		}
		conn.Close()
	}
}
