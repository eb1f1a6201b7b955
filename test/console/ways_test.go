package console

import (
	"encoding/json"
	"os"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"tachyphor/test/running"
)

// A long page shows its parts, which stay in sight, and each page the command that says the same.
func TestFindingOnesWay(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.goTo("/outcomes/2")
	q.see("#headline")
	q.reads("#contents", "What the delay was spent on", "The bill", "Every job")
	q.click(`#contents a[href="#part-the-bill"]`)
	q.must(q.p.Until(`(() => { const y = document.querySelector("#part-the-bill h2").getBoundingClientRect().top; return y > 0 && y < 200; })()`))
	q.must(q.p.Until(`document.querySelector("#contents").getBoundingClientRect().top === 0`))
	q.must(q.p.Until(`document.querySelector("#contents [aria-current=location]") !== null`))
	known := map[string]bool{}
	for path, want := range map[string]string{
		"/": "get scenarios", "/outcomes/2": "get outcome 2", "/outcomes/2?job=hull-firmware-54-probe": "explain 2 hull-firmware-54-probe",
		"/scenarios/weekday-lean": "simulate weekday-lean", "/compare?ids=1,2": "compare 1 2", "/templates": "check",
		"/templates/compile-wide?view=sizing": "size compile-wide", "/clusters/brinewell-north": "get cluster brinewell-north",
		"/workloads/week-38": "get workload week-38", "/service": "kept", "/live": "live",
	} {
		q.goTo(path)
		q.reads("#command", "tachyphor "+want)
		known[strings.Fields(want)[0]] = true
	}
	for name := range known { // each is one that there is
		if out, err := exec.Command(running.Program(t), name, "--help").CombinedOutput(); err != nil || !strings.Contains(string(out), "tachyphor "+name) {
			t.Errorf("%s: %v %.200s", name, err, out)
		}
	}
	for _, name := range []string{"brinewell-north", "weekday-lean"} { // and what they name is taken
		kind := map[string]string{"brinewell-north": "cluster", "weekday-lean": "scenario"}[name]
		cmd := exec.Command(running.Program(t), "get", kind, name)
		cmd.Env = append(os.Environ(), "TACHYPHOR_SERVER="+c.Address, "TACHYPHOR_TOKEN="+c.Token)
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Errorf("get %s %s: %v %s", kind, name, err, out)
		}
	}
	q.quiet()
}

// One design that is far worse than the others does not flatten them: the scale is that of the others, and the one is
// drawn cut.
func TestScaleOfRibbons(t *testing.T) {
	t.Parallel()
	cases := [][]float64{{}, {0, 0}, {5}, {5, 400}, {10, 20, 30}, {10, 20, 30, 100}, {10, 20, 30, 101}, {1, 1, 1, 1e9}, {0, 0, 7, 9, 300}, {3, 3, 40, 50, 60}}
	text, err := json.Marshal(cases)
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("node", "-e", `
const ts = require("typescript"), fs = require("fs");
const { outputText } = ts.transpileModule(fs.readFileSync("src/parts/scale.ts", "utf8"), { compilerOptions: { module: ts.ModuleKind.CommonJS } });
const made = { exports: {} };
new Function("module", "exports", outputText)(made, made.exports);
console.log(JSON.stringify(`+string(text)+`.map((x) => made.exports.scaleOf(x))));`)
	cmd.Dir = "../../web"
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	type scale struct {
		Whole float64
		Cut   bool
	}
	var got []scale
	if err := json.Unmarshal(out, &got); err != nil {
		t.Fatal(err)
	}
	for i, values := range cases { // the same, written once more
		var there []float64
		for _, v := range values {
			if v > 0 {
				there = append(there, v)
			}
		}
		slices.Sort(there)
		want := scale{}
		if n := len(there); n > 0 {
			want.Whole = there[n-1]
			if usual := there[(n-1)/2]; n >= 3 && want.Whole > 5*usual {
				within := 0.0
				for _, v := range there {
					if v <= 5*usual {
						within = v
					}
				}
				want = scale{within * 1.25, true}
			}
		}
		if got[i] != want {
			t.Errorf("%v: %+v, not %+v", values, got[i], want)
		}
	}
}
