package memory

import (
	"os"
	"path/filepath"
	"testing"

	"tachyphor/core/units"
)

func TestLimit(t *testing.T) {
	for name, c := range map[string]struct {
		files map[string]string
		want  units.Bytes
	}{
		"nothing known": {nil, 0},
		"machine alone": {map[string]string{"proc/meminfo": "MemTotal:  1024 kB\nMemFree: 1 kB\n"}, 1 << 20},
		"unified": {map[string]string{
			"proc/meminfo": "MemTotal: 1024 kB\n", "proc/self/cgroup": "0::/a/b\n",
			"sys/fs/cgroup/a/b/memory.max": "max\n", "sys/fs/cgroup/a/memory.max": "700000\n",
		}, 700000},
		"in its own space": {map[string]string{"proc/self/cgroup": "0::/\n", "sys/fs/cgroup/memory.max": "734003200\n"}, 734003200},
		"older": {map[string]string{
			"proc/meminfo": "MemTotal: 1024 kB\n", "proc/self/cgroup": "4:cpu,memory:/x\n2:cpu:/x\n",
			"sys/fs/cgroup/memory/x/memory.limit_in_bytes": "9223372036854771712\n", "sys/fs/cgroup/memory/memory.limit_in_bytes": "5000\n",
		}, 5000},
		"nonsense": {map[string]string{"proc/meminfo": "MemTotal: many kB\n", "proc/self/cgroup": "???\n1:\n"}, 0},
	} {
		root := t.TempDir()
		for path, text := range c.files {
			path = filepath.Join(root, path)
			if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
				t.Fatal(err)
			}
		}
		if got := limitIn(root); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
	if Limit() < 1<<28 {
		t.Errorf("this machine has %s", Limit())
	}
}

func TestWorkers(t *testing.T) {
	need := func(n int) units.Bytes { return units.Bytes(100 + 50*n) }
	for _, c := range []struct {
		most int
		may  units.Bytes
		want int
	}{{4, 0, 4}, {4, 300, 4}, {4, 299, 3}, {4, 150, 1}, {4, 149, 0}, {0, 150, 1}} {
		if got := Workers(c.most, c.may, need); got != c.want {
			t.Errorf("of %d workers in %d bytes: %d, want %d", c.most, c.may, got, c.want)
		}
	}
}
