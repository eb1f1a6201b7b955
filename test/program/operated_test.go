package program

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"tachyphor/test/running"
)

// Each command has a manual page, which says nothing of the machine that it was written on.
func TestManualPages(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if r := command(t, dir, "man", dir); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	list, err := filepath.Glob(filepath.Join(dir, "*.1"))
	if err != nil || len(list) < 60 {
		t.Fatal(len(list), err)
	}
	home, _ := os.UserHomeDir()
	for _, path := range list {
		b, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		text := string(b)
		if !strings.Contains(text, ".SH NAME") || !strings.Contains(text, ".SH SYNOPSIS") || strings.Contains(text, dir) ||
			home != "/" && strings.Contains(text, home+"/") {
			t.Errorf("%s", path)
		}
	}
}

// The unit is one that systemd takes, with its sandbox.
func TestSystemdUnit(t *testing.T) {
	t.Parallel()
	b, err := os.ReadFile("../../deploy/systemd/tachyphor.service")
	if err != nil {
		t.Fatal(err)
	}
	unit := strings.ReplaceAll(string(b), "/usr/local/bin/tachyphor", running.Program(t))
	unit = strings.Replace(unit, "Documentation=man:tachyphor(1)\n", "", 1) // which is looked for
	path := filepath.Join(t.TempDir(), "tachyphor.service")
	if err := os.WriteFile(path, []byte(unit), 0o600); err != nil {
		t.Fatal(err)
	}
	if out, err := exec.Command("systemd-analyze", "verify", "--man=no", path).CombinedOutput(); err != nil || strings.Contains(string(out), "tachyphor.service:") {
		t.Errorf("%v %s", err, out)
	}
	out, err := exec.Command("systemd-analyze", "security", "--offline=yes", "--no-pager", path).CombinedOutput()
	if err != nil {
		t.Fatalf("%v %s", err, out)
	}
	level := regexp.MustCompile(`Overall exposure level for \S+: ([0-9.]+)`).FindSubmatch(out)
	if level == nil {
		t.Fatalf("%s", out)
	}
	if x, err := strconv.ParseFloat(string(level[1]), 64); err != nil || x > 1.5 { // 0: nothing is in reach, 10: all is
		t.Errorf("exposure %s", level[1])
	}
}

// The rules are ones that Prometheus takes, of metrics that there are.
func TestAlarmRules(t *testing.T) {
	t.Parallel()
	const rules = "../../deploy/prometheus/tachyphor.rules.yaml"
	if out, err := exec.Command("promtool", "check", "rules", rules).CombinedOutput(); err != nil {
		t.Errorf("%v %s", err, out)
	}
	b, err := os.ReadFile(rules)
	if err != nil {
		t.Fatal(err)
	}
	_, c := running.Start(t)
	_, _ = exchange{"GET", "/readyz", "", nil}.do(t, c) // so that requests have been counted
	_, metrics := exchange{"GET", "/metrics", "", nil}.do(t, c)
	names := regexp.MustCompile(`\btachyphor_[a-z_]+`).FindAllString(string(b), -1)
	if len(names) < 10 {
		t.Fatal(names)
	}
	for _, name := range names {
		if !strings.Contains(metrics, "\n"+name+"{") && !strings.Contains(metrics, "\n"+name+" ") {
			t.Errorf("there is no metric %s", name)
		}
	}
}
