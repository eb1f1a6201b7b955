package console

import (
	"encoding/json"
	"os"
	"os/exec"
	"testing"
)

// check loads the console's words and writes, for the cases, what they come to.
const check = `
const ts = require("typescript"), fs = require("fs");
const load = (file) => {
  const options = { module: ts.ModuleKind.CommonJS, target: ts.ScriptTarget.ES2022 };
  const { outputText } = ts.transpileModule(fs.readFileSync(file, "utf8"), { compilerOptions: options });
  const made = { exports: {} };
  new Function("module", "exports", "require", outputText)(made, made.exports, (path) => load("src/" + path + ".ts"));
  return made.exports;
};
const { duration, bytes, money } = load("src/words.ts");
const { stretchesOf } = load("src/parts/week.ts");
// stretches are put together over midnights, as minutes of the week.
const covered = (when) => stretchesOf(when)?.map((s) => [s.day * 1440 + s.from, s.day * 1440 + s.to]).sort((a, b) => a[0] - b[0])
  .reduce((all, s) => (all.at(-1)?.[1] >= s[0] ? [...all.slice(0, -1), [all.at(-1)[0], Math.max(all.at(-1)[1], s[1])]] : [...all, s]), [])
  .map((s) => s.join("-")).join(" ") ?? null;
const cases = JSON.parse(fs.readFileSync("words.golden.json", "utf8"));
console.log(JSON.stringify({
  durations: cases.durations.map(([x]) => [x, duration(x)]),
  bytes: cases.bytes.map(([x]) => [x, bytes(x)]),
  weeks: cases.weeks.map(([x]) => [x, covered(x)]),
  money: cases.money.map(([x]) => [x, money(x, "EUR")]),
}));
`

// The console writes durations, bytes and money as the service and the command line do: by
// cases that are written from Go.
func TestConsoleWritesNumbersAsTheService(t *testing.T) {
	t.Parallel()
	cmd := exec.Command("node", "-e", check)
	cmd.Dir = "../../web"
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	wanted, err := os.ReadFile("../../web/words.golden.json")
	if err != nil {
		t.Fatal(err)
	}
	var got, want map[string][][2]any
	if err := json.Unmarshal(out, &got); err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(wanted, &want); err != nil {
		t.Fatal(err)
	}
	n := 0
	for what, list := range want {
		for i, c := range list {
			if n++; got[what][i][1] != c[1] {
				t.Errorf("%s: %v is written %q, by the service %q", what, c[0], got[what][i][1], c[1])
			}
		}
	}
	if n < 50 {
		t.Errorf("%d cases", n)
	}
}
