package learn

import (
	"slices"
	"strings"
)

// changes tells whether a job built a change request: by what says so, else by its branch.
func (t *taking) changes(branch, said string) int8 {
	switch l := letters(said); {
	case l == "":
	case strings.Contains(l, "pull"), strings.Contains(l, "merge"), strings.Contains(l, "change"), strings.Contains(l, "review"),
		l == "pr", l == "mr", l == "true", l == "patchset":
		return 1
	case strings.Contains(l, "push"), strings.Contains(l, "cron"), strings.Contains(l, "timer"), strings.Contains(l, "sched"),
		strings.Contains(l, "night"), l == "trunk", l == "false", strings.Contains(l, "release"), strings.Contains(l, "tag"):
		if branch == "" {
			return 0
		}
	}
	if branch == "" {
		return -1
	}
	if t.trunk(branch) {
		return 0
	}
	return 1
}

// trunk reports whether a branch is the trunk.
func (t *taking) trunk(branch string) bool {
	b := strings.TrimPrefix(strings.TrimPrefix(branch, "refs/heads/"), "origin/")
	if len(t.o.Trunk) > 0 {
		return slices.Contains(t.o.Trunk, b)
	}
	switch strings.ToLower(b) {
	case "main", "master", "trunk", "develop", "default", "dev", "head", "mainline":
		return true
	}
	return strings.HasPrefix(b, "release/") || strings.HasPrefix(b, "releases/") || strings.HasPrefix(b, "refs/tags/")
}
