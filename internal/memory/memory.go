// Package memory tells how much memory this process may use.
package memory

import (
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"

	"tachyphor/core/units"
)

// Limit is the least of the machine's memory and what control groups allow; 0 where
// neither is known.
func Limit() units.Bytes { return limitIn("/") }

// limitIn is Limit of a system whose files are below root.
func limitIn(root string) units.Bytes {
	least := units.Bytes(0)
	found := func(n units.Bytes) {
		if n > 0 && (least == 0 || n < least) {
			least = n
		}
	}
	if b, err := os.ReadFile(filepath.Join(root, "proc/meminfo")); err == nil {
		for line := range strings.Lines(string(b)) {
			if f := strings.Fields(line); len(f) == 3 && f[0] == "MemTotal:" {
				if kib, err := strconv.ParseInt(f[1], 10, 53); err == nil {
					found(units.Bytes(kib) << 10)
				}
			}
		}
	}
	b, err := os.ReadFile(filepath.Join(root, "proc/self/cgroup"))
	if err != nil {
		return least
	}
	for line := range strings.Lines(strings.TrimSpace(string(b))) {
		// hierarchy:controllers:path; the unified hierarchy has no controllers.
		part := strings.SplitN(strings.TrimSpace(line), ":", 3)
		if len(part) != 3 {
			continue
		}
		base, file := "sys/fs/cgroup", "memory.max"
		if part[1] != "" {
			if !strings.Contains(","+part[1]+",", ",memory,") {
				continue
			}
			base, file = "sys/fs/cgroup/memory", "memory.limit_in_bytes"
		}
		for path := part[2]; ; path = filepath.Dir(path) { // every group above bounds it too
			if b, err := os.ReadFile(filepath.Join(root, base, path, file)); err == nil {
				if n, err := strconv.ParseInt(strings.TrimSpace(string(b)), 10, 64); err == nil { // "max" is none
					found(units.Bytes(n))
				}
			}
			if path == "/" || path == "." || path == "" {
				break
			}
		}
	}
	return least
}

// Apart is what the private database and the rest of the service take beside the work.
const Apart = 250 << 20

// Work is how much of a limit work may take; 0 where there is none.
func Work(limit units.Bytes) units.Bytes {
	if limit == 0 {
		return 0
	}
	return max((limit-Apart)*3/4, 16<<20)
}

// Workers is on how many of some workers work of some need fits into what it may take, 0
// for no limit: all of them as a rule, and 0 where one is too many.
func Workers(most int, may units.Bytes, need func(workers int) units.Bytes) int {
	for n := max(1, most); n > 0; n-- {
		if may == 0 || need(n) <= may {
			return n
		}
	}
	return 0
}

// Heed has the collector work harder as memory nears the limit, unless GOMEMLIMIT says
// another.
func Heed(limit units.Bytes) {
	if limit > 0 && os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(int64(max((limit-Apart)*9/10, 64<<20)))
	}
}
