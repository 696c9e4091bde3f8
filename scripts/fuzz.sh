#!/usr/bin/env bash
# Fuzzes every parser for a while each (10m unless another time is named), and keeps what it found to be of interest, as
# far as it is small, beside the tests: go test runs it from then on.
set -euo pipefail
cd "$(dirname "$0")/.."
each=${1:-10m} most=${MOST:-120} size=${SIZE:-2048}
cache=$(go env GOCACHE)/fuzz/$(go list -m)
grep -rn --include=*_test.go '^func Fuzz' . | sed -E 's/^\.\/(.*)\/[^/]*_test\.go:[0-9]+:func (Fuzz[A-Za-z]+)\(.*/\1 \2/' | sort -u | while read -r package name; do
	[[ "$name" == *"${ONLY:-}"* ]] || continue
	echo "== ./$package $name"
	# Else each input of interest is made smaller for up to a minute.
	go test "./$package" -run '^$' -fuzz "^$name\$" -fuzztime "$each" -fuzzminimizetime 10x -parallel "${PARALLEL:-2}"
	kept=$package/testdata/fuzz/$name
	mkdir -p "$kept"
	mkdir -p "$cache/$package/$name"
	find "$cache/$package/$name" -type f -size "-${size}c" | sort | while read -r found; do
		if [ "$(find "$kept" -type f | wc -l)" -ge "$most" ]; then break; fi
		cp -n "$found" "$kept/"
	done
	rmdir "$kept" 2>/dev/null || true
done
