package console

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
)

var update = flag.Bool("update", false, "write what is written from Go")

// row is a row of a table of the vocabulary: the words it is of, and what they mean.
var row = regexp.MustCompile("(?m)^\\| (?:\\*\\*(.+?)\\*\\*(.*?)|`([a-z]+)`) +\\| (.+?) *\\|$")

// vocabulary reads the words of docs/vocabulary.md, each with its meaning.
func vocabulary(t *testing.T) map[string]string {
	t.Helper()
	b, err := os.ReadFile("../../docs/vocabulary.md")
	if err != nil {
		t.Fatal(err)
	}
	words := map[string]string{}
	for _, m := range row.FindAllStringSubmatch(string(b), -1) {
		meaning := strings.ReplaceAll(m[4], "`", "")
		if m[3] != "" {
			words[m[3]] = "a phase of a job, in which it waits for " + meaning
			if m[3] == "work" {
				words[m[3]] = "the phase in which a job does its own work"
			}
			continue
		}
		for _, w := range regexp.MustCompile(`[,;/]`).Split(m[1], -1) {
			words[strings.TrimSpace(w)] = meaning
		}
	}
	return words
}

// The console's words and what they mean are those of docs/vocabulary.md; -update writes them.
func TestVocabularyOfTheConsole(t *testing.T) {
	words := vocabulary(t)
	if len(words) < 80 || words["spare"] != "idle agents kept ready ahead of demand" || words["ceiling"] == "" || !strings.Contains(words["join"], "the agent to reach") {
		t.Fatalf("%d words: %v", len(words), words)
	}
	names := make([]string, 0, len(words))
	for w := range words {
		names = append(names, w)
	}
	slices.Sort(names)
	var b bytes.Buffer
	b.WriteString("// Written by test/console/vocabulary_test.go from docs/vocabulary.md with -update; do not edit.\n\n")
	b.WriteString("/** What words mean here. */\nexport const vocabulary: Record<string, string> = {\n")
	for _, w := range names {
		key, err := json.Marshal(w)
		if err != nil {
			t.Fatal(err)
		}
		if regexp.MustCompile(`^[a-z]+$`).MatchString(w) {
			key = []byte(w)
		}
		meaning, err := json.Marshal(words[w])
		if err != nil {
			t.Fatal(err)
		}
		line := fmt.Sprintf("  %s: %s,\n", key, meaning)
		if len([]rune(line)) > 111 {
			line = fmt.Sprintf("  %s:\n    %s,\n", key, meaning)
		}
		b.WriteString(line)
	}
	b.WriteString("};\n")
	const file = "../../web/src/vocabulary.gen.ts"
	if *update {
		if err := os.WriteFile(file, b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	if there, err := os.ReadFile(file); err != nil || !bytes.Equal(there, b.Bytes()) {
		t.Errorf("%s is not what docs/vocabulary.md says (%v); go test ./test/console -run Vocabulary -update", file, err)
	}
}
