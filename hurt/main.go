// Command hurt hurts the program on purpose and writes down what came of it: it is killed, its disk fills, its database
// goes away, its clock jumps, its clients are slow. Everything is on loopback, and bounded.
//
//	go run ./hurt              all trials, as docs/reliability.md has them
//	go run ./hurt -only kill   those whose name begins so
//
// A PostgreSQL server is taken from OMPHALOS_TEST_DATABASE (scripts/with-postgres.sh); without it the trials on one are
// left out.
package main

import (
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"
)

// row is what came of one trial.
type row struct {
	name, what, came string
	held             bool
}

// trial is one way to hurt the program.
type trial struct {
	name, what string
	server     bool // it needs a PostgreSQL server
	run        func(*bench) (came string, err error)
}

// bench is what trials share.
type bench struct {
	program  string // built for this run
	dir      string // of files that go with it
	database string // of the server; "" for none
	kills    int
	clients  int
	minutes  time.Duration
}

var (
	only    = flag.String("only", "", "the trials whose name begins so")
	kills   = flag.Int("kills", 100, "how often each server is killed")
	clients = flag.Int("clients", 64, "how many respondents there are at the same time")
	lasts   = flag.Duration("lasts", 10*time.Minute, "how long the load lasts under which memory is looked at")
	into    = flag.String("into", "", "file that the table is written into, such as docs/reliability.md")
)

func main() {
	log.SetFlags(0)
	flag.Parse()
	dir, err := os.MkdirTemp("", "hurt")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(dir)
	b := &bench{
		program: filepath.Join(dir, "omphalos"), dir: dir, database: os.Getenv("OMPHALOS_TEST_DATABASE"),
		kills: *kills, clients: *clients, minutes: *lasts,
	}
	build := exec.Command("go", "build", "-o", b.program, "./cmd/omphalos")
	if out, err := build.CombinedOutput(); err != nil {
		log.Fatalf("%v\n%s", err, out)
	}
	var rows []row
	for _, t := range slices.Concat(killTrials, faultTrials, loadTrials) {
		if !strings.HasPrefix(t.name, *only) || t.server && b.database == "" {
			continue
		}
		began := time.Now()
		came, err := t.run(b)
		if err != nil {
			came = strings.TrimSpace(came + " **" + strings.ReplaceAll(err.Error(), "\n", " ") + "**")
		}
		rows = append(rows, row{t.name, t.what, came, err == nil})
		fmt.Printf("%-24s %-6s %v\n    %s\n", t.name, yes(err == nil), time.Since(began).Round(time.Second), came)
	}
	if *into != "" {
		if err := os.WriteFile(*into, []byte(page(rows)), 0o644); err != nil {
			log.Fatal(err)
		}
	}
	if slices.ContainsFunc(rows, func(r row) bool { return !r.held }) {
		os.RemoveAll(dir)
		os.Exit(1) // with what was wrong said above
	}
}

func yes(held bool) string {
	if held {
		return "held"
	}
	return "FAILED"
}

// page is the table for people.
func page(rows []row) string {
	var s strings.Builder
	fmt.Fprintf(&s, `# Hurt on purpose

What came of killing the program, its disk, its clock, its database and its clients: written by `+"`make hurt`"+`
on %s, on a machine with %d cores (%s, %s). Everything is on loopback; where an absolute figure
means little, a ratio within the run is given.

| trial | what is done | what came of it | held |
|---|---|---|---|
`, time.Now().Format("2 January 2006"), runtime.NumCPU(), runtime.GOOS, runtime.GOARCH)
	for _, r := range rows {
		fmt.Fprintf(&s, "| %s | %s | %s | %s |\n", r.name, r.what, r.came, yes(r.held))
	}
	return s.String()
}
