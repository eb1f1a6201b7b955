package program

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// wholeWeeks has the demo's runs be as long as they are, where tests go with shorter ones.
var wholeWeeks = os.Getenv("TACHYPHOR_VALIDATE") != ""

// changedDemo copies the demo's documents, and replaces texts in files of the copy; each has to be
// there, in turn with what comes in its place.
func changedDemo(t testing.TB, changes map[string][]string) (folder string) {
	t.Helper()
	folder = t.TempDir()
	if err := os.CopyFS(folder, os.DirFS(demoFolder)); err != nil {
		t.Fatal(err)
	}
	for file, texts := range changes {
		file = filepath.Join(folder, file)
		b, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		text := string(b)
		for i := 0; i < len(texts); i += 2 {
			if !strings.Contains(text, texts[i]) {
				t.Fatalf("%s has no %s", file, texts[i])
			}
			text = strings.ReplaceAll(text, texts[i], texts[i+1])
		}
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return folder
}

// shortDemo is a copy of the demo in which scenarios that run over a week run over so much of it, which
// is a fifth of the work for a day: it is for tests of what the program does with an answer, not
// of the answer. Under make validate they run over the week.
func shortDemo(t testing.TB, span string, scenarios ...string) (folder string) {
	t.Helper()
	if wholeWeeks {
		return changedDemo(t, nil)
	}
	changes := map[string][]string{}
	for _, s := range scenarios {
		changes[filepath.Join("scenarios", s+".yaml")] = []string{"span: 7d", "span: " + span}
	}
	return changedDemo(t, changes)
}
