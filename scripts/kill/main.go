// Kill stops an apply of a big site at random moments with SIGKILL and looks at
// what is left: every output file has to be whole, the old one or the new one,
// and the next apply has to complete the work.
//
//	go run ./scripts/kill [-dir FOLDER] [-pages N] [-rounds N]
package main

import (
	"crypto/sha256"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"yellowgate/internal/site"
)

var (
	dir    = flag.String("dir", "", "build the site in this `folder` (default: a temporary one)")
	pages  = flag.String("pages", "10000", "number of pages")
	rounds = flag.Int("rounds", 200, "how often to kill")
	seed   = flag.Uint64("seed", 1, "of the random moments")
)

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

type sums map[string][sha256.Size]byte

func main() {
	log.SetFlags(0)
	flag.Parse()
	root := *dir
	if root == "" {
		tmp, err := os.MkdirTemp("", "yellowgate-kill")
		check(err)
		defer os.RemoveAll(tmp)
		root = tmp
	}
	command("go", "run", "yellowgate/scripts/speed", "-build-only", "-dir", root, "-pages", *pages)
	program := filepath.Join(root, "yellowgate")
	command("go", "build", "-o", program, "yellowgate/cmd/yellowgate")
	apply := func() *exec.Cmd {
		cmd := exec.Command(program, "apply")
		cmd.Dir = root
		return cmd
	}
	// Two versions of an item's code make two whole outputs.
	set := func(version int) {
		check(os.WriteFile(filepath.Join(root, "code", "visit-counter.html"), fmt.Appendf(nil, "<script>version = %d</script>\n", version), 0o644))
	}
	var whole [2]sums
	var took time.Duration
	for v := range whole {
		set(v)
		begun := time.Now()
		if out, err := apply().CombinedOutput(); err != nil {
			log.Fatalf("%v\n%s", err, out)
		}
		took = time.Since(begun)
		whole[v], _ = look(filepath.Join(root, "public"))
	}
	fmt.Printf("%d files; an apply of all takes %v\n", len(whole[0]), took.Round(time.Millisecond))

	r := rand.New(rand.NewPCG(*seed, 0))
	torn, incomplete, stopped, left, mixed := 0, 0, 0, 0, 0
	for round := range *rounds {
		old, next := (round+1)%2, round%2
		fromNothing := round%10 == 9
		if fromNothing {
			check(os.RemoveAll(filepath.Join(root, "public")))
			check(os.RemoveAll(filepath.Join(root, ".yellowgate")))
		}
		set(next)
		cmd := apply()
		check(cmd.Start())
		time.Sleep(time.Duration(r.Int64N(int64(took) * 11 / 10)))
		if cmd.Process.Kill() == nil && cmd.Wait() != nil {
			stopped++
		}
		now, temporary := look(filepath.Join(root, "public"))
		left += temporary
		news := 0
		for name, sum := range now {
			switch {
			case sum == whole[next][name]:
				news++
			case fromNothing || sum != whole[old][name]:
				torn++
				fmt.Printf("round %d: %s is neither the old file nor the new one\n", round, name)
			}
		}
		if news > 0 && news < len(whole[next])-100 {
			mixed++
		}
		out, err := apply().CombinedOutput()
		after, temporary := look(filepath.Join(root, "public"))
		if err != nil || temporary > 0 || !same(after, whole[next]) {
			incomplete++
			fmt.Printf("round %d: the next apply did not complete it (%v, %d temporary files)\n%s", round, err, temporary, out)
		}
	}
	fmt.Printf("%d applies killed, %d of them before they had ended; %d left a mixed output, %d temporary files were found\n", *rounds, stopped, mixed, left)
	fmt.Printf("%d torn files; %d times the next apply did not complete the work\n", torn, incomplete)
	if torn+incomplete > 0 {
		os.Exit(1)
	}
}

func command(name string, args ...string) {
	if out, err := exec.Command(name, args...).CombinedOutput(); err != nil {
		log.Fatalf("%s %v: %v\n%s", name, args, err, out)
	}
}

func same(a, b sums) bool {
	if len(a) != len(b) {
		return false
	}
	for name := range b {
		if a[name] != b[name] {
			return false
		}
	}
	return true
}

// look reads all files of a folder; those not yet in place are only counted.
func look(root string) (found sums, temporary int) {
	var names []string
	err := filepath.WalkDir(root, func(name string, d fs.DirEntry, err error) error {
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil
		case err != nil || d.IsDir():
			return err
		case strings.HasSuffix(name, ".tmp"):
			temporary++
			return nil
		}
		names = append(names, name)
		return nil
	})
	check(err)
	found = sums{}
	var mu sync.Mutex
	check(site.Each(len(names), func(i int) error {
		b, err := os.ReadFile(names[i])
		rel, _ := filepath.Rel(root, names[i])
		mu.Lock()
		found[rel] = sha256.Sum256(b)
		mu.Unlock()
		return err
	}))
	return found, temporary
}
