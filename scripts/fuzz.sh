#!/usr/bin/env bash
# Fuzzes every parser for a while each (10m unless another time is named), and keeps the small inputs of interest in an
# archive next to the tests (core/corpus), which go test runs from then on.
set -euo pipefail
cd "$(dirname "$0")/.."
each=${1:-10m} most=${MOST:-120} size=${SIZE:-2048}
cache=$(go env GOCACHE)/fuzz/$(go list -m)
grep -rn --include=*_test.go '^func Fuzz' . | sed -E 's/^\.\/(.*)\/[^/]*_test\.go:[0-9]+:func (Fuzz[A-Za-z]+)\(.*/\1 \2/' | sort -u | while read -r package name; do
	[[ "$name" == *"${ONLY:-}"* ]] || continue
	echo "== ./$package $name"
	# Else each input of interest is made smaller for up to a minute.
	mkdir -p "$package/testdata/fuzz"
	go test "./$package" -run '^$' -fuzz "^$name\$" -fuzztime "$each" -fuzzminimizetime 10x -parallel "${PARALLEL:-2}"
	mkdir -p "$cache/$package/$name"
	find "$cache/$package/$name" -type f -size "-${size}c" | sort |
		xargs go run ./core/corpus/pack "$package/testdata/fuzz/$name.zip" "$most"
done
