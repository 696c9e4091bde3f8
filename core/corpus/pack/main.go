// Command pack adds inputs that fuzzing has found to an archive: pack ARCHIVE MOST FILE…
package main

import (
	"fmt"
	"os"
	"strconv"

	"omphalos/core/corpus"
)

func main() {
	if len(os.Args) < 3 {
		fmt.Fprintln(os.Stderr, "usage: pack ARCHIVE MOST FILE…")
		os.Exit(2)
	}
	most, err := strconv.Atoi(os.Args[2])
	if err == nil {
		err = corpus.Pack(os.Args[1], os.Args[3:], most)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "pack:", err)
		os.Exit(1)
	}
}
