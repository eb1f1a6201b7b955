#!/usr/bin/env bash
# Makes an empty folder for what the tests of this checkout write and prints its name, the same each time: in
# memory where there is plenty, for they lay and leave databases by the hundred; else where temporary
# files go.
set -euo pipefail
cd "$(dirname "$0")/.."

free() { df --output=avail -k "$1" | tail -1; }
plenty() {
	[ -w /dev/shm ] && [ "$(free /dev/shm)" -gt $((4 << 20)) ] && # KiB
		[ "$(awk '/^MemAvailable/ {print $2}' /proc/meminfo)" -gt $((6 << 20)) ]
}
runs() { # whether programs may run in a folder
	printf '#!/bin/sh\n' >"$1/runs"
	chmod +x "$1/runs"
	"$1/runs" 2>/dev/null && rm "$1/runs"
}
name=tachyphor-test-$(pwd | cksum | cut -d ' ' -f 1)
rm -rf "/dev/shm/$name" "${TMPDIR:-/tmp}/$name"
if plenty && mkdir -p -m 711 "/dev/shm/$name" && runs "/dev/shm/$name"; then
	echo "/dev/shm/$name"
else
	mkdir -p -m 711 "${TMPDIR:-/tmp}/$name"
	echo "${TMPDIR:-/tmp}/$name"
fi
