package review

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
)

// A Rule knows one thing that goes wrong with templates.
type Rule struct {
	ID       string   // stable; pipelines and the annotation tachyphor/accepted name it
	Severity Severity // of its findings
	Title    string   // what it is about, in a few words
	Why      string   // what goes wrong, for someone who has not met it
	// Bad and Good are fragments of a template, or of what stands around it where
	// they name a kind: in the one the rule has something to say, in the other not.
	Bad, Good string
	find      func(*subject)
}

// rules are all there are, in the order of the work.
var rules = slices.Concat(startRules, imageRules, sizeRules, diskRules, secretRules, rightRules, lifeRules, offerRules, networkRules)

// Rules lists the rules.
func Rules() []Rule { return slices.Clone(rules) }

func index(path string, i int) string { return fmt.Sprintf("%s[%d]", path, i) }

// remove is the edit that takes a field away.
func remove(steps []any, more ...any) document.Edit {
	return document.Edit{Op: "remove", Path: document.Pointer(slices.Concat(steps, more)...)}
}

// set is the edit that gives a field a value.
func set(value any, steps []any, more ...any) document.Edit {
	return document.Edit{Op: "add", Path: document.Pointer(slices.Concat(steps, more)...), Value: value}
}

// listed writes words as people list them: a, b and c.
func listed(words []string) string {
	switch len(words) {
	case 0:
		return "none"
	case 1:
		return words[0]
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// several chooses the form of a word by a count.
func several(n int, one, more string) string {
	if n == 1 {
		return one
	}
	return more
}
