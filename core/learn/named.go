package learn

import (
	"regexp"
	"strings"
)

var noName = regexp.MustCompile(`[^a-z0-9-]+`)

// NameOf makes a document's name of a file's, without its folder: what comes before the
// first point, as far as a name may have it.
func NameOf(file string) string {
	base, _, _ := strings.Cut(strings.ToLower(file), ".")
	base = strings.Trim(noName.ReplaceAllString(base, "-"), "-")
	if base == "" {
		return "learned"
	}
	return strings.Trim(base[:min(len(base), 63)], "-")
}
