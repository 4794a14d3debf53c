// Kill stops an apply of a big site at random moments with SIGKILL and looks at
// what is left: every output file has to be whole, the old one or the new one,
// and the next apply has to complete the work. Two gate files take turns, each with an
// output folder of its own, one of which is a link to a folder elsewhere; files of others
// lie in and beside the outputs, some with names like the tool's own, and have to come out
// as they were.
//
//	go run ./scripts/kill [-dir FOLDER] [-pages N] [-rounds N]
package main

import (
	"context"
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
	"regexp"
	"strings"
	"sync"
	"time"

	"yellowgate/internal/parallel"
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
	gate, err := os.ReadFile(filepath.Join(root, "yellowgate.yaml"))
	check(err)
	linked := filepath.Join(root, "elsewhere", "linked")
	check(os.MkdirAll(linked, 0o755))
	check(os.Symlink(linked, filepath.Join(root, "second")))
	other := regexp.MustCompile(`(?m)^( *output:).*`).ReplaceAll(gate, []byte("$1 second"))
	if string(other) == string(gate) {
		log.Fatal("the gate file names no output folder")
	}
	check(os.WriteFile(filepath.Join(root, "second.yaml"), other, 0o644))
	gates := [2]string{"yellowgate.yaml", "second.yaml"}
	outputs := [2]string{filepath.Join(root, "public"), linked}
	apply := func(of int) *exec.Cmd {
		cmd := exec.Command(program, "apply", "--gate", gates[of])
		cmd.Dir = root
		return cmd
	}
	// Two versions of an item's code make two whole outputs.
	set := func(version int) {
		check(
			os.WriteFile(filepath.Join(root, "code", "visit-counter.html"),
				fmt.Appendf(nil, "<script>version = %d</script>\n", version), 0o644))
	}
	var whole [2]sums
	var took time.Duration
	for v := range whole {
		set(v)
		begun := time.Now()
		for of := range gates {
			if out, err := apply(of).CombinedOutput(); err != nil {
				log.Fatalf("%v\n%s", err, out)
			}
		}
		took = time.Since(begun) / 2
		whole[v] = look(outputs[0])
		if second := look(outputs[1]); !same(second, whole[v]) {
			log.Fatal("the second output is not as the first")
		}
	}
	plant(outputs)
	fmt.Printf("%d files; an apply of all takes %v\n", len(whole[0]), took.Round(time.Millisecond))

	r := rand.New(rand.NewPCG(*seed, 0))
	torn, incomplete, stopped, left, mixed, touched := 0, 0, 0, 0, 0, 0
	for round := range *rounds {
		of := round % 2
		old, next := (round/2+1)%2, round/2%2
		fromNothing := round%20 >= 18
		if fromNothing {
			entries, err := os.ReadDir(outputs[of])
			check(err)
			for _, e := range entries {
				check(os.RemoveAll(filepath.Join(outputs[of], e.Name())))
			}
			states, _ := filepath.Glob(filepath.Join(root, ".yellowgate", []string{"public-*", "linked-*"}[of]))
			for _, s := range states {
				check(os.RemoveAll(s))
			}
			plant(outputs)
		}
		set(next)
		cmd := apply(of)
		check(cmd.Start())
		time.Sleep(time.Duration(r.Int64N(int64(took) * 11 / 10)))
		if cmd.Process.Kill() == nil && cmd.Wait() != nil {
			stopped++
		}
		now := look(outputs[of])
		temporary := works(outputs)
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
		out, err := apply(of).CombinedOutput()
		after := look(outputs[of])
		temporary = works(outputs)
		if n := planted(outputs); n > 0 {
			touched += n
			fmt.Printf("round %d: %d files of others are not as they were\n", round, n)
		}
		if err != nil || temporary > 0 || !same(after, whole[next]) {
			incomplete++
			fmt.Printf("round %d: the next apply did not complete it (%v, %d temporary files)\n%s", round, err,
				temporary, out)
		}
	}
	fmt.Printf(
		"%d applies killed, %d of them before they had ended; %d left a mixed output, %d temporary files were found\n",
		*rounds, stopped, mixed, left)
	fmt.Printf("%d torn files; %d times the next apply did not complete the work; %d files of others touched\n", torn,
		incomplete, touched)
	if torn+incomplete+touched > 0 {
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

// theirs are files of others, by their names in an output folder or, with "../", beside it.
var theirs = []string{
	"notes.txt", ".yg-0123.tmp", ".yellowgate/apply-00112233445566778899/0",
	"../.yellowgate/apply-00112233445566778899/0", "../.yellowgate/mine",
}

func plant(outputs [2]string) {
	for _, out := range outputs {
		for _, name := range theirs {
			full := filepath.Join(out, name)
			check(os.MkdirAll(filepath.Dir(full), 0o755))
			check(os.WriteFile(full, []byte("mine: "+name), 0o644))
		}
	}
}

// planted counts the files of others that are not as they were.
func planted(outputs [2]string) (touched int) {
	for _, out := range outputs {
		for _, name := range theirs {
			if b, err := os.ReadFile(filepath.Join(out, name)); err != nil || string(b) != "mine: "+name {
				touched++
			}
		}
	}
	return touched
}

// works counts the files that lie in work folders.
func works(outputs [2]string) (n int) {
	for _, out := range outputs {
		for _, parent := range []string{filepath.Join(out, ".yellowgate"), filepath.Join(filepath.Dir(out), ".yellowgate")} {
			files, _ := filepath.Glob(filepath.Join(parent, "apply-*", "*"))
			for _, f := range files {
				if !strings.Contains(f, "apply-00112233445566778899") {
					n++
				}
			}
		}
	}
	return n
}

// look reads all files of a folder but those of others.
func look(root string) (found sums) {
	var names []string
	err := filepath.WalkDir(root, func(name string, d fs.DirEntry, err error) error {
		switch {
		case errors.Is(err, fs.ErrNotExist):
			return nil
		case err != nil || d.IsDir():
			return err
		case strings.Contains(name, "/.yellowgate/") || strings.HasSuffix(name, "notes.txt") || strings.HasSuffix(
			name, ".tmp"):
			return nil
		}
		names = append(names, name)
		return nil
	})
	check(err)
	found = sums{}
	var mu sync.Mutex
	check(parallel.Each(context.Background(), len(names), func(i int) error {
		b, err := os.ReadFile(names[i])
		rel, _ := filepath.Rel(root, names[i])
		mu.Lock()
		found[rel] = sha256.Sum256(b)
		mu.Unlock()
		return err
	}))
	return found
}
