#!/usr/bin/env bash
# Runs a command beside a PostgreSQL server of its own, in a folder that goes with it. The command finds the server's
# address in OMPHALOS_TEST_DATABASE. The server does not wait for the disk, unless FSYNC is on. Debian's postgresql
# package is installed where it is missing.
set -euo pipefail

bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1; }
if [ -z "$(bin)" ]; then
	apt-get update -qq && apt-get install -y -qq postgresql >/dev/null
fi
bin=$(bin)

# The server does not run as root: there it runs as the user that the package made.
as=()
if [ "$(id -u)" = 0 ]; then as=(runuser -u postgres --); fi
dir=$("${as[@]}" mktemp -d /tmp/omphalos-postgres.XXXXXX)
trap '"${as[@]}" "$bin/pg_ctl" -D "$dir/data" -m immediate stop >/dev/null 2>&1 || true; rm -rf "$dir"' EXIT

"${as[@]}" "$bin/initdb" -D "$dir/data" -A trust -U omphalos --locale=C.UTF-8 >/dev/null
for port in $(shuf -i 20000-32000 -n 20); do
	options="-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories=$dir -c max_connections=400 -c fsync=${FSYNC:-off}"
	if "${as[@]}" "$bin/pg_ctl" -D "$dir/data" -w -l "$dir/log" -o "$options" start >/dev/null 2>&1; then
		OMPHALOS_TEST_DATABASE="postgres://omphalos@127.0.0.1:$port/postgres?sslmode=disable" \
			OMPHALOS_TEST_POSTGRES="$bin/pg_ctl $dir/data" "$@"
		exit
	fi
done
echo "PostgreSQL could not be started: $(tail -3 "$dir/log" 2>/dev/null)" >&2
exit 1
